#include "core/stretch/MaterialGuess.h"

#include "core/joins/Layers.h"
#include "core/onset/OnsetDetector.h"
#include "core/pitch/PitchCurve.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr Seconds kListened = Seconds(20.0);
constexpr double kClear = 0.93;  // confidence of a pitch that is one note's
constexpr double kLoud = 0.03;   // of the loudest 5 ms; what is softer is not asked
constexpr double kMostlyPitched = 0.5;
constexpr double kSpread = 1.0;             // semitones, between the quarters of all notes
constexpr std::size_t kLeastRun = 8;        // frames of a pitch that are a note
constexpr Seconds kLasting = Seconds(1.0);  // a big drum rings for half of that
constexpr double kSteep = 12.0;             // dB
constexpr double kHard = 25.0;              // dB; from near silence
constexpr double kSeldom = 0.4;             // hard attacks a second
constexpr double kOften = 1.5;              // steep attacks a second

double middleOf(std::vector<double>& values, double part)
{
    const auto place = static_cast<std::ptrdiff_t>(part * static_cast<double>(values.size() - 1));
    std::ranges::nth_element(values, values.begin() + place);
    return values[static_cast<std::size_t>(place)];
}

// Whether what has a pitch is played: it changes from note to note, or lasts. A drum rings at one pitch,
// and not for long.
bool isMelodic(const std::vector<PitchFrame>& curve)
{
    std::vector<double> notes;    // semitones, of each run of frames
    std::vector<double> lengths;  // frames
    std::vector<double> run;
    const auto end = [&] {
        if (run.size() >= kLeastRun) {
            notes.push_back(middleOf(run, 0.5));
            lengths.push_back(static_cast<double>(run.size()));
        }
        run.clear();
    };
    for (const PitchFrame& frame : curve) {
        if (frame.isVoiced() && frame.confidence > kClear) {
            run.push_back(12.0 * std::log2(frame.pitch.count()));
        } else {
            end();
        }
    }
    end();
    if (notes.empty()) {
        return false;
    }
    // Within the octave: of a ring that dies away now its pitch is heard, now half of it.
    const double middle = middleOf(notes, 0.5);
    for (double& note : notes) {
        note = std::remainder(note - middle, 12.0);
    }
    return middleOf(notes, 0.75) - middleOf(notes, 0.25) >= kSpread ||
           middleOf(lengths, 0.75) * kPitchHop.count() >= kLasting.count();
}

// The loudest passage of a recording.
struct Passage {
    Frames from;
    std::vector<float> sound;
};

Result<Passage> loudestPassage(const Channel& channel, Hertz rate, const Work& work)
{
    const Frames length = std::min(toFrames(kListened, rate), channel.frames);
    // By its power second by second.
    std::vector<double> powers;
    auto seen = forEachBlock(
        channel,
        toFrames(Seconds(1.0), rate),
        Frames(0),
        work,
        [&](std::span<const float> sound, Frames, Frames, Frames) {
            powers.push_back(meanPower(sound));
        }
    );
    if (!seen) {
        return tl::unexpected(seen.error());
    }
    const auto seconds =
        std::max<std::size_t>(static_cast<std::size_t>(toSeconds(length, rate).count()), 1);
    std::size_t loudest = 0;
    double most = -1.0;
    for (std::size_t first = 0; first + seconds <= powers.size(); ++first) {
        double power = 0.0;
        for (std::size_t n = first; n < first + seconds; ++n) {
            power += powers[n];
        }
        if (power > most) {
            most = power;
            loudest = first;
        }
    }
    Passage passage{toFrames(Seconds(static_cast<double>(loudest)), rate), {}};
    passage.sound.resize(static_cast<std::size_t>(length.count()));
    if (auto read = channel.read(passage.from, passage.sound); !read) {
        return tl::unexpected(read.error());
    }
    return passage;
}

// Of what is loud of a sound, the part with the clear pitch of one note. `curve` begins where it does.
double pitchedPart(std::span<const float> sound, Hertz rate, std::span<const PitchFrame> curve)
{
    std::vector<double> levels;
    for (std::size_t n = 0; n < curve.size(); ++n) {
        const auto at = static_cast<std::size_t>(placeOfPitch(n, rate).count());
        if (at >= sound.size()) {
            break;
        }
        const auto hop = static_cast<std::size_t>(toFrames(kPitchHop, rate).count());
        levels.push_back(meanPower(sound.subspan(at, std::min(hop, sound.size() - at))));
    }
    const double loud = levels.empty() ? 0.0 : kLoud * std::ranges::max(levels);
    int asked = 0;
    int clear = 0;
    for (std::size_t n = 0; n < levels.size(); ++n) {
        if (levels[n] > loud) {
            ++asked;
            clear += curve[n].isVoiced() && curve[n].confidence > kClear ? 1 : 0;
        }
    }
    return asked > 0 ? static_cast<double>(clear) / asked : 0.0;
}

}  // namespace

Result<double> pitchedPartOf(
    const Channel& channel, Hertz rate, std::span<const PitchFrame> curve, const Work& work
)
{
    const auto passage = loudestPassage(channel, rate, work);
    if (!passage) {
        return tl::unexpected(passage.error());
    }
    std::size_t first = 0;
    while (first < curve.size() && placeOfPitch(first, rate) < passage->from) {
        ++first;
    }
    return pitchedPart(passage->sound, rate, curve.subspan(first));
}

Result<MaterialGuess> guessMaterial(const Channel& channel, Hertz rate, const Work& work)
{
    const auto passage = loudestPassage(channel, rate, work.part(0.0, 0.2));
    if (!passage) {
        return tl::unexpected(passage.error());
    }
    const std::vector<float>& sound = passage->sound;
    const Channel listened = channelOver(sound);
    const auto curve = pitchOf(listened, rate, {}, work.part(0.2, 0.6));
    if (!curve) {
        return tl::unexpected(curve.error());
    }
    const auto analysis = analyseOnsets(listened, rate, work.part(0.6, 1.0));
    if (!analysis) {
        return tl::unexpected(analysis.error());
    }
    MaterialGuess guess;
    guess.pitched = pitchedPart(sound, rate, *curve);
    std::vector<double> rises;
    for (const OnsetCandidate& one : analysis->candidates) {
        if (one.riseDecibels >= kSteep && one.onset.strength > 0.1) {
            rises.push_back(one.riseDecibels);
        }
    }
    guess.struck =
        static_cast<double>(rises.size()) / std::max(toSeconds(listened.frames, rate).count(), 0.1);
    const bool isHard = !rises.empty() && middleOf(rises, 0.5) >= kHard;
    guess.material = guess.pitched >= kMostlyPitched && isMelodic(*curve) ? Material::Line
                     : guess.struck >= (isHard ? kSeldom : kOften)        ? Material::Hits
                                                                          : Material::Blend;
    return guess;
}

}  // namespace orthochron
