#include "core/stretch/Blend.h"

#include <oneapi/tbb/parallel_for.h>
#include <oneapi/tbb/task_arena.h>

#include "core/joins/Crossfade.h"
#include "core/joins/Layers.h"
#include "core/stretch/BlendEngine.h"
#include "core/stretch/MadeCells.h"
#include "core/stretch/PlainSpans.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <mutex>
#include <utility>

namespace orthochron {

namespace {

constexpr Seconds kCell(4.0);
constexpr Seconds kAround = milliseconds(500.0);
// Short, for the first is waited for.
constexpr Seconds kQuickCell(1.0);
constexpr Seconds kQuickAround = milliseconds(250.0);
constexpr std::size_t kMostFrames = std::size_t{8} << 20U;  // of all witnesses: 32 MB
constexpr std::size_t kMostQuick = 8;                       // cells

class BlendPlan final : public StretchPlan {
public:
    BlendPlan(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate)
        : time_(treatment.time),
          factor_(std::exp2(treatment.semitones / 12.0)),
          movesFormants_(treatment.movesFormants),
          witnesses_(std::move(witnesses)),
          rate_(rate),
          plain_(
              factor_ == 1.0 ? plainSpans(time_, treatment.attacks, rate) : std::vector<PlainSpan>()
          ),
          // Two that meet and one made ahead are kept whatever they take.
          fine_(
              toFrames(kCell, rate),
              std::max<std::size_t>(
                  kMostFrames / std::max<std::size_t>(
                                    static_cast<std::size_t>(toFrames(kCell, rate).count()) *
                                        witnesses_.size(),
                                    1
                                ),
                  3
              )
          ),
          quick_(toFrames(kQuickCell, rate), kMostQuick)
    {}

    [[nodiscard]] std::unique_ptr<SampleSource>
    sourceOf(std::unique_ptr<SampleSource> take, std::span<const int> heardAs) override;

    [[nodiscard]] bool takesLong() const override { return true; }
    [[nodiscard]] std::unique_ptr<SampleSource> playedSourceOf(
        std::unique_ptr<SampleSource> take,
        std::span<const int> heardAs,
        std::shared_ptr<StandIns> standIns
    ) override;

    [[nodiscard]] const TimeMap& time() const { return time_; }
    [[nodiscard]] int witnessCount() const { return static_cast<int>(witnesses_.size()); }

    // The made sound of all witnesses; silence where they have none. With `standIns` as it is played. Errors: the
    // witnesses'.
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into, StandIns* standIns)
    {
        std::int64_t done = 0;
        while (done < into.frames().count()) {
            const Frames at = from + Frames(done);
            const Place place = placeAt(at, standIns);
            const auto cell = cellAt(place);
            if (!cell) {
                return tl::unexpected(cell.error());
            }
            const Frames begin = beginOf(place);
            const std::int64_t count = std::min(
                into.frames().count() - done, (begin + lengthOf(place.engine) - at).count()
            );
            copy(**cell, at - begin + fade(), count, into, done);
            if (at < begin + fade()) {
                const auto before = cellAt(placeAt(begin - Frames(1), standIns));
                if (!before) {
                    return tl::unexpected(before.error());
                }
                goOver(**before, **cell, at - begin, count, into, done);
            }
            done += count;
        }
        return {};
    }

    [[nodiscard]] Result<void> makeReady(Frames from, Frames to, const Work& work) override
    {
        // The one before what is read now may be gone over from, and is kept.
        const auto most = static_cast<std::int64_t>(fine_.most()) - 1;
        std::vector<Place> missing = missingIn(BlendEngine::Finer, from, to);
        const std::int64_t first = fine_.indexOf(from - fade());
        std::erase_if(missing, [&](const Place& place) { return place.index >= first + most; });
        return makeAll(missing, work);
    }
    [[nodiscard]] bool isReady(Frames at) override
    {
        return missingIn(BlendEngine::Finer, at, at + Frames(1)).empty();
    }

    [[nodiscard]] Result<void> makeStandIn(Frames from, Frames to, const Work& work) override
    {
        std::vector<Place> missing = missingIn(BlendEngine::Faster, from, to);
        std::erase_if(missing, [&](const Place& place) {
            return isReady(std::max(from, beginOf(place)));
        });
        return makeAll(missing, work);
    }
    [[nodiscard]] bool isReadyToPlay(Frames at) override
    {
        return isReady(at) || missingIn(BlendEngine::Faster, at, at + Frames(1)).empty();
    }

