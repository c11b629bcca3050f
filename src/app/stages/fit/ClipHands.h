#pragma once

#include "app/stages/Stage.h"
#include "core/edits/ClipEdits.h"

namespace orthochron::app {

// Takes hold of clips: what the By hand way of Fit does with the mouse, and what its keys do in
// every stage. Each edit goes to all microphones of the set.
class ClipHands final : public QObject {
    Q_OBJECT

public:
    enum class Snap { Grid, Marks, Edges, Off };

    ClipHands(Session& session, LanesView& lanes, QObject* parent);

    HandSettings settings;
    Snap snap = Snap::Grid;

    // What an edit would go to: the chosen clips, else those in the chosen range, else the one
    // under the playhead on the chosen track.
    [[nodiscard]] ClipChoice scope() const;
    [[nodiscard]] QString scopeText() const;

    void paintLane(QPainter& painter, const Lane& lane) const;
    bool press(const Lane& lane, QMouseEvent& event);
    void move(QMouseEvent& event);
    void release();
    bool doubleClick(const Lane& lane, QMouseEvent& event);
    void hover(const Lane* lane, QPoint place, Qt::KeyboardModifiers modifiers);
    [[nodiscard]] std::pair<QString, Qt::CursorShape> hintAt(const Lane& lane, QPoint place) const;

    void splitAtPlayhead();
    void splitAtMarks();
    void splitAtGrid();
    void join();
    void remove();
    void mute();
    void reverse();
    void lock();
    void lockSet();
    void copy();
    void paste();
    void duplicate(int times);
    void gain(double decibels, bool isRelative);
    void fade(const FadeChange& change);
    void nudge(Seconds by);
    void slip(Seconds by);
    void toTrack(int by);
    void chooseTrack();
    void chooseRange();
    void step(int by);

Q_SIGNALS:
    void changed();

private:
    enum class Grip { None, Start, End, Body, Slip, FadeIn, FadeOut };

    [[nodiscard]] const Clip* clipAt(const Lane& lane, double x) const;
    [[nodiscard]] Grip gripAt(const Lane& lane, QPoint place, Qt::KeyboardModifiers held) const;
    [[nodiscard]] Frames snapped(TrackId track, Frames songTime, Qt::KeyboardModifiers held) const;
    void apply(Result<Song> edited, const QString& what, std::size_t clips);
    void paintProposal(QPainter& painter, const Lane& lane) const;
    void paintFades(QPainter& painter, const Lane& lane, const Clip& clip, bool isChosen) const;
    void releaseFade(Grip was, Frames by);

    Session& session_;
    LanesView& lanes_;
    Grip grip_ = Grip::None;
    TrackId pressedTrack_;
    TrackId overTrack_;
    ClipId pressedClip_;
    Frames pressedTime_;
    Frames by_;
    bool isSameForAll_ = false;  // a dragged fade sets all to its length; else changes all alike
    std::optional<std::pair<SetId, Frames>> splitLine_;  // where a split would fall
    TrackId splitTrack_;
    ClipChoice copied_;
};

}  // namespace orthochron::app
