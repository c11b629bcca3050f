#include "core/stretch/PitchGrains.h"

#include "core/audio/ScalarProduct.h"
#include "core/pitch/AnyVoice.h"
#include "core/stretch/Tape.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace orthochron {

namespace {

constexpr std::int64_t kCellSeconds = 4;
constexpr std::int64_t kBeforeSeconds = 2;  // looked at for where the chain of marks may begin
constexpr Seconds kAfter = milliseconds(500.0);
constexpr Seconds kStill = milliseconds(5.0);  // between marks where there is no pitch
constexpr std::size_t kGapFrames = 6;          // of the pitch curve: 30 ms
constexpr double kReach = 0.15;                // of a period, in which the next mark is sought
constexpr double kLedBack = 0.0055;            // of a period, in each: under ten cents
constexpr int kTaps = 16;                      // of the interpolation, at either side 8

// Frames a grain that is played at another speed is read beyond its ends.
constexpr std::int64_t kPlayedReach = kSincReach * 4 + 2;

// How far a grain reaches beyond its mark at most, by what is looked at: three periods of 50 Hz.
constexpr Seconds kLongest = milliseconds(60.0);

}  // namespace

// One cell being found.
class PitchGrains::Cell {
public:
    Cell(PitchGrains& owner, std::int64_t index)
        : owner_(owner),
          rate_(owner.rate_),
          begin_(Frames(index * kCellSeconds * static_cast<std::int64_t>(rate_.count()))),
          end_(begin_ + Frames(kCellSeconds * static_cast<std::int64_t>(rate_.count()))),
          first_(begin_ - Frames(kBeforeSeconds * static_cast<std::int64_t>(rate_.count())))
    {}

    Result<void> load()
    {
        const Frames last = end_ + toFrames(kAfter, rate_);
        sound_.resize(static_cast<std::size_t>((last - first_).count()));
        if (auto read = owner_.voice_.read(first_, sound_); !read) {
            return read;
        }
        auto curve = pitchOfAnyVoice(channelOver(sound_), rate_);
        if (!curve) {
            return tl::unexpected(curve.error());
        }
        curve_ = std::move(*curve);
        return {};
    }

    // Where the chain of marks begins: in the last gap that reaches to before the cell. None in a
    // note that is longer than what is looked at.
    [[nodiscard]] std::optional<State> start() const
    {
        std::size_t still = 0;
        std::optional<std::size_t> gap;
        for (std::size_t n = 0; n < curve_.size() && placeOf(n) <= begin_; ++n) {
            still = curve_[n].isVoiced() ? 0 : still + 1;
            gap = still >= kGapFrames ? std::optional(n) : gap;
        }
        if (!gap) {
            return std::nullopt;
        }
        // Marks without a pitch lie on multiples of their distance, whichever cell finds them.
        const Frames apart = toFrames(kStill, rate_);
        const Frames at = placeOf(*gap - 2);
        const Frames mark(
            at.count() - (at.count() % apart.count() + apart.count()) % apart.count()
        );
        return State{mark, static_cast<double>(mark.count()), false};
    }

    Found grainsFrom(State state)
    {
        Found found;
        marks_ = {state.mark};
        voiced_ = {state.isVoiced};
        const Frames past = end_ + toFrames(kLongest, rate_) * 2;
        while (marks_.back() < past) {
            addMark();
        }
        lay(state, found);
        return found;
    }

private:
    [[nodiscard]] Frames placeOf(std::size_t n) const { return first_ + placeOfPitch(n, rate_); }

    // The period around a frame; 0 where there is no pitch.
    [[nodiscard]] double periodAt(Frames at) const
    {
        const double n = toSeconds(at - first_, rate_) / kPitchHop;
        const auto k =
            static_cast<std::size_t>(std::clamp(n, 0.0, static_cast<double>(curve_.size()) - 1.0));
        const PitchFrame& here = curve_[k];
        if (!here.isVoiced()) {
            return 0.0;
        }
        const PitchFrame& next = curve_[std::min(k + 1, curve_.size() - 1)];
        const double part = std::clamp(n - static_cast<double>(k), 0.0, 1.0);
        const double hertz = next.isVoiced()
                                 ? here.pitch.count() * (1.0 - part) + next.pitch.count() * part
                                 : here.pitch.count();
        return rate_.count() / hertz;
    }

