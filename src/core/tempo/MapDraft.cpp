#include "core/tempo/MapDraft.h"

#include <fmt/format.h>

#include "core/tempo/Bars.h"
#include "core/tempo/BeatPlaces.h"
#include "core/tempo/Beats.h"
#include "core/tempo/Chroma.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

// What is heard of all takes together.
struct Heard {
    OnsetBands bands;
    std::vector<BandAttack> attacks;
    Chroma chroma;
};

Result<Heard> listen(std::span<const Channel> takes, Hertz rate, const Work& work)
{
    Heard heard;
    for (std::size_t i = 0; i < takes.size(); ++i) {
        const auto part = [&](double from, double to) {
            const auto count = static_cast<double>(takes.size());
            const auto done = static_cast<double>(i);
            return work.part((done + from) / count, (done + to) / count);
        };
        const auto envelope = bandEnvelopeOf(takes[i], rate, part(0.0, 0.6));
        if (!envelope) {
            return tl::unexpected(envelope.error());
        }
        const auto chroma = chromaOf(takes[i], rate, part(0.6, 1.0));
        if (!chroma) {
            return tl::unexpected(chroma.error());
        }
        heard.chroma.add(*chroma);
        const OnsetBands bands = onsetBandsOf(*envelope, rate);
        heard.bands.step = bands.step;
        for (std::size_t band = 0; band < kBands; ++band) {
            auto& sum = heard.bands.values[band];
            const auto& values = bands.values[band];
            sum.resize(std::max(sum.size(), heard.bands.size()), 0.0F);
            sum.resize(std::max(sum.size(), values.size()), 0.0F);
            for (std::size_t n = 0; n < values.size(); ++n) {
                sum[n] += values[n];
            }
        }
        const auto attacks = bandAttacksOf(*envelope, rate);
        heard.attacks.insert(heard.attacks.end(), attacks.begin(), attacks.end());
    }
    std::ranges::stable_sort(heard.attacks, {}, &BandAttack::at);
    return heard;
}

// Readings of nearly one tempo, taken as one: a wandering performance gives several.
struct Candidate {
    double perMinute = 0.0;
    double score = 0.0;
};

std::vector<Candidate> candidatesOf(std::vector<TempoReading> readings)
{
    constexpr double kOneTempo = 0.12;
    std::vector<Candidate> candidates;
    while (!readings.empty()) {
        const double bpm = readings.front().bpm;
        double sum = 0.0;
        double weighed = 0.0;
        std::erase_if(readings, [&](const TempoReading& reading) {
            const bool isOne = std::abs(reading.bpm / bpm - 1.0) < kOneTempo;
            sum += isOne ? reading.score : 0.0;
            weighed += isOne ? reading.score * reading.bpm : 0.0;
            return isOne;
        });
        candidates.push_back({weighed / sum, sum});
    }
    return candidates;
}

// How many felt beats a minute it has, with how likely that is beside the other ways to count.
std::optional<Candidate> pace(const Heard& heard, TempoRange range, const Work& work)
{
    const OnsetBands part =
        excerpt(heard.bands, heard.attacks.front().at - Seconds(0.5), kEnoughToCount);
    constexpr double kWorthTrying = 0.02;
    auto candidates =
        candidatesOf(tempoOf(onsetStrengthOf(part), std::nullopt, range, 0.0).readings);
    std::erase_if(candidates, [&](const Candidate& candidate) {
        return candidate.score < kWorthTrying * candidates.front().score;
    });
    if (candidates.empty()) {
        return std::nullopt;
    }
    double highest = -std::numeric_limits<double>::infinity();
    for (Candidate& candidate : candidates) {
        if (work.stopped()) {
            return std::nullopt;
        }
        candidate.score =
            std::log(candidate.score) + kCountingWeighs * countability(part, candidate.perMinute);
        highest = std::max(highest, candidate.score);
    }
    double sum = 0.0;
    for (const Candidate& candidate : candidates) {
        sum += std::exp(candidate.score - highest);
    }
    Candidate best = *std::ranges::max_element(candidates, {}, &Candidate::score);
    best.score = 1.0 / sum;
    return best;
}

std::vector<BeatSound> soundsOf(const Heard& heard, std::span<const PlacedBeat> beats)
{
    constexpr Seconds kBefore(0.03);
    constexpr Seconds kAfter(0.045);
    std::vector<BeatSound> sounds;
    for (std::size_t k = 0; k < beats.size(); ++k) {
        const OnsetBands around = excerpt(heard.bands, beats[k].at - kBefore, kBefore + kAfter);
        const auto most = [&](std::size_t band) {
            const auto& values = around.values[band];
            return values.empty() ? 0.0 : static_cast<double>(*std::ranges::max_element(values));
        };
        const Seconds after =
            k + 1 < beats.size() ? beats[k + 1].at : beats[k].at * 2.0 - beats[k - 1].at;
        const Seconds before = k > 0 ? beats[k - 1].at : beats[k].at * 2.0 - after;
        sounds.push_back(
            {most(0), most(1), most(3), heard.chroma.change(before, beats[k].at, after)}
        );
    }
    return sounds;
}

