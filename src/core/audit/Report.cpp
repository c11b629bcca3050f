#include "core/audit/Report.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "core/edits/MarkEdits.h"
#include "core/files/AtomicFile.h"
#include "core/render/Render.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr Seconds kPicture = milliseconds(40.0);  // to each side
constexpr double kChartReach = 40.0;              // ms that fill half of the chart

void addHits(EditReport& report, const Song& song, const MicSet& set)
{
    FitRequest request;
    if (set.recipe) {
        request = requestOf(*set.recipe);
    } else {
        request.grid = song.grid;
    }
    const SetHits hits = hitsOf(song, set);
    const Performance performance = judgeSet(song, hits, request);
    const auto parts = partsOf(song, set);
    for (const JudgedHit& hit : performance.hits) {
        const SetPart* holding = partHolding(parts, hit.played.start);
        const Frames heard =
            holding != nullptr ? holding->heardAt(hit.played.beatPoint) : hit.played.beatPoint;
        EditReport::Hit each;
        each.lead = song.track(hits.leads[static_cast<std::size_t>(hit.played.lead)])->name;
        each.bar = hit.line.bar;
        each.step = hit.line.step + 1;
        each.recorded = toSeconds(hit.played.beatPoint, song.rate);
        each.heard = toSeconds(heard, song.rate);
        each.driftMs = inMilliseconds(hit.drift);
        each.feelMs = inMilliseconds(hit.feel);
        each.strayMs = inMilliseconds(hit.stray);
        each.leftMs = inMilliseconds(each.heard - hit.line.time);
        each.isMain = hit.role == HitRole::Main;
        report.hits.push_back(std::move(each));
    }
}

Result<void> addFindings(
    EditReport& report,
    const Song& song,
    const MicSet& set,
    const Sources& sources,
    const Work& work
)
{
    auto findings = auditSet(song, set.id, sources, work);
    if (!findings) {
        return tl::unexpected(findings.error());
    }
    std::ranges::sort(*findings, isWorse);
    const Frames side = toFrames(kPicture, song.rate);
    const auto open = notAccepted(song, *findings);
    report.accepted += static_cast<int>(findings->size() - open.size());
    for (const Finding& finding : open) {
        const auto track = song.track(set.tracks[static_cast<std::size_t>(finding.microphone)]);
        EditReport::Left left;
        left.finding = finding;
        left.at = toSeconds(finding.at, song.rate);
        const BarBeat place = song.tempo.placeAt(song.tempo.beatsAt(left.at));
        left.bar = place.bar;
        left.beat = place.beat;
        left.microphone = track->name;
        AudioBuffer sound(channelsOf(*track, sources), side + side);
        if (auto rendered = renderClips(track->clips, sources, finding.at - side, sound);
            !rendered) {
            return rendered;
        }
        left.picture.assign(sound.channel(0).begin(), sound.channel(0).end());
        report.left.push_back(std::move(left));
    }
    return {};
}

std::string escaped(std::string_view text)
{
    std::string safe;
    for (const char c : text) {
        switch (c) {
        case '&': safe += "&amp;"; break;
        case '<': safe += "&lt;"; break;
        case '>': safe += "&gt;"; break;
        case '"': safe += "&quot;"; break;
        default: safe += c;
        }
    }
    return safe;
}

// For a table: a name that a spreadsheet would take for a formula is marked as text.
std::string inQuotes(std::string_view text)
{
    const bool isFormula =
        !text.empty() && std::string_view("=+-@\t\r").find(text.front()) != std::string_view::npos;
    std::string safe = isFormula ? "\"'" : "\"";
    for (const char c : text) {
        safe += c == '"' ? "\"\"" : std::string(1, c);
    }
    return safe + "\"";
}

