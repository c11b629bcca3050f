#include "core/song/MidiGuide.h"

namespace orthochron {

std::vector<Seconds> MidiGuide::starts() const
{
    constexpr Seconds kOfChord = milliseconds(15.0);
    std::vector<Seconds> all;
    for (const TimedNote& note : notes) {
        if (all.empty() || note.at - all.back() > kOfChord) {
            all.push_back(note.at);
        }
    }
    return all;
}

}  // namespace orthochron
