#include "core/pitch/AnyVoice.h"

#include <algorithm>

namespace orthochron {

namespace {

constexpr Hertz kDeep{30.0};
constexpr std::size_t kDeepRun = 20;  // frames
constexpr double kDeepPart = 0.01;    // of what has a pitch
constexpr double kUntold = 0.08;      // of what sounds, without a pitch above 50 Hz
constexpr double kSounding = 1e-4;    // of the power of the loudest: 40 dB below it

// The part of what sounds that has no pitch.
double untoldIn(const std::vector<PitchFrame>& curve)
{
    double loudest = 1e-10;
    for (const PitchFrame& frame : curve) {
        loudest = std::max(loudest, frame.power);
    }
    std::size_t sounding = 0;
    std::size_t untold = 0;
    for (const PitchFrame& frame : curve) {
        const bool sounds = frame.power > kSounding * loudest;
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

}  // namespace

Result<std::vector<PitchFrame>>
pitchOfAnyVoice(const Channel& channel, Hertz rate, const Work& work)
{
    auto usual = pitchOf(channel, rate, {}, work.part(0.0, 0.5));
    if (!usual || untoldIn(*usual) < kUntold) {
        return usual;
    }
    auto deep = pitchOf(channel, rate, {.low = kDeep}, work.part(0.5, 1.0));
    return !deep || isDeep(*deep) ? deep : usual;
}

}  // namespace orthochron
