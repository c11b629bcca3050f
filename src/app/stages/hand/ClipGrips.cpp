#include "app/stages/hand/ClipGrips.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/controls/Counted.h"
#include "app/theme/Theme.h"
#include "app/views/ShapePainter.h"

#include <set>

namespace orthochron::app {

namespace {

constexpr double kEdgePixels = 6.0;
constexpr int kFadePixels = 7;
constexpr double kSnapPixels = 8.0;
constexpr double kLeastBent = 16.0;  // px, of a fade whose curve can be taken hold of
constexpr double kNearCurve = 4.0;
constexpr double kLooksGood = 8.0;  // ms: further off than this a hit asks for the next split

}  // namespace

ClipGrips::ClipGrips(Session& session, LanesView& lanes, ClipHands& hands)
    : session_(session), lanes_(lanes), hands_(hands), stretch_(session, lanes, hands)
{}

const Clip* ClipGrips::clipAt(const Lane& lane, double x) const
{
    const auto track = session_.song().track(lane.track);
    const Clip* found = nullptr;
    for (const Clip& clip : track->clips) {
        if (lanes_.xOf(clip.at) <= x && lanes_.xOf(clip.end()) >= x) {
            found = &clip;  // the later one where two overlap: it is on top
        }
    }
    return found;
}

ClipGrips::Grip ClipGrips::gripAt(const Lane& lane, QPoint place, Qt::KeyboardModifiers held) const
{
    const Clip* clip = clipAt(lane, place.x());
    if (clip != nullptr && isOnFade(lane, *clip, true, place)) {
        return Grip::BendIn;
    }
    if (clip != nullptr && isOnFade(lane, *clip, false, place)) {
        return Grip::BendOut;
    }
    // The lower third of a lane always selects time.
    if (clip == nullptr || place.y() > lane.area.bottom() - lane.area.height() / 3) {
        return Grip::None;
    }
    // The upper corners, and where a fade ends, are the fades' grips.
    if (place.y() <= lane.area.top() + kFadePixels) {
        const double in = lanes_.xOf(clip->at + clip->in.length);
        const double out = lanes_.xOf(clip->end() - clip->out.length);
        if (std::abs(place.x() - in) <= kEdgePixels) {
            return Grip::FadeIn;
        }
        if (std::abs(place.x() - out) <= kEdgePixels) {
            return Grip::FadeOut;
        }
    }
    const double start = place.x() - lanes_.xOf(clip->at);
    const double end = lanes_.xOf(clip->end()) - place.x();
    const bool isWide = start + end > 4.0 * kEdgePixels;
    const bool isOther = (held & Qt::ShiftModifier) != 0;
    if (isWide && start <= kEdgePixels) {
        return isOther ? Grip::StretchStart : Grip::Start;
    }
    if (isWide && end <= kEdgePixels) {
        return isOther ? Grip::StretchEnd : Grip::End;
    }
    return isOther ? Grip::Slip : Grip::Body;
}

bool ClipGrips::isOnFade(const Lane& lane, const Clip& clip, bool isIn, QPoint place) const
{
    const Fade& fade = isIn ? clip.in : clip.out;
    const double from = lanes_.xOf(isIn ? clip.at : clip.end() - fade.length);
    const double wide = lanes_.xOf(isIn ? clip.at + fade.length : clip.end()) - from;
    const double part = (place.x() - from) / wide;
    // At its ends a fade is gripped by its length.
    if (wide < kLeastBent || place.x() < from + kEdgePixels ||
        place.x() > from + wide - kEdgePixels) {
        return false;
    }
    const auto track = session_.song().track(lane.track);
    const bool meets = std::ranges::any_of(track->clips, [&](const Clip& other) {
        return other.id != clip.id && other.at < clip.end() && other.end() > clip.at &&
               (isIn ? other.at < clip.at : other.at > clip.at);
    });
    const FadeGains gains = fade.gainsAt(part, 0.0);
    const double y = ShapePainter::fadeTop(lane.area) +
                     ShapePainter::fadeHeight(lane.area) * (1.0 - (isIn ? gains.in : gains.out));
    return !meets && std::abs(place.y() - y) <= kNearCurve;
}

// So that the curve runs under the pointer.
void ClipGrips::moveBend(const Clip& clip, QMouseEvent& event)
{
    const bool isIn = grip_ == Grip::BendIn;
    const Fade& fade = isIn ? clip.in : clip.out;
    const double from = lanes_.xOf(isIn ? clip.at : clip.end() - fade.length);
    const double wide = lanes_.xOf(isIn ? clip.at + fade.length : clip.end()) - from;
    const double part = std::clamp((event.position().x() - from) / wide, 0.05, 0.95);
    const double gain = std::clamp(
        1.0 - (event.position().y() - ShapePainter::fadeTop(pressedLane_)) /
                  ShapePainter::fadeHeight(pressedLane_),
        0.01,
        0.99
    );
    middle_ = middleThrough(fade, part, gain, isIn);
    Fade bent = fade;
    bent.middle = middle_;
    const FadeGains now = bent.gainsAt(part, 0.0);
    const double here = isIn ? now.in : now.out;
    const bool isOver = isIn ? middle_ < 0.5F : middle_ > 0.5F;
    lanes_.setReadout(
        tr("%1, %2, %3 dB")
            .arg(isIn ? tr("fade in") : tr("fade out"))
            .arg(
                middle_ == 0.5F ? tr("straight")
                : isOver        ? tr("convex")
                                : tr("concave")
            )
            .arg(toDecibels(here), 0, 'f', 1),
        event.pos()
    );
}

Frames ClipGrips::snapped(TrackId id, Frames songTime, Qt::KeyboardModifiers held) const
{
    if (hands_.snap == ClipHands::Snap::Off || (held & Qt::ControlModifier) != 0) {
        return songTime;
    }
    const Song& song = session_.song();
    std::vector<Frames> places;
    const Frames reach(
        static_cast<std::int64_t>(kSnapPixels * session_.shown.scale().framesPerPixel) + 1
    );
    const Span near{songTime - reach - Frames(1), songTime + reach};
    if (hands_.snap == ClipHands::Snap::Grid) {
        places = gridTimes(song, near);
    } else if (hands_.snap == ClipHands::Snap::Marks) {
        if (const MicSet* set = song.setOf(id)) {
            places = markTimes(
                song, *set, near, toFrames(session_.fitting.request.joins.leadIn, song.rate)
            );
        }
    } else if (const auto track = song.track(id)) {
        for (const Clip& clip : track->clips) {
            places.push_back(clip.at);
            places.push_back(clip.end());
        }
    }
    Frames best = songTime;
    double least = kSnapPixels;
    for (const Frames place : places) {
        const double away = std::abs(lanes_.xOf(place) - lanes_.xOf(songTime));
        if (away < least) {
            least = away;
            best = place;
        }
    }
    return best;
}

void ClipGrips::hover(const Lane* lane, QPoint place, Qt::KeyboardModifiers modifiers)
{
    const auto before = splitLine_;
    splitLine_.reset();
    if (lane != nullptr && gripAt(*lane, place, modifiers) == Grip::Body) {
        const Frames at = snapped(lane->track, lanes_.timeAt(place.x()), modifiers);
        splitLine_ = {lane->set, at};
        splitTrack_ = lane->track;
    }
    if (splitLine_ != before) {
        lanes_.update();
    }
}

bool ClipGrips::press(const Lane& lane, QMouseEvent& event)
{
    grip_ = gripAt(lane, event.pos(), event.modifiers());
    if (grip_ == Grip::None) {
        return false;
    }
    const ClipId clip = clipAt(lane, event.position().x())->id;
    session_.choice.setTrack(lane.track);
    ClipChoice choice = session_.choice.clips();
    const bool isChosen = std::ranges::find(choice, clip) != choice.end();
    if (grip_ == Grip::StretchStart || grip_ == Grip::StretchEnd) {
        const Edge edge = grip_ == Grip::StretchStart ? Edge::Start : Edge::End;
        stretch_.begin(*clipAt(lane, event.position().x()), edge, lane.track);
    }
    const bool isFade = grip_ == Grip::FadeIn || grip_ == Grip::FadeOut || grip_ == Grip::BendIn ||
                        grip_ == Grip::BendOut;
    isSameForAll_ = (event.modifiers() & Qt::ControlModifier) != 0;
    if (isSameForAll_ && !isFade && !stretch_.isOn()) {
        const ClipChoice whole = withTheirSet(session_.song(), {clip});
        if (isChosen) {
            std::erase_if(choice, [&](ClipId id) {
                return std::ranges::find(whole, id) != whole.end();
            });
        } else {
            choice.insert(choice.end(), whole.begin(), whole.end());
        }
        session_.choice.setClips(choice);
        grip_ = Grip::None;
        return true;
    }
    if (!isChosen) {
        session_.choice.setClips(withTheirSet(session_.song(), {clip}));
    }
    pressedLane_ = lane.area;
    if (const auto placed = clipOf(session_.song(), clip)) {
        middle_ = (grip_ == Grip::BendIn ? placed->clip.in : placed->clip.out).middle;
    }
    pressedTrack_ = lane.track;
    overTrack_ = lane.track;
    pressedClip_ = clip;
    pressedTime_ = lanes_.timeAt(event.position().x());
    by_ = Frames(0);
    splitLine_.reset();
    return true;
}

void ClipGrips::move(QMouseEvent& event)
{
    const auto placed = clipOf(session_.song(), pressedClip_);
    if (grip_ == Grip::None || !placed) {
        return;
    }
    if (grip_ == Grip::BendIn || grip_ == Grip::BendOut) {
        moveBend(placed->clip, event);
        lanes_.update();
        return;
    }
    const Frames raw = lanes_.timeAt(event.position().x()) - pressedTime_;
    const Hertz rate = session_.song().rate;
    if (grip_ == Grip::FadeIn || grip_ == Grip::FadeOut) {
        const bool isIn = grip_ == Grip::FadeIn;
        const Frames was = isIn ? placed->clip.in.length : placed->clip.out.length;
        by_ = std::clamp(isIn ? raw : -raw, -was, placed->clip.length - was);
        lanes_.setReadout(
            (isIn ? tr("fade in %1 ms") : tr("fade out %1 ms"))
                .arg(inMilliseconds(toSeconds(was + by_, rate)), 0, 'f', 1),
            event.pos()
        );
        return;
    }
    if (stretch_.isOn()) {
        const Frames place = stretch_.edge() + raw;
        const bool catches =
            hands_.snap != ClipHands::Snap::Off && (event.modifiers() & Qt::ControlModifier) == 0;
        stretch_.moveTo(place, snapped(pressedTrack_, place, event.modifiers()), catches);
        lanes_.setReadout(stretch_.reading(), event.pos());
        return;
    }
    if (grip_ == Grip::Slip) {
        by_ = slipReach(session_.song(), session_.choice.clips(), raw);
    } else {
        const Frames held = grip_ == Grip::End ? placed->clip.end() : placed->clip.at;
        by_ = snapped(pressedTrack_, held + raw, event.modifiers()) - held;
    }
    if (const Lane* over = lanes_.laneAt(event.pos())) {
        overTrack_ = over->track;
    }
    const QString what = grip_ == Grip::Slip   ? tr("slip")
                         : grip_ == Grip::Body ? tr("move")
                                               : tr("trim");
    lanes_.setReadout(
        tr("%1 %2, %3 samples").arg(what, durationText(toSeconds(by_, rate))).arg(by_.count()),
        event.pos()
    );
}

void ClipGrips::release()
{
    const Grip was = std::exchange(grip_, Grip::None);
    if (stretch_.isOn()) {
        stretch_.release();
        return;
    }
    if (was == Grip::BendIn || was == Grip::BendOut) {
        const auto placed = clipOf(session_.song(), pressedClip_);
        const bool isIn = was == Grip::BendIn;
        if (placed && middle_ != (isIn ? placed->clip.in : placed->clip.out).middle) {
            FadeChange change{.middle = middle_};
            (isIn ? change.inBy : change.outBy) = Frames(0);
            hands_.fade(change);
        }
        return;
    }
    const Song& song = session_.song();
    const ClipChoice choice = session_.choice.clips();
    const bool isElsewhere = was == Grip::Body && overTrack_ != pressedTrack_;
    if (was == Grip::None || (by_ == Frames(0) && !isElsewhere)) {
        return;
    }
    const Frames by = std::exchange(by_, Frames(0));
    switch (was) {
    case Grip::Start:
    case Grip::End: {
        const Edge edge = was == Grip::Start ? Edge::Start : Edge::End;
        hands_.apply(
            trimClips(song, {pressedClip_}, edge, by, hands_.settings), tr("Trim clip"), 1
        );
        return;
    }
    case Grip::FadeIn:
    case Grip::FadeOut: releaseFade(was, by); return;
    case Grip::Slip:
        hands_.apply(slipClips(song, choice, by, hands_.settings), tr("Slip clips"), choice.size());
        return;
    case Grip::Body:
        if (isElsewhere) {
            hands_.apply(
                moveToTrack(song, {pressedClip_}, overTrack_, hands_.settings),
                tr("Move clip to track"),
                1
            );
            return;
        }
        hands_.apply(moveClips(song, choice, by, hands_.settings), tr("Move clips"), choice.size());
        return;
    case Grip::StretchStart:
    case Grip::StretchEnd:
    case Grip::BendIn:
    case Grip::BendOut:
    case Grip::None: return;
    }
}

bool ClipGrips::doubleClick(const Lane& lane, QMouseEvent& event)
{
    if (gripAt(lane, event.pos(), {}) != Grip::Body) {
        return false;
    }
    const ClipId clip = clipAt(lane, event.position().x())->id;
    const Frames at = snapped(lane.track, lanes_.timeAt(event.position().x()), event.modifiers());
    hands_.apply(splitClips(session_.song(), {clip}, {at}, hands_.settings), tr("Split clip"), 1);
    return true;
}

std::pair<QString, Qt::CursorShape> ClipGrips::hintAt(const Lane& lane, QPoint place) const
{
    switch (gripAt(lane, place, {})) {
    case Grip::Start:
    case Grip::End:
        return {tr("Drag to trim, or to reveal audio beyond the edge."), Qt::SizeHorCursor};
    case Grip::FadeIn:
    case Grip::FadeOut:
        return {
            tr("Drag the fade; all selected clips change equally. Ctrl: same length."),
            Qt::SizeHorCursor};
    case Grip::BendIn:
    case Grip::BendOut: return {tr("Drag up or down to bend the curve."), Qt::SizeVerCursor};
    case Grip::Body:
        return {
            tr("Drag to move. Shift: slip audio. Double-click: split at grid line."),
            Qt::OpenHandCursor};
    default: return {};
    }
}

// ---- painting

void ClipGrips::paintLane(QPainter& painter, const Lane& lane) const
{
    const auto track = session_.song().track(lane.track);
    const Palette& colours = Theme::palette();
    const std::set<ClipId> chosen(session_.choice.clips().begin(), session_.choice.clips().end());
    for (const Clip& clip : track->clips) {
        double left = lanes_.xOf(clip.at);
        double right = lanes_.xOf(clip.end());
        const bool isChosen = chosen.contains(clip.id);
        if (isChosen && grip_ == Grip::Body) {
            left = lanes_.xOf(clip.at + by_);
            right = lanes_.xOf(clip.end() + by_);
        } else if (isChosen && grip_ == Grip::Start) {
            left = lanes_.xOf(clip.at + by_);
        } else if (isChosen && grip_ == Grip::End) {
            right = lanes_.xOf(clip.end() + by_);
        }
        if (right < lane.area.left() || left > lane.area.right()) {
            continue;
        }
        const QRectF box(left, lane.area.top() + 1.5, right - left, lane.area.height() - 3.0);
        if (isChosen) {
            QColor straw = colours.straw;
            straw.setAlpha(90);
            painter.fillRect(box, straw);
        }
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(isChosen ? colours.ink : colours.barLine, isChosen ? 1.4 : 1.0));
        if (right - left > 3.0) {
            painter.drawRect(box);
        }
        paintFades(painter, lane, clip, isChosen);
        paintSigns(painter, box, clip);
    }
    paintSplitLine(painter, lane);
    if (stretch_.isOn()) {
        stretch_.paint(painter, lane);
    }
    if ((grip_ == Grip::Slip || grip_ == Grip::Body) && by_ != Frames(0)) {
        paintProposal(painter, lane);
    }
}

