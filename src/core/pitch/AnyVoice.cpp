#include "core/pitch/AnyVoice.h"

#include <algorithm>

namespace orthochron {

namespace {

constexpr Hertz kDeep{30.0};
constexpr std::size_t kDeepRun = 20;               // frames
constexpr std::size_t kPerhapsRun = kDeepRun / 2;  // so many may be one
constexpr double kDeepPart = 0.01;                 // of what has a pitch
constexpr double kUntold = 0.08;                   // of what sounds, without a pitch above 50 Hz
constexpr double kSounding = 1e-4;                 // of the power of the loudest: 40 dB below it

// The power above which it sounds.
double soundingPower(const std::vector<PitchFrame>& curve)
{
    double loudest = 1e-10;
    for (const PitchFrame& frame : curve) {
        loudest = std::max(loudest, frame.power);
    }
    return kSounding * loudest;
}

// The part of what sounds that has no pitch.
double untoldIn(const std::vector<PitchFrame>& curve)
{
    const double least = soundingPower(curve);
    std::size_t sounding = 0;
    std::size_t untold = 0;
    for (const PitchFrame& frame : curve) {
        const bool sounds = frame.power > least;
        sounding += sounds ? 1U : 0U;
        untold += sounds && !frame.isVoiced() ? 1U : 0U;
    }
    return sounding > 0 ? static_cast<double>(untold) / static_cast<double>(sounding) : 0.0;
}

// Whether there are notes below 50 Hz, not single frames.
bool isDeep(const std::vector<PitchFrame>& curve)
{
    std::size_t run = 0;
    std::size_t low = 0;
    std::size_t voiced = 0;
    for (const PitchFrame& frame : curve) {
        voiced += frame.isVoiced() ? 1U : 0U;
        run = frame.isVoiced() && frame.pitch < PitchSettings().low ? run + 1 : 0;
        low += run >= kDeepRun ? 1U : 0U;
    }
    return static_cast<double>(low) > kDeepPart * static_cast<double>(voiced);
}

// Where there might be notes below 50 Hz: in what sounds without a pitch, and where an octave above one would be
// heard. Single frames among others are none.
std::vector<bool> perhapsDeepIn(const std::vector<PitchFrame>& curve)
{
    const double least = soundingPower(curve);
    std::vector<bool> perhaps(curve.size(), false);
    std::size_t run = 0;
    for (std::size_t n = 0; n < curve.size(); ++n) {
        const PitchFrame& frame = curve[n];
        const bool mayBe =
            frame.isVoiced() ? frame.pitch < PitchSettings().low * 2.0 : frame.power > least;
        run = mayBe ? run + 1 : 0;
        if (run == kPerhapsRun) {
            std::fill_n(perhaps.begin() + static_cast<std::ptrdiff_t>(n + 1 - run), run, true);
        } else if (run > kPerhapsRun) {
            perhaps[n] = true;
        }
    }
    return perhaps;
}

// The longest run of frames below 50 Hz.
std::size_t longestDeepRun(const std::vector<PitchFrame>& curve)
{
    std::size_t run = 0;
    std::size_t longest = 0;
    for (const PitchFrame& frame : curve) {
        run = frame.isVoiced() && frame.pitch < PitchSettings().low ? run + 1 : 0;
        longest = std::max(longest, run);
    }
    return longest;
}

}  // namespace

Result<std::vector<PitchFrame>>
pitchOfAnyVoice(const Channel& channel, Hertz rate, const Work& work)
{
    auto usual = pitchOf(channel, rate, {}, work.part(0.0, 0.5));
    if (!usual || untoldIn(*usual) < kUntold) {
        return usual;
    }
    // Most have none: what is looked at again in all is what has some where they might be.
    const auto perhaps = perhapsDeepIn(*usual);
    if (std::ranges::find(perhaps, true) == perhaps.end()) {
        return usual;
    }
    const auto tried = pitchWhere(perhaps, channel, rate, {.low = kDeep}, work.part(0.5, 0.6));
    if (!tried || longestDeepRun(*tried) < kPerhapsRun) {
        return tried ? usual : tried;
    }
    auto deep = pitchOf(channel, rate, {.low = kDeep}, work.part(0.6, 1.0));
    return !deep || isDeep(*deep) ? deep : usual;
}

}  // namespace orthochron