    [[nodiscard]] std::span<const float> around(Frames from, std::int64_t length) const
    {
        const std::int64_t at = (from - first_).count();
        if (at < 0 || at + length > static_cast<std::int64_t>(sound_.size())) {
            return {};
        }
        return std::span(sound_).subspan(
            static_cast<std::size_t>(at), static_cast<std::size_t>(length)
        );
    }

    void addMark()
    {
        const Frames last = marks_.back();
        const double period = periodAt(last);
        const Frames apart = toFrames(kStill, rate_);
        if (period == 0.0) {
            const Frames next(
                (last.count() >= 0 ? last.count() / apart.count()
                                   : (last.count() - apart.count() + 1) / apart.count()) *
                    apart.count() +
                apart.count()
            );
            // A note begins at its first mark.
            const bool begins = periodAt(next) > 0.0;
            marks_.push_back(begins ? loudestFrom(last + apart / 2, periodAt(next)) : next);
            voiced_.push_back(begins);
            return;
        }
        const auto length = static_cast<std::int64_t>(period);
        const auto reach = static_cast<std::int64_t>(kReach * period);
        const auto same = around(last - Frames(length / 2), length);
        Frames next = last + Frames(std::llround(period));
        double best = -2.0;
        for (std::int64_t off = -reach; off <= reach && !same.empty(); ++off) {
            const auto other =
                around(last + Frames(std::llround(period) + off - length / 2), length);
            if (other.empty()) {
                break;
            }
            const double power = static_cast<double>(scalarProduct(other, other)) + 1e-9;
            const double alike = static_cast<double>(scalarProduct(same, other)) / std::sqrt(power);
            if (alike > best) {
                best = alike;
                next = last + Frames(std::llround(period) + off);
            }
        }
        marks_.push_back(next);
        voiced_.push_back(periodAt(next) > 0.0);
    }

    // The loudest place within a period from a frame on: where the voice's pulses are.
    [[nodiscard]] Frames loudestFrom(Frames from, double period) const
    {
        const auto sound = around(from, static_cast<std::int64_t>(period));
        if (sound.empty()) {
            return from;
        }
        const auto loudest =
            std::ranges::max_element(sound, {}, [](float value) { return std::abs(value); });
        return from + Frames(loudest - sound.begin());
    }

    // Where the grain after that of a mark is laid, which was laid at `place`.
    [[nodiscard]] double placeAfter(std::size_t k, double place) const
    {
        const auto next = static_cast<double>(marks_[k + 1].count());
        if (!voiced_[k] || !voiced_[k + 1]) {
            return next;
        }
        const auto here = static_cast<double>(marks_[k].count());
        const double step = next - here;
        const double factor = owner_.move_.factorAt(here);
        if (factor != 1.0) {
            return place + step / factor;
        }
        const double off = place - here;
        const double back = kLedBack * step;
        return std::abs(off) <= back ? next : place + step - std::copysign(back, off);
    }

    // Lays the grains of the marks at their new distances.
    void lay(State state, Found& found) const
    {
        double place = state.place;
        std::size_t k = 0;
        while (place < static_cast<double>(end_.count())) {
            while (k + 1 < marks_.size() &&
                   std::abs(static_cast<double>(marks_[k + 1].count()) - place) <=
                       std::abs(static_cast<double>(marks_[k].count()) - place)) {
                ++k;
            }
            if (k + 1 >= marks_.size()) {
                break;
            }
            found.end = {marks_[k], place, voiced_[k]};
            if (place >= static_cast<double>(begin_.count())) {
                const Frames before = k > 0 ? marks_[k] - marks_[k - 1] : marks_[k + 1] - marks_[k];
                const auto here = static_cast<double>(marks_[k].count());
                const bool moves = voiced_[k] && owner_.move_.movesFormantsAt(here);
                found.grains.push_back(
                    {marks_[k],
                     before,
                     marks_[k + 1] - marks_[k],
                     place,
                     moves ? owner_.move_.factorAt(here) : 1.0}
                );
            }
            place = placeAfter(k, place);
        }
        // The next cell goes on with the grain after the last.
        found.end.place = place;
        found.end.mark = marks_[k];
        found.end.isVoiced = voiced_[k];
    }

