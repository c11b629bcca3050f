#include "testkit/CutSong.h"

#include "core/edits/TakeEdits.h"

namespace orthochron::testkit {

Song cutSong(int microphones, int pieces)
{
    Song song;
    Take take;
    take.hash = "00ff00ff00ff00ff00ff00ff00ff00ff";
    take.frames = Frames(1'000'000'000);
    std::vector<TrackId> tracks;
    for (int i = 0; i < microphones; ++i) {
        song = *addTakes(song, {{take, false}});
        tracks.push_back(song.tracks.back()->id);
    }
    for (const auto& old : std::vector(song.tracks)) {
        Track track = *old;
        const Clip whole = track.clips.front();
        track.clips.clear();
        for (int i = 0; i < pieces; ++i) {
            Clip clip = whole;
            clip.id = ClipId{++song.lastId};
            clip.part = PartId{clip.id.value};
            clip.at = clip.soundStart = Frames(i * 24000);
            clip.length = Frames(24240);
            clip.in = {Frames(240), FadeShape::Matched};
            clip.out = {Frames(240), FadeShape::Matched};
            track.clips.push_back(clip);
        }
        putTrack(song, std::move(track));
    }
    return *makeSet(song, tracks, "Kit");
}

}  // namespace orthochron::testkit
