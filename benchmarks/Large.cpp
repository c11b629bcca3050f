#include <benchmark/benchmark.h>

#include "core/audit/SongAudit.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/SetParts.h"
#include "core/edits/TakeEdits.h"
#include "testkit/CutSong.h"

// What an edit or a look at a very large song costs, as it grows: time in proportion to it, or there is something
// quadratic in it. orthochron_large
namespace orthochron {
namespace {

constexpr Frames kApart{4800};

// A lead with so many hits, every second one marked by hand.
Song leadOf(std::int64_t hits)
{
    Take take;
    take.name = "take";
    take.frames = kApart * (hits + 1);
    Song song = *addTakes({}, {{take, false}});
    Track track = *song.tracks[0];
    track.isLead = true;
    for (std::int64_t i = 0; i < hits; ++i) {
        Mark mark;
        mark.id = MarkId{++song.lastId};
        mark.at = kApart * i;
        mark.beatPoint = mark.at;
        mark.byHand = i % 2 == 0;
        track.marks.push_back(mark);
        track.noHits.push_back(mark.at + kApart / 2);
    }
    putTrack(song, std::move(track));
    return song;
}

void HitsGivenAPlace(benchmark::State& state)
{
    const Song song = leadOf(state.range(0));
    std::vector<WantedPlace> places;
    for (const Mark& mark : song.tracks[0]->marks) {
        places.push_back({song.tracks[0]->id, mark.id, milliseconds(1.0)});
    }
    for (auto _ : state) {
        benchmark::DoNotOptimize(setMarksWanted(song, places));
    }
    state.SetComplexityN(state.range(0));
}
BENCHMARK(HitsGivenAPlace)->RangeMultiplier(2)->Range(12500, 100000)->Complexity(benchmark::oN);

void HitsFoundAnewBesideThoseByHand(benchmark::State& state)
{
    const Song song = leadOf(state.range(0));
    std::vector<Frames> found;
    for (std::int64_t i = 0; i < state.range(0); ++i) {
        found.push_back(kApart * i + Frames(i % 3 * 1000));
    }
    for (auto _ : state) {
        benchmark::DoNotOptimize(placeMarksAt(song, song.tracks[0]->id, found));
    }
    state.SetComplexityN(state.range(0));
}
BENCHMARK(HitsFoundAnewBesideThoseByHand)
    ->RangeMultiplier(2)
    ->Range(12500, 100000)
    ->Complexity(benchmark::oN);

void FindingsWithoutThoseAccepted(benchmark::State& state)
{
    Song song;
    std::vector<Finding> findings;
    for (std::int64_t i = 0; i < state.range(0); ++i) {
        Finding finding;
        finding.at = kApart * i;
        findings.push_back(finding);
        if (i % 2 == 0) {
            song.accepted.push_back({std::string(wordOf(finding.kind)), finding.at});
        }
    }
    for (auto _ : state) {
        benchmark::DoNotOptimize(notAccepted(song, findings));
    }
    state.SetComplexityN(state.range(0));
}
BENCHMARK(FindingsWithoutThoseAccepted)
    ->RangeMultiplier(2)
    ->Range(12500, 100000)
    ->Complexity(benchmark::oN);

void JoinsAndPartsOfTwoHundredTracks(benchmark::State& state)
{
    const Song song = testkit::cutSong(200, static_cast<int>(state.range(0)));
    for (auto _ : state) {
        benchmark::DoNotOptimize(joinsOf(song, song.sets.front()));
        benchmark::DoNotOptimize(partsOf(song, song.sets.front()));
    }
    state.SetComplexityN(state.range(0));
}
BENCHMARK(JoinsAndPartsOfTwoHundredTracks)
    ->RangeMultiplier(2)
    ->Range(625, 5000)
    ->Unit(benchmark::kMillisecond)
    ->Complexity(benchmark::oN);

}  // namespace
}  // namespace orthochron

BENCHMARK_MAIN();
