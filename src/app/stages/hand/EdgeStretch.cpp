#include "app/stages/hand/EdgeStretch.h"

#include <QPainter>

#include "app/controls/Materials.h"
#include "app/theme/Theme.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr double kCatchPixels = 5.0;  // for a mark inside; less than for an edge, there are many
constexpr double kPrefersEdge = 0.5;  // a mark must be so much nearer than the edge
constexpr double kEdgeIsMeant = 3.0;  // px
constexpr double kLeastRatio = 0.05;  // as stretchClips takes them
constexpr double kMostRatio = 20.0;

}  // namespace

EdgeStretch::EdgeStretch(Session& session, const LanesView& lanes, ClipHands& hands)
    : session_(session), lanes_(lanes), hands_(hands)
{}

void EdgeStretch::begin(const Clip& gripped, Edge edge, TrackId track)
{
    const Song& song = session_.song();
    edge_ = edge;
    clips_ = withTheirSet(song, {gripped.id});
    span_ = {gripped.at, gripped.end()};
    const ClipChoice& chosen = session_.choice.clips();
    if (std::ranges::find(chosen, gripped.id) != chosen.end()) {
        const auto all = spanOf(song, chosen);
        // By less than a crossfade an edge of another microphone may lie further out.
        const Frames apart = toFrames(milliseconds(50.0), song.rate);
        const bool isOuter =
            all && (edge == Edge::Start ? gripped.at - all->from : all->to - gripped.end()) < apart;
        if (isOuter) {
            clips_ = chosen;
            (edge == Edge::Start ? span_.to : span_.from) =
                edge == Edge::Start ? all->to : all->from;
        }
    }
    isMaterialKnown_ = gripped.sound.treatment != nullptr;
    material_ = treatmentOf(gripped).material;
    marks_.clear();
    if (const MicSet* set = song.setOf(track)) {
        marks_ = markTimes(song, *set, span_, Frames(0));
    }
    ratio_ = 1.0;
    caughtOn_.reset();
}

double EdgeStretch::ratioTo(Frames from, Frames to) const
{
    const auto was = static_cast<double>((from - about()).count());
    const auto now = static_cast<double>((to - about()).count());
    return was == 0.0 ? 1.0 : std::clamp(now / was, kLeastRatio, kMostRatio);
}

Frames EdgeStretch::drawnOut(Frames place) const
{
    const auto away = static_cast<double>((place - about()).count());
    return about() + Frames(std::llround(away * ratio_));
}

void EdgeStretch::moveTo(Frames place, Frames caught, bool catches)
{
    caughtOn_.reset();
    ratio_ = ratioTo(edge(), place);
    if (catches) {
        const double away = std::abs(lanes_.xOf(caught) - lanes_.xOf(place));
        // From afar there is always some mark near a beat: then the edge is what is meant.
        const bool isEdgeMeant = caught != place && away < kEdgeIsMeant;
        if (!isEdgeMeant) {
            catchMarks(caught == place ? kCatchPixels : kPrefersEdge * away);
        }
    }
    if (!caughtOn_) {
        ratio_ = ratioTo(edge(), caught);
    }
}

// Whatever mark comes nearest to a beat, within so many pixels.
void EdgeStretch::catchMarks(double least)
{
    const Song& song = session_.song();
    double caught = ratio_;
    for (const Frames mark : marks_) {
        const Frames now = drawnOut(mark);
        const Beats nearest(std::round(song.tempo.beatsAt(toSeconds(now, song.rate)).count()));
        const Frames beat = toFrames(song.tempo.timeAt(nearest), song.rate);
        const double away = std::abs(lanes_.xOf(beat) - lanes_.xOf(now));
        if (away < least && mark != about()) {
            least = away;
            caught = ratioTo(mark, beat);
            caughtOn_ = beat;
        }
    }
    ratio_ = caught;
}

void EdgeStretch::release()
{
    const ClipChoice clips = std::exchange(clips_, {});
    if (ratio_ != 1.0) {
        session_.choice.setClips(clips);
        hands_.stretch({.ratio = ratio_, .about = about()});
    }
}

QString EdgeStretch::reading() const
{
    const Song& song = session_.song();
    const auto beatsAt = [&](Frames at) { return song.tempo.beatsAt(toSeconds(at, song.rate)); };
    const Beats lasts = beatsAt(drawnOut(span_.to)) - beatsAt(drawnOut(span_.from));
    QString text = tr("stretched to %1 %, %2 beats")
                       .arg(100.0 * ratio_, 0, 'f', 2)
                       .arg(lasts.count(), 0, 'f', 2);
    if (caughtOn_) {
        text += tr(", mark on %1").arg(placeText(song, *caughtOn_).place);
    }
    if (isMaterialKnown_ && !strainLimits(material_).hold(ratio_) && material_ != Material::Tape) {
        text += tr(", beyond the limit for %1").arg(materialText(material_));
    }
    return text;
}

void EdgeStretch::paint(QPainter& painter, const Lane& lane) const
{
    const Palette& colours = Theme::palette();
    const auto track = session_.song().track(lane.track);
    bool isMine = false;
    painter.setBrush(Qt::NoBrush);
    for (const Clip& clip : track->clips) {
        if (std::ranges::find(clips_, clip.id) == clips_.end()) {
            continue;
        }
        isMine = true;
        const double left = lanes_.xOf(drawnOut(clip.at));
        const double right = lanes_.xOf(drawnOut(clip.end()));
        painter.setPen(QPen(colours.ink, 1.4, Qt::DashLine));
        painter.drawRect(QRectF(left, lane.area.top() + 1.5, right - left, lane.area.height() - 3.0)
        );
    }
    if (!isMine) {
        return;
    }
    const double bottom = lane.area.bottom() - 1.5;
    for (const Frames mark : marks_) {
        const Frames now = drawnOut(mark);
        const bool isCaught = caughtOn_ && std::abs((now - *caughtOn_).count()) <= 1;
        const double x = lanes_.xOf(now);
        painter.setPen(QPen(isCaught ? colours.straw : colours.ink, isCaught ? 2.4 : 1.0));
        painter.drawLine(
            QPointF(x, isCaught ? lane.area.top() + 1.5 : bottom - 9.0), QPointF(x, bottom)
        );
    }
}

}  // namespace orthochron::app
