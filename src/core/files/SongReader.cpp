#include <fmt/format.h>

#include "core/files/ClipReader.h"
#include "core/files/GrooveFile.h"
#include "core/files/JsonReader.h"
#include "core/files/JsonText.h"
#include "core/files/OlderSong.h"
#include "core/files/SongFile.h"
#include "core/files/SongFormat.h"
#include "core/files/SongPartReader.h"
#include "core/tune/Tuning.h"

#include <list>
#include <optional>
#include <unordered_map>
#include <utility>

namespace orthochron {

namespace {

using Json = nlohmann::json;

constexpr std::size_t kMany = 4'000'000;
constexpr std::size_t kManyTracks = 4096;

// What versions share, by its place in the file's lists.
struct Pools {
    std::vector<Take> takes;
    TreatmentPool treatments;
    ListPool<Clip> clips;
    ListPool<Mark> marks;
    // Made when asked for; a version that went from memory lets its own go.
    std::vector<std::pair<const Json*, std::weak_ptr<const Track>>> tracks;
    std::vector<std::shared_ptr<const FitRecipe>> recipes;
    std::vector<std::shared_ptr<const Variant>> variants;
};

template<class T>
T* pooled(JsonReader& read, std::vector<T>& pool, const Json& index)
{
    if (pool.empty()) {
        read.fail("it names something that is not in the file");
        return nullptr;
    }
    return &pool[static_cast<std::size_t>(
        read.whole(index, 0, static_cast<std::int64_t>(pool.size()) - 1)
    )];
}

// By its place; in the formats before the third the list stands there itself.
template<class T>
std::shared_ptr<const std::vector<T>>
listFrom(JsonReader& read, Pools& pools, ListPool<T>& pool, const Json& json)
{
    if (json.is_array()) {
        ListPool<T> own;
        if constexpr (std::is_same_v<T, Clip>) {
            own.add(clipListFrom(read, json, {}, pools.treatments));
        } else {
            own.add(markListFrom(read, json));
        }
        return own.at(read, 0);
    }
    return pool.at(read, static_cast<std::size_t>(read.whole(json, 0, kMany)));
}

std::shared_ptr<const Track> trackFrom(JsonReader& read, const Json& json, Pools& pools)
{
    Track track;
    track.id = TrackId{read.id(read.field(json, "id"))};
    track.name = read.text(read.field(json, "name"));
    track.clips = *listFrom(read, pools, pools.clips, read.field(json, "clips"));
    track.marks = *listFrom(read, pools, pools.marks, read.field(json, "marks"));
    track.detection = detectionFrom(read, read.field(json, "detection"));
    if (const Json* take = read.find(json, "take")) {
        track.markedTake = TakeId{read.id(*take)};
    }
    if (const Json* channel = read.find(json, "channel")) {
        track.markedChannel = static_cast<int>(read.whole(*channel, 0, 63));
    }
    if (const Json* places = read.find(json, "noHits")) {
        for (const Json& at : read.list(*places, kMany)) {
            track.noHits.push_back(read.length(at));
        }
        std::ranges::sort(track.noHits);
    }
    track.isLead = read.flagOr(json, "lead");
    track.isHidden = read.flagOr(json, "hidden");
    track.isMuted = read.flagOr(json, "muted");
    track.isSoloed = read.flagOr(json, "soloed");
    track.isLocked = read.flagOr(json, "locked");
    track.gainDecibels = read.numberOr(json, "gain", 0.0, -60.0, 12.0);
    track.pan = read.numberOr(json, "pan", 0.0, -1.0, 1.0);
    if (const Json* level = read.find(json, "level")) {
        track.level = levelFrom(read, *level);
    }
    if (const Json* hushes = read.find(json, "hushes")) {
        track.hushes = hushesFrom(read, *hushes);
    }
    if (const Json* notes = read.find(json, "notes")) {
        track.notes = notesFrom(read, *notes);
    }
    if (const Json* glide = read.find(json, "glide")) {
        track.glide = Seconds(read.number(*glide, 0.0, kLongestGlide.count()));
    }
    track.extras = extrasOf(
        json,
        {"id",
         "name",
         "take",
         "channel",
         "clips",
         "marks",
         "detection",
         "noHits",
         "lead",
         "hidden",
         "muted",
         "soloed",
         "locked",
         "gain",
         "pan",
         "level",
         "hushes",
         "notes",
         "glide"}
    );
    return std::make_shared<const Track>(std::move(track));
}

std::shared_ptr<const FitRecipe> recipeFrom(JsonReader& read, const Json& json, Pools& pools)
{
    FitRecipe recipe = recipeSettingsFrom(read, json);
    for (const Json& clips : read.list(read.field(json, "recorded"), kManyTracks)) {
        recipe.recorded.push_back(*listFrom(read, pools, pools.clips, clips));
    }
    const Json& print = read.field(json, "madeFrom");
    recipe.madeFrom = print.is_number_unsigned() ? print.get<std::uint64_t>() : 0;
    recipe.extras = extrasOf(json, {"fit", "joins", "grid", "way", "recorded", "madeFrom"});
    return std::make_shared<const FitRecipe>(std::move(recipe));
}

// Whether the clips of a song name takes and channels there are.
class ClipCheck {
public:
    ClipCheck(JsonReader& read, const Song& song) : read_(read)
    {
        for (const Take& take : song.takes) {
            channels_.emplace(take.id, take.channels);
        }
    }

