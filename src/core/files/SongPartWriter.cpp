#include "core/files/SongPartWriter.h"

#include "core/files/GrooveFile.h"
#include "core/files/SongFormat.h"

#include <utility>

namespace orthochron {

using Json = nlohmann::json;

Json with(Json json, const Extras& extras)
{
    if (extras.text) {
        json.update(Json::parse(*extras.text));
    }
    return json;
}

namespace {

Json toJson(const OnsetSettings& detection)
{
    Json json{{"sensitivity", detection.sensitivity}, {"minGap", detection.minGap.count()}};
    if (detection.threshold) {
        json["threshold"] = *detection.threshold;
    }
    if (detection.way == OnsetWay::Weak) {
        json["way"] = "weak";
    }
    if (const auto& band = detection.band) {
        json["band"] = {band->low.count(), band->high.count()};
    }
    return json;
}

Json toJson(const std::vector<Hush>& hushes)
{
    Json all = Json::array();
    for (const Hush& hush : hushes) {
        Json json{
            {"id", hush.id.value},
            {"from", hush.from.count()},
            {"to", hush.to.count()},
            {"edge", hush.edge.count()}};
        put(json, "label", hush.label, {});
        put(json, "staysInTime", hush.keeps == Keeps::Time, false);
        put(json, "goesWithClips", hush.goesWithClips, false);
        all.push_back(std::move(json));
    }
    return all;
}

// File systems know names that are no UTF-8; JSON does not.
bool isUtf8(const std::string& text)
{
    return Json(text).dump(-1, ' ', false, Json::error_handler_t::ignore) ==
           Json(text).dump(-1, ' ', false, Json::error_handler_t::replace);
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

}  // namespace

// Silence is null: JSON has no infinity.
Json toJson(const LevelLine& line)
{
    Json points = Json::array();
    for (const LevelPoint& point : line.points) {
        Json level = point.level == kSilence ? Json() : Json(point.level);
        points.push_back({point.at.count(), std::move(level), point.bend, point.isStep ? 1 : 0});
    }
    Json json{{"points", std::move(points)}};
    put(json, "staysInTime", line.keeps == Keeps::Time, false);
    return json;
}

Json toJson(const Track& track)
{
    Json json{{"id", track.id.value}, {"name", track.name}, {"detection", toJson(track.detection)}};
    put(json, "take", track.markedTake.value, 0U);
    put(json, "channel", track.markedChannel, 0);
    if (!track.noHits.empty()) {
        Json& places = json["noHits"] = Json::array();
        for (const Frames at : track.noHits) {
            places.push_back(at.count());
        }
    }
    put(json, "lead", track.isLead, false);
    put(json, "hidden", track.isHidden, false);
    put(json, "muted", track.isMuted, false);
    put(json, "soloed", track.isSoloed, false);
    put(json, "locked", track.isLocked, false);
    put(json, "gain", track.gainDecibels, 0.0);
    put(json, "pan", track.pan, 0.0);
    if (!track.level.isEmpty()) {
        json["level"] = toJson(track.level);
    }
    if (!track.hushes.empty()) {
        json["hushes"] = toJson(track.hushes);
    }
    if (track.glide) {
        json["glide"] = track.glide->count();
    }
    if (!track.notes.empty()) {
        Json& notes = json["notes"] = Json::array();
        for (const NoteByHand& note : track.notes) {
            notes.push_back(
                {note.start.count(), note.end.count(), note.isNote, note.octaves, note.pitch}
            );
        }
    }
    return with(std::move(json), track.extras);
}

Json toJson(const Take& take)
{
    Json exact = Json::object();
    if (!isUtf8(take.path)) {
        exact["pathBytes"] = std::vector<std::uint8_t>(take.path.begin(), take.path.end());
    }
    exact.update(
        {{"id", take.id.value},
         {"name", take.name},
         {"path", take.path},
         {"bytes", take.bytes},
         {"hash", take.hash},
         {"rate", take.rate.count()},
         {"frames", take.frames.count()},
         {"channels", take.channels},
         {"format", take.format},
         {"timeStamp", take.timeStamp.count()}}
    );
    return with(std::move(exact), take.extras);
}

Json toJson(const Treatment& treatment)
{
    Json pins = Json::array();
    for (const Pin& pin : treatment.time.pins()) {
        pins.push_back({pin.take.count(), pin.sound.count()});
    }
    Json attacks = Json::array();
    for (const Frames attack : treatment.attacks) {
        attacks.push_back(attack.count());
    }
    Json witnesses = Json::array();
    for (const Witness& witness : treatment.witnesses) {
        witnesses.push_back({witness.take.value, witness.channel, witness.offset.count()});
    }
    Json json{
        {"material", materialWord(treatment.material)},
        {"pins", std::move(pins)},
        {"attacks", std::move(attacks)},
        {"witnesses", std::move(witnesses)}};
    put(json, "semitones", treatment.semitones, 0.0);
    put(json, "movesFormants", treatment.movesFormants, false);
    for (const PitchPoint& point : treatment.pitch) {
        Json place{point.at.count(), point.semitones};
        if (point.movesFormants) {
            place.push_back(true);
        }
        json["pitch"].push_back(std::move(place));
    }
    if (!treatment.speed.isEmpty()) {
        Json& speed = json["speed"];
        for (const SpeedPoint& point : treatment.speed.points()) {
            speed["points"].push_back({point.at.count(), point.speed, point.bend});
        }
        speed["same"] = treatment.speed.same().count();
        put(speed, "keepsLevel", !treatment.speed.followsLevel(), false);
        put(speed, "keepsTime", treatment.keepsTime, false);
    }
    return json;
}

Json toJson(const GridSettings& grid)
{
    return {{"division", grid.division}, {"triplet", grid.triplet}, {"swing", grid.swing}};
}

Json toJson(const TempoMap& map)
{
    Json tempi = Json::array();
    for (const TempoPoint& point : map.tempi()) {
        Json place{point.at.count(), point.bpm};
        if (point.isRamp || point.isPinned || point.sureness != 1.0) {
            place.insert(place.end(), {point.isRamp, point.isPinned, point.sureness});
        }
        tempi.push_back(std::move(place));
    }
    Json meters = Json::array();
    for (const MeterChange& change : map.meters()) {
        meters.push_back({change.bar, change.meter.numerator, change.meter.denominator});
    }
    return {{"firstDownbeat", map.firstDownbeat().count()}, {"tempi", tempi}, {"meters", meters}};
}

Json toJson(const Scale& key)
{
    Json degrees = Json::array();
    for (int degree = 0; degree < 12; ++degree) {
        if (key.degrees[static_cast<std::size_t>(degree)]) {
            degrees.push_back(degree);
        }
    }
    return {{"tonic", key.tonic}, {"degrees", degrees}};
}

Json toJson(const Temperament& temperament)
{
    return {{"a4", temperament.a4.count()}, {"cents", temperament.cents}};
}

Json toJson(const MidiGuide& guide)
{
    Json notes = Json::array();
    for (const TimedNote& note : guide.notes) {
        notes.push_back(
            {note.at.count(), note.length.count(), note.key, note.velocity, note.channel}
        );
    }
    return {{"name", guide.name}, {"notes", notes}};
}

// All but its clips.
Json toJson(const FitRecipe& recipe)
{
    const FitSettings& fit = recipe.fit;
    return with(
        {{"fit",
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
         {"way",
          {{"method", recipe.way.method == FitMethod::Stretch ? "stretch" : "cut"},
           {"material", materialWord(recipe.way.material)}}},
         {"madeFrom", recipe.madeFrom}},
        recipe.extras
    );
}

}  // namespace orthochron
