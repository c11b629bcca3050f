#include "core/files/SongPartReader.h"

#include <fmt/format.h>

#include "core/files/ClipReader.h"
#include "core/files/GrooveFile.h"
#include "core/shape/Bend.h"
#include "core/tune/NotesByHand.h"

#include <algorithm>
#include <utility>

namespace orthochron {

namespace {

using Json = nlohmann::json;

// The part of a fit that differs by lead, section and step; absent in the first format.
void readParticulars(JsonReader& read, const Json& fit, FitSettings& settings)
{
    if (!fit.is_object() || !fit.contains("pieces")) {
        return;
    }
    settings.pieces = static_cast<FitPieces>(read.whole(fit["pieces"], 0, 2));
    for (const Json& each : read.list(read.field(fit, "own"), 10'000)) {
        settings.own.push_back(
            {SectionId{read.id(read.item(each, 0))},
             TrackId{read.id(read.item(each, 1))},
             read.number(read.item(each, 2), 0.0, 1.0),
             read.number(read.item(each, 3), 0.0, 1.0),
             read.number(read.item(each, 4), 0.0, 1.0)}
        );
    }
    for (const Json& each : read.list(read.field(fit, "teeth"), 10'000)) {
        settings.teeth.push_back(
            {SectionId{read.id(read.item(each, 0))},
             TrackId{read.id(read.item(each, 1))},
             static_cast<int>(read.whole(read.item(each, 2), 0, 100'000)),
             Seconds(read.number(read.item(each, 3), -10.0, 10.0))}
        );
    }
    for (const Json& each : read.list(read.field(fit, "driftLine"), 100'000)) {
        settings.driftLine.push_back(
            {Beats(read.number(read.item(each, 0), -1e9, 1e9)),
             Seconds(read.number(read.item(each, 1), -100.0, 100.0))}
        );
    }
    std::ranges::stable_sort(settings.driftLine, {}, &DriftPoint::at);
}

}  // namespace

Take takeFrom(JsonReader& read, const Json& json)
{
    Take take;
    take.id = TakeId{read.id(read.field(json, "id"))};
    take.name = read.text(read.field(json, "name"));
    take.path = read.text(read.field(json, "path"));
    if (const Json* bytes = read.find(json, "pathBytes")) {
        take.path.clear();
        for (const Json& byte : read.list(*bytes, 100'000)) {
            take.path += static_cast<char>(read.whole(byte, 1, 255));
        }
    }
    take.bytes =
        static_cast<std::uint64_t>(read.whole(read.field(json, "bytes"), 0, std::int64_t{1} << 50U)
        );
    take.hash = read.text(read.field(json, "hash"));
    // It names a file of the cache, so it may be nothing but digits; a take made of nothing has none.
    const bool isHex = std::ranges::all_of(take.hash, [](char c) {
        return (c >= '0' && c <= '9') || (c >= 'a' && c <= 'f');
    });
    if (!isHex || (take.hash.size() != 32 && !take.hash.empty())) {
        read.fail("a take's hash is not 32 hex digits");
    }
    take.rate = Hertz(read.number(read.field(json, "rate"), 8000.0, 192000.0));
    take.frames = read.length(read.field(json, "frames"));
    take.channels = static_cast<int>(read.whole(read.field(json, "channels"), 1, 64));
    take.format = read.text(read.field(json, "format"));
    take.timeStamp = read.length(read.field(json, "timeStamp"));
    take.extras = extrasOf(
        json,
        {"id", "name", "path", "bytes", "hash", "rate", "frames", "channels", "format", "timeStamp"}
    );
    return take;
}

OnsetSettings detectionFrom(JsonReader& read, const Json& json)
{
    OnsetSettings settings;
    settings.sensitivity = read.number(read.field(json, "sensitivity"), 0.0, 100.0);
    settings.minGap = Seconds(read.number(read.field(json, "minGap"), 0.0, 10.0));
    if (const Json* threshold = read.find(json, "threshold")) {
        settings.threshold = read.number(*threshold, 0.0, 1.0);
    }
    if (read.find(json, "way") != nullptr) {
        settings.way = OnsetWay::Weak;
    }
    if (const Json* band = read.find(json, "band")) {
        settings.band = FrequencyBand{
            Hertz(read.number(read.item(*band, 0), 10.0, 96000.0)),
            Hertz(read.number(read.item(*band, 1), 10.0, 96000.0))};
    }
    return settings;
}

BarRange barsFrom(JsonReader& read, const Json& first, const Json& last)
{
    return {
        static_cast<int>(read.whole(first, -10'000'000, 10'000'000)),
        static_cast<int>(read.whole(last, -10'000'000, 10'000'000))};
}

std::vector<Section> sectionsFrom(JsonReader& read, const Json& json)
{
    std::vector<Section> sections;
    for (const Json& section : read.list(json, 10'000)) {
        sections.push_back(
            {SectionId{read.id(read.item(section, 0))},
             read.text(read.item(section, 1)),
             barsFrom(read, read.item(section, 2), read.item(section, 3)),
             section.size() > 4 ? std::optional(keyFrom(read, section[4])) : std::nullopt}
        );
    }
    return sections;
}

GridSettings gridFrom(JsonReader& read, const Json& json)
{
    const std::int64_t division = read.whole(read.field(json, "division"), 4, 64);
    GridSettings grid = read.checked(parseGrid(fmt::format("1/{}", division)));
    grid.triplet = read.flag(read.field(json, "triplet"));
    grid.swing = read.number(read.field(json, "swing"), 50.0, 75.0);
    return grid;
}

TempoMap tempoFrom(JsonReader& read, const Json& json)
{
    std::vector<TempoPoint> tempi;
    for (const Json& point : read.list(read.field(json, "tempi"), 1'000'000)) {
        TempoPoint place;
        place.at = Beats(read.number(read.item(point, 0), -1e9, 1e9));
        place.bpm = read.number(read.item(point, 1), 20.0, 400.0);
        if (point.size() > 2) {
            place.isRamp = read.flag(read.item(point, 2));
            place.isPinned = read.flag(read.item(point, 3));
            place.sureness = read.number(read.item(point, 4), 0.0, 1.0);
        }
        tempi.push_back(place);
    }
    std::vector<MeterChange> meters;
    for (const Json& change : read.list(read.field(json, "meters"), 1'000'000)) {
        MeterChange meter;
        meter.bar = static_cast<int>(read.whole(read.item(change, 0), 1, 10'000'000));
        meter.meter.numerator = static_cast<int>(read.whole(read.item(change, 1), 1, 32));
        meter.meter.denominator = static_cast<int>(read.whole(read.item(change, 2), 1, 32));
        meters.push_back(meter);
    }
    const Seconds first(read.number(read.field(json, "firstDownbeat"), -1e6, 1e6));
    return read.checked(TempoMap::create(first, std::move(tempi), std::move(meters)));
}

LevelLine levelFrom(JsonReader& read, const Json& json)
{
    LevelLine line;
    line.keeps = read.flagOr(json, "staysInTime") ? Keeps::Time : Keeps::Bars;
    for (const Json& each : read.list(read.field(json, "points"), 4'000'000)) {
        const Json& level = read.item(each, 1);
        line.points.push_back(
            {HeldPlace(read.number(read.item(each, 0), -1e9, 1e9)),
             level.is_null() ? kSilence : read.number(level, kLeastLevel, kMostLevel),
             read.number(read.item(each, 2), -kMostBend, kMostBend),
             read.whole(read.item(each, 3), 0, 1) == 1}
        );
    }
    if (auto checked = checkLine(line); !checked) {
        read.fail(checked.error().message);
    }
    return line;
}

std::vector<Hush> hushesFrom(JsonReader& read, const Json& json)
{
    std::vector<Hush> hushes;
    for (const Json& each : read.list(json, 1'000'000)) {
        Hush hush;
        hush.id = HushId{read.id(read.field(each, "id"))};
        hush.from = HeldPlace(read.number(read.field(each, "from"), -1e9, 1e9));
        hush.to = HeldPlace(read.number(read.field(each, "to"), -1e9, 1e9));
        hush.edge = Seconds(read.number(read.field(each, "edge"), 0.0, kLongestHushEdge.count()));
        if (const Json* label = read.find(each, "label")) {
            hush.label = read.text(*label);
        }
        hush.keeps = read.flagOr(each, "staysInTime") ? Keeps::Time : Keeps::Bars;
        hush.goesWithClips = read.flagOr(each, "goesWithClips");
        if (hush.to <= hush.from) {
            read.fail("a hush ends before it begins");
        }
        hushes.push_back(std::move(hush));
    }
    return hushes;
}

Scale keyFrom(JsonReader& read, const Json& json)
{
    Scale key;
    key.tonic = static_cast<int>(read.whole(read.field(json, "tonic"), 0, 11));
    key.degrees.fill(false);
    for (const Json& degree : read.list(read.field(json, "degrees"), 12)) {
        key.degrees[static_cast<std::size_t>(read.whole(degree, 0, 11))] = true;
    }
    if (std::ranges::find(key.degrees, true) == key.degrees.end()) {
        read.fail("its key has no notes");
    }
    return key;
}

Temperament temperamentFrom(JsonReader& read, const Json& json)
{
    Temperament temperament;
    temperament.a4 = Hertz(read.number(read.field(json, "a4"), 0.0, 1e6));
    const Json& cents = read.field(json, "cents");
    for (std::size_t i = 0; i < temperament.cents.size(); ++i) {
        temperament.cents[i] = read.number(read.item(cents, i), -1e6, 1e6);
    }
    if (auto checked = checkTemperament(temperament); !checked) {
        read.fail(checked.error().message);
    }
    return temperament;
}

std::shared_ptr<const MidiGuide> guideFrom(JsonReader& read, const Json& json)
{
    auto guide = std::make_shared<MidiGuide>();
    guide->name = read.text(read.field(json, "name"));
    for (const Json& each : read.list(read.field(json, "notes"), kMostGuideNotes)) {
        guide->notes.push_back(
            {.at = Seconds(read.number(read.item(each, 0), 0.0, kLatestGuideNote.count())),
             .length = Seconds(read.number(read.item(each, 1), 0.0, kLatestGuideNote.count())),
             .key = static_cast<int>(read.whole(read.item(each, 2), 0, 127)),
             .velocity = static_cast<int>(read.whole(read.item(each, 3), 1, 127)),
             .channel = static_cast<int>(read.whole(read.item(each, 4), 0, 15))}
        );
    }
    if (guide->notes.empty() || !std::ranges::is_sorted(guide->notes, {}, &TimedNote::at)) {
        read.fail("its guide has no notes, or they are not in order");
    }
    return guide;
}

std::vector<NoteByHand> notesFrom(JsonReader& read, const Json& json)
{
    std::vector<NoteByHand> notes;
    for (const Json& each : read.list(json, 1'000'000)) {
        NoteByHand note;
        note.start = read.length(read.item(each, 0));
        note.end = read.length(read.item(each, 1));
        note.isNote = read.flag(read.item(each, 2));
        note.octaves =
            static_cast<int>(read.whole(read.item(each, 3), -kMostOctaves, kMostOctaves));
        note.pitch = read.number(read.item(each, 4), 0.0, 127.0);
        if (note.end <= note.start || (!notes.empty() && note.start < notes.back().end)) {
            read.fail("notes edited by hand overlap");
        }
        notes.push_back(note);
    }
    return notes;
}

SpeedLine speedFrom(JsonReader& read, const Json& json)
{
    std::vector<SpeedPoint> points;
    for (const Json& each : read.list(read.field(json, "points"), 100'000)) {
        points.push_back(
            {read.frames(read.item(each, 0)),
             read.number(read.item(each, 1), 0.0, kMostSpeed),
             read.number(read.item(each, 2), -kMostBend, kMostBend)}
        );
    }
    const Frames same = read.frames(read.field(json, "same"));
    return read.checked(
        SpeedLine::through(std::move(points), !read.flagOr(json, "keepsLevel"), same)
    );
}

FitRecipe recipeSettingsFrom(JsonReader& read, const Json& json)
{
    FitRecipe recipe;
    const Json& fit = read.field(json, "fit");
    recipe.fit.drift = read.number(read.field(fit, "drift"), 0.0, 1.0);
    recipe.fit.feel = read.number(read.field(fit, "feel"), 0.0, 1.0);
    recipe.fit.stray = read.number(read.field(fit, "stray"), 0.0, 1.0);
    recipe.fit.leaveWithin = Seconds(read.number(read.field(fit, "leaveWithin"), 0.0, 10.0));
    recipe.fit.furthest = Seconds(read.number(read.field(fit, "furthest"), 0.0, 10.0));
    recipe.fit.humanise = Seconds(read.number(read.field(fit, "humanise"), 0.0, 10.0));
    const Json& seed = read.field(fit, "seed");
    recipe.fit.seed = seed.is_number_unsigned() ? seed.get<std::uint64_t>() : 1;
    if (fit.is_object() && fit.contains("groove") && !fit["groove"].is_null()) {
        recipe.fit.groove = read.checked(grooveFromJson(fit["groove"], "its groove"));
        recipe.fit.grooveAmount = read.number(read.field(fit, "grooveAmount"), 0.0, 1.0);
    }
    readParticulars(read, fit, recipe.fit);
    const Json& joins = read.field(json, "joins");
    recipe.joins.leadIn = Seconds(read.number(read.field(joins, "leadIn"), 0.0, 0.1));
    recipe.joins.crossfade = Seconds(read.number(read.field(joins, "crossfade"), 0.0, 0.5));
    recipe.joins.shape = read.checked(parseFadeShape(read.text(read.field(joins, "shape"))));
    recipe.grid = gridFrom(read, read.field(json, "grid"));
    if (const Json* way = read.find(json, "way")) {
        const std::string method = read.text(read.field(*way, "method"));
        if (method != "cut" && method != "stretch") {
            read.fail(fmt::format("unknown fit method '{}'", method));
        }
        recipe.way.method = method == "stretch" ? FitMethod::Stretch : FitMethod::Cut;
        recipe.way.material = read.checked(parseMaterial(read.text(read.field(*way, "material"))));
    }
    return recipe;
}

}  // namespace orthochron