    [[nodiscard]] const std::vector<PlainSpan>& plain() const { return plain_; }
    [[nodiscard]] Frames fade() const { return toFrames(kBlendFade, rate_); }

private:
    struct Place {
        BlendEngine engine = BlendEngine::Finer;
        std::int64_t index = 0;
    };

    [[nodiscard]] MadeCells& cells(BlendEngine engine)
    {
        return engine == BlendEngine::Finer ? fine_ : quick_;
    }
    [[nodiscard]] Frames lengthOf(BlendEngine engine) const
    {
        return engine == BlendEngine::Finer ? fine_.length() : quick_.length();
    }
    [[nodiscard]] Frames beginOf(const Place& place) const
    {
        return lengthOf(place.engine) * place.index;
    }

    // The cell that is heard there. What stands in does so for a whole one of the finer engine's.
    [[nodiscard]] Place placeAt(Frames at, StandIns* standIns)
    {
        const Place fine{BlendEngine::Finer, fine_.indexOf(at)};
        if (standIns == nullptr) {
            return fine;
        }
        const bool isStoodIn = standIns->isFor(fine.index, [&] {
            const Frames within = beginOf(fine) + fade();
            return missingIn(BlendEngine::Finer, within, within + Frames(1)).empty();
        });
        return isStoodIn ? Place{BlendEngine::Faster, quick_.indexOf(at)} : fine;
    }

    // What is still to be made of [from, to) and where a cell begins there of the one before, which is still heard.
    [[nodiscard]] std::vector<Place> missingIn(BlendEngine engine, Frames from, Frames to)
    {
        const MadeCells& own = cells(engine);
        std::vector<Place> missing;
        const std::int64_t last = own.indexOf(to - Frames(1));
        for (std::int64_t index = own.indexOf(from - fade()); index <= last; ++index) {
            const Place place{engine, index};
            if (isMade(place) && !own.has(index)) {
                missing.push_back(place);
            }
        }
        return missing;
    }

    // One after the other for each core, so that what is heard first is there first.
    Result<void> makeAll(const std::vector<Place>& missing, const Work& work)
    {
        std::atomic<std::size_t> next{0};
        std::mutex failing;
        Result<void> done;
        const auto makeSome = [&](int) {
            for (std::size_t i = next++; i < missing.size() && !work.stopped(); i = next++) {
                if (auto cell = cellAt(missing[i]); !cell) {
                    const std::scoped_lock lock(failing);
                    done = tl::unexpected(cell.error());
                }
            }
        };
        if (missing.size() <= 1) {
            makeSome(0);  // on the thread that asks, with its priority
        } else {
            tbb::this_task_arena::isolate([&] {
                tbb::parallel_for(0, tbb::this_task_arena::max_concurrency(), makeSome);
            });
        }
        if (work.stopped()) {
            return cancelled();
        }
        return done;
    }

    static void copy(
        const AudioBuffer& cell, Frames from, std::int64_t count, AudioBuffer& into, std::int64_t at
    )
    {
        for (int c = 0; c < into.channels(); ++c) {
            std::ranges::copy(
                cell.channel(c).subspan(
                    static_cast<std::size_t>(from.count()), static_cast<std::size_t>(count)
                ),
                into.channel(c).begin() + at
            );
        }
    }

    // The beginning of a cell, from `at` within it on, where the one before is still heard.
    void goOver(
        const AudioBuffer& before,
        const AudioBuffer& cell,
        Frames at,
        std::int64_t count,
        AudioBuffer& into,
        std::int64_t done
    ) const
    {
        const auto length = static_cast<std::size_t>(fade().count());
        for (int c = 0; c < into.channels(); ++c) {
            const auto coming = cell.channel(c).subspan(length, length);
            const auto leaving = before.channel(c).last(length);
            const double alike = correlationOf(leaving, coming);
            for (std::int64_t i = 0; i < count; ++i) {
                const auto k = static_cast<std::size_t>(at.count() + i);
                if (k >= length) {
                    break;
                }
                const FadeGains gains = fadeGains(
                    FadeShape::Matched,
                    alike,
                    (static_cast<double>(k) + 0.5) / static_cast<double>(length)
                );
                into.channel(c)[static_cast<std::size_t>(done + i)] = static_cast<float>(
                    gains.out * static_cast<double>(leaving[k]) +
                    gains.in * static_cast<double>(coming[k])
                );
            }
        }
    }

