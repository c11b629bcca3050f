#include <fmt/format.h>

#include "core/files/GrooveFile.h"
#include "core/files/SongFile.h"

#include <cmath>
#include <map>
#include <utility>

// The two directions of the song format, side by side so that they stay alike.
namespace orthochron {

namespace {

using Json = nlohmann::json;

constexpr std::string_view kFormatName = "orthochron song";

// ---- writing

Json toJson(const Fade& fade)
{
    return {fade.length.count(), fadeShapeWord(fade.shape), fade.correlation};
}

Json toJson(const Clip& clip)
{
    return {
        clip.id.value,
        clip.take.value,
        clip.channel,
        clip.takeStart.count(),
        clip.at.count(),
        clip.length.count(),
        clip.gain,
        clip.isLocked ? 1 : 0,
        toJson(clip.in),
        toJson(clip.out)};
}

Json toJson(const std::vector<Clip>& clips)
{
    Json all = Json::array();
    for (const Clip& clip : clips) {
        all.push_back(toJson(clip));
    }
    return all;
}

Json toJson(const Mark& mark)
{
    Json json = {
        mark.id.value,
        mark.at.count(),
        mark.beatPoint.count(),
        mark.strength,
        mark.isOn ? 1 : 0,
        mark.byHand ? 1 : 0};
    json.push_back(mark.line ? Json(*mark.line) : Json());
    return json;
}

Json toJson(const Track& track)
{
    Json marks = Json::array();
    for (const Mark& mark : track.marks) {
        marks.push_back(toJson(mark));
    }
    Json detection{
        {"sensitivity", track.detection.sensitivity},
        {"minGap", track.detection.minGap.count()},
        {"threshold", Json()}};
    if (track.detection.threshold) {
        detection["threshold"] = *track.detection.threshold;
    }
    return {
        {"id", track.id.value},
        {"name", track.name},
        {"clips", toJson(track.clips)},
        {"marks", marks},
        {"detection", detection},
        {"lead", track.isLead},
        {"hidden", track.isHidden},
        {"muted", track.isMuted},
        {"soloed", track.isSoloed},
        {"gain", track.gainDecibels},
        {"pan", track.pan}};
}

Json toJson(const Take& take)
{
    return {
        {"id", take.id.value},
        {"name", take.name},
        {"path", take.path},
        {"bytes", take.bytes},
        {"hash", take.hash},
        {"rate", take.rate.count()},
        {"frames", take.frames.count()},
        {"channels", take.channels},
        {"format", take.format},
        {"timeStamp", take.timeStamp.count()}};
}

Json toJson(const GridSettings& grid)
{
    return {{"division", grid.division}, {"triplet", grid.triplet}, {"swing", grid.swing}};
}

Json toJson(const TempoMap& map)
{
    Json tempi = Json::array();
    for (const TempoPoint& point : map.tempi()) {
        tempi.push_back({point.at.count(), point.bpm});
    }
    Json meters = Json::array();
    for (const MeterChange& change : map.meters()) {
        meters.push_back({change.bar, change.meter.numerator, change.meter.denominator});
    }
    return {{"firstDownbeat", map.firstDownbeat().count()}, {"tempi", tempi}, {"meters", meters}};
}

Json toJson(const FitRecipe& recipe)
{
    Json recorded = Json::array();
    for (const auto& clips : recipe.recorded) {
        recorded.push_back(toJson(clips));
    }
    const FitSettings& fit = recipe.fit;
    return {
        {"fit",
         {{"drift", fit.drift},
          {"feel", fit.feel},
          {"stray", fit.stray},
          {"leaveWithin", fit.leaveWithin.count()},
          {"furthest", fit.furthest.count()},
          {"humanise", fit.humanise.count()},
          {"seed", fit.seed},
          {"groove", fit.groove.isEmpty() ? Json() : grooveJson(fit.groove)},
          {"grooveAmount", fit.grooveAmount}}},
        {"joins",
         {{"leadIn", recipe.joins.leadIn.count()},
          {"crossfade", recipe.joins.crossfade.count()},
          {"shape", fadeShapeWord(recipe.joins.shape)}}},
        {"grid", toJson(recipe.grid)},
        {"recorded", recorded},
        {"madeFrom", recipe.madeFrom}};
}

// Gives each shared value its place in a pool, written once.
template<class T>
class Pool {
public:
    std::size_t place(const std::shared_ptr<const T>& value)
    {
        const auto [found, isNew] = places_.try_emplace(value.get(), places_.size());
        if (isNew) {
            all_.push_back(toJson(*value));
        }
        return found->second;
    }
    [[nodiscard]] const Json& all() const { return all_; }

private:
    std::map<const T*, std::size_t> places_;
    Json all_ = Json::array();
};

// ---- reading

// Reads fields out of JSON that may hold anything. The first thing wrong is remembered with its
// place; from then on every read gives a default, and the caller asks once at the end.
class Reader {
public:
    explicit Reader(std::string name) : name_(std::move(name)) {}

