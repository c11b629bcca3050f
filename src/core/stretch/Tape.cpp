#include "core/stretch/Tape.h"

#include "core/audio/ScalarProduct.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace orthochron {

namespace {

constexpr int kCrossings = 48;    // of the sinc, on either side
constexpr int kBetween = 512;     // points of its table from one to the next
constexpr double kCutoff = 0.93;  // of the highest sound; the filter's slope ends at 1
constexpr double kKaiser = 10.0;  // 100 dB
constexpr std::int64_t kBlock = 4096;
constexpr double kSame = 1e-9;  // of a speed

double besselI0(double x)
{
    double sum = 1.0;
    double term = 1.0;
    for (int k = 1; term > 1e-12 * sum; ++k) {
        term *= (x / (2.0 * k)) * (x / (2.0 * k));
        sum += term;
    }
    return sum;
}

double windowedSinc(double x)
{
    const double edge = x / kCrossings;
    if (std::abs(edge) >= 1.0) {
        return 0.0;
    }
    const double window =
        besselI0(kKaiser * std::sqrt(std::max(1.0 - edge * edge, 0.0))) / besselI0(kKaiser);
    const double turn = std::numbers::pi * x;
    return (turn == 0.0 ? 1.0 : std::sin(turn) / turn) * window;
}

// Half of the windowed sinc, its crossings one apart.
const std::vector<float>& sincTable()
{
    static const std::vector<float> table = [] {
        std::vector<float> values(static_cast<std::size_t>(kCrossings) * kBetween + 2, 0.0F);
        for (std::size_t i = 0; i + 2 < values.size(); ++i) {
            values[i] = static_cast<float>(windowedSinc(static_cast<double>(i) / kBetween));
        }
        return values;
    }();
    return table;
}

class TapePlan final : public StretchPlan {
public:
    explicit TapePlan(const Treatment& treatment)
        : time_(treatment.time), banks_(banksOf(treatment.time))
    {}
    [[nodiscard]] std::unique_ptr<SampleSource>
    sourceOf(std::unique_ptr<SampleSource> take, std::span<const int>) override
    {
        return std::make_unique<SpeedSource>(std::move(take), time_, 1.0, banks_);
    }

private:
    TimeMap time_;
    SincBanks banks_;
};

class FasterPlan final : public StretchPlan {
public:
    FasterPlan(std::shared_ptr<StretchPlan> plan, double factor)
        : plan_(std::move(plan)), factor_(factor), banks_(banksOf({}, factor))
    {}
    [[nodiscard]] std::unique_ptr<SampleSource>
    sourceOf(std::unique_ptr<SampleSource> take, std::span<const int> heardAs) override
    {
        return std::make_unique<SpeedSource>(
            plan_->sourceOf(std::move(take), heardAs), TimeMap(), factor_, banks_
        );
    }

private:
    std::shared_ptr<StretchPlan> plan_;
    double factor_;
    SincBanks banks_;
};

class AlongPlan final : public StretchPlan {
public:
    AlongPlan(std::shared_ptr<StretchPlan> plan, SpeedLine speed)
        : plan_(std::move(plan)), speed_(std::make_shared<const SpeedLine>(std::move(speed)))
    {}
    [[nodiscard]] std::unique_ptr<SampleSource>
    sourceOf(std::unique_ptr<SampleSource> take, std::span<const int> heardAs) override
    {
        auto source = plan_->sourceOf(std::move(take), heardAs);
        const double end = speed_->heardAt(static_cast<double>(source->frames().count()));
        return std::make_unique<SpeedSource>(
            std::move(source),
            PlayedPlaces{
                [speed = speed_](double heard) { return speed->placeOf(heard); },
                [speed = speed_](double heard) { return speed->gainAt(heard); },
                Frames(std::llround(end))}
        );
    }

private:
    std::shared_ptr<StretchPlan> plan_;
    std::shared_ptr<const SpeedLine> speed_;
};

}  // namespace