    // Whether any of a cell is heard: all of it may be the take's own samples.
    [[nodiscard]] bool isMade(const Place& place) const
    {
        const Frames begin = beginOf(place);
        const Frames end = begin + lengthOf(place.engine);
        return std::ranges::none_of(plain_, [&](const PlainSpan& one) {
            return one.from + one.fadeIn <= begin && one.to - one.fadeOut >= end;
        });
    }

    Result<MadeCells::Cell> cellAt(const Place& place)
    {
        return cells(place.engine).at(place.index, [&] { return make(place); });
    }

    // From a fade before the cell begins to a fade after it ends.
    Result<AudioBuffer> make(const Place& place) const
    {
        // What the cell plays, a fade more on either side.
        const Frames begin = beginOf(place) - fade();
        const Frames end = begin + lengthOf(place.engine) + fade() * 2;
        // Before the first pin and after the last the take's own samples are heard. What is made there,
        // and around the cell, runs as it does within on average: the engine expects to begin like that,
        // and is up to 30 ms out of place when it does not.
        Frames first = begin;
        Frames last = end;
        if (!time_.pins().empty()) {
            first = std::clamp(time_.pins().front().sound, begin, end - Frames(1));
            last = std::clamp(time_.pins().back().sound, first + Frames(1), end);
        }
        const double even =
            (last - first) / std::max(time_.takeTimeOf(last) - time_.takeTimeOf(first), Frames(1));
        const Frames around =
            toFrames(place.engine == BlendEngine::Finer ? kAround : kQuickAround, rate_);
        const auto taken = [&](Frames sound) {
            return Frames(std::llround(static_cast<double>(sound.count()) / even));
        };
        const Frames from = time_.takeTimeOf(first) - taken(first - begin + around);
        const Frames to = time_.takeTimeOf(last) + taken(end - last + around);
        AudioBuffer take(static_cast<int>(witnesses_.size()), to - from);
        for (std::size_t w = 0; w < witnesses_.size(); ++w) {
            if (auto read = witnesses_[w].read(from, take.channel(static_cast<int>(w))); !read) {
                return tl::unexpected(read.error());
            }
        }
        const AudioBuffer made = stretchedOffline(
            take,
            {.engine = place.engine,
             .from = from,
             .first = begin - around,
             .last = end + around,
             .pins = pinsWithin(first, last),
             .pitch = factor_,
             .keepsFormants = !movesFormants_ && factor_ != 1.0,
             .rate = rate_}
        );
        AudioBuffer cell(take.channels(), end - begin);
        copy(made, around, cell.frames().count(), cell, 0);
        return cell;
    }

    // The pins between two places of sound time, and one at each of these; none when there are none between.
    [[nodiscard]] std::vector<Pin> pinsWithin(Frames first, Frames last) const
    {
        std::vector<Pin> pins;
        for (const Pin& pin : time_.pins()) {
            if (pin.sound > first && pin.sound < last) {
                pins.push_back(pin);
            }
        }
        if (!pins.empty()) {
            pins.insert(pins.begin(), {time_.takeTimeOf(first), first});
            pins.push_back({time_.takeTimeOf(last), last});
        }
        return pins;
    }

