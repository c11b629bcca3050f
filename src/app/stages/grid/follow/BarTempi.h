#pragma once

#include "app/stages/grid/follow/Following.h"

class QPainter;

namespace orthochron::app {

struct BarTempo {
    int bar = 1;
    double bpm = 0.0;  // from its line to the next
    bool isDoubtful = false;
    bool isPinned = false;
};

// A bar's point of a curve: full where it is pinned, coloured where it is doubtful.
void paintBarPoint(QPainter& painter, const BarTempo& bar, QPointF at, double radius);

// The tempo of every bar of the song, and the range a curve of it is drawn in; computed when the song changes.
class BarTempi final {
public:
    void refresh(const Song& song, const Following& following);

    [[nodiscard]] const std::vector<BarTempo>& bars() const { return bars_; }
    // Null for a bar the song does not have.
    [[nodiscard]] const BarTempo* find(int bar) const;
    // From 0 at the foot of the range to 1 at its top, and back.
    [[nodiscard]] double partOf(double bpm) const { return (bpm - least_) / (most_ - least_); }
    [[nodiscard]] double bpmAt(double part) const { return least_ + part * (most_ - least_); }

private:
    std::vector<BarTempo> bars_;  // from bar 1, or the pick-up that has a tempo of its own
    TempoMap madeFrom_;
    Frames length_;
    double least_ = 60.0;
    double most_ = 180.0;
};

}  // namespace orthochron::app
