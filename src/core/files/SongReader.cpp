#include <fmt/format.h>

#include "core/files/GrooveFile.h"
#include "core/files/JsonReader.h"
#include "core/files/JsonText.h"
#include "core/files/SongFile.h"
#include "core/files/SongFormat.h"

#include <map>
#include <utility>

namespace orthochron {

namespace {

using Json = nlohmann::json;

constexpr std::size_t kManyClips = 4'000'000;
constexpr std::size_t kManyTracks = 4096;

Fade fadeFrom(JsonReader& read, const Json& json)
{
    Fade fade;
    fade.length = read.length(read.item(json, 0));
    fade.shape = read.checked(parseFadeShape(read.text(read.item(json, 1))));
    fade.correlation = static_cast<float>(read.number(read.item(json, 2), -1.0, 1.0));
    if (json.is_array() && json.size() > 3) {
        fade.middle = static_cast<float>(read.number(json[3], 0.05, 0.95));
    }
    return fade;
}

Clip clipFrom(JsonReader& read, const Json& json)
{
    Clip clip;
    clip.id = ClipId{read.id(read.item(json, 0))};
    clip.take = TakeId{read.id(read.item(json, 1))};
    clip.channel = static_cast<int>(read.whole(read.item(json, 2), Clip::kAllChannels, 63));
    clip.takeStart = read.frames(read.item(json, 3));
    clip.at = read.frames(read.item(json, 4));
    clip.length = read.length(read.item(json, 5));
    clip.gain = static_cast<float>(read.number(read.item(json, 6), -100.0, 100.0));
    const std::int64_t flags = read.whole(read.item(json, 7), 0, 15);
    clip.isLocked = (flags & kLocked) != 0;
    clip.isMuted = (flags & kMuted) != 0;
    clip.isReversed = (flags & kReversed) != 0;
    clip.byHand = (flags & kByHand) != 0;
    clip.in = fadeFrom(read, read.item(json, 8));
    clip.out = fadeFrom(read, read.item(json, 9));
    if (clip.in.length + clip.out.length > clip.length) {
        read.fail("a clip's fades are longer than the clip");
    }
    return clip;
}

std::vector<Clip> clipsFrom(JsonReader& read, const Json& json)
{
    std::vector<Clip> clips;
    for (const Json& each : read.list(json, kManyClips)) {
        if (read.hasFailed()) {
            break;
        }
        clips.push_back(clipFrom(read, each));
        const auto count = clips.size();
        if (count > 1 && clips[count - 1].at < clips[count - 2].at) {
            read.fail("its clips are not in order");
        }
    }
    return clips;
}

Mark markFrom(JsonReader& read, const Json& json)
{
    Mark mark;
    mark.id = MarkId{read.id(read.item(json, 0))};
    mark.at = read.length(read.item(json, 1));
    mark.beatPoint = read.length(read.item(json, 2));
    mark.strength = read.number(read.item(json, 3), 0.0, 1.0);
    mark.isOn = read.whole(read.item(json, 4), 0, 1) == 1;
    mark.byHand = read.whole(read.item(json, 5), 0, 1) == 1;
    if (const Json& line = read.item(json, 6); !line.is_null()) {
        mark.line = read.whole(line, -100'000'000, 100'000'000);
    }
    if (json.is_array() && json.size() > 7 && !json[7].is_null()) {
        mark.wanted = Seconds(read.number(json[7], -10.0, 10.0));
    }
    return mark;
}

std::shared_ptr<const Track> trackFrom(JsonReader& read, const Json& json)
{
    Track track;
    track.id = TrackId{read.id(read.field(json, "id"))};
    track.name = read.text(read.field(json, "name"));
    track.clips = clipsFrom(read, read.field(json, "clips"));
    for (const Json& mark : read.list(read.field(json, "marks"), kManyClips)) {
        if (read.hasFailed()) {
            break;
        }
        track.marks.push_back(markFrom(read, mark));
    }
    std::ranges::stable_sort(track.marks, {}, &Mark::at);
    const Json& detection = read.field(json, "detection");
    track.detection.sensitivity = read.number(read.field(detection, "sensitivity"), 0.0, 100.0);
    track.detection.minGap = Seconds(read.number(read.field(detection, "minGap"), 0.0, 10.0));
    if (const Json& threshold = read.field(detection, "threshold"); !threshold.is_null()) {
        track.detection.threshold = read.number(threshold, 0.0, 1.0);
    }
    if (detection.is_object() && detection.contains("way")) {
        track.detection.way = OnsetWay::Weak;
    }
    if (detection.is_object() && detection.contains("band")) {
        const Json& band = detection["band"];
        track.detection.band = FrequencyBand{
            Hertz(read.number(read.item(band, 0), 10.0, 96000.0)),
            Hertz(read.number(read.item(band, 1), 10.0, 96000.0))};
    }
    track.isLead = read.flag(read.field(json, "lead"));
    track.isHidden = read.flag(read.field(json, "hidden"));
    track.isMuted = read.flag(read.field(json, "muted"));
    track.isSoloed = read.flag(read.field(json, "soloed"));
    track.isLocked = json.is_object() && json.contains("locked") && read.flag(json["locked"]);
    track.gainDecibels = read.number(read.field(json, "gain"), -60.0, 12.0);
    track.pan = read.number(read.field(json, "pan"), -1.0, 1.0);
    return std::make_shared<const Track>(std::move(track));
}

Take takeFrom(JsonReader& read, const Json& json)
{
    Take take;
    take.id = TakeId{read.id(read.field(json, "id"))};
    take.name = read.text(read.field(json, "name"));
    take.path = read.text(read.field(json, "path"));
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
    return take;
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
        tempi.push_back(
            {Beats(read.number(read.item(point, 0), 0.0, 1e9)),
             read.number(read.item(point, 1), 20.0, 400.0)}
        );
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

std::shared_ptr<const FitRecipe> recipeFrom(JsonReader& read, const Json& json)
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
    for (const Json& clips : read.list(read.field(json, "recorded"), kManyTracks)) {
        recipe.recorded.push_back(clipsFrom(read, clips));
    }
    const Json& print = read.field(json, "madeFrom");
    recipe.madeFrom = print.is_number_unsigned() ? print.get<std::uint64_t>() : 0;
    return std::make_shared<const FitRecipe>(std::move(recipe));
}

struct Pools {
    std::vector<std::shared_ptr<const Track>> tracks;
    std::vector<Take> takes;
    std::vector<std::shared_ptr<const FitRecipe>> recipes;
};

template<class T>
const T* pooled(JsonReader& read, const std::vector<T>& pool, const Json& index)
{
    if (pool.empty()) {
        read.fail("it names something that is not in the file");
        return nullptr;
    }
    return &pool[static_cast<std::size_t>(
        read.whole(index, 0, static_cast<std::int64_t>(pool.size()) - 1)
    )];
}

BarRange barsFrom(JsonReader& read, const Json& first, const Json& last)
{
    return {
        static_cast<int>(read.whole(first, -10'000'000, 10'000'000)),
        static_cast<int>(read.whole(last, -10'000'000, 10'000'000))};
}

void checkClips(JsonReader& read, const Song& song, std::span<const Clip> clips)
{
    for (const Clip& clip : clips) {
        const Take* take = song.take(clip.take);
        if (take == nullptr) {
            read.fail("a clip names a take that is not in the file");
            return;
        }
        if (clip.channel >= take->channels) {
            read.fail("a clip names a channel that its take does not have");
            return;
        }
    }
}

void checkReferences(JsonReader& read, const Song& song)
{
    for (const auto& track : song.tracks) {
        checkClips(read, song, track->clips);
    }
    for (const MicSet& set : song.sets) {
        const auto checkKept = [&](const auto& kept) {
            for (const auto& clips : kept) {
                checkClips(read, song, clips);
            }
        };
        if (set.recipe) {
            checkKept(set.recipe->recorded);
        }
        for (const auto& variant : set.variants) {
            checkKept(variant->clips);
            if (variant->recipe) {
                checkKept(variant->recipe->recorded);
            }
            if (variant->clips.size() != set.tracks.size()) {
                read.fail("another way of fitting does not match its mic set");
            }
        }
        for (const TrackId id : set.tracks) {
            if (!song.track(id)) {
                read.fail("a mic set names a track that is not in the file");
                return;
            }
        }
    }
}

void readVariants(JsonReader& read, const Json& json, const Pools& pools, MicSet& set)
{
    set.variantName = read.text(read.field(json, "variantName"));
    for (const Json& each : read.list(json["variants"], 1000)) {
        Variant variant;
        variant.name = read.text(read.field(each, "name"));
        if (const Json& bars = read.field(each, "bars"); !bars.is_null()) {
            variant.bars = barsFrom(read, read.item(bars, 0), read.item(bars, 1));
        }
        for (const Json& clips : read.list(read.field(each, "clips"), kManyTracks)) {
            variant.clips.push_back(clipsFrom(read, clips));
        }
        if (const Json& recipe = read.field(each, "recipe"); !recipe.is_null()) {
            if (const auto* found = pooled(read, pools.recipes, recipe)) {
                variant.recipe = *found;
            }
        }
        set.variants.push_back(std::make_shared<const Variant>(std::move(variant)));
    }
}

Song songFrom(JsonReader& read, const Json& json, const Pools& pools, const Song& common)
{
    Song song = common;
    song.name = read.text(read.field(json, "name"));
    song.tempo = tempoFrom(read, read.field(json, "tempo"));
    song.grid = gridFrom(read, read.field(json, "grid"));
    for (const Json& index : read.list(read.field(json, "takes"), kManyTracks)) {
        if (const Take* take = pooled(read, pools.takes, index)) {
            song.takes.push_back(*take);
        }
    }
    for (const Json& index : read.list(read.field(json, "tracks"), kManyTracks)) {
        if (const auto* track = pooled(read, pools.tracks, index)) {
            song.tracks.push_back(*track);
        }
    }
    for (const Json& each : read.list(read.field(json, "sets"), kManyTracks)) {
        MicSet set;
        set.id = SetId{read.id(read.field(each, "id"))};
        set.name = read.text(read.field(each, "name"));
        set.isFolded = read.flag(read.field(each, "folded"));
        for (const Json& id : read.list(read.field(each, "tracks"), kManyTracks)) {
            set.tracks.push_back(TrackId{read.id(id)});
        }
        if (const Json& recipe = read.field(each, "recipe"); !recipe.is_null()) {
            if (const auto* found = pooled(read, pools.recipes, recipe)) {
                set.recipe = *found;
            }
            if (set.recipe && set.recipe->recorded.size() != set.tracks.size()) {
                read.fail("a fit does not match its mic set");
            }
        }
        if (each.is_object() && each.contains("variants")) {
            readVariants(read, each, pools, set);
        }
        song.sets.push_back(std::move(set));
    }
    for (const Json& each : read.list(read.field(json, "accepted"), kManyClips)) {
        song.accepted.push_back({read.text(read.item(each, 0)), read.frames(read.item(each, 1))});
    }
    if (json.is_object() && json.contains("grooves")) {
        for (const Json& groove : read.list(json["grooves"], 10'000)) {
            song.grooves.push_back(read.checked(grooveFromJson(groove, "its groove")));
        }
    }
    if (json.is_object() && json.contains("sections")) {
        for (const Json& section : read.list(json["sections"], 10'000)) {
            song.sections.push_back(
                {SectionId{read.id(read.item(section, 0))},
                 read.text(read.item(section, 1)),
                 barsFrom(read, read.item(section, 2), read.item(section, 3))}
            );
        }
    }
    checkReferences(read, song);
    return song;
}

Pools poolsFrom(JsonReader& read, const Json& json)
{
    Pools pools;
    std::size_t index = 0;
    for (const Json& take : read.list(read.field(json, "takes"), kManyTracks)) {
        read.at(fmt::format("takes[{}]", index++));
        pools.takes.push_back(takeFrom(read, take));
    }
    index = 0;
    for (const Json& track : read.list(read.field(json, "tracks"), kManyClips)) {
        read.at(fmt::format("tracks[{}]", index++));
        pools.tracks.push_back(trackFrom(read, track));
        if (read.hasFailed()) {
            break;
        }
    }
    index = 0;
    for (const Json& recipe : read.list(read.field(json, "recipes"), kManyClips)) {
        read.at(fmt::format("recipes[{}]", index++));
        pools.recipes.push_back(recipeFrom(read, recipe));
        if (read.hasFailed()) {
            break;
        }
    }
    return pools;
}

}  // namespace

Result<SongDocument> readSong(std::string_view text, const std::string& name)
{
    Json json = parseJson(text);
    if (json.is_discarded() || !json.is_object() || json.value("format", Json()) != kFormatName) {
        return badInput(fmt::format(
            "{}: is no Orthochron song, or is damaged; open its autosave or a copy", name
        ));
    }
    JsonReader read(name);
    const std::int64_t version = read.whole(read.field(json, "version"), 0, 1'000'000);
    if (version > kSongFormat) {
        return badInput(fmt::format(
            "{}: was saved by a newer Orthochron (format {}, this one reads {}); open it with that "
            "one",
            name,
            version,
            kSongFormat
        ));
    }
    Song common;
    common.rate = Hertz(read.number(read.field(json, "rate"), 8000.0, 192000.0));
    const Pools pools = poolsFrom(read, json);
    std::vector<History::Version> versions;
    for (const Json& each : read.list(read.field(json, "versions"), 100'000)) {
        read.at(fmt::format("versions[{}]", versions.size()));
        if (read.hasFailed()) {
            break;
        }
        Song song = songFrom(read, each, pools, common);
        song.lastId = read.id(read.field(each, "lastId"));
        versions.push_back(
            {std::make_shared<const Song>(std::move(song)), read.text(read.field(each, "edit"))}
        );
    }
    if (versions.empty()) {
        read.fail("it holds no version of the song");
    }
    const auto last = static_cast<std::int64_t>(versions.size()) - 1;
    const auto current =
        read.whole(read.field(json, "current"), 0, std::max<std::int64_t>(last, 0));
    if (read.hasFailed()) {
        return badInput(read.error());
    }
    const Json generation = json.value("generation", Json());
    for (const char* known :
         {"format",
          "version",
          "generation",
          "rate",
          "current",
          "takes",
          "tracks",
          "recipes",
          "versions"}) {
        json.erase(known);
    }
    return SongDocument{
        History(std::move(versions), static_cast<std::size_t>(current)),
        std::move(json),
        generation.is_number_unsigned() ? generation.get<std::uint64_t>() : 0};
}

}  // namespace orthochron
