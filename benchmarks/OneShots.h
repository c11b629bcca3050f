#pragma once

#include "core/demo/KitRecording.h"

#include <filesystem>
#include <memory>

namespace orthochron {

// The drums of one kit, recorded blow by blow: files named kick-1-01.wav, where 1 is the way it is
// struck and 01 how hard, softest first; kick, snare, stick, tom, floor, hat, open, pedal, ride,
// crash. A drum that has none is silent; a hat without a pedal's sound is struck instead.
class OneShots {
public:
    // Exits with a sentence where a file cannot be read.
    explicit OneShots(const std::filesystem::path& folder);

    [[nodiscard]] const std::string& name() const { return name_; }

    // A blow from the moment it stands 40 dB below its peak, which is its velocity; `stretch` is how much
    // slower than recorded the kit is played, and lower with it.
    [[nodiscard]] std::vector<float>
    blow(const demo::DemoHit& hit, double stretch, demo::Random& random) const;

private:
    using Strokes = std::vector<std::vector<float>>;  // softest first
    using Ways = std::vector<Strokes>;

    [[nodiscard]] const Strokes* strokesFor(const demo::DemoHit& hit, demo::Random& random) const;

    std::string name_;
    std::array<Ways, demo::kDrums> ways_;
    Ways sticks_;
    Ways openHats_;
    Ways pedals_;
};

// The kits in the folders of `folder`, by name.
[[nodiscard]] std::vector<OneShots> oneShotKits(const std::filesystem::path& folder);

}  // namespace orthochron