    void fail(const std::string& what)
    {
        if (!error_) {
            error_ = fmt::format(
                "{}: is damaged at {}: {}; open its autosave or a copy. The file was not changed",
                name_,
                place_,
                what
            );
        }
    }
    [[nodiscard]] bool hasFailed() const { return error_.has_value(); }
    [[nodiscard]] const std::string& error() const { return *error_; }
    void at(std::string place) { place_ = std::move(place); }

    const Json& field(const Json& json, const char* key)
    {
        static const Json kNone;
        if (!json.is_object() || !json.contains(key)) {
            fail(fmt::format("'{}' is missing", key));
            return kNone;
        }
        return json.at(key);
    }
    const Json& item(const Json& json, std::size_t index)
    {
        static const Json kNone;
        if (!json.is_array() || index >= json.size()) {
            fail("a value is missing");
            return kNone;
        }
        return json[index];
    }
    double number(const Json& json, double low, double high)
    {
        const double value = json.is_number() ? json.get<double>() : std::nan("");
        if (!(value >= low && value <= high)) {
            fail(fmt::format("a number between {:g} and {:g} is expected", low, high));
            return low;
        }
        return value;
    }
    std::int64_t whole(const Json& json, std::int64_t low, std::int64_t high)
    {
        if (!json.is_number_integer() || json.get<double>() < static_cast<double>(low) ||
            json.get<double>() > static_cast<double>(high)) {
            fail(fmt::format("a whole number between {} and {} is expected", low, high));
            return low;
        }
        return json.get<std::int64_t>();
    }
    bool flag(const Json& json)
    {
        if (!json.is_boolean()) {
            fail("true or false is expected");
            return false;
        }
        return json.get<bool>();
    }
    std::string text(const Json& json)
    {
        if (!json.is_string() || json.get_ref<const std::string&>().size() > 4096) {
            fail("a text is expected");
            return {};
        }
        return json.get<std::string>();
    }
    const Json& list(const Json& json, std::size_t most)
    {
        static const Json kNone = Json::array();
        if (!json.is_array() || json.size() > most) {
            fail("a list is expected");
            return kNone;
        }
        return json;
    }
    std::uint32_t id(const Json& json)
    {
        return static_cast<std::uint32_t>(whole(json, 0, 0xFFFFFFFF));
    }
    // About two and a half years at 192 kHz.
    Frames frames(const Json& json) { return Frames(whole(json, -kMostFrames, kMostFrames)); }
    Frames length(const Json& json) { return Frames(whole(json, 0, kMostFrames)); }
    // A value made by one of our own checked constructors.
    template<class T>
    T checked(Result<T> value)
    {
        if (!value) {
            fail(value.error().message);
            return T{};
        }
        return std::move(*value);
    }

private:
    static constexpr std::int64_t kMostFrames = std::int64_t{1} << 44U;
    std::string name_;
    std::string place_ = "its beginning";
    std::optional<std::string> error_;
};

constexpr std::size_t kManyClips = 4'000'000;
constexpr std::size_t kManyTracks = 4096;

Fade fadeFrom(Reader& read, const Json& json)
{
    Fade fade;
    fade.length = read.length(read.item(json, 0));
    fade.shape = read.checked(parseFadeShape(read.text(read.item(json, 1))));
    fade.correlation = static_cast<float>(read.number(read.item(json, 2), -1.0, 1.0));
    return fade;
}

Clip clipFrom(Reader& read, const Json& json)
{
    Clip clip;
    clip.id = ClipId{read.id(read.item(json, 0))};
    clip.take = TakeId{read.id(read.item(json, 1))};
    clip.channel = static_cast<int>(read.whole(read.item(json, 2), Clip::kAllChannels, 63));
    clip.takeStart = read.frames(read.item(json, 3));
    clip.at = read.frames(read.item(json, 4));
    clip.length = read.length(read.item(json, 5));
    clip.gain = static_cast<float>(read.number(read.item(json, 6), -100.0, 100.0));
    clip.isLocked = read.whole(read.item(json, 7), 0, 1) == 1;
    clip.in = fadeFrom(read, read.item(json, 8));
    clip.out = fadeFrom(read, read.item(json, 9));
    if (clip.in.length + clip.out.length > clip.length) {
        read.fail("a clip's fades are longer than the clip");
    }
    return clip;
}

std::vector<Clip> clipsFrom(Reader& read, const Json& json)
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

Mark markFrom(Reader& read, const Json& json)
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
    return mark;
}

std::shared_ptr<const Track> trackFrom(Reader& read, const Json& json)
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
    track.isLead = read.flag(read.field(json, "lead"));
    track.isHidden = read.flag(read.field(json, "hidden"));
    track.isMuted = read.flag(read.field(json, "muted"));
    track.isSoloed = read.flag(read.field(json, "soloed"));
    track.gainDecibels = read.number(read.field(json, "gain"), -60.0, 12.0);
    track.pan = read.number(read.field(json, "pan"), -1.0, 1.0);
    return std::make_shared<const Track>(std::move(track));
}