// Recorded hollow, as heard solid, against time; early above.
std::string chartOf(const EditReport& report)
{
    constexpr double kWide = 900.0;
    constexpr double kTall = 220.0;
    const double length =
        report.hits.empty() ? 1.0 : std::max(1.0, report.hits.back().recorded.count());
    const auto y = [&](double ms) {
        return kTall / 2.0 + std::clamp(ms / kChartReach, -1.0, 1.0) * (kTall / 2.0 - 6.0);
    };
    std::string svg = fmt::format(
        "<svg viewBox=\"0 0 {0} {1}\" width=\"{0}\" height=\"{1}\" role=\"img\" aria-label=\"Each "
        "hit's distance from its line\"><rect width=\"{0}\" height=\"{1}\" fill=\"#FBF8F0\"/><path "
        "d=\"M0 {2:.1f}H{0}\" stroke=\"#22303C\"/>",
        kWide,
        kTall,
        kTall / 2.0
    );
    for (const EditReport::Hit& hit : report.hits) {
        if (!hit.isMain) {
            continue;
        }
        const double x = hit.recorded.count() / length * (kWide - 8.0) + 4.0;
        const double before = hit.driftMs + hit.feelMs + hit.strayMs;
        svg += fmt::format(
            "<circle cx=\"{:.1f}\" cy=\"{:.1f}\" r=\"2.3\" fill=\"none\" stroke=\"{}\"/><circle "
            "cx=\"{:.1f}\" cy=\"{:.1f}\" r=\"1.6\" fill=\"#22303C\"/>",
            x,
            y(before),
            before > 0.0 ? "#CF4A2C" : "#4350B0",
            x,
            y(hit.leftMs)
        );
    }
    return svg + "</svg>";
}

std::string pictureOf(const EditReport::Left& left)
{
    constexpr double kWide = 240.0;
    constexpr double kTall = 56.0;
    float loud = 1e-4F;
    for (const float x : left.picture) {
        loud = std::max(loud, std::abs(x));
    }
    std::string points;
    const std::size_t stride = std::max<std::size_t>(1, left.picture.size() / 480);
    for (std::size_t i = 0; i < left.picture.size(); i += stride) {
        points += fmt::format(
            "{:.1f},{:.1f} ",
            kWide * static_cast<double>(i) / static_cast<double>(left.picture.size()),
            kTall / 2.0 * (1.0 - 0.95 * static_cast<double>(left.picture[i] / loud))
        );
    }
    return fmt::format(
        "<svg viewBox=\"0 0 {0} {1}\" width=\"{0}\" height=\"{1}\"><rect width=\"{0}\" "
        "height=\"{1}\" fill=\"#FBF8F0\"/><path d=\"M{2} 0V{1}\" stroke=\"#7A2E5D\"/><polyline "
        "points=\"{3}\" fill=\"none\" stroke=\"#3A4B5A\"/></svg>",
        kWide,
        kTall,
        kWide / 2.0,
        points
    );
}

struct Means {
    double before = 0.0;
    double after = 0.0;
    int mains = 0;
};

Means meansOf(const EditReport& report)
{
    Means means;
    for (const EditReport::Hit& hit : report.hits) {
        if (hit.isMain) {
            means.before += std::abs(hit.driftMs + hit.feelMs + hit.strayMs);
            means.after += std::abs(hit.leftMs);
            ++means.mains;
        }
    }
    if (means.mains > 0) {
        means.before /= means.mains;
        means.after /= means.mains;
    }
    return means;
}

}  // namespace

Result<EditReport> reportOf(const Song& song, SetId id, const Sources& sources, const Work& work)
{
    const MicSet* set = song.set(id);
    if (set == nullptr || set->tracks.empty()) {
        return badArgument("the mic set is not in the song");
    }
    EditReport report;
    report.song = song.name;
    report.set = song.nameOf(*set);
    addHits(report, song, *set);
    for (const SetJoin& join : joinsOf(song, *set)) {
        report.joins.push_back(
            {toSeconds(join.at, song.rate),
             inMilliseconds(toSeconds(join.length, song.rate)),
             std::string(fadeShapeWord(join.shape)),
             join.isLocked}
        );
    }
    if (auto found = addFindings(report, song, *set, sources, work); !found) {
        return tl::unexpected(found.error());
    }
    return report;
}