    PitchGrains& owner_;
    Hertz rate_;
    Frames begin_;
    Frames end_;
    Frames first_;  // of what is in memory
    std::vector<float> sound_;
    std::vector<PitchFrame> curve_;
    std::vector<Frames> marks_;
    std::vector<bool> voiced_;
};

PitchGrains::PitchGrains(Channel voice, Hertz rate, PitchMove move)
    : voice_(std::move(voice)), rate_(rate), move_(std::move(move))
{}

Result<const PitchGrains::Found*> PitchGrains::cell(std::int64_t index)
{
    if (const auto known = found_.find(index); known != found_.end()) {
        return &known->second;
    }
    Cell cell(*this, index);
    if (auto loaded = cell.load(); !loaded) {
        return tl::unexpected(loaded.error());
    }
    auto start = cell.start();
    if (!start) {
        const auto before = this->cell(index - 1);
        if (!before) {
            return tl::unexpected(before.error());
        }
        start = (*before)->end;
    }
    return &found_.emplace(index, cell.grainsFrom(*start)).first->second;
}

Result<std::vector<PitchGrain>> PitchGrains::grains(Frames from, Frames to)
{
    const std::scoped_lock lock(mutex_);
    const std::int64_t length = kCellSeconds * static_cast<std::int64_t>(rate_.count());
    const Frames reach = toFrames(kLongest, rate_);
    const auto indexOf = [length](Frames at) {
        return at.count() >= 0 ? at.count() / length : (at.count() - length + 1) / length;
    };
    std::vector<PitchGrain> heard;
    for (std::int64_t i = indexOf(from - reach); i <= indexOf(to + reach); ++i) {
        const auto found = cell(i);
        if (!found) {
            return tl::unexpected(found.error());
        }
        for (const PitchGrain& grain : (*found)->grains) {
            if (grain.place + static_cast<double>(grain.after.count()) >
                    static_cast<double>(from.count()) &&
                grain.place - static_cast<double>(grain.before.count()) <
                    static_cast<double>(to.count())) {
                heard.push_back(grain);
            }
        }
    }
    return heard;
}

namespace {

// The weights that read between two frames, `part` of the way.
std::array<float, kTaps> weightsFor(double part)
{
    std::array<float, kTaps> weights{};
    for (int k = 0; k < kTaps; ++k) {
        const double x = static_cast<double>(k - kTaps / 2 + 1) - part;
        const double turn = std::numbers::pi * x;
        const double sinc = std::abs(x) < 1e-12 ? 1.0 : std::sin(turn) / turn;
        const double edge = x / (kTaps / 2.0);
        const double window =
            std::abs(edge) >= 1.0 ? 0.0 : 0.5 + 0.5 * std::cos(std::numbers::pi * edge);
        weights[static_cast<std::size_t>(k)] = static_cast<float>(sinc * window);
    }
    return weights;
}

class GrainSource final : public SampleSource {
public:
    GrainSource(std::shared_ptr<PitchGrains> grains, std::unique_ptr<SampleSource> sound)
        : grains_(std::move(grains)), sound_(std::move(sound))
    {}
    [[nodiscard]] Hertz rate() const override { return sound_->rate(); }
    [[nodiscard]] Frames frames() const override { return sound_->frames(); }
    [[nodiscard]] int channels() const override { return sound_->channels(); }
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into) override
    {
        into.clear();
        // What lies beside counts too, so that it is the same however the sound is taken apart.
        const Frames beside = toFrames(kLongest, rate());
        const auto grains = grains_->grains(from - beside, from + into.frames() + beside);
        if (!grains) {
            return tl::unexpected(grains.error());
        }
        const std::vector<bool> same = unmovedAfter(*grains);
        for (std::size_t i = 0; i < grains->size(); ++i) {
            const PitchGrain& grain = (*grains)[i];
            const Frames begin = grain.mark;
            if (same[i]) {
                if (auto copied = copy(begin, begin + grain.after, from, into); !copied) {
                    return copied;
                }
            }
            const Halves halves{i == 0 || !same[i - 1], !same[i]};
            if (auto laid = lay(grain, halves, from, into); !laid) {
                return laid;
            }
        }
        return {};
    }

private:
    // The halves of a grain that are to be heard.
    struct Halves {
        bool rising = true;
        bool falling = true;
    };