Take takeFrom(Reader& read, const Json& json)
{
    Take take;
    take.id = TakeId{read.id(read.field(json, "id"))};
    take.name = read.text(read.field(json, "name"));
    take.path = read.text(read.field(json, "path"));
    take.bytes =
        static_cast<std::uint64_t>(read.whole(read.field(json, "bytes"), 0, std::int64_t{1} << 50U)
        );
    take.hash = read.text(read.field(json, "hash"));
    take.rate = Hertz(read.number(read.field(json, "rate"), 8000.0, 192000.0));
    take.frames = read.length(read.field(json, "frames"));
    take.channels = static_cast<int>(read.whole(read.field(json, "channels"), 1, 64));
    take.format = read.text(read.field(json, "format"));
    take.timeStamp = read.length(read.field(json, "timeStamp"));
    return take;
}

GridSettings gridFrom(Reader& read, const Json& json)
{
    const std::int64_t division = read.whole(read.field(json, "division"), 4, 64);
    GridSettings grid = read.checked(parseGrid(fmt::format("1/{}", division)));
    grid.triplet = read.flag(read.field(json, "triplet"));
    grid.swing = read.number(read.field(json, "swing"), 50.0, 75.0);
    return grid;
}

TempoMap tempoFrom(Reader& read, const Json& json)
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

std::shared_ptr<const FitRecipe> recipeFrom(Reader& read, const Json& json)
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
const T* pooled(Reader& read, const std::vector<T>& pool, const Json& index)
{
    if (pool.empty()) {
        read.fail("it names something that is not in the file");
        return nullptr;
    }
    return &pool[static_cast<std::size_t>(
        read.whole(index, 0, static_cast<std::int64_t>(pool.size()) - 1)
    )];
}

