#include "core/stretch/Treatment.h"

#include "core/render/Sources.h"

#include <cmath>
#include <cstdlib>
#include <numbers>

namespace {

using namespace orthochron;  // NOLINT(google-build-using-namespace)

constexpr Hertz kRate{8000.0};
constexpr std::int64_t kLength = 6000;

// Numbers out of the bytes that are left; zeros when there are none.
class Numbers {
public:
    Numbers(const std::uint8_t* data, std::size_t size) : data_(data), left_(size) {}

    int next()
    {
        if (left_ == 0) {
            return 0;
        }
        --left_;
        return *data_++;
    }
    int signedNext() { return static_cast<std::int8_t>(next()); }
    std::int64_t wide() { return 256 * next() + next(); }
    int count(int most) { return next() % (most + 1); }

private:
    const std::uint8_t* data_;
    std::size_t left_;
};

// A swell of three partials with a click in it every half second, in two channels.
std::unique_ptr<SampleSource> someSound()
{
    static const auto kSound = [] {
        auto sound = std::make_shared<AudioBuffer>(2, Frames(kLength));
        for (int c = 0; c < 2; ++c) {
            for (std::int64_t i = 0; i < kLength; ++i) {
                const double turn = 2.0 * std::numbers::pi * static_cast<double>(i) / kRate.count();
                double value = i % 4000 < 20 ? 0.5 : 0.0;
                for (const double hertz : {180.0, 360.0, 910.0}) {
                    value += 0.12 * std::sin(hertz * turn + c);
                }
                sound->channel(c)[static_cast<std::size_t>(i)] = static_cast<float>(value);
            }
        }
        return sound;
    }();
    return std::make_unique<MemorySource>(kSound, kRate);
}

Treatment treatmentOf(Numbers& numbers, bool& isOne)
{
    constexpr std::array kMaterials{
        Material::Hits, Material::Line, Material::Blend, Material::Tape};
    Treatment treatment;
    treatment.material = kMaterials[static_cast<std::size_t>(numbers.count(3))];
    const int flags = numbers.next();
    treatment.movesFormants = (flags & 1) != 0;
    treatment.keepsTime = (flags & 2) != 0;
    treatment.semitones =
        treatment.material == Material::Tape ? 0.0 : numbers.signedNext() * kMostSemitones / 128.0;
    std::vector<Pin> pins;
    Pin pin{Frames(-1000 + numbers.wide()), Frames(-1000 + numbers.wide())};
    for (int count = numbers.count(8); count > 0; --count) {
        pins.push_back(pin);
        pin.take += Frames(numbers.wide() % 6000);
        pin.sound += Frames(numbers.wide() % 6000);
    }
    auto time = TimeMap::through(std::move(pins));
    isOne = time.has_value();
    treatment.time = time.value_or(TimeMap());
    for (int count = numbers.count(6); count > 0; --count) {
        treatment.attacks.emplace_back(numbers.wide() - 1000);
    }
    std::ranges::sort(treatment.attacks);
    for (int count = numbers.count(6); count > 0; --count) {
        treatment.pitch.push_back(
            {Frames(numbers.wide() - 1000),
             numbers.signedNext() * kMostSemitones / 128.0,
             numbers.count(1) != 0}
        );
    }
    std::ranges::stable_sort(treatment.pitch, {}, &PitchPoint::at);
    std::vector<SpeedPoint> speed;
    Frames at(numbers.wide() - 1000);
    for (int count = numbers.count(5); count > 0; --count) {
        speed.push_back({at, numbers.next() / 64.0, numbers.signedNext() / 135.0});
        at += Frames(numbers.wide() % 6000);
    }
    if (auto line = SpeedLine::through(std::move(speed), (flags & 4) != 0)) {
        treatment.speed = std::move(*line);
    }
    return treatment;
}

}  // namespace

// Whatever a treatment asks for, as many finite samples come as are asked for, and the same ones however
// they are asked for.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    Numbers numbers(data, size);
    bool isOne = false;
    auto treatment = std::make_shared<Treatment>(treatmentOf(numbers, isOne));
    if (!isOne) {
        return 0;
    }
    const TakeId take{1};
    treatment->witnesses = {{take, 0, Frames(0)}, {take, 1, Frames(numbers.signedNext())}};
    const Sound sound{take, numbers.count(1), treatment};
    const Frames from(numbers.wide() - 1000);
    constexpr std::size_t kAsked = 1200;
    constexpr std::size_t kCut = 519;
    std::vector<float> whole(kAsked, 1e9F);
    std::vector<float> parts(kAsked, 1e9F);
    const auto read = [&](Frames begin, std::span<float> into) {
        Sources sources;
        sources.put(take, someSound());
        return sources.read(sound, begin, into).has_value();
    };
    const std::span split(parts);
    const bool isRead = read(from, whole);
    const bool isReadApart = read(from, split.first(kCut)) &&
                             read(from + Frames(std::int64_t{kCut}), split.subspan(kCut));
    if (isRead != isReadApart || (isRead && whole != parts)) {
        std::abort();
    }
    const bool isFinite = std::ranges::all_of(whole, [](float value) {
        return std::isfinite(value) && std::abs(value) < 100.0F;
    });
    if (isRead && !isFinite) {
        std::abort();
    }
    return 0;
}
