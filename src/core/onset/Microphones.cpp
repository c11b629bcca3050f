#include "core/onset/Microphones.h"

#include <oneapi/tbb/parallel_for.h>

#include "core/base/FreedMemory.h"
#include "core/onset/BandPass.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace orthochron {

namespace {

constexpr Seconds kMargin{10.0};              // heard of a part's neighbours
constexpr Seconds kSame = milliseconds(5.0);  // one attack, found from both sides of a seam

struct Part {
    Frames from;
    Frames to;
    Frames first;  // what is heard, with the margins
    Frames last;
    bool isLast = false;
};

// Whole milliseconds, so that the parts' envelopes have their hops at the same places.
std::vector<Part>
partsOf(std::span<const HeardMicrophone> microphones, Hertz rate, const HeardAtOnce& most)
{
    Frames longest{0};
    Frames together{0};
    for (const HeardMicrophone& microphone : microphones) {
        longest = std::max(longest, microphone.channel.frames);
        together += microphone.channel.frames;
    }
    const auto inParts = [&](Seconds length) {
        return std::ceil(toSeconds(longest, rate).count() / length.count());
    };
    const double wanted = std::ceil(toSeconds(together, rate).count() / most.together.count());
    const double count = std::max(1.0, std::min(wanted, inParts(most.shortest)));
    const std::int64_t hop = std::llround(rate.count() / 1000.0);
    const auto hops = static_cast<std::int64_t>(
        std::ceil(static_cast<double>(longest.count()) / (count * static_cast<double>(hop)))
    );
    const Frames length(std::max<std::int64_t>(hops, 1) * hop);
    const Frames margin(std::llround(kMargin.count() * 1000.0) * hop);
    std::vector<Part> parts;
    for (Frames from{0}; from < longest || parts.empty(); from += length) {
        const Frames to = std::min(from + length, longest);
        parts.push_back({from, to, std::max(from - margin, Frames(0)), to + margin});
    }
    parts.back().isLast = true;
    return parts;
}

Channel between(const Channel& channel, Frames first, Frames last)
{
    const Frames end = std::min(channel.frames, last);
    return {
        std::max(end - first, Frames(0)), [&channel, first](Frames from, std::span<float> into) {
            return channel.read(first + from, into);
        }};
}

struct HeardPart {
    OnsetAnalysis analysis;  // of one that is no lead its envelope alone
    Result<void> outcome;
};

HeardPart
hearLead(const HeardMicrophone& microphone, const Part& part, Hertz rate, const Work& work)
{
    const Channel channel = between(microphone.channel, part.first, part.last);
    HeardPart heard;
    auto analysis = analyseAsAsked(channel, rate, *microphone.lead, work);
    if (analysis) {
        heard.analysis = std::move(*analysis);
    } else {
        heard.outcome = tl::unexpected(analysis.error());
    }
    return heard;
}

// Each lead by itself, the others by twos (see bandEnvelopesOf).
std::vector<std::vector<std::size_t>> heardTogether(std::span<const HeardMicrophone> microphones)
{
    constexpr std::size_t kTogether = 2;
    std::vector<std::vector<std::size_t>> tasks;
    std::vector<std::size_t> others;
    for (std::size_t i = 0; i < microphones.size(); ++i) {
        if (microphones[i].lead) {
            tasks.push_back({i});
            continue;
        }
        others.push_back(i);
        if (others.size() == kTogether) {
            tasks.push_back(std::exchange(others, {}));
        }
    }
    if (!others.empty()) {
        tasks.push_back(std::move(others));
    }
    return tasks;
}

// All microphones over one part, weighed against each other.
Result<std::vector<HeardPart>> hearPart(
    std::span<const HeardMicrophone> microphones, const Part& part, Hertz rate, const Work& work
)
{
    std::vector<HeardPart> heard(microphones.size());
    const auto tasks = heardTogether(microphones);
    tbb::parallel_for(std::size_t{0}, tasks.size(), [&](std::size_t t) {
        if (work.stopped()) {
            return;
        }
        const std::vector<std::size_t>& task = tasks[t];
        const Work its = heard.size() == 1 ? work.part(0.0, 0.9) : Work{work.stop, {}};
        if (microphones[task.front()].lead) {
            heard[task.front()] = hearLead(microphones[task.front()], part, rate, its);
            return;
        }
        std::vector<Channel> channels;
        for (const std::size_t i : task) {
            channels.push_back(between(microphones[i].channel, part.first, part.last));
        }
        auto envelopes = bandEnvelopesOf(channels, rate, its);
        if (!envelopes) {
            heard[task.front()].outcome = tl::unexpected(envelopes.error());
            return;
        }
        for (std::size_t k = 0; k < task.size(); ++k) {
            heard[task[k]].analysis.envelope = std::move((*envelopes)[k]);
        }
    });
    if (work.stopped()) {
        return cancelled();
    }
    for (const HeardPart& each : heard) {
        if (!each.outcome) {
            return tl::unexpected(each.outcome.error());
        }
    }
    work.report(0.9);
    tbb::parallel_for(std::size_t{0}, heard.size(), [&](std::size_t i) {
        const auto& lead = microphones[i].lead;
        if (!lead || lead->way == OnsetWay::Weak || lead->band) {
            return;
        }
        std::vector<const BandEnvelope*> others;
        for (std::size_t k = 0; k < heard.size(); ++k) {
            if (k != i && microphones[k].offset == microphones[i].offset) {
                others.push_back(&heard[k].analysis.envelope);
            }
        }
        // It changes what is said of its own attacks; others look at its envelope alone.
        weighCandidates(heard[i].analysis, others);
    });
    work.report(1.0);
    return heard;
}

void shift(OnsetCandidate& candidate, Frames by)
{
    candidate.onset.at += by;
    candidate.body += by;
    candidate.byItself += by;
    candidate.bodyByItself += by;
}

// What no sensitivity lets through and no gap between levels counts is nothing to anybody.
bool isWorthKeeping(const OnsetCandidate& candidate)
{
    constexpr double kLeastConfidence = 0.01;
    return candidate.onset.confidence >= kLeastConfidence || countsForGaps(candidate);
}

void forgetHowItWasFound(OnsetCandidate& candidate)
{
    candidate.trace.reset();
    candidate.ahead = {};
    candidate.othersBlows = {};
}

// What was found on one lead, part by part.
class Joined {
public:
    void add(OnsetAnalysis heard, const Part& part, Hertz rate)
    {
        const Frames same = toFrames(kSame, rate);
        const std::size_t begin = whole_.candidates.size();
        for (OnsetCandidate& candidate : heard.candidates) {
            shift(candidate, part.first);
            const Frames at = candidate.onset.at;
            const bool isKnown = begin > 0 && at - whole_.candidates[begin - 1].onset.at < same;
            if (at >= part.from && at < part.to && !isKnown && isWorthKeeping(candidate)) {
                forgetHowItWasFound(candidate);
                whole_.candidates.push_back(std::move(candidate));
            }
        }
        const std::int64_t first = heard.envelope.hopOf(part.from - part.first);
        const std::int64_t hops = heard.envelope.hopOf(part.to - part.from) + 1;
        whole_.strengths.add(heard, first, part.isLast ? hops : hops - 1);
        parts_.push_back({begin, heard.loudPower});
    }

