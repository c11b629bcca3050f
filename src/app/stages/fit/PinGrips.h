#pragma once

#include <QCoreApplication>

#include "app/stages/Stage.h"
#include "core/edits/StretchEdits.h"

namespace orthochron::app {

// The Stretch way of Fit under the mouse: every hit stands on a pin, whose head is dragged to where the
// hit is to be heard; the others stay. With Shift its neighbours are left free; inside the chosen range all of
// it goes along, or with Ctrl is drawn out about its far end. A double click puts one back to where the fit
// has it.
class PinGrips final {
    Q_DECLARE_TR_FUNCTIONS(PinGrips)

public:
    PinGrips(Session& session, LanesView& lanes);

    void paintLane(QPainter& painter, const Lane& lane) const;
    [[nodiscard]] std::pair<QString, Qt::CursorShape> hintAt(const Lane& lane, QPoint place) const;
    bool press(const Lane& lane, QMouseEvent& event);
    void move(QMouseEvent& event);
    void release();
    bool doubleClick(const Lane& lane, QMouseEvent& event);
    void nudge(Seconds by);  // the pin touched last
    void remove();           // likewise: back to where the fit has it
    [[nodiscard]] bool canRemove() const { return touched().has_value(); }

private:
    [[nodiscard]] std::optional<std::size_t> hitAt(const Lane& lane, QPoint place) const;
    [[nodiscard]] std::optional<std::size_t> touched() const;
    [[nodiscard]] Frames heardAt(std::size_t hit) const;
    [[nodiscard]] std::vector<HitMove> movesTo(Frames target, Qt::KeyboardModifiers held) const;
    void put(const std::vector<HitMove>& moves);

    Session& session_;
    LanesView& lanes_;
    std::optional<std::size_t> held_;  // of the hits of the preview
    double grabbedAt_ = 0.0;           // px from the pin to the pointer
    Frames target_;
    std::vector<HitMove> moves_;  // what letting go would do
    bool isMoved_ = false;
    MarkId touched_;
};

}  // namespace orthochron::app
