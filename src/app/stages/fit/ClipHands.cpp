#include "app/stages/fit/ClipHands.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/theme/Theme.h"

#include <set>

namespace orthochron::app {

namespace {

constexpr double kEdgePixels = 6.0;
constexpr int kFadePixels = 7;
constexpr double kSnapPixels = 8.0;
constexpr double kLooksGood = 8.0;  // ms: further off than this a hit asks for the next split

}  // namespace

ClipHands::ClipHands(Session& session, LanesView& lanes, QObject* parent)
    : QObject(parent), session_(session), lanes_(lanes)
{
    settings.join.crossfade = toFrames(milliseconds(5.0), session.song().rate);
}

ClipChoice ClipHands::scope() const
{
    const Song& song = session_.song();
    if (!session_.clips().empty()) {
        return session_.clips();
    }
    const std::vector tracks{session_.track()};
    if (const auto& range = session_.range()) {
        return withTheirSet(song, clipsWithin(song, tracks, range->from, range->to));
    }
    const Frames at = session_.player.position();
    return withTheirSet(song, clipsWithin(song, tracks, at, at + Frames(1)));
}

QString ClipHands::scopeText() const
{
    const ClipChoice choice = scope();
    const auto span = spanOf(session_.song(), choice);
    if (!span) {
        return tr("No clip chosen");
    }
    const QString from = placeText(session_.song(), span->from).place;
    std::set<Frames> starts;
    for (const PlacedClip& placed : clipsOf(session_.song(), choice)) {
        starts.insert(placed.clip.at);
    }
    const auto count = static_cast<int>(starts.size());
    const auto track = session_.song().track(session_.track());
    const MicSet* set = track ? session_.song().setOf(track->id) : nullptr;
    const QString where = set != nullptr ? QString::fromStdString(set->name)
                          : track        ? QString::fromStdString(track->name)
                                         : QString();
    return count == 1 ? tr("%1, 1 clip at %2").arg(where, from)
                      : tr("%1, %2 clips from %3").arg(where).arg(count).arg(from);
}

void ClipHands::apply(Result<Song> edited, const QString& what, std::size_t clips)
{
    if (session_.document.apply(std::move(edited), what)) {
        session_.say(clips > 1 ? tr("%1: %2 clips on all microphones").arg(what).arg(clips) : what);
    }
    Q_EMIT changed();
}

// ---- mouse

const Clip* ClipHands::clipAt(const Lane& lane, double x) const
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

ClipHands::Grip ClipHands::gripAt(const Lane& lane, QPoint place, Qt::KeyboardModifiers held) const
{
    const Clip* clip = clipAt(lane, place.x());
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
    if (isWide && start <= kEdgePixels) {
        return Grip::Start;
    }
    if (isWide && end <= kEdgePixels) {
        return Grip::End;
    }
    return (held & Qt::ShiftModifier) != 0 ? Grip::Slip : Grip::Body;
}

Frames ClipHands::snapped(TrackId id, Frames songTime, Qt::KeyboardModifiers held) const
{
    if (snap == Snap::Off || (held & Qt::ControlModifier) != 0) {
        return songTime;
    }
    const Song& song = session_.song();
    std::vector<Frames> places;
    const Frames reach(
        static_cast<std::int64_t>(kSnapPixels * session_.scale().framesPerPixel) + 1
    );
    const Span near{songTime - reach - Frames(1), songTime + reach};
    if (snap == Snap::Grid) {
        places = gridTimes(song, near);
    } else if (snap == Snap::Marks) {
        if (const MicSet* set = song.setOf(id)) {
            places =
                markTimes(song, *set, near, toFrames(session_.request.joins.leadIn, song.rate));
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

void ClipHands::hover(const Lane* lane, QPoint place, Qt::KeyboardModifiers modifiers)
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

bool ClipHands::press(const Lane& lane, QMouseEvent& event)
{
    grip_ = gripAt(lane, event.pos(), event.modifiers());
    if (grip_ == Grip::None) {
        return false;
    }
    const ClipId clip = clipAt(lane, event.position().x())->id;
    session_.setTrack(lane.track);
    ClipChoice choice = session_.clips();
    const bool isChosen = std::ranges::find(choice, clip) != choice.end();
    const bool isFade = grip_ == Grip::FadeIn || grip_ == Grip::FadeOut;
    isSameForAll_ = (event.modifiers() & Qt::ControlModifier) != 0;
    if (isSameForAll_ && !isFade) {
        const ClipChoice whole = withTheirSet(session_.song(), {clip});
        if (isChosen) {
            std::erase_if(choice, [&](ClipId id) {
                return std::ranges::find(whole, id) != whole.end();
            });
        } else {
            choice.insert(choice.end(), whole.begin(), whole.end());
        }
        session_.setClips(choice);
        grip_ = Grip::None;
        return true;
    }
    if (!isChosen) {
        session_.setClips(withTheirSet(session_.song(), {clip}));
    }
    pressedTrack_ = lane.track;
    overTrack_ = lane.track;
    pressedClip_ = clip;
    pressedTime_ = lanes_.timeAt(event.position().x());
    by_ = Frames(0);
    splitLine_.reset();
    return true;
}

void ClipHands::move(QMouseEvent& event)
{
    const auto placed = clipOf(session_.song(), pressedClip_);
    if (grip_ == Grip::None || !placed) {
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
    if (grip_ == Grip::Slip) {
        by_ = slipReach(session_.song(), session_.clips(), raw);
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
        tr("%1 %2 ms, %3 samples")
            .arg(what)
            .arg(inMilliseconds(toSeconds(by_, rate)), 0, 'f', 2)
            .arg(by_.count()),
        event.pos()
    );
}

void ClipHands::release()
{
    const Grip was = std::exchange(grip_, Grip::None);
    const Song& song = session_.song();
    const Sources& sources = *session_.document.sources();
    const ClipChoice choice = session_.clips();
    const bool isElsewhere = was == Grip::Body && overTrack_ != pressedTrack_;
    if (was == Grip::None || (by_ == Frames(0) && !isElsewhere)) {
        return;
    }
    const Frames by = std::exchange(by_, Frames(0));
    switch (was) {
    case Grip::Start:
    case Grip::End: {
        const Edge edge = was == Grip::Start ? Edge::Start : Edge::End;
        apply(trimClips(song, {pressedClip_}, edge, by, settings, sources), tr("Trim clip"), 1);
        return;
    }
    case Grip::FadeIn:
    case Grip::FadeOut: releaseFade(was, by); return;
    case Grip::Slip:
        apply(slipClips(song, choice, by, settings, sources), tr("Slip clips"), choice.size());
        return;
    case Grip::Body:
        if (isElsewhere) {
            apply(
                moveToTrack(song, {pressedClip_}, overTrack_, settings, sources),
                tr("Move clip to another track"),
                1
            );
            return;
        }
        apply(moveClips(song, choice, by, settings, sources), tr("Move clips"), choice.size());
        return;
    case Grip::None: return;
    }
}

bool ClipHands::doubleClick(const Lane& lane, QMouseEvent& event)
{
    if (gripAt(lane, event.pos(), {}) != Grip::Body) {
        return false;
    }
    const ClipId clip = clipAt(lane, event.position().x())->id;
    const Frames at = snapped(lane.track, lanes_.timeAt(event.position().x()), event.modifiers());
    apply(
        splitClips(session_.song(), {clip}, {at}, settings, *session_.document.sources()),
        tr("Split clip"),
        1
    );
    return true;
}

std::pair<QString, Qt::CursorShape> ClipHands::hintAt(const Lane& lane, QPoint place) const
{
    switch (gripAt(lane, place, {})) {
    case Grip::Start:
    case Grip::End: return {tr("Drag the edge to trim, or to pull it back out"), Qt::SizeHorCursor};
    case Grip::FadeIn:
    case Grip::FadeOut:
        return {
            tr("Drag the fade: all chosen clips change by as much, with Ctrl to the same length"),
            Qt::SizeHorCursor};
    case Grip::Body:
        return {
            tr("Drag to move, Shift-drag to slip the audio inside, double-click to split at the "
               "line"),
            Qt::OpenHandCursor};
    default: return {};
    }
}

// ---- painting

void ClipHands::paintLane(QPainter& painter, const Lane& lane) const
{
    const auto track = session_.song().track(lane.track);
    const Palette& colours = Theme::palette();
    const std::set<ClipId> chosen(session_.clips().begin(), session_.clips().end());
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
        QStringList said;
        if (clip.isMuted) {
            said << tr("muted");
        }
        if (clip.isReversed) {
            said << tr("backwards");
        }
        if (clip.isLocked) {
            said << tr("locked");
        }
        if (clip.gain != 1.0F) {
            said << tr("%1 dB").arg(toDecibels(static_cast<double>(clip.gain)), 0, 'f', 1);
        }
        if (!said.isEmpty() && right - left > 40.0) {
            painter.setFont(Theme::label(8));
            painter.setPen(colours.ink);
            painter.drawText(
                box.adjusted(4, 1, -2, 0),
                Qt::AlignLeft | Qt::AlignTop,
                said.join(QStringLiteral(", "))
            );
        }
    }
    if (splitLine_) {
        const bool isMine =
            splitTrack_ == lane.track || (lane.set.isValid() && splitLine_->first == lane.set);
        if (isMine) {
            const double x = lanes_.xOf(splitLine_->second);
            painter.setPen(QPen(colours.ink, 1.2, Qt::DashLine));
            painter.drawLine(QPointF(x, lane.area.top()), QPointF(x, lane.area.bottom()));
        }
    }
    if ((grip_ == Grip::Slip || grip_ == Grip::Body) && by_ != Frames(0)) {
        paintProposal(painter, lane);
    }
}

// The curves of fades with silence, and of the one being dragged.
void ClipHands::paintFades(QPainter& painter, const Lane& lane, const Clip& clip, bool isChosen)
    const
{
    const double top = lane.area.top() + 3.0;
    const double tall = lane.area.height() - 6.0;
    const auto curve = [&](Fade fade, bool isIn, Frames by) {
        const Frames length = fade.length + by;
        const double wide = lanes_.xOf(clip.at + length) - lanes_.xOf(clip.at);
        if (wide < 2.0) {
            return;
        }
        QPolygonF line;
        for (int step = 0; step <= 24; ++step) {
            const double part = step / 24.0;
            const FadeGains gains = fade.gainsAt(part);
            const double from = isIn ? lanes_.xOf(clip.at) : lanes_.xOf(clip.end() - length);
            line << QPointF(from + part * wide, top + tall * (1.0 - (isIn ? gains.in : gains.out)));
        }
        painter.setPen(QPen(Theme::palette().ink, 1.2));
        painter.setBrush(Qt::NoBrush);
        painter.drawPolyline(line);
    };
    curve(clip.in, true, isChosen && grip_ == Grip::FadeIn ? by_ : Frames(0));
    curve(clip.out, false, isChosen && grip_ == Grip::FadeOut ? by_ : Frames(0));
}

void ClipHands::releaseFade(Grip was, Frames by)
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
    fade(change);
}

// While a clip is slipped or moved: how each of its hits would then lean, and where to split next.
void ClipHands::paintProposal(QPainter& painter, const Lane& lane) const
{
    const Song& song = session_.song();
    const auto span = spanOf(song, session_.clips());
    const auto& preview = session_.preview();
    if (!span) {
        return;
    }
    const Palette& colours = Theme::palette();
    const double top = lane.area.top() + 4.0;
    const double bottom = lane.area.bottom() - 5.0;
    const double tolerance = std::max(1.0, inMilliseconds(session_.request.fit.leaveWithin));
    bool wasGood = false;
    bool isProposed = false;
    for (const JudgedHit& hit : preview.performance.hits) {
        const Frames heard = session_.heardAt(hit.played.beatPoint);
        if (hit.role != HitRole::Main || heard < span->from || heard >= span->to) {
            continue;
        }
        const Frames now = heard + by_;
        const double offMs = inMilliseconds(toSeconds(now, song.rate) - hit.line.time);
        const auto lead = static_cast<std::size_t>(hit.played.lead);
        if (preview.origin.leads[lead] == lane.track) {
            const double x = lanes_.xOf(now);
            const double least = Theme::kLeanPerMs * std::abs(offMs);
            const double straight = lanes_.xOf(toFrames(hit.line.time, song.rate)) - x;
            const double lean =
                std::abs(straight) >= least ? straight : (offMs > 0.0 ? -least : least);
            painter.setPen(QPen(Theme::colourOf(offMs, tolerance), 2.0));
            painter.drawLine(QPointF(x, bottom), QPointF(x + lean, top));
        }
        if (std::abs(offMs) <= kLooksGood) {
            wasGood = true;
        } else if (wasGood && !isProposed && lane.set == session_.song().setOf(pressedTrack_)->id) {
            const Frames at = session_.heardAt(hit.played.start) + by_ -
                              toFrames(session_.request.joins.leadIn, song.rate);
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

// ---- keys

void ClipHands::splitAtPlayhead()
{
    std::vector<Frames> times{session_.player.position()};
    if (const auto& range = session_.range()) {
        times = {range->from, range->to};
    }
    const ClipChoice choice = scope();
    apply(
        splitClips(session_.song(), choice, times, settings, *session_.document.sources()),
        session_.range() ? tr("Split at the chosen range") : tr("Split at the playhead"),
        1
    );
}

void ClipHands::splitAtMarks()
{
    const Song& song = session_.song();
    const ClipChoice choice = scope();
    const auto span = spanOf(song, choice);
    const MicSet* set = song.setOf(session_.track());
    if (!span || set == nullptr) {
        session_.say(tr("Choose clips of a mic set first"));
        return;
    }
    const auto times =
        markTimes(song, *set, *span, toFrames(session_.request.joins.leadIn, song.rate));
    apply(
        splitClips(song, choice, times, settings, *session_.document.sources()),
        tr("Split at %1 marks").arg(times.size()),
        1
    );
}

void ClipHands::splitAtGrid()
{
    const ClipChoice choice = scope();
    if (const auto span = spanOf(session_.song(), choice)) {
        const auto times = gridTimes(session_.song(), *span);
        apply(
            splitClips(session_.song(), choice, times, settings, *session_.document.sources()),
            tr("Split at %1 grid lines").arg(times.size()),
            1
        );
    }
}

void ClipHands::join()
{
    const ClipChoice choice = scope();
    apply(
        joinClips(session_.song(), choice, settings, *session_.document.sources()),
        tr("Join clips"),
        choice.size()
    );
}

void ClipHands::remove()
{
    const ClipChoice choice = scope();
    apply(
        deleteClips(session_.song(), choice, settings, *session_.document.sources()),
        tr("Delete clips"),
        choice.size()
    );
}

void ClipHands::mute()
{
    const ClipChoice choice = scope();
    const auto first = choice.empty() ? std::nullopt : clipOf(session_.song(), choice.front());
    const bool isMuted = first && first->clip.isMuted;
    apply(
        muteClips(session_.song(), choice, !isMuted),
        isMuted ? tr("Unmute clips") : tr("Mute clips"),
        choice.size()
    );
}

void ClipHands::reverse()
{
    const ClipChoice choice = scope();
    apply(
        reverseClips(session_.song(), choice, settings, *session_.document.sources()),
        tr("Reverse clips"),
        choice.size()
    );
}

void ClipHands::lock()
{
    const ClipChoice choice = scope();
    const auto first = choice.empty() ? std::nullopt : clipOf(session_.song(), choice.front());
    const bool isLocked = first && first->clip.isLocked;
    apply(
        lockClips(session_.song(), choice, !isLocked),
        isLocked ? tr("Unlock clips") : tr("Lock clips"),
        choice.size()
    );
}

void ClipHands::lockSet()
{
    const auto track = session_.song().track(session_.track());
    if (!track) {
        return;
    }
    const MicSet* set = session_.song().setOf(track->id);
    const auto tracks = set != nullptr ? set->tracks : std::vector{track->id};
    apply(
        lockTracks(session_.song(), tracks, !track->isLocked),
        track->isLocked ? tr("Unlock the mic set") : tr("Lock the mic set"),
        1
    );
}

void ClipHands::copy()
{
    copied_ = scope();
    session_.say(copied_.empty() ? tr("No clip to copy") : tr("Copied %1").arg(scopeText()));
}

void ClipHands::paste()
{
    apply(
        copyClips(
            session_.song(),
            copied_,
            session_.player.position(),
            1,
            settings,
            *session_.document.sources()
        ),
        tr("Paste clips"),
        copied_.size()
    );
}

void ClipHands::duplicate(int times)
{
    const ClipChoice choice = scope();
    if (const auto span = spanOf(session_.song(), choice)) {
        apply(
            copyClips(
                session_.song(), choice, span->to, times, settings, *session_.document.sources()
            ),
            times == 1 ? tr("Duplicate clips") : tr("Repeat clips %1 times").arg(times),
            choice.size()
        );
    }
}

void ClipHands::gain(double decibels, bool isRelative)
{
    const ClipChoice choice = scope();
    apply(
        gainClips(session_.song(), choice, decibels, isRelative), tr("Gain of clips"), choice.size()
    );
}

void ClipHands::fade(const FadeChange& change)
{
    const ClipChoice choice = scope();
    apply(fadeClips(session_.song(), choice, change), tr("Fades of clips"), choice.size());
}

void ClipHands::nudge(Seconds by)
{
    const ClipChoice choice = scope();
    const Hertz rate = session_.song().rate;
    Frames frames = toFrames(by, rate);
    if (frames == Frames(0)) {
        frames = Frames(by > Seconds(0.0) ? 1 : -1);
    }
    apply(
        moveClips(session_.song(), choice, frames, settings, *session_.document.sources()),
        tr("Nudge clips"),
        choice.size()
    );
}

void ClipHands::slip(Seconds by)
{
    const ClipChoice choice = scope();
    const Frames frames = toFrames(by, session_.song().rate);
    apply(
        slipClips(session_.song(), choice, frames, settings, *session_.document.sources()),
        tr("Slip clips"),
        choice.size()
    );
}

void ClipHands::toTrack(int by)
{
    const Song& song = session_.song();
    const auto here = std::ranges::find_if(song.tracks, [&](const auto& track) {
        return track->id == session_.track();
    });
    const auto place = here - song.tracks.begin() + by;
    if (place < 0 || place >= static_cast<std::ptrdiff_t>(song.tracks.size())) {
        session_.say(tr("There is no track there"));
        return;
    }
    ClipChoice own;
    for (const PlacedClip& placed : clipsOf(song, scope())) {
        if (placed.track == session_.track()) {
            own.push_back(placed.clip.id);
        }
    }
    const TrackId target = song.tracks[static_cast<std::size_t>(place)]->id;
    apply(
        moveToTrack(song, own, target, settings, *session_.document.sources()),
        tr("Move clips to another track"),
        own.size()
    );
    session_.setTrack(target);
}

void ClipHands::chooseTrack()
{
    const std::vector tracks{session_.track()};
    session_.setClips(
        clipsWithin(session_.song(), tracks, Frames(0), session_.song().length() + Frames(1))
    );
}

void ClipHands::chooseRange()
{
    const MicSet* set = session_.song().setOf(session_.track());
    const auto tracks = set != nullptr ? set->tracks : std::vector{session_.track()};
    if (const auto& range = session_.range()) {
        session_.setClips(clipsWithin(session_.song(), tracks, range->from, range->to));
    }
}

void ClipHands::step(int by)
{
    const auto track = session_.song().track(session_.track());
    if (!track || track->clips.empty()) {
        return;
    }
    const ClipChoice& choice = session_.clips();
    auto here = std::ranges::find_if(track->clips, [&](const Clip& clip) {
        return std::ranges::find(choice, clip.id) != choice.end();
    });
    if (here == track->clips.end()) {
        const Frames now = session_.player.position();
        here =
            std::ranges::find_if(track->clips, [&](const Clip& clip) { return clip.end() > now; });
        here = here == track->clips.end() ? std::prev(here) : here;
    } else {
        const auto place = here - track->clips.begin() + by;
        const auto last = static_cast<std::ptrdiff_t>(track->clips.size()) - 1;
        here = track->clips.begin() + std::clamp<std::ptrdiff_t>(place, 0, last);
    }
    const Frames at = here->at;
    session_.setClips(withTheirSet(session_.song(), {here->id}));
    session_.reveal(at);
    session_.player.seek(at);
}

}  // namespace orthochron::app
