#include <fmt/format.h>

#include "core/files/GrooveFile.h"
#include "core/files/SongFile.h"
#include "core/files/SongFormat.h"

#include <map>
#include <utility>

namespace orthochron {

namespace {

using Json = nlohmann::json;

Json toJson(const Fade& fade)
{
    return {fade.length.count(), fadeShapeWord(fade.shape), fade.correlation, fade.middle};
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
        (clip.isLocked ? kLocked : 0) + (clip.isMuted ? kMuted : 0) +
            (clip.isReversed ? kReversed : 0) + (clip.byHand ? kByHand : 0),
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
    json.push_back(mark.wanted ? Json(mark.wanted->count()) : Json());
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
    if (track.detection.way == OnsetWay::Weak) {
        detection["way"] = "weak";
    }
    if (const auto& band = track.detection.band) {
        detection["band"] = {band->low.count(), band->high.count()};
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
        {"locked", track.isLocked},
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

Json toJson(const std::vector<OwnAmounts>& all)
{
    Json json = Json::array();
    for (const OwnAmounts& own : all) {
        json.push_back({own.section.value, own.lead.value, own.drift, own.feel, own.stray});
    }
    return json;
}

Json toJson(const std::vector<Tooth>& all)
{
    Json json = Json::array();
    for (const Tooth& tooth : all) {
        json.push_back({tooth.section.value, tooth.lead.value, tooth.step, tooth.feel.count()});
    }
    return json;
}

Json toJson(const std::vector<DriftPoint>& line)
{
    Json json = Json::array();
    for (const DriftPoint& point : line) {
        json.push_back({point.at.count(), point.drift.count()});
    }
    return json;
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
          {"grooveAmount", fit.grooveAmount},
          {"pieces", static_cast<int>(fit.pieces)},
          {"own", toJson(fit.own)},
          {"teeth", toJson(fit.teeth)},
          {"driftLine", toJson(fit.driftLine)}}},
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

Json variantJson(const Variant& variant, Pool<FitRecipe>& recipes)
{
    Json clips = Json::array();
    for (const auto& track : variant.clips) {
        clips.push_back(toJson(track));
    }
    const Json bars =
        variant.bars ? Json::array({variant.bars->first, variant.bars->last}) : Json();
    return {
        {"name", variant.name},
        {"bars", bars},
        {"clips", clips},
        {"recipe", variant.recipe ? Json(recipes.place(variant.recipe)) : Json()}};
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
            Json variants = Json::array();
            for (const auto& variant : set.variants) {
                variants.push_back(variantJson(*variant, recipes));
            }
            sets.push_back(
                {{"id", set.id.value},
                 {"variantName", set.variantName},
                 {"variants", variants},
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
        Json sections = Json::array();
        for (const Section& section : song.sections) {
            sections.push_back(
                {section.id.value, section.name, section.bars.first, section.bars.last}
            );
        }
        versions.push_back(
            {{"edit", version.name},
             {"grooves", grooves},
             {"sections", sections},
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
    all["generation"] = document.generation;
    all["current"] = document.history.current();
    all["takes"] = std::move(takes);
    all["tracks"] = tracks.all();
    all["recipes"] = recipes.all();
    all["versions"] = std::move(versions);
    return all.dump(-1, ' ', false, Json::error_handler_t::replace);
}

}  // namespace orthochron
