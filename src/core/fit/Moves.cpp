#include "core/fit/Moves.h"

#include <algorithm>
#include <cmath>
#include <random>

namespace orthochron {

Result<void> validate(const FitSettings& settings)
{
    const auto isPart = [](double value) { return value >= 0.0 && value <= 1.0; };
    if (!isPart(settings.drift) || !isPart(settings.feel) || !isPart(settings.stray)) {
        return badArgument("drift, feel and stray are taken out by 0 to 100 percent");
    }
    const auto isTime = [](Seconds value) { return value.count() >= 0.0 && value.count() <= 10.0; };
    if (!isTime(settings.leaveWithin) || !isTime(settings.furthest) || !isTime(settings.humanise)) {
        return badArgument("tolerance, furthest move and humanising are times from 0 to 10 seconds"
        );
    }
    return {};
}

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
        const Seconds byHabit = feel + stray - hit.feel - hit.stray;
        const double limit = settings.furthest.count();
        const Seconds allowed{std::clamp(byHabit.count(), -limit, limit)};
        stray += allowed - byHabit;
        if (settings.humanise.count() > 0.0) {
            stray += settings.humanise * bell(random);
        }
        FittedHit& fitted = moves.hits[i];
        fitted.target = toFrames(hit.line.time + drift + feel + stray, performance.rate);
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