std::string asHtml(const EditReport& report)
{
    const Means means = meansOf(report);
    const auto locked = std::ranges::count_if(report.joins, &EditReport::Join::isLocked);
    std::string page = fmt::format(
        "<!DOCTYPE html><html lang=\"en\"><meta charset=\"utf-8\"><title>{0}: {1}</title><style>"
        "body{{background:#F3EDE0;color:#22303C;font:15px/1.45 Barlow,sans-serif;max-width:940px;"
        "margin:32px auto;padding:0 16px}}table{{border-collapse:collapse;width:100%}}td,th{{text-"
        "align:left;padding:4px 10px 4px 0;border-bottom:1px solid #E0D7C5;vertical-align:middle}}"
        "h1,h2{{font-weight:600}}</style><h1>{0}: {1}</h1><p>{2} hits, {3} of them main hits. Mean "
        "distance from the line: {4:.1f} ms as recorded, {5:.1f} ms as edited. {6} joins, {7} "
        "locked. {8} findings left to look at, {9} accepted.</p><h2>Timing</h2><p>Hollow: as "
        "recorded. Solid: as edited. Early is above, late below; {10:.0f} ms to each side.</p>{11}",
        escaped(report.song),
        escaped(report.set),
        report.hits.size(),
        means.mains,
        means.before,
        means.after,
        report.joins.size(),
        locked,
        report.left.size(),
        report.accepted,
        kChartReach,
        chartOf(report)
    );
    page += "<h2>Left to look at</h2>";
    if (report.left.empty()) {
        return page + "<p>Nothing.</p></html>";
    }
    page += "<table><tr><th>place<th>what<th>size<th>against the music<th>microphone<th></tr>";
    for (const EditReport::Left& left : report.left) {
        page += fmt::format(
            "<tr><td>{} &middot; {}<br>{:.3f} s<td>{}<td>{:.1f} {}<td>{:+.0f} dB<td>{}<td>{}</tr>",
            left.bar,
            left.beat,
            left.at.count(),
            wordOf(left.finding.kind),
            left.finding.value,
            unitOf(left.finding.kind),
            left.finding.loudness,
            escaped(left.microphone),
            pictureOf(left)
        );
    }
    return page + "</table></html>";
}

std::string asCsv(const EditReport& report)
{
    std::string text = "kind,where,bar,step_or_beat,recorded_s,heard_s,drift_ms,feel_ms,stray_ms,"
                       "left_ms,value,unit,loudness_db\n";
    for (const EditReport::Hit& hit : report.hits) {
        text += fmt::format(
            "{},{},{},{},{:.6f},{:.6f},{:.3f},{:.3f},{:.3f},{:.3f},,,\n",
            hit.isMain ? "main hit" : "attached hit",
            inQuotes(hit.lead),
            hit.bar,
            hit.step,
            hit.recorded.count(),
            hit.heard.count(),
            hit.driftMs,
            hit.feelMs,
            hit.strayMs,
            hit.leftMs
        );
    }
    for (const EditReport::Left& left : report.left) {
        text += fmt::format(
            "{},{},{},{},,{:.6f},,,,,{:.3f},{},{:.2f}\n",
            wordOf(left.finding.kind),
            inQuotes(left.microphone),
            left.bar,
            left.beat,
            left.at.count(),
            left.finding.value,
            unitOf(left.finding.kind),
            left.finding.loudness
        );
    }
    return text;
}

std::string asJson(const EditReport& report)
{
    using Json = nlohmann::ordered_json;
    Json hits = Json::array();
    for (const EditReport::Hit& hit : report.hits) {
        hits.push_back(
            {{"lead", hit.lead},
             {"bar", hit.bar},
             {"step", hit.step},
             {"role", hit.isMain ? "main" : "attached"},
             {"recorded_s", hit.recorded.count()},
             {"heard_s", hit.heard.count()},
             {"drift_ms", hit.driftMs},
             {"feel_ms", hit.feelMs},
             {"stray_ms", hit.strayMs},
             {"left_ms", hit.leftMs}}
        );
    }
    Json joins = Json::array();
    for (const EditReport::Join& join : report.joins) {
        joins.push_back(
            {{"time_s", join.at.count()},
             {"length_ms", join.lengthMs},
             {"shape", join.shape},
             {"locked", join.isLocked}}
        );
    }
    Json left = Json::array();
    for (const EditReport::Left& each : report.left) {
        left.push_back(
            {{"time_s", each.at.count()},
             {"kind", wordOf(each.finding.kind)},
             {"value", each.finding.value},
             {"unit", unitOf(each.finding.kind)},
             {"loudness_db", each.finding.loudness},
             {"microphone", each.microphone}}
        );
    }
    const Json all{
        {"song", report.song},
        {"set", report.set},
        {"hits", hits},
        {"joins", joins},
        {"findings", left},
        {"accepted", report.accepted}};
    return all.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

Result<void> writeReport(const EditReport& report, const std::filesystem::path& path)
{
    const std::string ending = path.extension().string();
    if (ending == ".html") {
        return writeAtomically(path, asHtml(report));
    }
    if (ending == ".csv") {
        return writeAtomically(path, asCsv(report));
    }
    if (ending == ".json") {
        return writeAtomically(path, asJson(report));
    }
    return badArgument(fmt::format(
        "{}: a report is an .html, .csv or .json file; give it one of these endings", path.string()
    ));
}

}  // namespace orthochron