    // Of each grain, whether from its mark to the next there is nothing but the sound as it was.
    static std::vector<bool> unmovedAfter(const std::vector<PitchGrain>& grains)
    {
        const auto begins = [](const PitchGrain& grain) {
            return grain.place - static_cast<double>(grain.before.count());
        };
        const auto ends = [](const PitchGrain& grain) {
            return grain.place + static_cast<double>(grain.after.count());
        };
        std::vector<bool> same(grains.size(), false);
        for (std::size_t i = 0; i + 1 < grains.size(); ++i) {
            const PitchGrain& here = grains[i];
            const PitchGrain& next = grains[i + 1];
            same[i] = here.isUnmoved() && next.isUnmoved() && here.mark + here.after == next.mark &&
                      next.before == here.after && (i == 0 || ends(grains[i - 1]) <= here.place) &&
                      (i + 2 >= grains.size() || begins(grains[i + 2]) >= next.place);
        }
        return same;
    }

    Result<void> copy(Frames begin, Frames end, Frames from, AudioBuffer& into)
    {
        const Frames first = std::max(begin, from);
        const Frames last = std::min(end, from + into.frames());
        if (first >= last) {
            return {};
        }
        AudioBuffer sound(channels(), last - first);
        if (auto read = sound_->read(first, sound); !read) {
            return read;
        }
        for (int c = 0; c < channels(); ++c) {
            std::ranges::copy(
                sound.channel(c),
                into.channel(c).subspan(static_cast<std::size_t>((first - from).count())).begin()
            );
        }
        return {};
    }

    Result<void> lay(const PitchGrain& grain, Halves halves, Frames from, AudioBuffer& into)
    {
        if (grain.speed != 1.0) {
            return layPlayed(grain, from, into);
        }
        const double whole = std::floor(grain.place);
        const Frames move = Frames(static_cast<std::int64_t>(whole)) - grain.mark;
        const double part = grain.place - whole;
        // Frames of the moved sound the grain is heard at.
        const Frames begin = std::max(from, grain.mark + move - grain.before + Frames(1));
        const Frames end =
            std::min(from + into.frames(), grain.mark + move + grain.after + Frames(1));
        if (begin >= end) {
            return {};
        }
        AudioBuffer sound(channels(), end - begin + Frames(kTaps));
        if (auto read = sound_->read(begin - move - Frames(kTaps / 2), sound); !read) {
            return read;
        }
        const auto weights = weightsFor(1.0 - part);
        for (std::int64_t i = 0; i < (end - begin).count(); ++i) {
            const double off = static_cast<double>((begin - move - grain.mark).count() + i) - part;
            const double span =
                static_cast<double>(off < 0.0 ? grain.before.count() : grain.after.count());
            if (std::abs(off) >= span || !(off < 0.0 ? halves.rising : halves.falling)) {
                continue;
            }
            const double window = 0.5 + 0.5 * std::cos(std::numbers::pi * off / span);
            const auto gain = static_cast<float>(window);
            const auto to = static_cast<std::size_t>((begin - from).count() + i);
            for (int c = 0; c < channels(); ++c) {
                const auto samples = sound.channel(c).subspan(static_cast<std::size_t>(i));
                float value = 0.0F;
                if (part == 0.0) {
                    value = samples[kTaps / 2];
                } else {
                    for (std::size_t k = 0; k < kTaps; ++k) {
                        value += weights[k] * samples[k];
                    }
                }
                into.channel(c)[to] += gain * value;
            }
        }
        return {};
    }