// What is out of the ordinary about a clip, in words.
void ClipGrips::paintSigns(QPainter& painter, const QRectF& box, const Clip& clip) const
{
    QStringList said;
    if (clip.isMuted) {
        said << tr("muted");
    }
    if (clip.isReversed) {
        said << tr("reversed");
    }
    if (clip.isLocked) {
        said << tr("locked");
    }
    if (clip.gain != 1.0F) {
        said << tr("%1 dB").arg(toDecibels(static_cast<double>(clip.gain)), 0, 'f', 1);
    }
    if (!said.isEmpty() && box.width() > 40.0) {
        painter.setFont(Theme::label(8));
        painter.setPen(Theme::palette().ink);
        painter.drawText(
            box.adjusted(4, 1, -2, 0), Qt::AlignLeft | Qt::AlignTop, said.join(QStringLiteral(", "))
        );
    }
}

void ClipGrips::paintSplitLine(QPainter& painter, const Lane& lane) const
{
    if (splitLine_) {
        const bool isMine =
            splitTrack_ == lane.track || (lane.set.isValid() && splitLine_->first == lane.set);
        if (isMine) {
            const double x = lanes_.xOf(splitLine_->second);
            painter.setPen(QPen(Theme::palette().ink, 1.2, Qt::DashLine));
            painter.drawLine(QPointF(x, lane.area.top()), QPointF(x, lane.area.bottom()));
        }
    }
}

