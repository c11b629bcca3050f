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

// Half of the windowed sinc, its crossings one apart.
const std::vector<float>& sincTable()
{
    static const std::vector<float> table = [] {
        std::vector<float> values(static_cast<std::size_t>(kCrossings) * kBetween + 2, 0.0F);
        for (std::size_t i = 0; i + 2 < values.size(); ++i) {
            const double x = static_cast<double>(i) / kBetween;
            const double edge = x / kCrossings;
            const double window =
                besselI0(kKaiser * std::sqrt(std::max(1.0 - edge * edge, 0.0))) / besselI0(kKaiser);
            const double turn = std::numbers::pi * x;
            values[i] = static_cast<float>((i == 0 ? 1.0 : std::sin(turn) / turn) * window);
        }
        return values;
    }();
    return table;
}

class TapePlan final : public StretchPlan {
public:
    explicit TapePlan(const Treatment& treatment) : time_(treatment.time) {}
    [[nodiscard]] std::unique_ptr<SampleSource>
    sourceOf(std::unique_ptr<SampleSource> take, std::span<const int>) override
    {
        return std::make_unique<SpeedSource>(std::move(take), time_);
    }

private:
    TimeMap time_;
};

class FasterPlan final : public StretchPlan {
public:
    FasterPlan(std::shared_ptr<StretchPlan> plan, double factor)
        : plan_(std::move(plan)), factor_(factor)
    {}
    [[nodiscard]] std::unique_ptr<SampleSource>
    sourceOf(std::unique_ptr<SampleSource> take, std::span<const int> heardAs) override
    {
        return std::make_unique<SpeedSource>(
            plan_->sourceOf(std::move(take), heardAs), TimeMap(), factor_
        );
    }

private:
    std::shared_ptr<StretchPlan> plan_;
    double factor_;
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

SpeedSource::SpeedSource(std::unique_ptr<SampleSource> source, PlayedPlaces places)
    : source_(std::move(source)), places_(std::move(places))
{}

SpeedSource::SpeedSource(std::unique_ptr<SampleSource> source, TimeMap time, double factor)
    : source_(std::move(source))
{
    const auto played = static_cast<double>(source_->frames().count()) / factor;
    places_.frames = time.soundTimeOf(Frames(std::llround(played)));
    places_.placeOf = [time = std::move(time), factor](double sound) {
        return time.takePlaceOf(sound) * factor;
    };
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
        if (gain == 1.0 && place == std::floor(place) && std::abs(speed - 1.0) < 1e-9) {
            const auto same = static_cast<std::size_t>(static_cast<std::int64_t>(place) - first);
            for (int c = 0; c < channels(); ++c) {
                into.channel(c)[target] = sound.channel(c)[same];
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
