#include "core/audit/Findings.h"

#include <oneapi/tbb/parallel_for.h>

#include "core/joins/Blemishes.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <mutex>

namespace orthochron {

namespace {

constexpr Seconds kAround = milliseconds(20.0);  // what a join is heard against
constexpr double kClickFloor = 0.001;            // -60 dB of the level around
constexpr Seconds kHeard = milliseconds(10.0);   // a level is heard over this
constexpr double kDipShare = 0.06;               // -24 dB
constexpr Seconds kAttack = milliseconds(5.0);   // a join within this after a start cuts the attack
constexpr double kLeastDecay = 0.03;             // of what is repeated and turned down
constexpr double kAudible = 3e-4;                // RMS, -70 dB: below it nothing is reported

using Samples = std::vector<float>;

struct JoinSound {
    Samples edited;  // from `first` on
    Samples before;  // as each side would sound alone
    Samples after;
    std::size_t begin = 0;  // of the crossfade within them
    std::size_t end = 0;

    [[nodiscard]] Joined joined() const { return {edited, before, after, begin, end - begin}; }
};

double rms(std::span<const float> sound)
{
    double sum = 0.0;
    for (const float value : sound) {
        sum += static_cast<double>(value) * static_cast<double>(value);
    }
    return std::sqrt(sum / std::max<double>(1.0, static_cast<double>(sound.size())));
}

double bendAt(const Samples& sound, std::size_t n)
{
    return std::abs(
        static_cast<double>(sound[n + 1] - sound[n]) - static_cast<double>(sound[n] - sound[n - 1])
    );
}

// By how much the edited sound bends more sharply than both sides do nearby, relative to the
// level around: the height of a step that would do so.
double clickOf(const JoinSound& sound, std::size_t reach)
{
    const std::size_t from = std::max<std::size_t>(sound.begin, reach + 1) - 1;
    const std::size_t to = std::min(sound.end + 1, sound.edited.size() - reach - 1);
    double most = 0.0;
    for (std::size_t n = from; n < to; ++n) {
        const double bend = bendAt(sound.edited, n);
        if (bend <= most) {
            continue;
        }
        double usual = 0.0;
        for (std::size_t k = n - reach + 1; k < n + reach; ++k) {
            usual = std::max(usual, bendAt(sound.before, k) + bendAt(sound.after, k));
        }
        most = std::max(most, bend - 1.5 * usual);
    }
    return most / std::max(rms(sound.edited), kAudible);
}

// What lies this far below the music around it is not heard to dip.
double dipOf(const JoinSound& sound, Hertz rate)
{
    constexpr double kShare = kDipShare * kDipShare;
    const SoundPower music = soundPowerOf(sound.edited, rate);
    const auto audible = [](double power) { return std::max(kAudible * kAudible, kShare * power); };
    return levelLeft(sound.joined(), {audible(music.all), audible(music.high)}, rate);
}

// Milliseconds of a crossfade that are silent though both sides sound.
std::int64_t gapOf(const JoinSound& sound, Hertz rate)
{
    constexpr std::int64_t kShortest = 2;
    const auto millisecond = static_cast<std::size_t>(toFrames(milliseconds(1.0), rate).count());
    std::int64_t silent = 0;
    for (std::size_t n = sound.begin; n + millisecond <= sound.end; n += millisecond) {
        const auto levelOf = [&](const Samples& side) {
            return rms(std::span(side).subspan(n, millisecond));
        };
        silent += levelOf(sound.edited) < kSilent &&
                          std::min(levelOf(sound.before), levelOf(sound.after)) > kAudible
                      ? 1
                      : 0;
    }
    return silent >= kShortest ? silent : 0;
}

void scale(Samples& sound, double gain)
{
    if (gain != 1.0) {
        for (float& sample : sound) {
            sample *= static_cast<float>(gain);
        }
    }
}

Result<JoinSound> soundOf(const AuditInput& input, std::size_t index, int microphone)
{
    const EditMap::Join& join = input.map.joins[index];
    const Frames around = toFrames(kAround, input.map.rate);
    const Frames first = join.at - around;
    const auto size = static_cast<std::size_t>((join.length + around + around).count());
    JoinSound sound{Samples(size), Samples(size), Samples(size), 0, 0};
    sound.begin = static_cast<std::size_t>(around.count());
    sound.end = sound.begin + static_cast<std::size_t>(join.length.count());
    const EditMap::Piece& pieceBefore = input.map.pieces[join.before];
    const EditMap::Piece& pieceAfter = input.map.pieces[join.before + 1];
    if (auto read = input.edited(microphone, first, sound.edited); !read) {
        return tl::unexpected(read.error());
    }
    const auto readSide = [&](bool isLater, Samples& side) -> Result<void> {
        if (input.side) {
            return input.side(microphone, index, isLater, first, side);
        }
        const EditMap::Piece& piece = isLater ? pieceAfter : pieceBefore;
        auto read = input.recorded(microphone, first - piece.move, side);
        scale(side, piece.gain);
        return read;
    };
    if (auto read = readSide(false, sound.before); !read) {
        return tl::unexpected(read.error());
    }
    if (auto read = readSide(true, sound.after); !read) {
        return tl::unexpected(read.error());
    }
    const std::span<const float> edited(sound.edited);
    const std::size_t begin = sound.begin;
    const std::size_t end = sound.end;
    const auto quieten = [&](Samples& side, std::size_t from, std::size_t to) {
        const DecayGain gain =
            decayGain(edited.subspan(from, to - from), std::span(side).subspan(from, to - from));
        for (std::size_t i = 0; i < side.size(); ++i) {
            side[i] *= static_cast<float>(
                gain.at(static_cast<std::int64_t>(i) - static_cast<std::int64_t>(from))
            );
        }
    };
    if (pieceBefore.diesAway) {
        quieten(sound.before, 0, begin);
    }
    if (pieceAfter.diesAway) {
        quieten(sound.after, end, size);
    }
    return sound;
}

// Findings that follow from the map alone.
void checkAttacks(const EditMap& map, std::size_t index, std::vector<Finding>& findings)
{
    const EditMap::Join& join = map.joins[index];
    const Frames end = join.at + join.length;
    const EditMap::Piece& pieceBefore = map.pieces[join.before];
    const EditMap::Piece& pieceAfter = map.pieces[join.before + 1];
    const Frames before = pieceBefore.move;
    const Frames after = pieceAfter.move;
    const Frames attack = toFrames(kAttack, map.rate);
    const Frames reach = toFrames(Seconds(1.0), map.rate);
    const Frames low = join.at - std::max(before, after) - reach;
    const Frames high = end - std::min(before, after) + reach;
    auto hit = std::ranges::lower_bound(map.hits, low, {}, &EditMap::Hit::start);
    for (; hit != map.hits.end() && hit->start < high; ++hit) {
        const Frames target = hit->start + hit->move;
        if (end > target && join.at < target + attack) {
            const Frames within = std::min(end, target + attack) - std::max(join.at, target);
            findings.push_back(
                {FindingKind::CutInAttack,
                 join.at,
                 inMilliseconds(toSeconds(within, map.rate)),
                 0,
                 index}
            );
        }
        // Heard from the earlier side before the join has faded it, and again from the later.
        const Frames first = hit->start + before;
        const Frames second = hit->start + after;
        if (before != after && first < end && first >= pieceBefore.from && second >= join.at &&
            second < pieceAfter.to) {
            const double left =
                join.length > Frames(0) && first > join.at ? (end - first) / join.length : 1.0;
            if (left > 0.03) {
                findings.push_back({FindingKind::DoubleHit, first, toDecibels(left), 0, index});
            }
        }
    }
}

}  // namespace

DecayGain decayGain(std::span<const float> edited, std::span<const float> recorded)
{
    // Least squares, weighed by the power there is: the mean first, then the slope around its middle.
    double product = 0.0;
    double power = 1e-20;
    double middle = 0.0;
    const std::size_t size = std::min(edited.size(), recorded.size());
    for (std::size_t i = 0; i < size; ++i) {
        const auto there = static_cast<double>(recorded[i]);
        product += static_cast<double>(edited[i]) * there;
        power += there * there;
        middle += static_cast<double>(i) * there * there;
    }
    middle /= power;
    double along = 0.0;
    double spread = 1e-20;
    for (std::size_t i = 0; i < size; ++i) {
        const auto there = static_cast<double>(recorded[i]);
        const double place = static_cast<double>(i) - middle;
        along += place * static_cast<double>(edited[i]) * there;
        spread += place * place * there * there;
    }
    return {product / power, along / spread, middle};
}

double DecayGain::at(std::int64_t index) const
{
    const double here = mean + slope * (static_cast<double>(index) - middle);
    return std::clamp(here, kLeastDecay, 1.0);
}

std::optional<Frames> EditMap::heardAt(Frames recorded) const
{
    // Pieces begin later in the recording the later they are played, so the search halves; a piece
    // or two further on may play the moment too where joins overlap.
    auto piece = std::ranges::upper_bound(pieces, recorded, {}, [](const Piece& p) {
        return p.from - p.move;
    });
    for (int tries = 0; tries < 4 && piece != pieces.begin(); ++tries) {
        --piece;
        const Frames at = recorded + piece->move;
        if (at >= piece->from && at < piece->to) {
            return at;
        }
    }
    // Pieces moved or copied by hand keep no order in the recording.
    for (auto any = pieces.rbegin(); any != pieces.rend(); ++any) {
        const Frames at = recorded + any->move;
        if (any->isPlain && at >= any->from && at < any->to) {
            return at;
        }
    }
    return std::nullopt;
}

std::string_view wordOf(FindingKind kind)
{
    constexpr std::array<std::string_view, 8> kWords{
        "click", "double hit", "gap", "dip", "skew", "strain", "cut in attack", "over full scale"};
    return kWords[static_cast<std::size_t>(kind)];
}

std::string_view unitOf(FindingKind kind)
{
    constexpr std::array<std::string_view, 8> kUnits{
        "dB", "dB", "ms", "dB", "samples", "ratio", "ms", "dB"};
    return kUnits[static_cast<std::size_t>(kind)];
}

bool isWorse(const Finding& a, const Finding& b)
{
    // Double hits and gaps spoil a take; clicks are heard; dips and cut attacks are felt.
    constexpr std::array<int, 8> kRank{2, 0, 1, 5, 3, 6, 4, 7};
    const int rankA = kRank[static_cast<std::size_t>(a.kind)];
    const int rankB = kRank[static_cast<std::size_t>(b.kind)];
    if (rankA != rankB) {
        return rankA < rankB;
    }
    const bool lowIsWorse = a.kind == FindingKind::Dip;
    if (a.value != b.value) {
        return lowIsWorse ? a.value < b.value : std::abs(a.value) > std::abs(b.value);
    }
    return a.at < b.at;
}

namespace {

constexpr Seconds kMusic = milliseconds(400.0);  // to each side: what a defect is heard against

// How loud what is wrong is against the music around it, in dB.
Result<double> loudnessOf(const AuditInput& input, const Finding& finding)
{
    const Hertz rate = input.map.rate;
    const Frames wide = toFrames(kMusic, rate);
    Samples music(static_cast<std::size_t>((wide + wide).count()));
    if (auto read = input.edited(finding.microphone, finding.at - wide, music); !read) {
        return tl::unexpected(read.error());
    }
    const auto part = [&](Seconds to) {
        const auto frames = static_cast<std::size_t>(toFrames(to, rate).count());
        const std::span<const float> all(music);
        return rms(all.subspan(
            static_cast<std::size_t>(wide.count()) - frames / 2, std::max<std::size_t>(1, frames)
        ));
    };
    const double around = std::max(rms(music), kAudible);
    switch (finding.kind) {
    case FindingKind::Click:
        return finding.value + toDecibels(std::max(part(kAround + kAround), kAudible) / around);
    case FindingKind::Dip: {
        // What is missing: the part of the level that the dip took away.
        const double left = fromDecibels(finding.value);
        return toDecibels(std::max(1.0 - left, 1e-6) / std::max(left, 1e-6)) +
               toDecibels(std::max(part(kHeard), kAudible) / around);
    }
    default: return toDecibels(std::max(part(kAttack), kAudible) / around);
    }
}

}  // namespace

Result<void> weighFindings(const AuditInput& input, std::span<Finding> findings)
{
    for (Finding& finding : findings) {
        const auto loudness = loudnessOf(input, finding);
        if (!loudness) {
            return tl::unexpected(loudness.error());
        }
        finding.loudness = *loudness;
    }
    return {};
}

Result<std::vector<Finding>> checkJoin(const AuditInput& input, std::size_t index)
{
    std::vector<Finding> findings;
    const EditMap::Join& join = input.map.joins[index];
    const EditMap::Piece& before = input.map.pieces[join.before];
    const EditMap::Piece& after = input.map.pieces[join.before + 1];
    if (!before.isHeard || !after.isHeard) {
        return findings;
    }
    if (before.isPlain && after.isPlain) {
        checkAttacks(input.map, index, findings);
    }
    const Frames at = join.at;
    const auto reach =
        static_cast<std::size_t>(toFrames(milliseconds(0.5), input.map.rate).count()) + 2;
    Finding click{FindingKind::Click, at, 0.0, 0, index};
    Finding dip{FindingKind::Dip, at, 1.0, 0, index};
    Finding gap{FindingKind::Gap, at, 0.0, 0, index};
    for (int m = 0; m < input.microphones; ++m) {
        const auto sound = soundOf(input, index, m);
        if (!sound) {
            return tl::unexpected(sound.error());
        }
        if (const double here = clickOf(*sound, reach); here > click.value) {
            click.value = here;
            click.microphone = m;
        }
        if (const double here = dipOf(*sound, input.map.rate); here < dip.value) {
            dip.value = here;
            dip.microphone = m;
        }
        if (const auto here = static_cast<double>(gapOf(*sound, input.map.rate));
            here > gap.value) {
            gap.value = here;
            gap.microphone = m;
        }
    }
    if (click.value > kClickFloor) {
        click.value = toDecibels(click.value);
        findings.push_back(click);
    }
    if (gap.value > 0.0) {
        findings.push_back(gap);
    }
    // A gap is no dip too.
    if (dip.value < kDip && (gap.value == 0.0 || dip.microphone != gap.microphone)) {
        dip.value = toDecibels(dip.value);
        findings.push_back(dip);
    }
    if (auto weighed = weighFindings(input, findings); !weighed) {
        return tl::unexpected(weighed.error());
    }
    return findings;
}

Result<std::vector<Finding>> checkJoins(const AuditInput& input, const Work& work)
{
    std::vector<std::vector<Finding>> found(input.map.joins.size());
    std::mutex mutex;
    Result<void> outcome;
    tbb::parallel_for(std::size_t{0}, found.size(), [&](std::size_t i) {
        if (work.stopped()) {
            return;
        }
        auto findings = checkJoin(input, i);
        if (findings) {
            found[i] = std::move(*findings);
        } else {
            const std::scoped_lock lock(mutex);
            outcome = tl::unexpected(findings.error());
        }
    });
    if (work.stopped()) {
        return cancelled();
    }
    if (!outcome) {
        return tl::unexpected(outcome.error());
    }
    std::vector<Finding> all;
    for (const auto& findings : found) {
        all.insert(all.end(), findings.begin(), findings.end());
    }
    work.report(1.0);
    return all;
}

}  // namespace orthochron