void sincWeights(double place, double speed, std::vector<float>& weights, std::int64_t& first)
{
    const double scale = kCutoff / std::max(speed, 1.0);
    const double reach = kCrossings / scale;
    first = static_cast<std::int64_t>(std::ceil(place - reach));
    const auto last = static_cast<std::int64_t>(std::floor(place + reach));
    weights.resize(static_cast<std::size_t>(last - first + 1));
    const auto& table = sincTable();
    const double step = scale * kBetween;
    const auto gain = static_cast<float>(scale);
    double at = (static_cast<double>(first) - place) * step;
    for (float& weight : weights) {
        const double away = std::abs(at);
        const auto whole = std::min(static_cast<std::size_t>(away), table.size() - 2);
        const auto part = static_cast<float>(away - static_cast<double>(whole));
        weight = gain * (table[whole] + part * (table[whole + 1] - table[whole]));
        at += step;
    }
}

SincBank::SincBank(double speed) : speed_(speed)
{
    const double scale = kCutoff / std::max(speed, 1.0);
    reach_ = static_cast<std::int64_t>(std::ceil(kCrossings / scale));
    taps_ = static_cast<std::size_t>(2 * reach_);
    rows_.reserve((kBetween + 1) * taps_);
    for (int row = 0; row <= kBetween; ++row) {
        for (std::int64_t tap = 1 - reach_; tap <= reach_; ++tap) {
            const double away = static_cast<double>(tap) - static_cast<double>(row) / kBetween;
            rows_.push_back(static_cast<float>(scale * windowedSinc(scale * away)));
        }
    }
}

bool SincBank::isFor(double speed) const
{
    constexpr double kNear = 1e-6;  // places of an hour's take are known to some 1e-8 frames
    return std::abs(speed - speed_) < kNear;
}

const SincBank& SincBank::slow()
{
    static const SincBank bank(1.0);
    return bank;
}

float SincBank::at(double place, std::span<const float> samples, std::int64_t first) const
{
    const double whole = std::floor(place);
    const double between = (place - whole) * kBetween;
    const auto row = static_cast<std::size_t>(between);
    const auto part = static_cast<float>(between - std::floor(between));
    const auto begin = static_cast<std::int64_t>(whole) + 1 - reach_ - first;
    const auto heard = samples.subspan(static_cast<std::size_t>(begin), taps_);
    const auto weights = std::span(rows_).subspan(row * taps_, 2 * taps_);
    const float here = scalarProduct(weights.first(taps_), heard);
    const float next = scalarProduct(weights.last(taps_), heard);
    return here + part * (next - here);
}

SpeedSource::SpeedSource(std::unique_ptr<SampleSource> source, PlayedPlaces places)
    : source_(std::move(source)), places_(std::move(places))
{}

SincBanks banksOf(const TimeMap& time, double factor)
{
    constexpr std::size_t kMost = 8;
    constexpr double kFastest =
        64.0;  // what rushes by faster is short: its weights are many, and used once
    std::vector<double> speeds{factor};  // before the first pin and after the last
    for (std::size_t i = 1; i < time.pins().size(); ++i) {
        const Pin& before = time.pins()[i - 1];
        const Pin& pin = time.pins()[i];
        speeds.push_back(factor * ((pin.take - before.take) / (pin.sound - before.sound)));
    }
    SincBanks banks;
    for (const double speed : speeds) {
        if (speed <= 1.0 + kSame ||
            std::ranges::any_of(banks, [&](const auto& bank) { return bank->isFor(speed); })) {
            continue;
        }
        if (banks.size() == kMost || speed > kFastest) {
            return {};
        }
        banks.push_back(std::make_shared<const SincBank>(speed));
    }
    return banks;
}