    void check(std::span<const Clip> clips)
    {
        for (const Clip& clip : clips) {
            const auto take = channels_.find(clip.sound.take);
            if (take == channels_.end()) {
                read_.fail("a clip names a take that is not in the file");
                return;
            }
            if (clip.sound.channel >= take->second) {
                read_.fail("a clip names a channel that its take does not have");
                return;
            }
        }
    }
    void check(const std::vector<std::vector<Clip>>& lists)
    {
        for (const auto& clips : lists) {
            check(clips);
        }
    }

private:
    JsonReader& read_;
    std::unordered_map<TakeId, int> channels_;
};

// Nothing in a song may name what it does not have. What stands there as it stood in the version
// `before`, with the same takes, was looked at there.
void checkReferences(JsonReader& read, const Song& song, const Song& before)
{
    const bool sameTakes = song.takes == before.takes;
    ClipCheck clips(read, song);
    for (const auto& track : song.tracks) {
        if (!sameTakes || before.track(track->id) != track) {
            clips.check(track->clips);
        }
    }
    if (!sameTakes || song.prints != before.prints) {
        for (const auto& print : song.prints) {
            for (const auto& track : print->others) {
                clips.check(track->clips);
            }
            const std::size_t tracks = print->others.size();
            bool isAlike = true;
            if (print->recipe) {
                clips.check(print->recipe->recorded);
                isAlike = print->recipe->recorded.size() == tracks;
            }
            for (const auto& variant : print->variants) {
                clips.check(variant->clips);
                isAlike = isAlike && variant->clips.size() == tracks;
            }
            if (!isAlike) {
                read.fail("a print does not match its mic set");
            }
        }
    }
    for (const MicSet& set : song.sets) {
        const MicSet* old = sameTakes ? before.set(set.id) : nullptr;
        if (set.recipe && (old == nullptr || old->recipe != set.recipe)) {
            clips.check(set.recipe->recorded);
        }
        for (const auto& variant : set.variants) {
            if (old == nullptr ||
                std::ranges::find(old->variants, variant) == old->variants.end()) {
                clips.check(variant->clips);
                if (variant->recipe) {
                    clips.check(variant->recipe->recorded);
                }
            }
            if (variant->clips.size() != set.tracks.size()) {
                read.fail("a stored version does not match its mic set");
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

std::shared_ptr<const FitRecipe> recipeAt(JsonReader& read, Pools& pools, const Json& json)
{
    const Json* index = read.find(json, "recipe");
    const auto* found = index != nullptr ? pooled(read, pools.recipes, *index) : nullptr;
    return found != nullptr ? *found : nullptr;
}

std::shared_ptr<const Variant> variantFrom(JsonReader& read, const Json& json, Pools& pools)
{
    Variant variant;
    variant.name = read.text(read.field(json, "name"));
    if (const Json* bars = read.find(json, "bars")) {
        variant.bars = barsFrom(read, read.item(*bars, 0), read.item(*bars, 1));
    }
    for (const Json& clips : read.list(read.field(json, "clips"), kManyTracks)) {
        variant.clips.push_back(*listFrom(read, pools, pools.clips, clips));
    }
    variant.recipe = recipeAt(read, pools, json);
    variant.extras = extrasOf(json, {"name", "bars", "clips", "recipe"});
    return std::make_shared<const Variant>(std::move(variant));
}

MicSet setFrom(JsonReader& read, const Json& json, Pools& pools)
{
    MicSet set;
    set.id = SetId{read.id(read.field(json, "id"))};
    set.name = read.text(read.field(json, "name"));
    set.isFolded = read.flagOr(json, "folded");
    for (const Json& id : read.list(read.field(json, "tracks"), kManyTracks)) {
        set.tracks.push_back(TrackId{read.id(id)});
    }
    set.recipe = recipeAt(read, pools, json);
    if (set.recipe && set.recipe->recorded.size() != set.tracks.size()) {
        read.fail("a fit does not match its mic set");
    }
    if (const Json* name = read.find(json, "variantName")) {
        set.variantName = read.text(*name);
    }
    if (const Json* variants = read.find(json, "variants")) {
        for (const Json& each : read.list(*variants, 1000)) {
            // In the formats before the third the variant stands there itself.
            if (each.is_object()) {
                set.variants.push_back(variantFrom(read, each, pools));
            } else if (const auto* found = pooled(read, pools.variants, each)) {
                set.variants.push_back(*found);
            }
        }
    }
    set.extras =
        extrasOf(json, {"id", "name", "folded", "tracks", "recipe", "variantName", "variants"});
    return set;
}

std::shared_ptr<const Track> trackAt(JsonReader& read, Pools& pools, const Json& index)
{
    auto* found = pooled(read, pools.tracks, index);
    if (found == nullptr) {
        return nullptr;
    }
    auto track = found->second.lock();
    if (!track && !read.hasFailed()) {
        track = trackFrom(read, *found->first, pools);
        found->second = track;
    }
    return track;
}

PrintedSet printFrom(JsonReader& read, const Json& json, Pools& pools)
{
    PrintedSet print;
    print.set = SetId{read.id(read.field(json, "set"))};
    const std::string depth = read.text(read.field(json, "depth"));
    if (depth != "clips" && depth != "track") {
        read.fail("a print is neither of clips nor of a track");
    }
    print.depth = depth == "track" ? PrintDepth::Track : PrintDepth::Clips;
    print.isLive = read.flagOr(json, "live");
    for (const Json& index : read.list(read.field(json, "tracks"), kManyTracks)) {
        if (auto track = trackAt(read, pools, index)) {
            print.others.push_back(std::move(track));
        }
    }
    print.recipe = recipeAt(read, pools, json);
    if (const Json* name = read.find(json, "variantName")) {
        print.variantName = read.text(*name);
    }
    if (const Json* variants = read.find(json, "variants")) {
        for (const Json& each : read.list(*variants, 1000)) {
            if (const auto* found = pooled(read, pools.variants, each)) {
                print.variants.push_back(*found);
            }
        }
    }
    return print;
}

// A version of a song. What it does not say it has from the one before.
Song songFrom(JsonReader& read, const Json& json, Pools& pools, const Song& before)
{
    Song song = before;
    if (const Json* name = read.find(json, "name")) {
        song.name = read.text(*name);
    }
    if (const Json* tempo = read.find(json, "tempo")) {
        song.tempo = tempoFrom(read, *tempo);
    }
    if (const Json* grid = read.find(json, "grid")) {
        song.grid = gridFrom(read, *grid);
    }
    if (const Json* takes = read.find(json, "takes")) {
        song.takes.clear();
        for (const Json& index : read.list(*takes, kManyTracks)) {
            if (const Take* take = pooled(read, pools.takes, index)) {
                song.takes.push_back(*take);
            }
        }
    }
    if (const Json* tracks = read.find(json, "tracks")) {
        song.tracks.clear();
        for (const Json& index : read.list(*tracks, kManyTracks)) {
            if (auto track = trackAt(read, pools, index)) {
                song.tracks.push_back(std::move(track));
            }
        }
    }
    if (const Json* sets = read.find(json, "sets")) {
        song.sets.clear();
        for (const Json& each : read.list(*sets, kManyTracks)) {
            song.sets.push_back(setFrom(read, each, pools));
        }
    }
    if (const Json* prints = read.find(json, "prints")) {
        song.prints.clear();
        for (const Json& each : read.list(*prints, 10'000)) {
            song.prints.push_back(std::make_shared<const PrintedSet>(printFrom(read, each, pools)));
        }
    }
    if (const Json* accepted = read.find(json, "accepted")) {
        song.accepted.clear();
        for (const Json& each : read.list(*accepted, kMany)) {
            song.accepted.push_back({read.text(read.item(each, 0)), read.frames(read.item(each, 1))}
            );
        }
    }
    if (const Json* grooves = read.find(json, "grooves")) {
        song.grooves.clear();
        for (const Json& groove : read.list(*grooves, 10'000)) {
            song.grooves.push_back(read.checked(grooveFromJson(groove, "its groove")));
        }
    }
    if (const Json* sections = read.find(json, "sections")) {
        song.sections = sectionsFrom(read, *sections);
    }
    if (const Json* level = read.find(json, "level")) {
        song.level = levelFrom(read, *level);
    }
    if (const Json* key = read.find(json, "key")) {
        song.key = keyFrom(read, *key);
    }
    if (const Json* temperament = read.find(json, "temperament")) {
        song.temperament = temperamentFrom(read, *temperament);
    }
    if (json.contains("guide")) {
        const Json* guide = read.find(json, "guide");
        song.guide = guide != nullptr ? guideFrom(read, *guide) : nullptr;
    }
    if (json.contains("end")) {
        const Json* end = read.find(json, "end");
        song.endMark =
            end != nullptr ? std::optional(Beats(read.number(*end, -1e9, 1e9))) : std::nullopt;
    }
    if (const Json* last = read.find(json, "lastId")) {
        song.lastId = read.id(*last);
    }
    if (const Extras extras = extrasOf(
            json,
            {"edit",
             "name",
             "tempo",
             "grid",
             "takes",
             "tracks",
             "sets",
             "prints",
             "accepted",
             "grooves",
             "sections",
             "level",
             "end",
             "key",
             "temperament",
             "guide",
             "lastId"}
        );
        extras.text) {
        song.extras = extras;
    }
    if (!read.hasFailed()) {
        checkReferences(read, song, before);
    }
    return song;
}

// One after the other, as the text holds them: a whole song, then what was appended to it.
class Reading {
public:
    explicit Reading(JsonReader& read) : read_(read) {}
    void setFormat(std::int64_t format) { isOlder_ = format < 4; }

    [[nodiscard]] Json parse(std::string_view text)
    {
        return parseJson(text, [this](std::string_view key, int depth, Json& object) {
            if (key != "clips" || depth < 3 || !object.contains("take") ||
                !object.contains("from") || !object.contains("at")) {
                return;
            }
            read_.at(fmt::format("clip {} of its lists", clips_.size()));
            clips_.push_back(clipFrom(read_, object, pools_.treatments));
            object = Json(clips_.size() - 1);
        });
    }

    // The outermost object of a text; kept as long as this lives.
    Json& take(Json document, const Song& common)
    {
        Json& json = documents_.emplace_back(std::move(document));
        each(json, "takes", kManyTracks, [this](const Json& item) {
            pools_.takes.push_back(takeFrom(read_, item));
        });
        each(json, "treatments", kMany, [this](const Json& item) {
            pools_.treatments.add(treatmentFrom(read_, item));
        });
        each(json, "clips", kMany, [this](const Json& item) {
            pools_.clips.add(clipListFrom(read_, item, clips_, pools_.treatments));
        });
        each(json, "marks", kMany, [this](const Json& item) {
            pools_.marks.add(markListFrom(read_, item));
        });
        each(json, "tracks", kMany, [this](const Json& item) {
            pools_.tracks.emplace_back(&item, std::weak_ptr<const Track>());
        });
        each(json, "recipes", kMany, [this](const Json& item) {
            pools_.recipes.push_back(recipeFrom(read_, item, pools_));
        });
        each(json, "variants", kMany, [this](const Json& item) {
            pools_.variants.push_back(variantFrom(read_, item, pools_));
        });
        if (!pools_.treatments.isComplete()) {
            read_.fail("a clip names a treatment that is not in the file");
        }
        if (const Json* keep = read_.find(json, "keep")) {
            keepVersions(static_cast<std::size_t>(read_.whole(*keep, 1, kMany)));
        }
        each(json, "versions", 100'000, [&](const Json& item) { addVersion(item, common); });
        current_ = static_cast<std::size_t>(read_.whole(read_.field(json, "current"), 0, kMany));
        return json;
    }

    // Clips of the current version of which it had to be guessed what they belong to.
    [[nodiscard]] int guessed() const
    {
        return current_ < guessed_.size() ? guessed_[current_] : 0;
    }

    // Errors: BadInput, when anything read so far was wrong.
    [[nodiscard]] Result<History> history()
    {
        if (!history_) {
            read_.fail("it holds no version of the song");
        } else if (current_ < dropped_ || current_ - dropped_ >= history_->size()) {
            read_.fail("its current version is not among those it holds");
        }
        if (read_.hasFailed()) {
            return badInput(read_.error());
        }
        history_->goTo(current_ - dropped_);
        return std::move(*history_);
    }

private:
    void each(const Json& json, const char* key, std::size_t most, const auto& see)
    {
        std::size_t index = 0;
        if (const Json* list = read_.find(json, key)) {
            for (const Json& item : read_.list(*list, most)) {
                if (read_.hasFailed()) {
                    return;
                }
                read_.at(fmt::format("{}[{}]", key, index++));
                see(item);
            }
        }
    }

    void addVersion(const Json& json, const Song& common)
    {
        if (!history_) {
            (void)read_.field(json, "takes");
            (void)read_.field(json, "tracks");
        }
        Song song = songFrom(read_, json, pools_, history_ ? *history_->song() : common);
        if (read_.hasFailed()) {
            return;
        }
        if (isOlder_) {
            older_.complete(song);
        }
        const std::string name = read_.text(read_.field(json, "edit"));
        if (!history_) {
            history_.emplace(std::move(song), name);
        } else {
            dropped_ += history_->current() == History::kMostSteps ? 1U : 0U;
            history_->add(std::move(song), name);
        }
        guessed_.push_back(older_.guessed());
        pools_.clips.forgetOld();
        pools_.marks.forgetOld();
    }

    // Those after the first `count` were undone and then edited away.
    void keepVersions(std::size_t count)
    {
        if (!history_ || count <= dropped_ || count - dropped_ > history_->size()) {
            read_.fail("what was appended does not fit what is before it");
            return;
        }
        history_->goTo(count - dropped_ - 1);
        guessed_.resize(count);
    }

    JsonReader& read_;
    bool isOlder_ = false;
    OlderSong older_;
    std::vector<int> guessed_;  // by version
    std::list<Json> documents_;
    std::vector<Clip> clips_;  // taken out of the text while it is parsed
    Pools pools_;
    std::optional<History> history_;
    std::size_t dropped_ = 0;  // oldest versions, beyond the most that are kept
    std::size_t current_ = 0;
};

// The song and what was appended to it, one line each. A line without an end was not written to
// its end and counts for nothing. A song that stands on several lines has none appended.
std::vector<std::string_view> documentsIn(std::string_view text)
{
    std::vector<std::string_view> lines;
    std::string_view left = text;
    for (auto end = left.find('\n'); end != std::string_view::npos; end = left.find('\n')) {
        lines.push_back(left.substr(0, end));
        left.remove_prefix(end + 1);
    }
    const bool isByLines = lines.size() > 1 && lines[0].ends_with('}') && lines[1].starts_with('{');
    return isByLines ? lines : std::vector{text};
}

}  // namespace

Result<SongDocument> readSong(std::string_view text, const std::string& name)
{
    const auto documents = documentsIn(text);
    JsonReader read(name);
    Reading reading(read);
    Json json = reading.parse(documents.front());
    if (json.is_discarded() || !json.is_object() || json.value("format", Json()) != kFormatName) {
        return badInput(fmt::format(
            "{}: is not an Orthochron song or is damaged; open its autosave or a copy", name
        ));
    }
    const std::int64_t version = read.whole(read.field(json, "version"), 0, 1'000'000);
    if (version > kSongFormat) {
        return badInput(fmt::format(
            "{}: was saved by a newer Orthochron (format {}, this one reads {}); open it with the "
            "newer version",
            name,
            version,
            kSongFormat
        ));
    }
    reading.setFormat(version);
    Song common;
    common.rate = Hertz(read.number(read.field(json, "rate"), 8000.0, 192000.0));
    Json& first = reading.take(std::move(json), common);
    Json generation = first.value("generation", Json());
    for (std::size_t i = 1; i < documents.size() && !read.hasFailed(); ++i) {
        Json more = reading.parse(documents[i]);
        if (more.is_discarded() || !more.is_object()) {
            break;  // the disk did not get to it; what is before it holds
        }
        generation = reading.take(std::move(more), common).value("generation", generation);
    }
    auto history = reading.history();
    if (!history) {
        return tl::unexpected(history.error());
    }
    Extras extras = extrasOf(
        first,
        {"format",
         "version",
         "generation",
         "rate",
         "current",
         "takes",
         "treatments",
         "clips",
         "marks",
         "tracks",
         "recipes",
         "variants",
         "versions"}
    );
    return SongDocument{
        std::move(*history),
        std::move(extras),
        generation.is_number_unsigned() ? generation.get<std::uint64_t>() : 0,
        reading.guessed()};
}

}  // namespace orthochron
