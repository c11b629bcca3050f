#include <oneapi/tbb/parallel_for.h>

#include "core/audit/Findings.h"
#include "core/fit/Performance.h"

#include <algorithm>
#include <cmath>
#include <mutex>

// The comparison of a whole edit with its map: what is heard against what should be.
namespace orthochron {

namespace {

constexpr Seconds kHop = milliseconds(1.0);
constexpr double kOffDecibels = -35.0;          // a difference this far below the sound is none
constexpr double kOffDying = -20.0;             // where the gain may change within a hop
constexpr Seconds kLeadIn = milliseconds(5.0);  // with which what dies away is back in the end
constexpr double kQuiet = 1e-4;             // RMS, -80 dB: the sound must be above it to be missed
constexpr std::int64_t kLargestSkew = 240;  // samples looked for at each side
constexpr std::int64_t kLongestClickHops = 3;
constexpr std::int64_t kLongHops = 10;   // what is as long is known by its inside alone
constexpr std::int64_t kMergeHops = 12;  // differences this close are one
constexpr double kAlike = 0.95;          // correlation of one sound with itself, spoiled or not
constexpr double kOver = 1.00001;
constexpr std::int64_t kBlockHops = 1000;

// Hops in a row that are not as claimed.
struct Region {
    std::int64_t from = 0;
    std::int64_t to = 0;
    int silent = 0;      // hops without sound where there should be some
    double peak = 0.0;   // of the difference
    double level = 0.0;  // RMS of what should be there
};

class MicrophoneCheck {
public:
    MicrophoneCheck(const AuditInput& input, int microphone)
        : input_(input),
          microphone_(microphone),
          hop_(std::max<std::int64_t>(1, toFrames(kHop, input.map.rate).count()))
    {}

    Result<std::vector<Finding>> check(const Work& work)
    {
        for (std::size_t p = 0; p < input_.map.pieces.size(); ++p) {
            if (work.stopped()) {
                return cancelled();
            }
            if (auto checked = checkPiece(p); !checked) {
                return tl::unexpected(checked.error());
            }
        }
        if (over_ > kOver) {
            findings_.push_back(
                {FindingKind::OverFullScale, Frames(overAt_), toDecibels(over_), microphone_, {}}
            );
        }
        return findings_;
    }

private:
    // The join after the piece `back` before this one; null where there is none.
    [[nodiscard]] const EditMap::Join* joinAfter(std::size_t piece, std::size_t back) const
    {
        if (piece < back) {
            return nullptr;
        }
        const auto& joins = input_.map.joins;
        const auto found =
            std::ranges::lower_bound(joins, piece - back, {}, &EditMap::Join::before);
        return found != joins.end() && found->before == piece - back ? &*found : nullptr;
    }

    // The part of a piece that sounds alone: between its joins.
    Result<void> checkPiece(std::size_t p)
    {
        const EditMap::Piece& piece = input_.map.pieces[p];
        const EditMap::Join* before = joinAfter(p, 1);
        const EditMap::Join* after = joinAfter(p, 0);
        const Frames from = before != nullptr ? before->at + before->length : piece.from;
        const Frames leadIn = piece.diesAway ? toFrames(kLeadIn, input_.map.rate) : Frames(0);
        const Frames to = after != nullptr ? after->at : piece.to - leadIn;
        std::vector<Region> regions;
        if (!piece.isPlain) {
            return {};
        }
        for (Frames at = from; at < to; at += Frames(kBlockHops * hop_)) {
            const Frames size = std::min(to - at, Frames(kBlockHops * hop_));
            if (auto compared = compare(at, size, piece, regions); !compared) {
                return compared;
            }
        }
        if (before != nullptr) {
            if (auto scanned = scanJoin(*before); !scanned) {
                return scanned;
            }
        }
        for (const Region& region : regions) {
            if (auto judged = judge(region, piece.move); !judged) {
                return judged;
            }
        }
        return {};
    }

