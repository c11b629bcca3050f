#include <fmt/format.h>
#include <gtest/gtest.h>

#include "Answers.h"
#include "core/audit/SongAudit.h"
#include "core/audit/Unheard.h"
#include "core/demo/KitRecording.h"
#include "core/edits/MarkEdits.h"
#include "core/pitch/PitchCurve.h"
#include "core/render/Render.h"
#include "core/stretch/StretchPlan.h"
#include "core/tempo/LoopSeam.h"
#include "core/tempo/MapDraft.h"
#include "core/tune/Tuning.h"
#include "testkit/Folder.h"
#include "testkit/MarkedKit.h"
#include "testkit/Rate.h"
#include "testkit/Voice.h"

#include <array>
#include <cmath>
#include <numbers>

// What the analyses and engines answer on made-up sounds, number by number.
namespace orthochron {
namespace {

using testkit::expectAsBefore;
using testkit::Json;
using testkit::markedKit;

// In every 20 ms: dB and, as what a stretch of sound is made of shows in how often it does, zero crossings.
Json levels(std::span<const float> sound)
{
    Json list = Json::array();
    for (std::size_t from = 0; from + 960 <= sound.size(); from += 960) {
        double sum = 0.0;
        int crossings = 0;
        for (std::size_t i = from; i < from + 960; ++i) {
            sum += static_cast<double>(sound[i]) * static_cast<double>(sound[i]);
            crossings += i > from && (sound[i] < 0.0F) != (sound[i - 1] < 0.0F) ? 1 : 0;
        }
        const double power = sum / 960.0;
        list.push_back({rounded(power > 1e-9 ? 10.0 * std::log10(power) : -90.0), crossings});
    }
    return list;
}

TEST(Reference, WhereHitsAreAndHowSure)
{
    const auto& kit = markedKit();
    Json json;
    const auto analysis = *analyseSet(kit.song, kit.set, *kit.sources);
    for (const auto& [id, lead] : analysis) {
        json[kit.song.track(id)->name] = candidatesOf(lead.candidates);
    }
    const Track& tom = *kit.song.tracks[4];
    const auto alone =
        *analyseOnsets(kit.sources->channel(tom.markedTake, tom.markedChannel), kit.song.rate);
    json["tom alone"] = candidatesOf(alone.candidates);
    const auto weak = analyseMicrophones(
        std::vector<HeardMicrophone>{
            {kit.sources->channel(tom.markedTake, tom.markedChannel),
             Frames(0),
             OnsetSettings{.way = OnsetWay::Weak}}},
        kit.song.rate
    );
    json["tom as weak"] = candidatesOf(weak->front().candidates);
    json["arrivals"] = Json::array();
    const auto arrivals = *arrivalsOf(kit.song, kit.set, *kit.sources);
    for (const SetArrival& each : arrivals) {
        json["arrivals"].push_back(
            {rounded(inMilliseconds(each.arrival.after)),
             each.arrival.isInverted ? 1 : 0,
             rounded(each.arrival.likeness),
             rounded(each.arrival.decibels)}
        );
    }
    json["unheard"] = Json::array();
    const auto unheard = *findUnheard(kit.song, kit.set, *kit.sources);
    for (const UnheardHit& each : unheard) {
        json["unheard"].push_back({each.at.count(), each.track.value, rounded(each.strength)});
    }
    expectAsBefore("hits", json);
}

TEST(Reference, WhatAFitMakesOfThem)
{
    const auto& kit = markedKit();
    FitRequest request;
    request.fit = {.drift = 0.9, .feel = 0.3, .stray = 0.8};
    const FitPreview preview = *previewFit(kit.song, kit.set, request);
    Json json;
    json["hits"] = Json::array();
    for (std::size_t i = 0; i < preview.performance.hits.size(); ++i) {
        const JudgedHit& hit = preview.performance.hits[i];
        json["hits"].push_back(
            {hit.played.start.count(),
             hit.main,
             hit.line.index,
             rounded(inMilliseconds(hit.drift)),
             rounded(inMilliseconds(hit.feel)),
             rounded(inMilliseconds(hit.stray)),
             preview.moves.hits[i].move.count()}
        );
    }
    const Song cut = fitSet(kit.song, kit.set, request, *kit.sources)->song;
    json["joins"] = Json::array();
    const auto joins = joinsOf(cut, cut.sets[0]);
    for (const SetJoin& join : joins) {
        json["joins"].push_back(
            {join.at.count(), join.length.count(), join.moveBefore.count(), join.moveAfter.count()}
        );
    }
    json["findings"] = Json::array();
    const auto findings = *auditSet(cut, kit.set, *kit.sources);
    for (const Finding& each : findings) {
        json["findings"].push_back(
            {wordOf(each.kind),
             each.at.count(),
             rounded(each.value),
             each.microphone,
             rounded(each.loudness)}
        );
    }
    // Stretched, with its splices, and how the kit sounds then.
    request.way.method = FitMethod::Stretch;
    const Song stretched = fitSet(kit.song, kit.set, request, *kit.sources)->song;
    json["splices"] = Json::array();
    const auto splices = *splicesOf(stretched, stretched.sets[0], *kit.sources);
    for (const PlannedJoin& each : splices) {
        json["splices"].push_back({each.at.count(), each.length.count(), each.moveAfter.count()});
    }
    for (const std::size_t t : {0U, 2U, 5U}) {
        AudioBuffer sound(1, atSeconds(8.0));
        ASSERT_TRUE(
            renderTrack(stretched, *stretched.tracks[t], *kit.sources, atSeconds(4.0), sound)
        );
        json[stretched.tracks[t]->name + " stretched"] = levels(sound.channel(0));
    }
    AudioBuffer mix(2, atSeconds(4.0));
    ASSERT_TRUE(renderMix(cut, *kit.sources, atSeconds(6.0), mix));
    json["mix"] = levels(mix.channel(1));
    expectAsBefore("fit", json);
}

TEST(Reference, BarsAndTempiOfADrummerWithoutAClick)
{
    auto performance =
        demo::performKit({.bpm = 109.0, .bars = 16, .looseness = 0.3, .wanderOff = Seconds(0.0)});
    (void)demo::playFreely(performance, {0.05, 0.2});
    const auto microphones = *demo::recordKit(performance, {});
    const Channel over = channelOver(microphones[5].channel(0));
    Json json;
    const MapDraft draft = *draftMap(std::vector{over}, kRate, {});
    const auto addBeats = [&](const char* name, const std::vector<DraftBeat>& beats) {
        json[name] = Json::array();
        for (const DraftBeat& beat : beats) {
            json[name].push_back(
                {rounded(inMilliseconds(beat.at)),
                 beat.bar,
                 beat.beat,
                 rounded(beat.bpm),
                 rounded(beat.confidence)}
            );
        }
    };
    addBeats("beats", draft.beats);
    // As if a moment between two beats were said to be the first.
    const Seconds between = draft.beats[20].at + milliseconds(190.0);
    addBeats("said where", draftMap(std::vector{over}, kRate, {.firstDownbeat = between})->beats);
    json["readings"] = Json::array();
    const TempoFound found = *findTempo(over, kRate);
    for (const TempoReading& each : found.readings) {
        json["readings"].push_back(
            {rounded(each.bpm), rounded(each.score), rounded(inMilliseconds(each.firstBeat))}
        );
    }
    const LoopSeam seam =
        *nearestSeam(over, kRate, Frames(52000), Frames(260000), milliseconds(80.0));
    json["seam"] = {seam.to.count(), rounded(seam.likeness)};
    expectAsBefore("bars", json);
}

TEST(Reference, NotesOfAVoiceAndTheSameInTune)
{
    const auto voice = testkit::singMelody(
        {{0.2, 0.0},
         {0.7, 57.3},
         {0.6, 61.7, 0.4},
         {0.2, 0.0},
         {0.8, 64.2, 0.3, 0.4},
         {0.5, 45.9},
         {0.2, 0.0}}
    );
    const Channel channel = channelOver(voice.sound.channel(0));
    const auto curve = *pitchOf(channel, kRate);
    Json json;
    json["pitch"] = Json::array();
    for (std::size_t n = 0; n < curve.size(); n += 3) {
        json["pitch"].push_back(
            {rounded(curve[n].pitch.count()),
             rounded(curve[n].confidence),
             rounded(100.0 * curve[n].power)}
        );
    }
    const auto notes = sungNotes(curve, kRate, Scale());
    json["notes"] = Json::array();
    for (const SungNote& note : notes) {
        json["notes"].push_back(
            {note.start.count(),
             note.end.count(),
             note.rung,
             rounded(note.centre),
             note.steadyFrom.count(),
             note.steadyTo.count(),
             rounded(note.wander[note.wander.size() / 3]),
             rounded(note.vibrato[note.vibrato.size() / 3])}
        );
    }
    const auto asked = *tunedBy(notes, {.offset = 0.9, .wander = 0.5, .vibrato = 0.5});
    Treatment tuning =
        *tuningOf(notes, curve, asked, milliseconds(60.0), voice.sound.frames(), kRate);
    json["line"] = Json::array();
    for (std::size_t i = 0; i < tuning.pitch.size(); i += 3) {
        json["line"].push_back({tuning.pitch[i].at.count(), rounded(tuning.pitch[i].semitones)});
    }
    // Read out of the line again, in thousandths.
    json["asked"] = Json::array();
    for (const NoteTuning& each : tuningIn(tuning, notes, kRate)) {
        json["asked"].push_back(
            {each.start.count(),
             each.end.count(),
             rounded(1e3 * each.shift),
             rounded(1e3 * each.wander),
             rounded(1e3 * each.vibrato)}
        );
    }
    tuning.semitones = -3.0;
    const auto plan = *planStretch(tuning, {channel}, kRate);
    const auto source = plan->sourceOf(
        std::make_unique<MemorySource>(std::make_shared<AudioBuffer>(voice.sound), kRate),
        std::array{0}
    );
    AudioBuffer sound(1, voice.sound.frames());
    ASSERT_TRUE(source->read(Frames(0), sound));
    json["heard"] = levels(sound.channel(0));
    expectAsBefore("voice", json);
}

// Through these pins, in seconds, and so many semitones higher.
Json stretched(
    const AudioBuffer& given,
    Material material,
    const std::vector<std::pair<double, double>>& pins,
    double semitones
)
{
    Treatment treatment;
    treatment.material = material;
    std::vector<Pin> map;
    for (const auto& [from, to] : pins) {
        map.push_back({atSeconds(from), atSeconds(to)});
    }
    treatment.time = *TimeMap::through(map);
    treatment.semitones = semitones;
    treatment.attacks = {atSeconds(0.2), atSeconds(1.1), atSeconds(1.2), atSeconds(1.8)};
    const auto plan = *planStretch(treatment, {channelOver(given.channel(0))}, kRate);
    const auto source = plan->sourceOf(
        std::make_unique<MemorySource>(std::make_shared<AudioBuffer>(given), kRate), std::array{0}
    );
    AudioBuffer sound(1, map.back().sound);
    EXPECT_TRUE(source->read(Frames(0), sound));
    return levels(sound.channel(0));
}

// A voice and chords, drawn out with a semitone and a half more, and pressed together.
TEST(Reference, WhatIsStretchedAsEachMaterial)
{
    const auto voice = testkit::singMelody({{0.2, 0.0}, {0.9, 57.3, 0.3}, {0.9, 61.7}, {0.4, 0.0}});
    const AudioBuffer chords = testkit::soundOf(2.4, [](std::int64_t n) {
        const double time = static_cast<double>(n) / 48000.0;
        double value = 0.0;
        for (const double part : {1.0, 1.26, 1.5}) {
            value +=
                0.1 * std::sin(2.0 * std::numbers::pi * (time < 1.2 ? 220.0 : 247.0) * part * time);
        }
        return value * std::exp(-std::fmod(time, 0.6));
    });
    Json json;
    for (const Material material :
         {Material::Hits, Material::Line, Material::Blend, Material::Tape}) {
        for (const AudioBuffer* given : {&voice.sound, &chords}) {
            const auto name = fmt::format(
                "{} of {}", static_cast<int>(material), given == &chords ? "chords" : "a voice"
            );
            json[name] = stretched(
                *given,
                material,
                {{0.0, 0.0}, {1.2, 1.5}, {2.4, 2.7}},
                material == Material::Tape ? 0.0 : 1.5
            );
            json[name + ", shorter"] =
                stretched(*given, material, {{0.0, 0.0}, {0.2, 0.2}, {1.1, 0.8}, {2.4, 2.2}}, 0.0);
        }
    }
    expectAsBefore("stretched", json);
}

}  // namespace
}  // namespace orthochron