void checkReferences(Reader& read, const Song& song)
{
    for (const auto& track : song.tracks) {
        for (const Clip& clip : track->clips) {
            if (song.take(clip.take) == nullptr) {
                read.fail("a clip names a take that is not in the file");
                return;
            }
        }
    }
    for (const MicSet& set : song.sets) {
        for (const TrackId id : set.tracks) {
            if (!song.track(id)) {
                read.fail("a mic set names a track that is not in the file");
                return;
            }
        }
    }
}

Song songFrom(Reader& read, const Json& json, const Pools& pools, const Song& common)
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
    checkReferences(read, song);
    return song;
}

Pools poolsFrom(Reader& read, const Json& json)
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

std::string writeSong(const SongDocument& document)
{
    Pool<Track> tracks;
    Pool<FitRecipe> recipes;
    // Takes never change: one pool by identity.
    std::map<TakeId, std::size_t> takePlaces;
    Json takes = Json::array();
    Json versions = Json::array();
    for (const History::Version& version : document.history.versions()) {
        const Song& song = *version.song;
        Json takeIndices = Json::array();
        for (const Take& take : song.takes) {
            const auto [place, isNew] = takePlaces.try_emplace(take.id, takes.size());
            if (isNew) {
                takes.push_back(toJson(take));
            } else {
                takes[place->second] = toJson(take);
            }
            takeIndices.push_back(place->second);
        }
        Json trackIndices = Json::array();
        for (const auto& track : song.tracks) {
            trackIndices.push_back(tracks.place(track));
        }
        Json sets = Json::array();
        for (const MicSet& set : song.sets) {
            Json ids = Json::array();
            for (const TrackId id : set.tracks) {
                ids.push_back(id.value);
            }
            sets.push_back(
                {{"id", set.id.value},
                 {"name", set.name},
                 {"folded", set.isFolded},
                 {"tracks", ids},
                 {"recipe", set.recipe ? Json(recipes.place(set.recipe)) : Json()}}
            );
        }
        Json accepted = Json::array();
        for (const AcceptedFinding& finding : song.accepted) {
            accepted.push_back({finding.kind, finding.at.count()});
        }
        Json grooves = Json::array();
        for (const Groove& groove : song.grooves) {
            grooves.push_back(grooveJson(groove));
        }
        versions.push_back(
            {{"edit", version.name},
             {"grooves", grooves},
             {"name", song.name},
             {"tempo", toJson(song.tempo)},
             {"grid", toJson(song.grid)},
             {"takes", takeIndices},
             {"tracks", trackIndices},
             {"sets", sets},
             {"accepted", accepted},
             {"lastId", song.lastId}}
        );
    }
    Json all = document.unknown;
    all["format"] = kFormatName;
    all["version"] = kSongFormat;
    all["rate"] = document.history.song()->rate.count();
    all["current"] = document.history.current();
    all["takes"] = std::move(takes);
    all["tracks"] = tracks.all();
    all["recipes"] = recipes.all();
    all["versions"] = std::move(versions);
    return all.dump(-1, ' ', false, Json::error_handler_t::replace);
}

Result<SongDocument> readSong(std::string_view text, const std::string& name)
{
    Json json = Json::parse(text, nullptr, false);
    if (json.is_discarded() || !json.is_object() || json.value("format", Json()) != kFormatName) {
        return badInput(fmt::format(
            "{}: is no Orthochron song, or is damaged; open its autosave or a copy", name
        ));
    }
    Reader read(name);
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
    for (const char* known :
         {"format", "version", "rate", "current", "takes", "tracks", "recipes", "versions"}) {
        json.erase(known);
    }
    return SongDocument{
        History(std::move(versions), static_cast<std::size_t>(current)), std::move(json)};
}

}  // namespace orthochron
