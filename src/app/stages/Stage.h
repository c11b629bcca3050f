#pragma once

#include "app/controls/Commands.h"
#include "app/views/LanesView.h"

namespace orthochron::app {

// A stage is the tool: it decides what is drawn over the lanes, what a drag means, and which
// bench lies under the song.
class Stage : public QObject, public LaneTool {
    Q_OBJECT

public:
    Stage(Session& session, LanesView& lanes, QObject* parent);

    [[nodiscard]] virtual QString name() const = 0;
    [[nodiscard]] virtual QWidget* bench() = 0;
    [[nodiscard]] virtual bool isWorkedOn() const { return false; }  // its dot on the rail
    [[nodiscard]] virtual QString status() const { return {}; }      // for the status line
    virtual void entered() {}

    // Does what is this stage's among all commands, whichever stage is looked at; false for what is not.
    virtual bool run(Command) { return false; }

    // The stage's own keys: the next and previous thing it steps through, hear it, its main action.
    virtual void step(int) {}
    virtual void hear() {}
    virtual void mainAction() {}
    // As its menu entry says it now: "Cut and join 465 hits". Empty for a stage that has none.
    [[nodiscard]] virtual QString mainActionName() const { return {}; }
    virtual void remove() {}
    [[nodiscard]] virtual bool canRemove() const { return false; }
    // All that it is about: in its own scope first, asked again in the whole song.
    virtual void selectAll();
    virtual void selectNone() {}
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
