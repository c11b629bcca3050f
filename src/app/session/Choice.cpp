#include "app/session/Choice.h"

namespace orthochron::app {

Choice::Choice(Document& document, engine::Player& player, QObject* parent)
    : QObject(parent), document_(document), player_(player)
{}

void Choice::setTrack(TrackId track)
{
    if (track_ != track) {
        track_ = track;
        mark_ = MarkId();
        Q_EMIT trackChanged();
        Q_EMIT changed();
    }
}

const MicSet* Choice::set() const
{
    const Song& song = *document_.song();
    if (const MicSet* chosen = song.setOf(track_)) {
        return chosen;
    }
    return song.sets.empty() ? nullptr : &song.sets.front();
}

void Choice::setMark(TrackId track, MarkId mark)
{
    setTrack(track);
    mark_ = mark;
    Q_EMIT changed();
}

void Choice::setClips(ClipChoice clips)
{
    clips_ = std::move(clips);
    Q_EMIT changed();
}

void Choice::setRange(std::optional<TimeRange> range)
{
    range_ = range;
    if (player_.loop()) {
        player_.setLoop(
            range ? std::optional(engine::LoopRange{range->from, range->to}) : std::nullopt
        );
    }
    Q_EMIT changed();
}

void Choice::forget()
{
    range_.reset();
    clips_.clear();
    mark_ = MarkId();
}

void Choice::songChanged()
{
    const Song& song = *document_.song();
    if (!song.track(track_)) {
        track_ = song.tracks.empty() ? TrackId() : song.tracks.front()->id;
        mark_ = MarkId();
    }
    if (!clips_.empty()) {
        ClipChoice left;
        for (const PlacedClip& placed : clipsOf(song, clips_)) {
            left.push_back(placed.clip.id);
        }
        clips_ = std::move(left);
    }
}

}  // namespace orthochron::app