    // With strengths relative to the loudest part's loud blows.
    [[nodiscard]] LeadAnalysis take()
    {
        double loud = 0.0;
        for (const HeardBlows& part : parts_) {
            loud = std::max(loud, part.loudPower);
        }
        whole_.strengths.loudPower = loud;
        for (std::size_t k = 0; k < parts_.size() && loud > 0.0; ++k) {
            const std::size_t end =
                k + 1 < parts_.size() ? parts_[k + 1].begin : whole_.candidates.size();
            const double softer = std::sqrt(parts_[k].loudPower / loud);
            for (std::size_t i = parts_[k].begin; i < end && softer < 1.0; ++i) {
                whole_.candidates[i].onset.strength *= softer;
            }
        }
        return std::move(whole_);
    }

private:
    struct HeardBlows {
        std::size_t begin = 0;  // candidate
        double loudPower = 0.0;
    };

    LeadAnalysis whole_;
    std::vector<HeardBlows> parts_;
};

}  // namespace

Result<std::vector<LeadAnalysis>> analyseMicrophones(
    std::span<const HeardMicrophone> microphones,
    Hertz rate,
    const Work& work,
    const HeardAtOnce& most
)
{
    if (microphones.empty()) {
        return badArgument("there is nothing to analyse");
    }
    if (auto can = checkAnalysed(rate); !can) {
        return tl::unexpected(can.error());
    }
    const std::vector<Part> parts = partsOf(microphones, rate, most);
    std::vector<Joined> joined(microphones.size());
    for (std::size_t p = 0; p < parts.size(); ++p) {
        const double share = 1.0 / static_cast<double>(parts.size());
        const Work its =
            work.part(static_cast<double>(p) * share, static_cast<double>(p + 1) * share);
        auto heard = hearPart(microphones, parts[p], rate, its);
        if (!heard) {
            return tl::unexpected(heard.error());
        }
        for (std::size_t i = 0; i < heard->size(); ++i) {
            if (microphones[i].lead) {
                joined[i].add(std::move((*heard)[i].analysis), parts[p], rate);
            }
        }
        if (parts.size() > 1) {
            heard->clear();
            // Small pieces of many threads' memory would be kept beside those of the next part.
            returnFreedPieces();
        }
    }
    std::vector<LeadAnalysis> found;
    for (Joined& each : joined) {
        found.push_back(each.take());
    }
    return found;
}

}  // namespace orthochron
