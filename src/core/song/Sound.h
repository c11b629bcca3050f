#pragma once

#include "core/base/Id.h"
#include "core/stretch/Treatment.h"

#include <algorithm>
#include <memory>

namespace orthochron {

// What a clip plays: a channel of a take, as it was recorded or seen through a treatment. Clips
// know sound time only; only a sound crosses from it to the time of its take and back.
struct Sound {
    TakeId take;
    int channel = 0;                             // kAllChannels plays one or two together
    std::shared_ptr<const Treatment> treatment;  // null: as recorded, sound time is take time

    static constexpr int kAllChannels = -1;

    bool operator==(const Sound& other) const
    {
        return isOf(other.take, other.channel) &&
               (treatment == other.treatment ||
                (treatment && other.treatment && *treatment == *other.treatment));
    }
    [[nodiscard]] bool isOf(TakeId whose, int which) const
    {
        return take == whose && channel == which;
    }
    // Where one channel of it is read: the first, where it plays all.
    [[nodiscard]] int firstChannel() const { return std::max(channel, 0); }

    [[nodiscard]] Frames soundTimeOf(Frames takeTime) const
    {
        return treatment ? treatment->soundTimeOf(takeTime) : takeTime;
    }
    [[nodiscard]] Frames takeTimeOf(Frames soundTime) const
    {
        return treatment ? treatment->takeTimeOf(soundTime) : soundTime;
    }
    // The first frame there is, and the one after the last, of a take so long: sound time.
    [[nodiscard]] Frames begin() const { return soundTimeOf(Frames(0)); }
    [[nodiscard]] Frames end(Frames takeLength) const { return soundTimeOf(takeLength); }
};

}  // namespace orthochron
