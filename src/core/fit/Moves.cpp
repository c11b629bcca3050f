#include "core/fit/Moves.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <random>

namespace orthochron {

Result<void> validate(const FitSettings& settings)
{
    const auto isPart = [](double value) { return value >= 0.0 && value <= 1.0; };
    const bool ownArePart = std::ranges::all_of(settings.own, [&](const OwnAmounts& own) {
        return isPart(own.drift) && isPart(own.feel) && isPart(own.stray);
    });
    if (!isPart(settings.drift) || !isPart(settings.feel) || !isPart(settings.stray) ||
        !isPart(settings.grooveAmount) || !ownArePart) {
        return badArgument("drift, feel, stray and groove amounts must be 0 to 100 percent");
    }
    const auto isTime = [](Seconds value) { return value.count() >= 0.0 && value.count() <= 10.0; };
    if (!isTime(settings.leaveWithin) || !isTime(settings.furthest) || !isTime(settings.humanise)) {
        return badArgument("tolerance, maximum move and humanise must be 0 to 10 seconds");
    }
    return {};
}

namespace {

TrackId leadOf(const Performance& performance, const JudgedHit& hit)
{
    const auto lead = static_cast<std::size_t>(hit.played.lead);
    return lead < performance.leads.size() ? performance.leads[lead] : TrackId();
}

SectionId sectionOf(const Performance& performance, const JudgedHit& hit)
{
    const auto section = static_cast<std::size_t>(hit.section);
    return hit.section != JudgedHit::kNoSection && section < performance.sections.size()
               ? performance.sections[section]
               : SectionId();
}

// How particular a setting is for a hit: 0 when it is not meant for it at all.
int particular(
    SectionId section, TrackId lead, const Performance& performance, const JudgedHit& hit
)
{
    if ((section.isValid() && section != sectionOf(performance, hit)) ||
        (lead.isValid() && lead != leadOf(performance, hit))) {
        return 0;
    }
    return 1 + (lead.isValid() ? 1 : 0) + (section.isValid() ? 2 : 0);
}

OwnAmounts
amountsOf(const Performance& performance, const FitSettings& settings, const JudgedHit& hit)
{
    OwnAmounts amounts{{}, {}, settings.drift, settings.feel, settings.stray};
    int best = 0;
    for (const OwnAmounts& own : settings.own) {
        const int here = particular(own.section, own.lead, performance, hit);
        if (here > best) {
            best = here;
            amounts = own;
        }
    }
    return amounts;
}

std::optional<Seconds>
toothOf(const Performance& performance, const FitSettings& settings, const JudgedHit& hit)
{
    std::optional<Seconds> feel;
    int best = 0;
    for (const Tooth& tooth : settings.teeth) {
        const int here = particular(tooth.section, tooth.lead, performance, hit);
        if (tooth.step == hit.line.step && here > best) {
            best = here;
            feel = tooth.feel;
        }
    }
    return feel;
}

// What the groove adds at a hit's line, in time at the tempo there.
Seconds grooveAt(const Performance& performance, const FitSettings& settings, const JudgedHit& hit)
{
    if (settings.groove.isEmpty()) {
        return Seconds(0.0);
    }
    const Beats offset = settings.groove.offsetAt(performance.step * hit.line.step);
    return Seconds(
        settings.grooveAmount * offset.count() * 60.0 / performance.tempo.bpmAt(hit.line.at)
    );
}

// What is left of each part of a hit's deviation.
struct Parts {
    Seconds drift, feel, groove, stray;

    [[nodiscard]] Seconds sum() const { return drift + feel + groove + stray; }
};

Parts partsLeft(const Performance& performance, const FitSettings& settings, const JudgedHit& hit)
{
    const OwnAmounts amounts = amountsOf(performance, settings, hit);
    const bool isLeftAlone = std::abs(hit.stray.count()) <= settings.leaveWithin.count();
    Parts left;
    left.drift = hit.drift * (1.0 - amounts.drift);
    left.feel = toothOf(performance, settings, hit).value_or(hit.feel * (1.0 - amounts.feel));
    left.groove = grooveAt(performance, settings, hit);
    left.stray = isLeftAlone ? hit.stray : hit.stray * (1.0 - amounts.stray);
    const double limit = settings.furthest.count();
    const Seconds byHabit = left.feel + left.stray + left.groove - hit.feel - hit.stray;
    left.stray += Seconds(std::clamp(byHabit.count(), -limit, limit)) - byHabit;
    return left;
}

// The mean drift of what moves as one, where bars or beats do.
class PieceDrift {
public:
    PieceDrift(const Performance& performance, FitPieces pieces)
        : performance_(performance), pieces_(pieces)
    {
        for (const JudgedHit& hit : performance.hits) {
            if (hit.role == HitRole::Main) {
                Sum& sum = sums_[pieceOf(hit)];
                sum.drift += hit.drift;
                ++sum.hits;
            }
        }
    }

