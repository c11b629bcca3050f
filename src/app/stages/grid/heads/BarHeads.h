#pragma once

#include <QCoreApplication>

#include "app/stages/grid/follow/Following.h"
#include "app/views/LanesView.h"

class QPainter;

namespace orthochron::app {

// The heads of bar and beat lines in the ruler, full where pinned and a ring where free, and taking hold of them.
class BarHeads final {
    Q_DECLARE_TR_FUNCTIONS(BarHeads)

public:
    BarHeads(Session& session, LanesView& lanes, Following& following);

    void paint(QPainter& painter) const;
    bool press(QMouseEvent& event);
    void move(QMouseEvent& event);
    void release();
    [[nodiscard]] std::pair<QString, Qt::CursorShape> hintAt(QPoint place) const;

private:
    enum class Part { Head, Number };
    struct Held {
        Beats line;
        Part part = Part::Head;
        Frames at;
        bool isMoved = false;
    };
    // Bar lines on the screen, and beat lines where there is room.
    [[nodiscard]] std::vector<Beats> lines() const;
    [[nodiscard]] std::optional<Held> heldAt(QPoint place) const;
    [[nodiscard]] double xOf(Beats line) const;
    [[nodiscard]] Frames caught(Frames songTime) const;
    [[nodiscard]] Result<Song> moved() const;

    Session& session_;
    LanesView& lanes_;
    Following& following_;
    std::optional<Held> held_;
    double grip_ = 0.0;  // px from the line to where it was taken hold of
    TempoMap preview_;
};

}  // namespace orthochron::app
