#include "core/edits/SteadyEdits.h"

#include <fmt/format.h>

#include "core/edits/CutFit.h"
#include "core/edits/StretchFit.h"
#include "core/render/Sources.h"

#include <algorithm>
#include <cstdlib>
#include <set>

namespace orthochron {

namespace {

// The hits of a set, each moved with its bar; a bar that begins with none is held by its line.
std::vector<Anchor> barAnchors(const Song& song, const MicSet& set, const TempoMap& steady)
{
    constexpr double kAhead = 0.2;    // of a beat: what is this little before a line belongs to it
    constexpr Seconds kGuard(0.025);  // before a line: players and drafts are not to the sample
    const TempoMap& map = song.tempo;
    const auto moveOf = [&](int bar) {
        return toFrames(steady.timeAt(steady.startOfBar(bar)), song.rate) -
               toFrames(map.timeAt(map.startOfBar(bar)), song.rate);
    };
    std::vector<Anchor> anchors;
    std::set<int> held;
    for (const PlayedHit& hit : hitsOf(song, set).hits) {
        const Beats place = map.beatsAt(toSeconds(hit.beatPoint, song.rate));
        const Beats ahead = map.meterOfBar(map.barAt(place)).beatLength() * kAhead;
        const int bar = map.barAt(place + ahead);
        anchors.push_back({hit.start, moveOf(bar)});
        if ((place - map.startOfBar(bar)) < ahead) {
            held.insert(bar);
        }
    }
    const int first = map.barAt(map.beatsAt(Seconds(0.0)));
    const int last = map.barAt(map.beatsAt(toSeconds(song.length(), song.rate)));
    for (int bar = first; bar <= last; ++bar) {
        const Frames line = toFrames(map.timeAt(map.startOfBar(bar)) - kGuard, song.rate);
        if (!held.contains(bar) && line > Frames(0)) {
            anchors.push_back({line, moveOf(bar)});
        }
    }
    std::ranges::stable_sort(anchors, {}, &Anchor::start);
    return anchors;
}

// The hits and bar lines of a set, each moved to where the steady tempo has its place in the song.
std::vector<Anchor> evenAnchors(const Song& song, const MicSet& set, const TempoMap& steady)
{
    const TempoMap& map = song.tempo;
    const auto moveOf = [&](Frames at) {
        return toFrames(steady.timeAt(map.beatsAt(toSeconds(at, song.rate))), song.rate) - at;
    };
    std::vector<Anchor> anchors;
    for (const PlayedHit& hit : hitsOf(song, set).hits) {
        anchors.push_back({hit.start, moveOf(hit.start)});
    }
    const int first = map.barAt(map.beatsAt(Seconds(0.0)));
    const int last = map.barAt(map.beatsAt(toSeconds(song.length(), song.rate)));
    constexpr Seconds kOwn(0.03);  // a hit so near a line stands for it
    for (int bar = first; bar <= last; ++bar) {
        const Frames line = toFrames(map.timeAt(map.startOfBar(bar)), song.rate);
        const bool isHit = std::ranges::any_of(anchors, [&](const Anchor& anchor) {
            return std::abs((anchor.start - line).count()) < toFrames(kOwn, song.rate).count();
        });
        if (line > Frames(0) && !isHit) {
            anchors.push_back({line, moveOf(line)});
        }
    }
    std::ranges::stable_sort(anchors, {}, &Anchor::start);
    return anchors;
}

// The clips a set has at the steady tempo.
Result<std::vector<std::vector<Clip>>> steadyClips(
    const Song& song,
    const MicSet& set,
    const TempoMap& steady,
    const FitRequest& request,
    NewIds& ids,
    const Sources& sources,
    const Work& work
)
{
    const auto recorded = recordedClips(song, set);
    if (request.way.method == FitMethod::Stretch) {
        return stretchedClips(
            song, set, recorded, evenAnchors(song, set, steady), request.way.material, ids
        );
    }
    const auto cuts = cutsBetween(
        recorded, barAnchors(song, set, steady), request.joins, sources, song.rate, work
    );
    if (!cuts) {
        return tl::unexpected(cuts.error());
    }
    return cutClips(song, recorded, *cuts, request.joins.shape, ids);
}

}  // namespace

Result<Song> makeSteady(
    const Song& song,
    double bpm,
    const JoinSettings& joins,
    const Sources& sources,
    const Work& work,
    FitWay way
)
{
    if (auto valid = validate(joins); !valid) {
        return tl::unexpected(valid.error());
    }
    auto steady =
        TempoMap::create(song.tempo.firstDownbeat(), {{Beats(0.0), bpm}}, song.tempo.meters());
    if (!steady) {
        return tl::unexpected(steady.error());
    }
    if (song.tempo.tempi().size() == 1 && song.tempo.bpmAt(Beats(0.0)) == bpm) {
        return badArgument(fmt::format("the song is already at a steady {:g} bpm", bpm));
    }
    Song next = song;
    NewIds ids(next.lastId);
    FitRequest request;
    request.joins = joins;
    request.way = way;
    const auto count = static_cast<double>(song.sets.size());
    for (std::size_t s = 0; s < song.sets.size(); ++s) {
        const MicSet& set = song.sets[s];
        if (auto free = refuseLocked(song, set); !free) {
            return tl::unexpected(free.error());
        }
        const Work part =
            work.part(static_cast<double>(s) / count, static_cast<double>(s + 1) / count);
        auto clips = steadyClips(song, set, *steady, request, ids, sources, part);
        if (!clips) {
            return tl::unexpected(clips.error());
        }
        putClips(next, set.tracks, std::move(*clips));
        mendCutJoins(next, set, joins);
        next.sets[s].recipe = nullptr;
        next.sets[s].variants.clear();
    }
    next.tempo = std::move(*steady);
    return next;
}

}  // namespace orthochron
