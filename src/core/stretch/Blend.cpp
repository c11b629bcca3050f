#include "core/stretch/Blend.h"

#include <oneapi/tbb/parallel_for.h>
#include <oneapi/tbb/task_arena.h>
#include <rubberband/RubberBandStretcher.h>

#include "core/joins/Crossfade.h"
#include "core/joins/Layers.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <condition_variable>
#include <list>
#include <map>
#include <mutex>
#include <set>
#include <utility>

namespace orthochron {

namespace {

using RubberBand::RubberBandStretcher;

constexpr std::int64_t kCellSeconds = 4;
constexpr Seconds kAround = milliseconds(500.0);
constexpr Seconds kFade = milliseconds(20.0);
constexpr Seconds kBeforeAttack = milliseconds(12.0);
constexpr Seconds kAttackFade =
    milliseconds(5.0);  // of them; what is left is before what is softened
constexpr Seconds kAfterAttack = milliseconds(50.0);
constexpr Seconds kLeastAttack = milliseconds(35.0);
constexpr std::size_t kMostBytes = std::size_t{32} << 20U;
constexpr std::size_t kBlock = 8192;

std::vector<const float*> pointersAt(const AudioBuffer& sound, std::size_t frame)
{
    std::vector<const float*> pointers;
    for (int c = 0; c < sound.channels(); ++c) {
        pointers.push_back(sound.channel(c).data() + frame);
    }
    return pointers;
}

class BlendPlan final : public StretchPlan {
public:
    BlendPlan(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate)
        : time_(treatment.time),
          factor_(std::exp2(treatment.semitones / 12.0)),
          movesFormants_(treatment.movesFormants),
          witnesses_(std::move(witnesses)),
          rate_(rate),
          length_(kCellSeconds * static_cast<std::int64_t>(rate.count()))
    {
        findPlain();
        keepAttacks(treatment.attacks);
    }

    [[nodiscard]] std::unique_ptr<SampleSource>
    sourceOf(std::unique_ptr<SampleSource> take, std::span<const int> heardAs) override;

    [[nodiscard]] const TimeMap& time() const { return time_; }
    [[nodiscard]] int witnessCount() const { return static_cast<int>(witnesses_.size()); }

    // The made sound of all witnesses; silence where they have none. Errors: theirs.
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into)
    {
        std::int64_t done = 0;
        while (done < into.frames().count()) {
            const Frames at = from + Frames(done);
            const std::int64_t index = indexOf(at);
            const Frames begin(index * length_);
            const auto cell = cellAt(index);
            if (!cell) {
                return tl::unexpected(cell.error());
            }
            const std::int64_t count =
                std::min(into.frames().count() - done, length_ - (at - begin).count());
            copy(**cell, at - begin + fade(), count, into, done);
            if (at < begin + fade()) {
                if (auto gone = goOver(index, at, count, into, done); !gone) {
                    return gone;
                }
            }
            done += count;
        }
        return {};
    }

    [[nodiscard]] Result<void> makeReady(Frames from, Frames to, const Work& work) override
    {
        // The one before what is read now may be gone over from, and is kept.
        const auto most = static_cast<std::int64_t>(mostCells()) - 1;
        // Where a cell begins the one before is still heard.
        const std::int64_t first = indexOf(from - fade());
        const std::int64_t last = std::min(indexOf(to - Frames(1)), first + most - 1);
        std::vector<std::int64_t> missing;
        {
            const std::scoped_lock lock(mutex_);
            for (std::int64_t index = first; index <= last; ++index) {
                if (isMade(index) && knownAt(index) == cells_.end()) {
                    missing.push_back(index);
                }
            }
        }
        // One after the other for each core, so that what is heard first is there first.
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
        tbb::this_task_arena::isolate([&] {
            tbb::parallel_for(0, tbb::this_task_arena::max_concurrency(), makeSome);
        });
        if (work.stopped()) {
            return cancelled();
        }
        return done;
    }
    [[nodiscard]] bool isReady(Frames at) override
    {
        const std::scoped_lock lock(mutex_);
        for (std::int64_t index = indexOf(at - fade()); index <= indexOf(at); ++index) {
            if (isMade(index) && knownAt(index) == cells_.end()) {
                return false;
            }
        }
        return true;
    }

    // Spans of sound time in which the take's own samples are heard, ascending.
    struct Plain {
        Frames from;
        Frames to;
        Frames shift;
        Frames fadeIn;  // within it
        Frames fadeOut;
    };
    [[nodiscard]] const std::vector<Plain>& plain() const { return plain_; }
    [[nodiscard]] Frames fade() const { return toFrames(kFade, rate_); }

private:
    // From a fade before a cell begins to where it ends.
    using Cell = std::shared_ptr<const AudioBuffer>;

    [[nodiscard]] std::int64_t indexOf(Frames at) const
    {
        return at.count() >= 0 ? at.count() / length_ : (at.count() - length_ + 1) / length_;
    }