    TimeMap time_;
    double factor_;
    bool movesFormants_;
    std::vector<Channel> witnesses_;
    Hertz rate_;
    std::vector<PlainSpan> plain_;
    MadeCells fine_;
    MadeCells quick_;
};

// Some of the witnesses, and the take itself where nothing yields.
class BlendSource final : public SampleSource {
public:
    BlendSource(
        std::shared_ptr<BlendPlan> plan,
        std::unique_ptr<SampleSource> take,
        std::span<const int> heardAs,
        std::shared_ptr<StandIns> standIns
    )
        : plan_(std::move(plan)),
          take_(std::move(take)),
          heardAs_(heardAs.begin(), heardAs.end()),
          standIns_(std::move(standIns))
    {}
    [[nodiscard]] Hertz rate() const override { return take_->rate(); }
    [[nodiscard]] Frames frames() const override
    {
        return plan_->time().soundTimeOf(take_->frames());
    }
    [[nodiscard]] int channels() const override { return take_->channels(); }
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into) override
    {
        const Frames to = from + into.frames();
        const auto& plain = plan_->plain();
        auto next = std::ranges::upper_bound(plain, from, {}, &PlainSpan::to);
        Frames at = from;
        while (at < to) {
            const bool isIn = next != plain.end() && at >= next->from;
            const Frames end =
                next == plain.end() ? to : std::min(to, isIn ? next->to : next->from);
            AudioBuffer part(channels(), end - at);
            auto done = isIn ? readPlain(*next, at, part) : readMade(at, part);
            if (!done) {
                return done;
            }
            for (int c = 0; c < channels(); ++c) {
                std::ranges::copy(part.channel(c), into.channel(c).begin() + (at - from).count());
            }
            at = end;
            next = isIn && at < to ? std::next(next) : next;
        }
        return {};
    }

private:
    Result<void> readMade(Frames from, AudioBuffer& into)
    {
        AudioBuffer all(plan_->witnessCount(), into.frames());
        if (auto read = plan_->read(from, all, standIns_.get()); !read) {
            return read;
        }
        for (int c = 0; c < into.channels(); ++c) {
            const int heard =
                c < static_cast<int>(heardAs_.size()) ? heardAs_[static_cast<std::size_t>(c)] : -1;
            if (heard >= 0 && heard < all.channels()) {
                std::ranges::copy(all.channel(heard), into.channel(c).begin());
            }
        }
        return {};
    }

    // The take's own samples, gone over to and from within the span.
    Result<void> readPlain(const PlainSpan& plain, Frames from, AudioBuffer& into)
    {
        if (auto read = take_->read(from - plain.shift, into); !read) {
            return read;
        }
        for (const bool isBegin : {true, false}) {
            const Frames fade = isBegin ? plain.fadeIn : plain.fadeOut;
            const Frames begin = isBegin ? plain.from : plain.to - fade;
            if (from + into.frames() <= begin || from >= begin + fade) {
                continue;
            }
            AudioBuffer made(channels(), fade);
            AudioBuffer own(channels(), fade);
            if (auto read = readMade(begin, made); !read) {
                return read;
            }
            if (auto read = take_->read(begin - plain.shift, own); !read) {
                return read;
            }
            for (int c = 0; c < channels(); ++c) {
                const double alike = correlationOf(made.channel(c), own.channel(c));
                for (std::int64_t i = 0; i < fade.count(); ++i) {
                    const std::int64_t to = (begin - from).count() + i;
                    if (to < 0 || to >= into.frames().count()) {
                        continue;
                    }
                    const double place =
                        (static_cast<double>(i) + 0.5) / static_cast<double>(fade.count());
                    const FadeGains gains =
                        fadeGains(FadeShape::Matched, alike, isBegin ? place : 1.0 - place);
                    const auto k = static_cast<std::size_t>(i);
                    into.channel(c)[static_cast<std::size_t>(to)] = static_cast<float>(
                        gains.in * static_cast<double>(own.channel(c)[k]) +
                        gains.out * static_cast<double>(made.channel(c)[k])
                    );
                }
            }
        }
        return {};
    }

    std::shared_ptr<BlendPlan> plan_;
    std::unique_ptr<SampleSource> take_;
    std::vector<int> heardAs_;
    std::shared_ptr<StandIns> standIns_;  // none where only the finer engine will do
};

std::unique_ptr<SampleSource>
BlendPlan::sourceOf(std::unique_ptr<SampleSource> take, std::span<const int> heardAs)
{
    return playedSourceOf(std::move(take), heardAs, nullptr);
}

std::unique_ptr<SampleSource> BlendPlan::playedSourceOf(
    std::unique_ptr<SampleSource> take,
    std::span<const int> heardAs,
    std::shared_ptr<StandIns> standIns
)
{
    return std::make_unique<BlendSource>(
        std::static_pointer_cast<BlendPlan>(shared_from_this()),
        std::move(take),
        heardAs,
        std::move(standIns)
    );
}

}  // namespace

std::shared_ptr<StretchPlan>
planBlend(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate)
{
    return std::make_shared<BlendPlan>(treatment, std::move(witnesses), rate);
}

}  // namespace orthochron
