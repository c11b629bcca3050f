#include "core/fit/Moves.h"

#include <algorithm>
#include <cmath>
#include <random>

namespace orthochron {

Result<void> validate(const FitSettings& settings)
{
    const auto isPart = [](double value) { return value >= 0.0 && value <= 1.0; };
    if (!isPart(settings.drift) || !isPart(settings.feel) || !isPart(settings.stray) ||
        !isPart(settings.grooveAmount)) {
        return badArgument(
            "drift, feel and stray are taken out, and a groove is applied, by 0 to 100 percent"
        );
    }
    const auto isTime = [](Seconds value) { return value.count() >= 0.0 && value.count() <= 10.0; };
    if (!isTime(settings.leaveWithin) || !isTime(settings.furthest) || !isTime(settings.humanise)) {
        return badArgument("tolerance, furthest move and humanising are times from 0 to 10 seconds"
        );
    }
    return {};
}

namespace {

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

}  // namespace

Moves planMoves(const Performance& performance, const FitSettings& settings)
{
    const auto& hits = performance.hits;
    Moves moves;
    moves.hits.resize(hits.size());
    moves.figures.hits = static_cast<int>(hits.size());
    std::mt19937_64 random(settings.seed);
    std::normal_distribution<double> bell(0.0, 1.0);
    FitFigures& figures = moves.figures;
    for (std::size_t i = 0; i < hits.size(); ++i) {
        const JudgedHit& hit = hits[i];
        if (hit.role != HitRole::Main) {
            continue;
        }
        const bool isLeftAlone = std::abs(hit.stray.count()) <= settings.leaveWithin.count();
        const Seconds drift = hit.drift * (1.0 - settings.drift);
        Seconds feel = hit.feel * (1.0 - settings.feel);
        Seconds stray = isLeftAlone ? hit.stray : hit.stray * (1.0 - settings.stray);
        const double limit = settings.furthest.count();
        const Seconds groove = grooveAt(performance, settings, hit);
        const Seconds byHabit = feel + stray + groove - hit.feel - hit.stray;
        const Seconds allowed{std::clamp(byHabit.count(), -limit, limit)};
        stray += allowed - byHabit;
        if (settings.humanise.count() > 0.0) {
            stray += settings.humanise * bell(random);
        }
        FittedHit& fitted = moves.hits[i];
        fitted.target = toFrames(hit.line.time + drift + feel + groove + stray, performance.rate);
        fitted.move = fitted.target - hit.played.beatPoint;
        fitted.left = toSeconds(fitted.target, performance.rate) - hit.line.time;
        const auto add = [](PartFigures& part, Seconds before, Seconds after) {
            part.before += Seconds(std::abs(before.count()));
            part.after += Seconds(std::abs(after.count()));
        };
        add(figures.drift, hit.drift, drift);
        add(figures.feel, hit.feel, feel);
        add(figures.stray, hit.stray, stray);
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
