#pragma once

#include <QCoreApplication>

#include "app/stages/hand/ClipHands.h"
#include "app/views/LanesView.h"

namespace orthochron::app {

// An edge of a clip dragged so that all of it is stretched, about its other edge. Where the edge is an
// outer one of several chosen clips, they are stretched as one. Marks inside catch on beats as the edge
// does on what edges catch on: a loop's second downbeat can be laid on bar 2, and what lies beyond it is
// kept.
class EdgeStretch final {
    Q_DECLARE_TR_FUNCTIONS(EdgeStretch)

public:
    EdgeStretch(Session& session, const LanesView& lanes, ClipHands& hands);

    void begin(const Clip& gripped, Edge edge, TrackId track);
    [[nodiscard]] bool isOn() const { return !clips_.empty(); }
    // Where the edge was before it was dragged, song time.
    [[nodiscard]] Frames edge() const { return edge_ == Edge::Start ? span_.from : span_.to; }
    // To where the hand is, and to where that is caught; without `catches` marks inside are not asked.
    void moveTo(Frames place, Frames caught, bool catches);
    void release();

    [[nodiscard]] QString reading() const;
    // How the chosen clips would lie on a lane, with their marks.
    void paint(QPainter& painter, const Lane& lane) const;

private:
    [[nodiscard]] Frames about() const { return edge_ == Edge::Start ? span_.to : span_.from; }
    [[nodiscard]] Frames drawnOut(Frames place) const;
    [[nodiscard]] double ratioTo(Frames from, Frames to) const;
    void catchMarks(double least);

    Session& session_;
    const LanesView& lanes_;
    ClipHands& hands_;
    ClipChoice clips_;  // empty while nothing is dragged
    Edge edge_ = Edge::End;
    Span span_;
    std::vector<Frames> marks_;  // inside, song time
    double ratio_ = 1.0;
    std::optional<Frames> caughtOn_;  // the beat a mark was caught on
    Material material_ = Material::Hits;
    bool isMaterialKnown_ = false;
};

}  // namespace orthochron::app