    // A grain played faster or slower, and so as much shorter or longer.
    Result<void> layPlayed(const PitchGrain& grain, Frames from, AudioBuffer& into)
    {
        const double before = static_cast<double>(grain.before.count()) / grain.speed;
        const double after = static_cast<double>(grain.after.count()) / grain.speed;
        const Frames begin =
            std::max(from, Frames(static_cast<std::int64_t>(std::ceil(grain.place - before))));
        const Frames end = std::min(
            from + into.frames(), Frames(static_cast<std::int64_t>(std::ceil(grain.place + after)))
        );
        if (begin >= end) {
            return {};
        }
        const Frames reach(kPlayedReach);
        AudioBuffer sound(channels(), grain.before + grain.after + reach * 2);
        const Frames first = grain.mark - grain.before - reach;
        if (auto read = sound_->read(first, sound); !read) {
            return read;
        }
        for (Frames at = begin; at < end; at += Frames(1)) {
            const double off = static_cast<double>(at.count()) - grain.place;
            const double window =
                0.5 + 0.5 * std::cos(std::numbers::pi * off / (off < 0.0 ? before : after));
            const double place = static_cast<double>(grain.mark.count()) + off * grain.speed;
            const auto to = static_cast<std::size_t>((at - from).count());
            if (grain.speed <= 1.0) {
                for (int c = 0; c < channels(); ++c) {
                    into.channel(c)[to] +=
                        static_cast<float>(window) *
                        SincBank::slow().at(place, sound.channel(c), first.count());
                }
                continue;
            }
            std::int64_t start = 0;
            sincWeights(place, grain.speed, weights_, start);
            for (int c = 0; c < channels(); ++c) {
                const auto samples =
                    sound.channel(c).subspan(static_cast<std::size_t>(start - first.count()));
                into.channel(c)[to] +=
                    static_cast<float>(window) *
                    scalarProduct(std::span(weights_), samples.first(weights_.size()));
            }
        }
        return {};
    }

    std::shared_ptr<PitchGrains> grains_;
    std::unique_ptr<SampleSource> sound_;
    std::vector<float> weights_;
};

class MovedPlan final : public StretchPlan {
public:
    MovedPlan(
        std::shared_ptr<StretchPlan> plan, std::unique_ptr<SampleSource> voice, PitchMove move
    )
        : plan_(std::move(plan)),
          grains_(std::make_shared<PitchGrains>(channelOf(std::move(voice)), rate_, std::move(move))
          )
    {}
    [[nodiscard]] std::unique_ptr<SampleSource>
    sourceOf(std::unique_ptr<SampleSource> take, std::span<const int> heardAs) override
    {
        return std::make_unique<GrainSource>(grains_, plan_->sourceOf(std::move(take), heardAs));
    }

private:
    Channel channelOf(std::unique_ptr<SampleSource> voice)
    {
        rate_ = voice->rate();
        const Frames frames = voice->frames();
        std::shared_ptr<SampleSource> shared = std::move(voice);
        return {frames, [shared](Frames from, std::span<float> into) -> Result<void> {
                    AudioBuffer sound(shared->channels(), Frames(std::ssize(into)));
                    auto read = shared->read(from, sound);
                    std::ranges::copy(sound.channel(0), into.begin());
                    return read;
                }};
    }

    std::shared_ptr<StretchPlan> plan_;
    Hertz rate_{48000.0};
    std::shared_ptr<PitchGrains> grains_;
};

}  // namespace

std::shared_ptr<StretchPlan>
pitchMoved(std::shared_ptr<StretchPlan> plan, std::unique_ptr<SampleSource> voice, PitchMove move)
{
    return std::make_shared<MovedPlan>(std::move(plan), std::move(voice), std::move(move));
}

}  // namespace orthochron