// The curves of fades with silence, and of the one being dragged.
void ClipGrips::paintFades(QPainter& painter, const Lane& lane, const Clip& clip, bool isChosen)
    const
{
    Clip bent = clip;
    if (isChosen && grip_ == Grip::BendIn) {
        bent.in.middle = middle_;
    } else if (isChosen && grip_ == Grip::BendOut) {
        bent.out.middle = middle_;
    }
    ShapePainter(lanes_, session_)
        .paintFades(
            painter,
            lane.area,
            bent,
            ShapePainter::Ink::Full,
            isChosen && grip_ == Grip::FadeIn ? by_ : Frames(0),
            isChosen && grip_ == Grip::FadeOut ? by_ : Frames(0)
        );
}

void ClipGrips::releaseFade(Grip was, Frames by)
{
    const auto placed = clipOf(session_.song(), pressedClip_);
    if (!placed) {
        return;
    }
    const bool isIn = was == Grip::FadeIn;
    FadeChange change;
    if (isSameForAll_) {
        const Frames wanted = (isIn ? placed->clip.in.length : placed->clip.out.length) + by;
        (isIn ? change.in : change.out) = wanted;
    } else {
        (isIn ? change.inBy : change.outBy) = by;
    }
    hands_.fade(change);
}

// While a clip is slipped or moved: how each of its hits would then lean, and where to split next.
void ClipGrips::paintProposal(QPainter& painter, const Lane& lane) const
{
    const Song& song = session_.song();
    const auto span = spanOf(song, session_.choice.clips());
    const auto& preview = session_.fitting.preview();
    if (!span) {
        return;
    }
    const Palette& colours = Theme::palette();
    const double top = lane.area.top() + 4.0;
    const double bottom = lane.area.bottom() - 5.0;
    const double tolerance =
        std::max(1.0, inMilliseconds(session_.fitting.request.fit.leaveWithin));
    // The track that is dragged may be in no set, while a kit beside it has hits.
    const MicSet* dragged = session_.song().setOf(pressedTrack_);
    bool wasGood = false;
    bool isProposed = false;
    for (const JudgedHit& hit : preview.performance.hits) {
        const Frames heard = session_.review.heardAt(hit.played.beatPoint);
        if (hit.role != HitRole::Main || heard < span->from || heard >= span->to) {
            continue;
        }
        const Frames now = heard + by_;
        const double offMs = inMilliseconds(toSeconds(now, song.rate) - hit.line.time);
        const auto lead = static_cast<std::size_t>(hit.played.lead);
        if (preview.origin.leads[lead] == lane.track) {
            const double x = lanes_.xOf(now);
            const double lean =
                Theme::leanOf(x, lanes_.xOf(toFrames(hit.line.time, song.rate)), offMs);
            painter.setPen(QPen(Theme::colourOf(offMs, tolerance), 2.0));
            painter.drawLine(QPointF(x, bottom), QPointF(x + lean, top));
        }
        if (std::abs(offMs) <= kLooksGood) {
            wasGood = true;
        } else if (wasGood && !isProposed && dragged != nullptr && lane.set == dragged->id) {
            const Frames at = session_.review.heardAt(hit.played.start) + by_ -
                              toFrames(session_.fitting.request.joins.leadIn, song.rate);
            const double x = lanes_.xOf(at);
            painter.setPen(QPen(colours.finding, 1.2, Qt::DashLine));
            painter.drawLine(QPointF(x, lane.area.top()), QPointF(x, lane.area.bottom()));
            if (lane.isFirstOfSet) {
                painter.setFont(Theme::label(8));
                painter.drawText(QPointF(x + 3, lane.area.top() + 10), tr("next split"));
            }
            isProposed = true;
        }
    }
}

}  // namespace orthochron::app