SpeedSource::SpeedSource(
    std::unique_ptr<SampleSource> source, TimeMap time, double factor, SincBanks atHand
)
    : source_(std::move(source)), banks_(std::move(atHand))
{
    const auto played = static_cast<double>(source_->frames().count()) / factor;
    places_.frames = time.soundTimeOf(Frames(std::llround(played)));
    places_.placeOf = [time = std::move(time), factor](double sound) {
        return time.takePlaceOf(sound) * factor;
    };
}

const SincBank* SpeedSource::bankFor(double speed) const
{
    if (speed <= 1.0 + kSame) {
        return &SincBank::slow();
    }
    const auto found =
        std::ranges::find_if(banks_, [speed](const auto& bank) { return bank->isFor(speed); });
    return found != banks_.end() ? found->get() : nullptr;
}

Result<void> SpeedSource::read(Frames from, AudioBuffer& into)
{
    for (std::int64_t done = 0; done < into.frames().count(); done += kBlock) {
        const std::int64_t count = std::min(kBlock, into.frames().count() - done);
        if (auto block = readBlock(from, done, count, into); !block) {
            return block;
        }
    }
    return {};
}

Result<void>
SpeedSource::readBlock(Frames from, std::int64_t offset, std::int64_t count, AudioBuffer& into)
{
    std::array<double, kBlock + 1> places{};
    double fastest = 1.0;
    for (std::int64_t i = 0; i <= count; ++i) {
        const auto sound = static_cast<double>(from.count() + offset + i);
        const auto k = static_cast<std::size_t>(i);
        places[k] = places_.placeOf(sound);
        fastest = i > 0 ? std::max(fastest, places[k] - places[k - 1]) : fastest;
    }
    const auto reach = static_cast<std::int64_t>(std::ceil(kCrossings / kCutoff * fastest)) + 2;
    const auto first = static_cast<std::int64_t>(std::floor(places[0])) - reach;
    const auto last =
        static_cast<std::int64_t>(std::ceil(places[static_cast<std::size_t>(count)])) + reach;
    AudioBuffer sound(channels(), Frames(last - first + 1));
    if (auto read = source_->read(Frames(first), sound); !read) {
        return read;
    }
    for (std::int64_t i = 0; i < count; ++i) {
        const double gain =
            places_.gainAt ? places_.gainAt(static_cast<double>(from.count() + offset + i)) : 1.0;
        const double place = places[static_cast<std::size_t>(i)];
        const double speed = places[static_cast<std::size_t>(i + 1)] - place;
        const auto target = static_cast<std::size_t>(offset + i);
        if (gain == 1.0 && place == std::floor(place) && std::abs(speed - 1.0) < kSame) {
            const auto same = static_cast<std::size_t>(static_cast<std::int64_t>(place) - first);
            for (int c = 0; c < channels(); ++c) {
                into.channel(c)[target] = sound.channel(c)[same];
            }
            continue;
        }
        if (const SincBank* bank = bankFor(speed)) {
            for (int c = 0; c < channels(); ++c) {
                into.channel(c)[target] =
                    static_cast<float>(gain) * bank->at(place, sound.channel(c), first);
            }
            continue;
        }
        std::int64_t begin = 0;
        sincWeights(place, speed, weights_, begin);
        for (int c = 0; c < channels(); ++c) {
            const auto samples = sound.channel(c).subspan(static_cast<std::size_t>(begin - first));
            into.channel(c)[target] =
                static_cast<float>(gain) *
                scalarProduct(std::span(weights_), samples.first(weights_.size()));
        }
    }
    return {};
}

std::shared_ptr<StretchPlan> planTape(const Treatment& treatment)
{
    return std::make_shared<TapePlan>(treatment);
}

std::shared_ptr<StretchPlan> playedFaster(std::shared_ptr<StretchPlan> plan, double factor)
{
    return std::make_shared<FasterPlan>(std::move(plan), factor);
}

std::shared_ptr<StretchPlan> playedAlong(std::shared_ptr<StretchPlan> plan, SpeedLine speed)
{
    return std::make_shared<AlongPlan>(std::move(plan), std::move(speed));
}

}  // namespace orthochron
