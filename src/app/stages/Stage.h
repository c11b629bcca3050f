#pragma once

#include "app/controls/Commands.h"
#include "app/views/LanesView.h"

class QPainter;

namespace orthochron::app {

// A stage is the tool: it decides what is drawn over the lanes, what a drag means, and which
// bench lies under the song.
class Stage : public QObject {
    Q_OBJECT

public:
    Stage(Session& session, LanesView& lanes, QObject* parent);

    [[nodiscard]] virtual QString name() const = 0;
    [[nodiscard]] virtual QWidget* bench() = 0;
    [[nodiscard]] virtual bool isWorkedOn() const { return false; }  // its dot on the rail
    [[nodiscard]] virtual QString status() const { return {}; }      // for the status line
    virtual void entered() {}

    // Whether it draws level lines, hushes and spins itself; else they are shown faintly.
    [[nodiscard]] virtual bool showsShapes() const { return false; }
    // Over each lane, and once over all of them.
    virtual void paintLane(QPainter&, const Lane&) {}
    virtual void paintOver(QPainter&) {}
    // A strip at the foot of the sheet, under the lanes: its height, and what is in it.
    [[nodiscard]] virtual int footHeight() const { return 0; }
    virtual void paintFoot(QPainter&, QRect) {}
    virtual bool pressFoot(QMouseEvent&) { return false; }
    [[nodiscard]] virtual std::pair<QString, Qt::CursorShape> hintInFoot(QPoint) const
    {
        return {QString(), Qt::ArrowCursor};
    }

    // Gestures on a lane; press answers whether the stage takes the drag.
    virtual bool press(const Lane&, QMouseEvent&) { return false; }
    virtual bool pressRuler(QMouseEvent&) { return false; }  // likewise in the ruler
    virtual void move(QMouseEvent&) {}
    virtual void release(QMouseEvent&) {}
    virtual bool doubleClick(const Lane&, QMouseEvent&) { return false; }
    // The pointer moved over a lane with no button held, or left them (null).
    virtual void hover(const Lane*, QPoint, Qt::KeyboardModifiers) {}
    // What the pointer would do here, for the status line; with the cursor to show.
    [[nodiscard]] virtual std::pair<QString, Qt::CursorShape> hintAt(const Lane&, QPoint) const
    {
        return {QString(), Qt::ArrowCursor};
    }

    [[nodiscard]] virtual std::pair<QString, Qt::CursorShape> hintInRuler(QPoint) const
    {
        return {QString(), Qt::ArrowCursor};
    }

    // Does what is this stage's among all commands, whichever stage is looked at; false for what is not.
    virtual bool run(Command) { return false; }

    // The stage's own keys: the next and previous thing it steps through, hear it, its main action.
    virtual void step(int) {}
    virtual void hear() {}
    virtual void mainAction() {}
    // As its menu entry says it now: "Cut and join 465 hits". Empty for a stage that has none.
    [[nodiscard]] virtual QString mainActionName() const { return {}; }
    virtual void remove() {}
    virtual void accept() {}  // what is looked at is right as it is
    virtual void nudge(Seconds) {}

protected:
    // Leaning strokes of a lane's hits: foot where the hit is heard, head on its line. With
    // `isRecorded` as a faint hair where it was.
    void
    paintStrokes(QPainter& painter, const Lane& lane, double toleranceMs, bool withRecorded) const;

    Session& session_;
    LanesView& lanes_;
};

}  // namespace orthochron::app
