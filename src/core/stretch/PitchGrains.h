#pragma once

#include "core/stretch/PitchMove.h"
#include "core/stretch/StretchPlan.h"

#include <map>
#include <memory>
#include <mutex>
#include <vector>

namespace orthochron {

// A period of a voice, faded in and out around its mark, as it is laid into the moved sound.
struct PitchGrain {
    Frames mark;         // the middle of it, in the sound as it was
    Frames before;       // it comes in over these frames
    Frames after;        // and goes out over these
    double place = 0.0;  // where its mark comes to
    double speed = 1.0;  // it is played at: other than 1 where formants move

    // Heard as and where it was.
    [[nodiscard]] bool isUnmoved() const
    {
        return speed == 1.0 && place == static_cast<double>(mark.count());
    }
};

// How a sound of one note at a time is cut into grains and where they are laid so that its pitch moves and
// its formants stay: pitch-synchronous overlap and add (Moulines and Charpentier 1990).
//
// Marks follow each other by a period as the pitch curve says, each put where what is around it is
// likest to what is around the one before; where there is no pitch they lie 5 ms apart and stay, so
// that breath and consonants pass untouched. Grains are laid to a fraction of a frame. Where the pitch
// stays again after a place where it was moved, they are led back to where they were, by less than
// ten cents; from there on the sound is itself, bit for bit.
//
// It is found in cells of 4 s, as far as it is listened to. A cell goes on from the last 30 ms
// without a pitch, or, in longer notes, from the cell before.
class PitchGrains {
public:
    // `voice` is what is listened to, in sound time; the take's first witness.
    PitchGrains(Channel voice, Hertz rate, PitchMove move);

    // The grains heard in [from, to), ascending by place. Errors: the voice's. Threads: any.
    [[nodiscard]] Result<std::vector<PitchGrain>> grains(Frames from, Frames to);

private:
    class Cell;
    // Where a cell leaves off.
    struct State {
        Frames mark;
        double place = 0.0;
        bool isVoiced = false;
    };
    struct Found {
        std::vector<PitchGrain> grains;
        State end;
    };

    [[nodiscard]] Result<const Found*> cell(std::int64_t index);

    Channel voice_;
    Hertz rate_;
    PitchMove move_;
    std::mutex mutex_;
    std::map<std::int64_t, Found> found_;
};

// What another plan makes, moved in pitch with its formants kept or moved. `voice` is the channel whose pitch is
// followed, as that plan plays it.
[[nodiscard]] std::shared_ptr<StretchPlan>
pitchMoved(std::shared_ptr<StretchPlan> plan, std::unique_ptr<SampleSource> voice, PitchMove move);

}  // namespace orthochron