    [[nodiscard]] Seconds of(const JudgedHit& hit) const
    {
        const Sum& sum = sums_.at(pieceOf(hit));
        return sum.drift / sum.hits;
    }

private:
    struct Sum {
        Seconds drift{0.0};
        int hits = 0;
    };

    [[nodiscard]] std::pair<int, int> pieceOf(const JudgedHit& hit) const
    {
        if (pieces_ == FitPieces::ByBar) {
            return {hit.line.bar, 0};
        }
        const Meter meter = performance_.tempo.meterOfBar(hit.line.bar);
        const Beats inBar = performance_.step * hit.line.step;
        return {hit.line.bar, static_cast<int>(inBar / meter.beatLength() + 1e-6)};
    }

    const Performance& performance_;
    FitPieces pieces_;
    std::map<std::pair<int, int>, Sum> sums_;
};

void add(PartFigures& part, Seconds before, Seconds after)
{
    part.before += Seconds(std::abs(before.count()));
    part.after += Seconds(std::abs(after.count()));
}

}  // namespace

Moves planMoves(const Performance& performance, const FitSettings& settings)
{
    const auto& hits = performance.hits;
    Moves moves;
    moves.hits.resize(hits.size());
    moves.figures.hits = static_cast<int>(hits.size());
    std::mt19937_64 random(settings.seed);
    std::normal_distribution<double> bell(0.0, 1.0);
    const bool isByHits = settings.pieces == FitPieces::ByHit;
    const PieceDrift together(performance, settings.pieces);
    FitFigures& figures = moves.figures;
    for (std::size_t i = 0; i < hits.size(); ++i) {
        const JudgedHit& hit = hits[i];
        if (hit.role != HitRole::Main) {
            continue;
        }
        Parts left = partsLeft(performance, settings, hit);
        if (!isByHits) {
            const Seconds out = together.of(hit) * amountsOf(performance, settings, hit).drift;
            left = {hit.drift - out, hit.feel, Seconds(0.0), hit.stray};
        } else if (settings.humanise.count() > 0.0) {
            left.stray += settings.humanise * bell(random);
        }
        if (hit.played.wanted) {
            left.stray += *hit.played.wanted - left.sum();
        }
        FittedHit& fitted = moves.hits[i];
        fitted.target = toFrames(hit.line.time + left.sum(), performance.rate);
        if (!isByHits && !hit.played.wanted) {
            // All of a piece by the very same number of frames, or it would be cut inside.
            const Seconds out = together.of(hit) * amountsOf(performance, settings, hit).drift;
            fitted.target = hit.played.beatPoint - toFrames(out, performance.rate);
        }
        fitted.move = fitted.target - hit.played.beatPoint;
        fitted.left = toSeconds(fitted.target, performance.rate) - hit.line.time;
        add(figures.drift, hit.drift, left.drift);
        add(figures.feel, hit.feel, left.feel);
        add(figures.stray, hit.stray, left.stray);
        const Seconds move{std::abs(toSeconds(fitted.move, performance.rate).count())};
        figures.furthestMove = std::max(figures.furthestMove, move);
        figures.meanMove += move;
        ++figures.mains;
    }
    for (std::size_t i = 0; i < hits.size(); ++i) {
        if (hits[i].role == HitRole::Attached) {
            const FittedHit& main = moves.hits[hits[i].main];
            moves.hits[i] = {hits[i].played.beatPoint + main.move, main.move, main.left};
        }
    }
    if (figures.mains > 0) {
        for (PartFigures* part : {&figures.drift, &figures.feel, &figures.stray}) {
            part->before = part->before / figures.mains;
            part->after = part->after / figures.mains;
        }
        figures.meanMove = figures.meanMove / figures.mains;
    }
    return moves;
}

}  // namespace orthochron