// Only what lies between the first and the last that is played.
void trim(std::vector<PlacedBeat>& beats, std::span<const BandAttack> attacks)
{
    constexpr Seconds kNear(0.06);
    const Seconds first = attacks.front().at - kNear;
    const Seconds last = attacks.back().at + kNear;
    std::erase_if(beats, [&](const PlacedBeat& beat) { return beat.at < first || beat.at > last; });
}

// How sure beats are by themselves: something is played at them and their neighbours, and they come evenly.
std::vector<double> firmness(std::span<const PlacedBeat> beats)
{
    constexpr std::size_t kAround = 2;  // beats
    constexpr double kEnough = 0.5;     // of support
    constexpr double kUneven = 0.15;    // of a beat
    std::vector<double> values;
    for (std::size_t k = 0; k < beats.size(); ++k) {
        const std::size_t from = k - std::min(kAround, k);
        const std::size_t to = std::min(k + kAround + 1, beats.size());
        double support = 0.0;
        double uneven = 0.0;
        for (std::size_t j = from; j < to; ++j) {
            support += beats[j].support;
            if (j > 0 && j + 1 < beats.size()) {
                const double before = (beats[j].at - beats[j - 1].at).count();
                const double after = (beats[j + 1].at - beats[j].at).count();
                uneven = std::max(uneven, std::abs(after / before - 1.0) / kUneven);
            }
        }
        const double mean = support / static_cast<double>(to - from);
        values.push_back(std::min(1.0, 0.3 + 0.7 * mean / kEnough) * std::exp(-uneven * uneven));
    }
    return values;
}

double meanSupport(std::span<const PlacedBeat> beats)
{
    double sum = 0.0;
    for (const PlacedBeat& beat : beats) {
        sum += beat.support;
    }
    return beats.empty() ? 0.0 : sum / static_cast<double>(beats.size());
}

std::size_t nearestTo(std::span<const PlacedBeat> beats, Seconds time)
{
    const auto nearest = std::ranges::min_element(beats, {}, [&](const PlacedBeat& beat) {
        return std::abs((beat.at - time).count());
    });
    return static_cast<std::size_t>(nearest - beats.begin());
}

Result<void> validate(std::span<const Channel> takes, Hertz rate, const DraftSettings& settings)
{
    if (takes.empty()) {
        return badArgument("a tempo map needs at least one take");
    }
    if (auto valid = validate(settings.range); !valid) {
        return valid;
    }
    if (settings.bpm && !(*settings.bpm >= 20.0 && *settings.bpm <= 400.0)) {
        return badArgument(fmt::format("{:g} bpm: a tempo must be 20 to 400 bpm", *settings.bpm));
    }
    Frames longest{0};
    for (const Channel& take : takes) {
        longest = std::max(longest, take.frames);
    }
    const Seconds first = settings.firstDownbeat.value_or(Seconds(0.0));
    if (!(first >= Seconds(0.0) && first <= toSeconds(longest, rate))) {
        return badArgument(
            fmt::format("the first downbeat, {:g} s, is outside the recording", first.count())
        );
    }
    // Says what is wrong with a meter.
    const auto meter = TempoMap::steady(120.0, settings.meter, Seconds(0.0));
    return meter ? Result<void>() : tl::unexpected(meter.error());
}

// The clear attacks; those of several bands at once are one, where the sharpest has it.
std::vector<Seconds> clearAttacks(std::span<const BandAttack> attacks)
{
    constexpr double kClear = 12.0;  // dB
    constexpr Seconds kTogether(0.015);
    std::vector<Seconds> clear;
    Seconds first{-1.0};
    int band = 0;
    for (const BandAttack& attack : attacks) {
        if (attack.riseDecibels < kClear) {
            continue;
        }
        if (clear.empty() || attack.at - first > kTogether) {
            clear.push_back(attack.at);
            first = attack.at;
            band = attack.band;
        } else if (attack.band > band) {
            clear.back() = attack.at;
            band = attack.band;
        }
    }
    return clear;
}

MapDraft nothing(const DraftSettings& settings)
{
    MapDraft draft;
    draft.tried = settings.bpm ? fmt::format("no beats were found at about {:g} bpm", *settings.bpm)
                               : fmt::format(
                                     "no clear tempo between {:g} and {:g} bpm",
                                     settings.range.least,
                                     settings.range.most
                                 );
    return draft;
}

}  // namespace

