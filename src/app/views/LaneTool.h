#pragma once

#include <QCursor>
#include <QString>

#include <utility>

class QMouseEvent;
class QPainter;

namespace orthochron::app {

struct Lane;

// What is drawn over the lanes and done with them by mouse. The sheet holds one at a time, offers it every gesture first
// and knows nothing else of it.
class LaneTool {
public:
    LaneTool() = default;
    LaneTool(const LaneTool&) = delete;
    LaneTool& operator=(const LaneTool&) = delete;
    virtual ~LaneTool() = default;

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

    // Gestures on a lane; press answers whether the tool takes the drag.
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
};

}  // namespace orthochron::app
