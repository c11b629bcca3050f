#pragma once

#include <QObject>

#include "app/session/Session.h"
#include "app/stages/shape/ShapeItems.h"
#include "core/edits/LinePoints.h"
#include "core/edits/SpeedEdits.h"

namespace orthochron::app {

// What is chosen in Shape, and what is done to it, each as one undo step: the level line of a track or
// of the song, points of lines, a hush.
class ShapeHands final : public QObject {
    Q_OBJECT

public:
    ShapeHands(Session& session, QObject* parent);

    // Whose line is looked at: none for the whole song's.
    [[nodiscard]] std::optional<TrackId> owner() const { return owner_; }
    void setOwner(std::optional<TrackId> owner);
    [[nodiscard]] QString ownerName() const;
    [[nodiscard]] const LevelLine& line() const { return levelLineOf(session_.song(), owner_); }
    // Of a line, a point that is chosen; none when there is no such point any more.
    [[nodiscard]] std::optional<std::size_t> point() const;
    void choosePoint(std::optional<TrackId> owner, std::optional<std::size_t> point);
    // All that are chosen, of whatever lines, the one above among them.
    [[nodiscard]] LinePoints points() const;
    [[nodiscard]] bool areSeveral() const;  // more than one line has, or one has several
    // In words: "3 points of 3 lines".
    [[nodiscard]] QString pointsName() const;
    void choosePoints(LinePoints points);
    // A point of a line as points(): of a folded set that of all its tracks.
    [[nodiscard]] LinePoints pointsAt(std::optional<TrackId> owner, std::size_t index) const;
    void chooseEnds();  // where the lines of tracks() end
    [[nodiscard]] std::optional<PlacedHush> hush() const;
    void chooseHush(HushId hush);
    // The tracks a span was drawn over; without one, that of the chosen track, or all of its set when
    // that is folded.
    [[nodiscard]] std::vector<TrackId> tracks() const;
    void setTracks(std::vector<TrackId> tracks);
    // In words: "Kick in", "3 tracks".
    [[nodiscard]] QString tracksName() const;

    // Level lines. A folded mic set has one line.
    bool setLine(const LevelLine& line, const QString& name);
    // Plays on with a line that is still being dragged; and no longer.
    void hear(std::optional<TrackId> owner, const LevelLine& line);
    void hear(Song song);
    void endDragging();
    // What is done to all points that are chosen, as one step.
    void changePoints(Result<Song> changed, const QString& name);
    void changePoint(const std::function<void(LevelPoint&)>& change, const QString& name);
    void removePoint();
    void resetLine();
    void clearRange();
    void holdLine(Keeps keeps);

    // The chosen hush, or the points of the line that are in the chosen range; to be laid at the
    // playhead, as many lanes lower as another track is chosen by then.
    void copy();
    void paste();

    // Hushes.
    void switchHush();        // the chosen range, on tracks()
    void switchHushOthers();  // there, on all other tracks
    void changeHush(const HushChange& change, const QString& name);
    void removeHush();
    void copyHush(HushId id, double by, int lanes);
    void repeatHush(int bars, int times);

    // The song, at its last sound, which is looked for first, or the tracks a span was drawn over.
    void fade(const LongFade& fade, bool ofTracks);
    void setEnd(std::optional<Frames> at);

    // One of what shapes the song is chosen and shown; by so many further in the list.
    void look(const ShapeItem& item);
    void step(int by);

Q_SIGNALS:
    void changed();

private:
    void songChanged();
    void
    fadeAt(const LongFade& fade, const std::vector<TrackId>& tracks, std::optional<Frames> ends);
    [[nodiscard]] std::vector<TrackId> ownersOf(std::optional<TrackId> owner) const;

    Session& session_;
    std::optional<TrackId> owner_;
    std::optional<std::size_t> point_;
    LinePoints points_;
    HushId hush_;
    std::vector<TrackId> tracks_;
    LevelLine copied_;
    std::optional<PlacedHush> copiedHush_;
    TrackId copiedFrom_;  // the track that was chosen then
    std::size_t item_ = 0;
    bool isHearing_ = false;
};

}  // namespace orthochron::app