Result<MapDraft> draftMap(
    std::span<const Channel> takes, Hertz rate, const DraftSettings& settings, const Work& work
)
{
    constexpr std::size_t kFewest = 4;     // beats
    constexpr double kLeastSupport = 0.2;  // what is less is chance
    if (auto valid = validate(takes, rate, settings); !valid) {
        return tl::unexpected(valid.error());
    }
    const auto heard = listen(takes, rate, work.part(0.0, 0.6));
    if (!heard) {
        return tl::unexpected(heard.error());
    }
    if (heard->attacks.size() < kFewest) {
        return nothing(settings);
    }
    const double felt = settings.meter.feltBeat().count();
    const TempoRange range{
        std::max(20.0, settings.range.least / felt), std::min(400.0, settings.range.most / felt)};
    const auto found = settings.bpm ? std::optional(Candidate{*settings.bpm / felt, 1.0})
                                    : pace(*heard, range, work);
    if (work.stopped()) {
        return cancelled();
    }
    if (!found) {
        return nothing(settings);
    }
    const auto beats =
        followBeats(heard->bands, {found->perMinute, settings.firstDownbeat}, work.part(0.65, 1.0));
    if (!beats) {
        return tl::unexpected(beats.error());
    }
    std::vector<PlacedBeat> placed = placeBeats(*beats, heard->attacks);
    trim(placed, heard->attacks);
    if (placed.size() < kFewest || meanSupport(placed) < kLeastSupport) {
        return nothing(settings);
    }
    const auto first = settings.firstDownbeat
                           ? std::optional(nearestTo(placed, *settings.firstDownbeat))
                           : std::nullopt;
    const int unitsOfBeat =
        static_cast<int>(std::lround(felt / settings.meter.beatLength().count()));
    const auto places =
        countBars(soundsOf(*heard, placed), settings.meter.numerator / unitsOfBeat, first);
    const std::vector<double> firm = firmness(placed);
    MapDraft draft;
    draft.isDownbeatGuessed = !first;
    draft.attacks = clearAttacks(heard->attacks);
    for (std::size_t k = 0; k < placed.size(); ++k) {
        const Seconds length = k + 1 < placed.size() ? placed[k + 1].at - placed[k].at
                                                     : placed[k].at - placed[k - 1].at;
        draft.beats.push_back(
            {placed[k].at,
             places[k].bar,
             1 + places[k].beat * unitsOfBeat,
             60.0 * felt / length.count(),
             found->score * places[k].sureness * firm[k]}
        );
        const Meter meter{places[k].beatsInBar * unitsOfBeat, settings.meter.denominator};
        if (places[k].bar >= 1 && (draft.meters.empty() || draft.meters.back().meter != meter)) {
            draft.meters.push_back({std::max(1, places[k].bar), meter});
        }
    }
    work.report(1.0);
    return draft;
}

Result<TempoMap> mapOf(const MapDraft& draft, MapLevel level)
{
    std::vector<DraftBeat> lines;
    for (const DraftBeat& beat : draft.beats) {
        if (beat.bar >= 1 && (beat.beat == 1 || level == MapLevel::Beat)) {
            lines.push_back(beat);
        }
    }
    const auto first = std::ranges::find_if(lines, [](const DraftBeat& beat) {
        return beat.bar == 1 && beat.beat == 1;
    });
    if (first == lines.end() || draft.meters.empty()) {
        return badArgument("the draft has no bar");
    }
    lines.erase(lines.begin(), first);
    // Only where bars begin is known of a map; how many quarter notes lie between follows from the meters.
    const auto bars = TempoMap::create(lines.front().at, {{Beats(0.0), 120.0}}, draft.meters);
    if (!bars) {
        return tl::unexpected(bars.error());
    }
    const auto placeOf = [&](const DraftBeat& beat) {
        return bars->startOfBar(beat.bar) +
               bars->meterOfBar(beat.bar).beatLength() * static_cast<double>(beat.beat - 1);
    };
    std::vector<TempoPoint> tempi;
    for (std::size_t k = 0; k < lines.size(); ++k) {
        const Beats place = placeOf(lines[k]);
        double bpm = lines[k].bpm;
        if (k + 1 < lines.size()) {
            const double minutes = (lines[k + 1].at - lines[k].at).count() / 60.0;
            bpm = (placeOf(lines[k + 1]) - place).count() / minutes;
        } else if (!tempi.empty() && level == MapLevel::Bar) {
            bpm = tempi.back().bpm;
        }
        tempi.push_back(
            {.at = place, .bpm = bpm, .sureness = std::clamp(lines[k].confidence, 0.0, 1.0)}
        );
    }
    return TempoMap::create(lines.front().at, std::move(tempi), draft.meters);
}

}  // namespace orthochron
