#pragma once

#include <QCoreApplication>

#include "app/stages/grid/follow/BarTempi.h"
#include "app/views/LanesView.h"

class QPainter;

namespace orthochron::app {

// What lies under the lanes in Grid, on the same seconds as they: the tempo of every bar as a curve whose points are
// dragged, where there is more than one tempo, and the notes of the guide, where there is one.
class GridFoot final {
    Q_DECLARE_TR_FUNCTIONS(GridFoot)

public:
    GridFoot(Session& session, LanesView& lanes, Following& following);

    [[nodiscard]] int height(bool withTempo) const;
    void paint(QPainter& painter, QRect area, bool withTempo);
    bool press(QMouseEvent& event);
    [[nodiscard]] bool isHeld() const { return dragged_.has_value(); }
    void move(QMouseEvent& event);
    void release();
    [[nodiscard]] std::pair<QString, Qt::CursorShape> hintAt(QPoint place) const;

private:
    [[nodiscard]] QRect tempoArea() const;  // empty without a curve
    void paintHead(QPainter& painter, QRect area, const QString& name, const QString& note) const;
    void paintTempo(QPainter& painter, QRect area) const;
    void paintGuide(QPainter& painter, QRect area);
    [[nodiscard]] QPointF placeOf(const BarTempo& bar) const;
    [[nodiscard]] std::optional<int> barNear(QPointF place) const;
    // Those on the screen, with one before and one after them.
    [[nodiscard]] std::span<const BarTempo> barsSeen() const;

    Session& session_;
    LanesView& lanes_;
    Following& following_;
    BarTempi tempi_;
    bool withTempo_ = false;      // as it was painted last
    std::optional<int> dragged_;  // bar
    double draggedBpm_ = 0.0;
    bool isMoved_ = false;
    std::shared_ptr<const MidiGuide> guide_;  // the two below are of this one
    Seconds longest_;                         // of its notes
    std::pair<int, int> keys_;                // the lowest and highest it plays
};

}  // namespace orthochron::app