    Result<void>
    read(Frames at, Frames move, std::vector<float>& edited, std::vector<float>& wanted) const
    {
        if (auto done = input_.edited(microphone_, at, edited); !done) {
            return done;
        }
        return input_.recorded(microphone_, at - move, wanted);
    }

    void noteOver(Frames at, std::span<const float> edited)
    {
        for (std::size_t i = 0; i < edited.size(); ++i) {
            const double size = std::abs(static_cast<double>(edited[i]));
            if (size > std::max(over_, kOver)) {
                over_ = size;
                overAt_ = at.count() + static_cast<std::int64_t>(i);
            }
        }
    }

    Result<void> scanJoin(const EditMap::Join& join)
    {
        std::vector<float> edited(static_cast<std::size_t>(join.length.count()));
        auto done = input_.edited(microphone_, join.at, edited);
        noteOver(join.at, edited);
        return done;
    }

    Result<void>
    compare(Frames at, Frames size, const EditMap::Piece& piece, std::vector<Region>& regions)
    {
        std::vector<float> edited(static_cast<std::size_t>(size.count()));
        std::vector<float> wanted(edited.size());
        if (auto done = read(at, piece.move, edited, wanted); !done) {
            return done;
        }
        for (float& sample : wanted) {
            sample *= static_cast<float>(piece.gain);
        }
        noteOver(at, edited);
        const auto hop = static_cast<std::size_t>(hop_);
        for (std::size_t n = 0; n < edited.size(); n += hop) {
            const std::size_t end = std::min(edited.size(), n + hop);
            if (piece.diesAway) {
                const std::span<float> here = std::span(wanted).subspan(n, end - n);
                const DecayGain gain = decayGain(std::span(edited).subspan(n, end - n), here);
                for (std::size_t i = 0; i < here.size(); ++i) {
                    here[i] *= static_cast<float>(gain.at(static_cast<std::int64_t>(i)));
                }
            }
            double difference = 0.0;
            double there = 0.0;
            double here = 0.0;
            double peak = 0.0;
            for (std::size_t i = n; i < end; ++i) {
                const double d = static_cast<double>(edited[i]) - static_cast<double>(wanted[i]);
                difference += d * d;
                there += static_cast<double>(wanted[i]) * static_cast<double>(wanted[i]);
                here += static_cast<double>(edited[i]) * static_cast<double>(edited[i]);
                peak = std::max(peak, std::abs(d));
            }
            const auto count = static_cast<double>(end - n);
            const double level = std::sqrt(there / count);
            const double off = std::sqrt(difference / count);
            const double most = piece.diesAway ? kOffDying : kOffDecibels;
            if (off <= std::max(level * fromDecibels(most), kQuiet)) {
                continue;
            }
            const std::int64_t from = at.count() + static_cast<std::int64_t>(n);
            if (regions.empty() || from - regions.back().to > kMergeHops * hop_) {
                regions.push_back({from, from, 0, 0.0, 0.0});
            }
            Region& region = regions.back();
            region.to = at.count() + static_cast<std::int64_t>(end);
            region.peak = std::max(region.peak, peak);
            region.level = std::max(region.level, level);
            region.silent += std::sqrt(here / count) < kSilent && level > kQuiet ? 1 : 0;
        }
        return {};
    }

    void add(FindingKind kind, std::int64_t at, double value)
    {
        findings_.push_back({kind, Frames(at), value, microphone_, {}});
    }

