#include "cli/FitReport.h"

#include <fmt/format.h>

#include <algorithm>

namespace orthochron::cli {

namespace {

Json part(const PartFigures& figures)
{
    return {inMilliseconds(figures.before), inMilliseconds(figures.after)};
}

}  // namespace

Json findingsJson(
    const std::vector<Finding>& findings, Hertz rate, const std::vector<std::string>& files
)
{
    Json all = Json::array();
    for (const Finding& finding : findings) {
        const auto m = static_cast<std::size_t>(finding.microphone);
        all.push_back(
            {{"time_s", toSeconds(finding.at, rate).count()},
             {"kind", wordOf(finding.kind)},
             {"value", finding.value},
             {"unit", unitOf(finding.kind)},
             {"loudness_db", finding.loudness},
             {"file", m < files.size() ? files[m] : ""}}
        );
    }
    return all;
}

Json fitReport(
    const Song& song,
    const FitPreview& preview,
    const FitFigures& figures,
    const std::vector<Finding>& findings,
    const std::vector<PlannedSplice>& splices
)
{
    const Hertz rate = song.rate;
    const MicSet& set = song.sets.front();
    std::vector<std::string> files;
    for (const TrackId id : set.tracks) {
        files.push_back(song.track(id)->name);
    }
    Json hits = Json::array();
    for (std::size_t i = 0; i < preview.performance.hits.size(); ++i) {
        const JudgedHit& hit = preview.performance.hits[i];
        const FittedHit& fitted = preview.moves.hits[i];
        hits.push_back(
            {{"lead",
              song.track(preview.origin.leads[static_cast<std::size_t>(hit.played.lead)])->name},
             {"source_s", toSeconds(hit.played.beatPoint, rate).count()},
             {"grid_s", hit.line.time.count()},
             {"target_s", toSeconds(fitted.target, rate).count()},
             {"role", hit.role == HitRole::Main ? "main" : "attached"},
             {"moved_ms", inMilliseconds(toSeconds(fitted.move, rate))},
             {"drift_ms", inMilliseconds(hit.drift)},
             {"feel_ms", inMilliseconds(hit.feel)},
             {"stray_ms", inMilliseconds(hit.stray)},
             {"left_ms", inMilliseconds(toSeconds(fitted.target, rate) - hit.line.time)}}
        );
    }
    Json joins = Json::array();
    const auto add = [&](const PlannedSplice& join, FadeShape shape) {
        joins.push_back(
            {{"time_s", toSeconds(join.at, rate).count()},
             {"length_ms", inMilliseconds(toSeconds(join.length, rate))},
             {"shape", fadeShapeWord(shape)},
             {"moved_before_ms", inMilliseconds(toSeconds(join.moveBefore, rate))},
             {"moved_after_ms", inMilliseconds(toSeconds(join.moveAfter, rate))}}
        );
        if (join.diesAwayUntil) {
            joins.back()["dies_away_until_s"] = toSeconds(*join.diesAwayUntil, rate).count();
        }
    };
    const EditMap map = editMapOf(song, set);
    const auto present = joinsOf(song, set);
    for (std::size_t k = 0; k < present.size(); ++k) {
        const EditMap::Piece& before = map.pieces[map.joins[k].before];
        const EditMap::Piece& after = map.pieces[map.joins[k].before + 1];
        add({{present[k].at, present[k].length, before.move, after.move}}, present[k].shape);
    }
    for (const PlannedSplice& splice : splices) {
        add(splice, FadeShape::Matched);
    }
    return {
        {"hits", hits},
        {"joins", joins},
        {"findings", findingsJson(findings, rate, files)},
        {"summary",
         {{"hits", figures.hits},
          {"drift_ms", part(figures.drift)},
          {"feel_ms", part(figures.feel)},
          {"stray_ms", part(figures.stray)},
          {"furthest_move_ms", inMilliseconds(figures.furthestMove)},
          {"findings", findings.size()}}}};
}

Result<EditMap> editMapFrom(const Json& report, Hertz rate, Frames length, const std::string& name)
{
    const auto damaged = [&name] {
        return badInput(fmt::format("{}: is not the output of 'fit --json'; run fit again", name));
    };
    if (!report.is_object() || !report.contains("hits") || !report["hits"].is_array() ||
        !report.contains("joins") || !report["joins"].is_array()) {
        return damaged();
    }
    const auto number = [](const Json& json, const char* key, double& value) {
        if (!json.is_object() || !json.contains(key) || !json[key].is_number()) {
            return false;
        }
        value = json[key].get<double>();
        return std::abs(value) < 1e6;
    };
    EditMap map;
    map.rate = rate;
    map.length = length;
    std::vector<std::pair<Frames, Frames>> targets;  // where a hit comes to, its move
    for (const Json& hit : report["hits"]) {
        double source = 0.0;
        double target = 0.0;
        if (!number(hit, "source_s", source) || !number(hit, "target_s", target)) {
            return damaged();
        }
        const Frames start = toFrames(Seconds(source), rate);
        const Frames end = toFrames(Seconds(target), rate);
        map.hits.push_back({start, end - start});
        targets.emplace_back(end, end - start);
    }
    std::ranges::sort(map.hits, {}, &EditMap::Hit::start);
    std::ranges::sort(targets);
    Frames from{0};
    Frames move{0};
    Frames diesAwayUntil{0};
    const auto addPiece = [&](Frames to, Frames moved) {
        if (from < diesAwayUntil) {
            map.pieces.push_back({from, std::min(to, diesAwayUntil), moved});
            map.pieces.back().diesAway = true;
            from = map.pieces.back().to;
            if (from >= to) {
                return;
            }
        }
        map.pieces.push_back({from, to, moved});
    };
    for (const Json& join : report["joins"]) {
        double time = 0.0;
        double lengthMs = 0.0;
        if (!number(join, "time_s", time) || !number(join, "length_ms", lengthMs)) {
            return damaged();
        }
        const Frames at = toFrames(Seconds(time), rate);
        if (at >= length) {
            continue;  // takes stay as long as they were: what is moved beyond their end is not in them
        }
        const Frames end = std::min(at + toFrames(milliseconds(lengthMs), rate), length);
        // What lies between two joins moved as the hits in it; the report says so itself too.
        double before = 0.0;
        double after = 0.0;
        if (number(join, "moved_before_ms", before) && number(join, "moved_after_ms", after)) {
            addPiece(end, toFrames(milliseconds(before), rate));
            move = toFrames(milliseconds(after), rate);
        } else {
            const auto first =
                std::ranges::lower_bound(targets, std::pair{from, Frames(-1'000'000'000)});
            const bool holds = first != targets.end() && first->first < end;
            addPiece(end, holds ? first->second : Frames(0));
            const auto next =
                std::ranges::lower_bound(targets, std::pair{at, Frames(-1'000'000'000)});
            move = next != targets.end() ? next->second : move;
        }
        map.joins.push_back({at, end - at, map.pieces.size() - 1});
        from = at;
        double until = 0.0;
        diesAwayUntil =
            number(join, "dies_away_until_s", until) ? toFrames(Seconds(until), rate) : Frames(0);
    }
    addPiece(length, move);
    return map;
}

}  // namespace orthochron::cli
