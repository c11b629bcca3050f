#pragma once

#include <QCoreApplication>

#include "app/stages/grid/loop/LoopCutting.h"
#include "app/views/LanesView.h"

class QPainter;

namespace orthochron::app {

// The edges of a loop over the lanes, and taking hold of them.
class LoopEdges final {
    Q_DECLARE_TR_FUNCTIONS(LoopEdges)

public:
    LoopEdges(Session& session, LanesView& lanes, LoopCutting& loop);

    void paint(QPainter& painter) const;
    bool press(QMouseEvent& event);
    void move(QMouseEvent& event);
    void release() { held_.reset(); }
    [[nodiscard]] std::pair<QString, Qt::CursorShape> hintAt(QPoint place) const;

private:
    [[nodiscard]] std::optional<LoopEdge> edgeAt(double x) const;

    Session& session_;
    LanesView& lanes_;
    LoopCutting& loop_;
    std::optional<LoopEdge> held_;
    double grip_ = 0.0;  // px from the edge to where it was taken hold of
};

}  // namespace orthochron::app