    Result<void> judge(const Region& region, Frames move)
    {
        const std::int64_t hops = (region.to - region.from + hop_ - 1) / hop_;
        if (region.silent > 0 && 2 * region.silent >= hops) {
            add(FindingKind::Gap,
                region.from,
                inMilliseconds(toSeconds(Frames(region.silent * hop_), input_.map.rate)));
            return {};
        }
        if (hops > kLongestClickHops) {
            const auto skew = skewOf(region, move);
            if (!skew) {
                return tl::unexpected(skew.error());
            }
            if (skew->shift != 0) {
                add(FindingKind::Skew, region.from, static_cast<double>(skew->shift));
                return {};
            }
            if (skew->likeness > kAlike && skew->gain < 0.9) {
                add(FindingKind::Dip, region.from, toDecibels(skew->gain));
                return {};
            }
        }
        const double level = toDecibels(region.peak / std::max(region.level, kQuiet));
        add(hops <= kLongestClickHops ? FindingKind::Click : FindingKind::DoubleHit,
            region.from,
            level);
        return {};
    }

    // The shift that makes the edited sound most like what it should be, 0 when none does, with
    // how like it then is and how loud.
    struct Likeness {
        std::int64_t shift = 0;
        double likeness = 0.0;
        double gain = 1.0;
    };
    Result<Likeness> skewOf(const Region& region, Frames move) const
    {
        // What is amiss begins and ends within a hop, whose other part would count for much where it is loud.
        const std::int64_t whole = region.to - region.from;
        const std::int64_t edge = whole >= kLongHops * hop_ ? hop_ : 0;
        const Frames first(region.from + edge);
        const std::int64_t size = std::min<std::int64_t>(whole - 2 * edge, 60 * hop_);
        std::vector<float> edited(static_cast<std::size_t>(size));
        std::vector<float> wanted(static_cast<std::size_t>(size + 2 * kLargestSkew));
        if (auto done = input_.edited(microphone_, first, edited); !done) {
            return tl::unexpected(done.error());
        }
        if (auto done = input_.recorded(microphone_, first - Frames(kLargestSkew) - move, wanted);
            !done) {
            return tl::unexpected(done.error());
        }
        Likeness best;
        double own = 1e-20;
        for (const float value : edited) {
            own += static_cast<double>(value) * static_cast<double>(value);
        }
        for (std::int64_t k = -kLargestSkew; k <= kLargestSkew; ++k) {
            double product = 0.0;
            double power = 1e-20;
            for (std::int64_t i = 0; i < size; ++i) {
                const auto w =
                    static_cast<double>(wanted[static_cast<std::size_t>(i + kLargestSkew - k)]);
                product += w * static_cast<double>(edited[static_cast<std::size_t>(i)]);
                power += w * w;
            }
            const double likeness = product / std::sqrt(power * own);
            if (likeness > best.likeness) {
                best = {k, likeness, product / power};
            }
        }
        best.shift = best.likeness > kAlike ? best.shift : 0;
        return best;
    }

    const AuditInput& input_;
    int microphone_;
    std::int64_t hop_;
    std::vector<Finding> findings_;
    double over_ = 0.0;
    std::int64_t overAt_ = 0;
};

}  // namespace

Result<std::vector<Finding>> checkWhole(const AuditInput& input, const Work& work)
{
    auto joins = checkJoins(input, work.part(0.0, 0.2));
    if (!joins) {
        return joins;
    }
    std::vector<Result<std::vector<Finding>>> found(static_cast<std::size_t>(input.microphones));
    tbb::parallel_for(0, input.microphones, [&](int m) {
        found[static_cast<std::size_t>(m)] = MicrophoneCheck(input, m).check({work.stop, {}});
    });
    std::vector<Finding> all = std::move(*joins);
    for (const auto& findings : found) {
        if (!findings) {
            return findings;
        }
        all.insert(all.end(), findings->begin(), findings->end());
    }
    const auto ofJoins = static_cast<std::ptrdiff_t>(
        std::ranges::count_if(all, [](const Finding& finding) { return finding.join.has_value(); })
    );
    auto weighed = weighFindings(input, std::span(all).subspan(static_cast<std::size_t>(ofJoins)));
    if (!weighed) {
        return tl::unexpected(weighed.error());
    }
    std::ranges::stable_sort(all, {}, &Finding::at);
    work.report(1.0);
    return all;
}

}  // namespace orthochron