    void findPlain()
    {
        if (factor_ != 1.0) {
            return;
        }
        const auto& pins = time_.pins();
        const Frames far(std::int64_t{1} << 60);
        Plain run{-far, pins.empty() ? far : pins.front().sound, Frames(0), fade(), fade()};
        run.shift = pins.empty() ? Frames(0) : pins.front().sound - pins.front().take;
        const auto add = [&](const Plain& next) {
            if (!plain_.empty() && plain_.back().to == next.from &&
                plain_.back().shift == next.shift) {
                plain_.back().to = next.to;
            } else {
                plain_.push_back(next);
            }
        };
        add(run);
        for (std::size_t i = 0; i < pins.size(); ++i) {
            const Frames shift = pins[i].sound - pins[i].take;
            const bool isLast = i + 1 == pins.size();
            if (isLast || pins[i + 1].sound - pins[i + 1].take == shift) {
                add({pins[i].sound, isLast ? far : pins[i + 1].sound, shift, fade(), fade()});
            }
        }
        // What is too short to go over to and back is not worth it.
        std::erase_if(plain_, [this](const Plain& one) { return one.to - one.from < fade() * 3; });
    }

    // Attacks are the take's own where the map puts them: the engine has them some milliseconds off, and
    // softer.
    void keepAttacks(const std::vector<Frames>& attacks)
    {
        if (factor_ != 1.0) {
            return;
        }
        const auto frames = [this](Seconds time) { return toFrames(time, rate_); };
        const std::vector<Plain> even = std::exchange(plain_, {});
        auto next = even.begin();
        for (std::size_t i = 0; i < attacks.size(); ++i) {
            const Frames at = time_.soundTimeOf(attacks[i]);
            Plain span{
                at - frames(kBeforeAttack),
                at + frames(kAfterAttack),
                at - attacks[i],
                frames(kAttackFade),
                fade()};
            for (; next != even.end() && next->from < span.from; ++next) {
                plain_.push_back(*next);
            }
            if (!plain_.empty() && plain_.back().to > span.from) {
                continue;  // its attack has begun, or it is heard as it is
            }
            const Frames room = next == even.end() ? span.to : next->from;
            span.to = std::min(span.to, room);
            if (span.to - span.from >= frames(kLeastAttack)) {
                plain_.push_back(span);
            }
        }
        plain_.insert(plain_.end(), next, even.end());
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

    // The beginning of a cell, where the one before is still heard.
    Result<void>
    goOver(std::int64_t index, Frames at, std::int64_t count, AudioBuffer& into, std::int64_t done)
    {
        const auto cell = cellAt(index);
        const auto before = cellAt(index - 1);
        if (!cell || !before) {
            return tl::unexpected(!cell ? cell.error() : before.error());
        }
        const auto length = static_cast<std::size_t>(fade().count());
        const Frames begin(index * length_);
        for (int c = 0; c < into.channels(); ++c) {
            const auto coming = (*cell)->channel(c).subspan(length, length);
            // A cell is made a fade longer than it lasts.
            const auto leaving = (*before)->channel(c).last(length);
            const double alike = correlationOf(leaving, coming);
            for (std::int64_t i = 0; i < count; ++i) {
                const auto k = static_cast<std::size_t>((at - begin).count() + i);
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
        return {};
    }

    // Whether any of a cell is heard: all of it may be the take's own samples.
    [[nodiscard]] bool isMade(std::int64_t index) const
    {
        const Frames begin(index * length_);
        const auto over = std::ranges::find_if(plain_, [&](const Plain& one) {
            return one.from + one.fadeIn <= begin &&
                   one.to - one.fadeOut >= begin + Frames(length_);
        });
        return over == plain_.end();
    }

    [[nodiscard]] std::size_t mostCells() const
    {
        const std::size_t bytes = static_cast<std::size_t>((Frames(length_) + fade() * 2).count()) *
                                  witnesses_.size() * sizeof(float);
        // Two that meet and one made ahead are kept whatever they take.
        return std::max<std::size_t>(kMostBytes / std::max<std::size_t>(bytes, 1), 3);
    }

    using Cells = std::list<std::pair<std::int64_t, Cell>>;
    // With mutex_ held.
    [[nodiscard]] Cells::iterator knownAt(std::int64_t index)
    {
        return std::ranges::find(cells_, index, &std::pair<std::int64_t, Cell>::first);
    }

    // Nobody waits for one cell while another is made, and none is made twice.
    Result<Cell> cellAt(std::int64_t index)
    {
        std::unique_lock lock(mutex_);
        auto known = knownAt(index);
        while (known == cells_.end() && making_.contains(index)) {
            made_.wait(lock);
            known = knownAt(index);
        }
        if (known != cells_.end()) {
            cells_.splice(cells_.begin(), cells_, known);
            return known->second;
        }
        making_.insert(index);
        lock.unlock();
        auto made = make(index);
        lock.lock();
        making_.erase(index);
        made_.notify_all();
        if (!made) {
            return tl::unexpected(made.error());
        }
        cells_.emplace_front(index, std::make_shared<const AudioBuffer>(std::move(*made)));
        const Cell cell = cells_.front().second;
        while (cells_.size() > mostCells()) {
            cells_.pop_back();
        }
        return cell;
    }

    Result<AudioBuffer> make(std::int64_t index) const
    {
        // What the cell plays, a fade more on either side.
        const Frames begin = Frames(index * length_) - fade();
        const Frames end = Frames((index + 1) * length_) + fade();
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
        const Frames around = toFrames(kAround, rate_);
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
        const AudioBuffer made = stretched(take, from, begin - around, end + around, {first, last});
        AudioBuffer cell(take.channels(), end - begin);
        copy(made, around, cell.frames().count(), cell, 0);
        return cell;
    }

    // A passage of the take that begins at `from`, as sound from `first` to `last`; outside of `mapped`
    // it runs evenly.
    [[nodiscard]] AudioBuffer stretched(
        const AudioBuffer& take,
        Frames from,
        Frames first,
        Frames last,
        std::pair<Frames, Frames> mapped
    ) const
    {
        RubberBandStretcher engine(
            static_cast<std::size_t>(rate_.count()),
            static_cast<std::size_t>(take.channels()),
            RubberBandStretcher::OptionProcessOffline | RubberBandStretcher::OptionEngineFiner |
                RubberBandStretcher::OptionThreadingNever |
                (movesFormants_ || factor_ == 1.0 ? RubberBandStretcher::OptionFormantShifted
                                                  : RubberBandStretcher::OptionFormantPreserved),
            (last - first) / take.frames(),
            factor_
        );
        std::map<std::size_t, std::size_t> places;
        std::vector<Pin> pins;
        for (const Pin& pin : time_.pins()) {
            if (pin.sound > mapped.first && pin.sound < mapped.second) {
                pins.push_back(pin);
            }
        }
        if (!pins.empty()) {
            pins.insert(pins.begin(), {time_.takeTimeOf(mapped.first), mapped.first});
            pins.push_back({time_.takeTimeOf(mapped.second), mapped.second});
        }
        for (const Pin& pin : pins) {
            if (pin.take > from && pin.take < from + take.frames()) {
                places[static_cast<std::size_t>((pin.take - from).count())] =
                    static_cast<std::size_t>((pin.sound - first).count());
            }
        }
        if (!places.empty()) {
            engine.setKeyFrameMap(places);
        }
        const auto frames = static_cast<std::size_t>(take.frames().count());
        engine.setExpectedInputDuration(frames);
        engine.setMaxProcessSize(kBlock);
        for (std::size_t at = 0; at < frames; at += kBlock) {
            const std::size_t count = std::min(kBlock, frames - at);
            engine.study(pointersAt(take, at).data(), count, at + count == frames);
        }
        AudioBuffer made(take.channels(), last - first);
        std::size_t done = 0;
        const auto fetch = [&] {
            const auto room = static_cast<std::size_t>(made.frames().count()) - done;
            const int ready = engine.available();
            if (ready <= 0 || room == 0) {
                return;
            }
            std::vector<float*> targets;
            for (int c = 0; c < made.channels(); ++c) {
                targets.push_back(made.channel(c).data() + done);
            }
            done +=
                engine.retrieve(targets.data(), std::min(static_cast<std::size_t>(ready), room));
        };
        for (std::size_t at = 0; at < frames; at += kBlock) {
            const std::size_t count = std::min(kBlock, frames - at);
            engine.process(pointersAt(take, at).data(), count, at + count == frames);
            fetch();
        }
        fetch();
        return made;
    }

    TimeMap time_;
    double factor_;
    bool movesFormants_;
    std::vector<Channel> witnesses_;
    Hertz rate_;
    std::int64_t length_;
    std::vector<Plain> plain_;
    std::mutex mutex_;
    std::condition_variable made_;
    std::set<std::int64_t> making_;  // by somebody, now
    Cells cells_;                    // the one used last first
};

// Some of the witnesses, and the take itself where nothing yields.
class BlendSource final : public SampleSource {
public:
    BlendSource(
        std::shared_ptr<BlendPlan> plan,
        std::unique_ptr<SampleSource> take,
        std::span<const int> heardAs
    )
        : plan_(std::move(plan)), take_(std::move(take)), heardAs_(heardAs.begin(), heardAs.end())
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
        auto next = std::ranges::upper_bound(plain, from, {}, &BlendPlan::Plain::to);
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
        if (auto read = plan_->read(from, all); !read) {
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
    Result<void> readPlain(const BlendPlan::Plain& plain, Frames from, AudioBuffer& into)
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
};

std::unique_ptr<SampleSource>
BlendPlan::sourceOf(std::unique_ptr<SampleSource> take, std::span<const int> heardAs)
{
    return std::make_unique<BlendSource>(
        std::static_pointer_cast<BlendPlan>(shared_from_this()), std::move(take), heardAs
    );
}

}  // namespace

std::shared_ptr<StretchPlan>
planBlend(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate)
{
    return std::make_shared<BlendPlan>(treatment, std::move(witnesses), rate);
}

}  // namespace orthochron
