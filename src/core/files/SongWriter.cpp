#include "core/files/SongWriter.h"

#include <fmt/format.h>

#include "core/files/GrooveFile.h"
#include "core/files/SongFormat.h"
#include "core/files/SongPartWriter.h"
#include "core/song/ListDiff.h"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <utility>

namespace orthochron {

namespace {

using Json = nlohmann::json;

std::string textOf(const Json& json)
{
    return json.dump(-1, ' ', false, Json::error_handler_t::replace);
}

// Clips are most of a song, a million of them in the largest: text is made of them directly.
void append(std::string& text, const char* key, const Fade& fade)
{
    const Fade usual;
    if (fade == usual) {
        return;
    }
    auto out = std::back_inserter(text);
    fmt::format_to(out, ",\"{}\":{{\"length\":{}", key, fade.length.count());
    if (fade.shape != usual.shape) {
        fmt::format_to(out, ",\"shape\":\"{}\"", fadeShapeWord(fade.shape));
    }
    if (fade.middle != usual.middle) {
        fmt::format_to(out, ",\"middle\":{}", fade.middle);
    }
    text += '}';
}

// Where a song's treatments stand in its file.
using TreatmentPlaces = std::map<std::shared_ptr<const Treatment>, std::size_t>;

void append(std::string& text, const Clip& clip, const TreatmentPlaces& treatments)
{
    auto out = std::back_inserter(text);
    fmt::format_to(
        out,
        R"({{"id":{},"take":{},"from":{},"at":{},"length":{})",
        clip.id.value,
        clip.sound.take.value,
        clip.soundStart.count(),
        clip.at.count(),
        clip.length.count()
    );
    if (clip.part.isValid()) {
        fmt::format_to(out, ",\"part\":{}", clip.part.value);
    }
    if (clip.sound.channel != 0) {
        fmt::format_to(out, ",\"channel\":{}", clip.sound.channel);
    }
    if (clip.sound.treatment) {
        fmt::format_to(out, ",\"treatment\":{}", treatments.at(clip.sound.treatment));
    }
    if (clip.gain != 1.0F) {
        fmt::format_to(out, ",\"gain\":{}", clip.gain);
    }
    for (const auto& [key, is] :
         {std::pair("locked", clip.isLocked),
          std::pair("muted", clip.isMuted),
          std::pair("reversed", clip.isReversed),
          std::pair("byHand", clip.byHand)}) {
        if (is) {
            fmt::format_to(out, ",\"{}\":true", key);
        }
    }
    append(text, "in", clip.in);
    append(text, "out", clip.out);
    if (clip.extras.text) {
        text += ',';
        text.append(*clip.extras.text, 1, clip.extras.text->size() - 2);
    }
    text += '}';
}

void append(std::string& text, const Mark& mark, const TreatmentPlaces&)
{
    Json json = {
        mark.id.value,
        mark.at.count(),
        mark.beatPoint.count(),
        mark.strength,
        mark.isOn ? 1 : 0,
        mark.byHand ? 1 : 0};
    json.push_back(mark.line ? Json(*mark.line) : Json());
    json.push_back(mark.wanted ? Json(mark.wanted->count()) : Json());
    if (mark.confidence < 1.0) {
        json.push_back(mark.confidence);
    }
    text += textOf(json);
}

template<class T>
std::string wholeList(const std::vector<T>& items, const TreatmentPlaces& treatments)
{
    std::string text = "[";
    for (const T& item : items) {
        text += text.size() > 1 ? "," : "";
        append(text, item, treatments);
    }
    return text + ']';
}

template<class T>
std::string
differenceText(const ListDiff<T>& diff, std::size_t like, const TreatmentPlaces& treatments)
{
    std::string text = fmt::format("{{\"like\":{},\"parts\":[", like);
    bool isFirst = true;
    for (const auto& part : diff) {
        text += std::exchange(isFirst, false) ? "" : ",";
        if (const auto* run = std::get_if<ListRun>(&part)) {
            text += fmt::format("[{},{},{}]", run->first, run->count, run->shift.count());
        } else {
            append(text, std::get<T>(part), treatments);
        }
    }
    return text + "]}";
}

template<class T>
std::size_t countNew(const ListDiff<T>& diff)
{
    return static_cast<std::size_t>(std::ranges::count_if(diff, [](const auto& part) {
        return std::holds_alternative<T>(part);
    }));
}

// The clips of another microphone cut at the same places: they differ by take and ids. Empty when
// these are not.
std::string
alikeText(const std::vector<Clip>& clips, const std::vector<Clip>& sister, std::size_t sisterPlace)
{
    if (clips.empty() || clips.size() != sister.size()) {
        return {};
    }
    const std::uint32_t ids = clips.front().id.value - sister.front().id.value;
    for (std::size_t i = 0; i < clips.size(); ++i) {
        Clip same = sister[i];
        same.id.value += ids;
        // Each with the treatment its sister has.
        same.sound.take = clips.front().sound.take;
        same.sound.channel = clips.front().sound.channel;
        if (!(same == clips[i])) {
            return {};
        }
    }
    return fmt::format(
        R"({{"like":{},"take":{},"channel":{},"ids":{}}})",
        sisterPlace,
        clips.front().sound.take.value,
        clips.front().sound.channel,
        static_cast<std::int32_t>(ids)
    );
}

}  // namespace

std::size_t SongWriter::Pool::add(std::string_view json)
{
    fresh += fresh.empty() ? "" : ",";
    fresh += json;
    return count++;
}

std::size_t SongWriter::placeTake(const Take& take)
{
    const auto known = takePlaces_.find(take.id);
    if (known != takePlaces_.end() && known->second.second == take) {
        return known->second.first;
    }
    const std::size_t place = takes_.add(textOf(toJson(take)));
    takePlaces_[take.id] = {place, take};
    return place;
}

void SongWriter::placeTreatments(const std::vector<Clip>& clips)
{
    for (const Clip& clip : clips) {
        const auto& treatment = clip.sound.treatment;
        if (treatment && !treatmentPlaces_.contains(treatment)) {
            treatmentPlaces_[treatment] = treatments_.add(textOf(toJson(*treatment)));
        }
    }
}

std::size_t SongWriter::placeClips(
    const std::vector<Clip>& clips,
    const std::vector<Clip>* like,
    std::size_t likePlace,
    Sisters& sisters
)
{
    constexpr std::size_t kFew = 8;
    if (like != nullptr && *like == clips) {
        return likePlace;
    }
    placeTreatments(clips);
    const auto diff = like != nullptr ? diffOf<Clip>(*like, clips) : ListDiff<Clip>();
    const bool isClose = like != nullptr && 2 * countNew(diff) < clips.size();
    std::string text;
    if (const auto sister = sisters.find(clips.size());
        !isClose && clips.size() > kFew && sister != sisters.end()) {
        text = alikeText(clips, *sister->second.first, sister->second.second);
    }
    if (text.empty()) {
        text = isClose ? differenceText(diff, likePlace, treatmentPlaces_)
                       : wholeList(clips, treatmentPlaces_);
    }
    const std::size_t place = clips_.add(text);
    sisters.try_emplace(clips.size(), &clips, place);
    return place;
}

std::size_t SongWriter::placeMarks(
    const std::vector<Mark>& marks, const std::vector<Mark>* like, std::size_t likePlace
)
{
    if (like != nullptr && *like == marks) {
        return likePlace;
    }
    const auto diff = like != nullptr ? diffOf<Mark>(*like, marks) : ListDiff<Mark>();
    const bool isClose = like != nullptr && 2 * countNew(diff) < marks.size();
    return marks_.add(
        isClose ? differenceText(diff, likePlace, treatmentPlaces_)
                : wholeList(marks, treatmentPlaces_)
    );
}

std::size_t
SongWriter::placeRecipe(const std::shared_ptr<const FitRecipe>& recipe, Sisters& sisters)
{
    if (const auto known = recipePlaces_.find(recipe); known != recipePlaces_.end()) {
        return known->second;
    }
    Json json = toJson(*recipe);
    json["recorded"] = Json::array();
    for (const auto& clips : recipe->recorded) {
        json["recorded"].push_back(placeClips(clips, nullptr, 0, sisters));
    }
    return recipePlaces_[recipe] = recipes_.add(textOf(json));
}

std::size_t SongWriter::placeVariant(
    const std::shared_ptr<const Variant>& variant,
    const MicSet& set,
    const Song& song,
    const Places& places,
    Sisters& sisters
)
{
    if (const auto known = variantPlaces_.find(variant); known != variantPlaces_.end()) {
        return known->second;
    }
    Json json = with({{"name", variant->name}}, variant->extras);
    if (variant->bars) {
        json["bars"] = {variant->bars->first, variant->bars->last};
    }
    json["clips"] = Json::array();
    for (std::size_t i = 0; i < variant->clips.size(); ++i) {
        const auto heard = i < set.tracks.size() ? song.track(set.tracks[i]) : nullptr;
        json["clips"].push_back(placeClips(
            variant->clips[i],
            heard ? &heard->clips : nullptr,
            heard ? places.at(heard->id).clips : 0,
            sisters
        ));
    }
    if (variant->recipe) {
        json["recipe"] = placeRecipe(variant->recipe, sisters);
    }
    return variantPlaces_[variant] = variants_.add(textOf(json));
}

SongWriter::Places SongWriter::placeTracks(const Song& song, const Before& before, Sisters& sisters)
{
    Places places;
    for (const auto& track : song.tracks) {
        const auto old = before.song ? before.song->track(track->id) : nullptr;
        const auto known = before.places.find(track->id);
        const bool isKnown = old && known != before.places.end();
        if (isKnown && (old == track || *old == *track)) {
            places[track->id] = known->second;
            sisters.try_emplace(track->clips.size(), &track->clips, known->second.clips);
            continue;
        }
        TrackPlaces own;
        own.clips = placeClips(
            track->clips,
            isKnown ? &old->clips : nullptr,
            isKnown ? known->second.clips : 0,
            sisters
        );
        own.marks = placeMarks(
            track->marks, isKnown ? &old->marks : nullptr, isKnown ? known->second.marks : 0
        );
        Json json = toJson(*track);
        json["clips"] = own.clips;
        json["marks"] = own.marks;
        own.track = tracks_.add(textOf(json));
        places[track->id] = own;
    }
    return places;
}

// A track that is in no version but kept beside a print.
std::size_t SongWriter::placeKept(const std::shared_ptr<const Track>& track, Sisters& sisters)
{
    if (const auto known = keptPlaces_.find(track); known != keptPlaces_.end()) {
        return known->second;
    }
    Json json = toJson(*track);
    json["clips"] = placeClips(track->clips, nullptr, 0, sisters);
    json["marks"] = placeMarks(track->marks, nullptr, 0);
    return keptPlaces_[track] = tracks_.add(textOf(json));
}

Json SongWriter::printJson(const PrintedSet& print, const Song& song, Sisters& sisters)
{
    Json json{
        {"set", print.set.value},
        {"depth", print.depth == PrintDepth::Track ? "track" : "clips"},
        {"tracks", Json::array()}};
    put(json, "live", print.isLive, false);
    for (const auto& track : print.others) {
        json["tracks"].push_back(placeKept(track, sisters));
    }
    if (print.recipe) {
        json["recipe"] = placeRecipe(print.recipe, sisters);
    }
    put(json, "variantName", print.variantName, {});
    for (const auto& variant : print.variants) {
        // Told from no track of the version: those that are kept are not in it.
        json["variants"].push_back(placeVariant(variant, {}, song, {}, sisters));
    }
    return json;
}

Json SongWriter::fieldsOf(const Song& song, const Places& places, Sisters& sisters)
{
    Json takes = Json::array();
    for (const Take& take : song.takes) {
        takes.push_back(placeTake(take));
    }
    Json tracks = Json::array();
    for (const auto& track : song.tracks) {
        tracks.push_back(places.at(track->id).track);
    }
    Json sets = Json::array();
    for (const MicSet& set : song.sets) {
        Json json{{"id", set.id.value}, {"name", set.name}, {"tracks", Json::array()}};
        for (const TrackId id : set.tracks) {
            json["tracks"].push_back(id.value);
        }
        put(json, "folded", set.isFolded, false);
        put(json, "variantName", set.variantName, {});
        for (const auto& variant : set.variants) {
            json["variants"].push_back(placeVariant(variant, set, song, places, sisters));
        }
        if (set.recipe) {
            json["recipe"] = placeRecipe(set.recipe, sisters);
        }
        sets.push_back(with(std::move(json), set.extras));
    }
    Json prints = Json::array();
    for (const auto& print : song.prints) {
        prints.push_back(printJson(*print, song, sisters));
    }
    Json accepted = Json::array();
    for (const AcceptedFinding& finding : song.accepted) {
        accepted.push_back({finding.kind, finding.at.count()});
    }
    Json grooves = Json::array();
    for (const Groove& groove : song.grooves) {
        grooves.push_back(grooveJson(groove));
    }
    Json sections = Json::array();
    for (const Section& section : song.sections) {
        sections.push_back({section.id.value, section.name, section.bars.first, section.bars.last});
        if (section.key) {
            sections.back().push_back(toJson(*section.key));
        }
    }
    return with(
        {{"name", song.name},
         {"tempo", toJson(song.tempo)},
         {"grid", toJson(song.grid)},
         {"takes", takes},
         {"tracks", tracks},
         {"sets", sets},
         {"prints", prints},
         {"accepted", accepted},
         {"grooves", grooves},
         {"sections", sections},
         {"level", toJson(song.level)},
         {"end", song.endMark ? Json(song.endMark->count()) : Json()},
         {"key", toJson(song.key)},
         {"temperament", toJson(song.temperament)},
         {"guide", song.guide ? toJson(*song.guide) : Json()},
         {"lastId", song.lastId}},
        song.extras
    );
}

void SongWriter::addVersion(const History::Version& version, Before& before)
{
    // A version says what it does not have from the one before.
    Sisters sisters;
    const Json old = before.song ? fieldsOf(*before.song, before.places, sisters) : Json::object();
    sisters.clear();
    Places places = placeTracks(*version.song, before, sisters);
    Json fields = fieldsOf(*version.song, places, sisters);
    for (const auto& [key, value] : old.items()) {
        if (fields.contains(key) && fields[key] == value) {
            fields.erase(key);
        }
    }
    fields["edit"] = version.name;
    versions_.add(textOf(fields));
    serials_.push_back(version.serial);
    placesOf_[version.serial] = places;
    before = {version.song, std::move(places)};
}

// The lists that grew, after what `text` holds of the object already.
std::string SongWriter::takeFresh(std::string text)
{
    for (const auto& [key, pool] :
         {std::pair("takes", &takes_),
          std::pair("treatments", &treatments_),
          std::pair("clips", &clips_),
          std::pair("marks", &marks_),
          std::pair("tracks", &tracks_),
          std::pair("recipes", &recipes_),
          std::pair("variants", &variants_),
          std::pair("versions", &versions_)}) {
        text += fmt::format(",\"{}\":[", key);
        text += std::exchange(pool->fresh, {});
        text += ']';
    }
    return text + '}';
}

std::string SongWriter::whole(const SongDocument& document)
{
    *this = SongWriter();
    line_ = document.history.line();
    Before before;
    document.history.visit(0, [&](const History::Version& version) {
        addVersion(version, before);
    });
    Json head = with(Json::object(), document.extras);
    head["format"] = kFormatName;
    head["version"] = kSongFormat;
    head["rate"] = document.history.song()->rate.count();
    head["generation"] = document.generation;
    head["current"] = document.history.current();
    std::string text = textOf(head);
    text.pop_back();
    text = takeFresh(std::move(text));
    return text + '\n';
}

std::optional<std::string> SongWriter::more(const SongDocument& document)
{
    const History& history = document.history;
    const auto start = std::ranges::find(serials_, history.serial(0));
    if (start == serials_.end() || line_ != history.line()) {
        return std::nullopt;
    }
    const auto dropped = static_cast<std::size_t>(start - serials_.begin());
    std::size_t same = 0;
    while (same < history.size() && dropped + same < serials_.size() &&
           serials_[dropped + same] == history.serial(same)) {
        ++same;
    }
    serials_.resize(dropped + same);
    Before before{history.version(same - 1).song, placesOf_.at(serials_.back())};
    history.visit(same, [&](const History::Version& version) { addVersion(version, before); });
    std::string text = takeFresh(fmt::format(
        R"({{"generation":{},"keep":{},"current":{})",
        document.generation,
        dropped + same,
        dropped + history.current()
    ));
    return text + '\n';
}

std::string writeSong(const SongDocument& document)
{
    return SongWriter().whole(document);
}

}  // namespace orthochron
