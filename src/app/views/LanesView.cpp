#include "app/views/LanesView.h"

#include <QContextMenuEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QSettings>
#include <QWheelEvent>

#include "app/theme/Theme.h"
#include "app/views/LanePainter.h"
#include "app/views/TimeBands.h"
#include "core/edits/TakeEdits.h"

namespace orthochron::app {

namespace {

constexpr int kLeastLane = 30;
constexpr int kMostLane = 150;
constexpr int kSnapPixels = 7;

}  // namespace

LanesView::LanesView(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    setObjectName(QStringLiteral("lanes"));
    setAccessibleName(tr("Song"));
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    connect(&session_.shown, &SongView::changed, this, [this] {
        layOut();
        update();
    });
    connect(&session_.choice, &Choice::changed, this, [this] { update(); });
    connect(&session_.choice, &Choice::trackChanged, this, &LanesView::revealChosen);
    connect(&session_.fitting, &Fitting::changed, this, [this] { update(); });
    connect(&session_.review, &JoinReview::changed, this, [this] { update(); });
    ownHead_ = QSettings().value(QStringLiteral("headWidth"), 0).toInt();
}

void LanesView::setTool(LaneTool* tool)
{
    tool_ = tool;
    layOut();
    revealChosen();
    update();
}

int LanesView::headWidth() const
{
    return ownHead_ > 0 ? ownHead_ : fittingHead_;
}

void LanesView::setHeadWidth(int pixels)
{
    ownHead_ = std::clamp(pixels, kLeastHead, std::max(kLeastHead, width() / 3));
    QSettings().setValue(QStringLiteral("headWidth"), ownHead_);
    layOut();
    update();
}

QRect LanesView::sheet() const
{
    const int top = kRibbonHeight + kRulerHeight;
    return {headWidth(), top, width() - headWidth(), height() - top};
}

QRect LanesView::foot() const
{
    const int height = tool_ != nullptr && !lanes_.empty() ? tool_->footHeight() : 0;
    const QRect area = sheet();
    return {area.left(), area.bottom() + 1 - height, area.width(), height};
}

void LanesView::footChanged()
{
    layOut();
    update();
}

bool LanesView::isInFoot(QPoint place) const
{
    const QRect strip = foot();
    return strip.height() > 0 && place.y() >= strip.top();
}

QRect LanesView::lanesArea() const
{
    return sheet().adjusted(0, 0, 0, -foot().height());
}

void LanesView::setLaneScale(double scale)
{
    laneScale_ = std::clamp(scale, 0.5, 6.0);
    layOut();
    update();
}

void LanesView::layOut()
{
    lanes_.clear();
    const Song& song = session_.song();
    for (const auto& track : song.tracks) {
        const MicSet* set = song.setOf(track->id);
        const bool isOfKit = set != nullptr && !set->isLone();
        if (track->isHidden || (isOfKit && set->isFolded && !track->isLead)) {
            continue;
        }
        Lane lane;
        lane.isOfKit = isOfKit;
        lane.track = track->id;
        lane.set = set != nullptr ? set->id : SetId();
        lanes_.push_back(lane);
    }
    // As wide as the longest name asks for, unless the hand said otherwise.
    const QFontMetrics metrics(Theme::label(10, QFont::DemiBold));
    int widest = 0;
    for (const Lane& lane : lanes_) {
        const QString name = QString::fromStdString(song.track(lane.track)->name);
        widest = std::max(widest, metrics.horizontalAdvance(name));
    }
    fittingHead_ = std::clamp(widest + kHeadRest, kLeastHead, kMostFittingHead);
    if (lanes_.empty()) {
        return;
    }
    const QRect area = lanesArea();
    const int count = static_cast<int>(lanes_.size());
    const int fair =
        static_cast<int>(std::clamp(area.height() / count, kLeastLane, kMostLane) * laneScale_);
    const int laneHeight = std::max(fair, kLeastLane / 2);
    scroll_ = std::clamp(scroll_, 0, std::max(0, laneHeight * count - area.height()));
    int top = area.top() - scroll_;
    for (std::size_t i = 0; i < lanes_.size(); ++i) {
        Lane& lane = lanes_[i];
        lane.area = QRect(area.left(), top, area.width(), laneHeight);
        lane.head = QRect(0, top, headWidth(), laneHeight);
        lane.isFirstOfSet = lane.set.isValid() && (i == 0 || lanes_[i - 1].set != lane.set);
        lane.isLastOfSet =
            lane.set.isValid() && (i + 1 == lanes_.size() || lanes_[i + 1].set != lane.set);
        top += laneHeight;
    }
}

void LanesView::revealChosen()
{
    const auto chosen = std::ranges::find(lanes_, session_.choice.track(), &Lane::track);
    if (chosen == lanes_.end()) {
        return;
    }
    const QRect laid = lanesArea();
    if (chosen->area.top() < laid.top()) {
        scroll_ -= laid.top() - chosen->area.top();
    } else if (chosen->area.bottom() > laid.bottom()) {
        scroll_ += std::min(chosen->area.bottom() - laid.bottom(), chosen->area.top() - laid.top());
    }
    layOut();
    update();
}

const Lane* LanesView::laneAt(QPoint place) const
{
    if (place.y() < sheet().top() || isInFoot(place)) {
        return nullptr;
    }
    const auto found = std::ranges::find_if(lanes_, [&](const Lane& lane) {
        return place.y() >= lane.area.top() && place.y() <= lane.area.bottom();
    });
    return found == lanes_.end() ? nullptr : &*found;
}

void LanesView::setReadout(const QString& text, QPoint at)
{
    readout_ = text;
    readoutAt_ = at;
    update();
}

void LanesView::resizeEvent(QResizeEvent*)
{
    session_.shown.setWidth(sheet().width());
    layOut();
}

// ---- painting

void LanesView::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const TimeBands bands(*this, session_);
    LanePainter lanePainter(*this, session_);
    painter.fillRect(rect(), Theme::palette().paper);
    painter.fillRect(sheet(), Theme::palette().lane);
    painter.setRenderHint(QPainter::Antialiasing, true);
    painter.save();
    const QRect laid = lanesArea();
    painter.setClipRect(QRect(0, sheet().top(), width(), sheet().height()));
    bands.paintGrid(painter);
    for (const Lane& lane : lanes_) {
        if (lane.area.bottom() < sheet().top() || lane.area.top() > height()) {
            continue;
        }
        painter.save();
        painter.setClipRect(lane.area.intersected(laid));
        lanePainter.paintLane(painter, lane, tool_ == nullptr || !tool_->showsShapes());
        if (tool_ != nullptr) {
            tool_->paintLane(painter, lane);
        }
        painter.restore();
    }
    painter.restore();
    for (const Lane& lane : lanes_) {
        painter.save();
        painter.setClipRect(QRect(0, sheet().top(), headWidth(), laid.height()));
        lanePainter.paintHead(painter, lane);
        painter.restore();
    }
    if (const QRect strip = foot(); strip.height() > 0) {
        painter.save();
        painter.setClipRect(strip.adjusted(-headWidth(), 0, 0, 0));
        tool_->paintFoot(painter, strip);
        painter.restore();
    }
    bands.paintRibbon(painter);
    bands.paintRuler(painter);
    if (session_.song().tracks.empty()) {
        paintEmpty(painter);
    }
    paintOver(painter);
}

void LanesView::paintEmpty(QPainter& painter) const
{
    painter.setPen(Theme::palette().ink);
    painter.setFont(Theme::text(15, QFont::DemiBold));
    const QRect area = rect().adjusted(0, sheet().top(), 0, -40);
    painter.drawText(area, Qt::AlignCenter, tr("Drop takes here"));
    painter.setPen(Theme::palette().secondInk);
    painter.setFont(Theme::text(10));
    painter.drawText(
        area.translated(0, 32),
        Qt::AlignCenter,
        tr("Sound files or a folder: one take, or microphones recorded together.\nOr open the demo "
           "song: Song › Demo song")
    );
}

void LanesView::paintOver(QPainter& painter) const
{
    painter.save();
    painter.setClipRect(
        QRect(sheet().left(), kRibbonHeight, sheet().width(), height() - kRibbonHeight)
    );
    const Palette& colours = Theme::palette();
    if (const auto& range = session_.choice.range()) {
        QColor straw = colours.straw;
        straw.setAlpha(60);
        painter.fillRect(
            QRectF(
                xOf(range->from), sheet().top(), xOf(range->to) - xOf(range->from), sheet().height()
            ),
            straw
        );
    }
    if (tool_ != nullptr) {
        tool_->paintOver(painter);
    }
    if (!session_.song().tracks.empty()) {
        const double x = xOf(session_.player.position());
        painter.setPen(QPen(colours.ink, 1.4));
        painter.drawLine(QPointF(x, kRibbonHeight + 8), QPointF(x, height()));
        QPainterPath head;
        head.moveTo(x - 5, kRibbonHeight + 2);
        head.lineTo(x + 5, kRibbonHeight + 2);
        head.lineTo(x, kRibbonHeight + 10);
        head.closeSubpath();
        painter.fillPath(head, colours.ink);
    }
    painter.restore();
    if (!readout_.isEmpty()) {
        painter.setFont(Theme::label(10, QFont::DemiBold));
        QRect box = painter.fontMetrics().boundingRect(readout_).adjusted(-6, -3, 6, 3);
        box.moveTopLeft(readoutAt_ + QPoint(14, 10));
        box.moveRight(std::min(box.right(), width() - 2));
        painter.setPen(QPen(colours.ink, 1));
        painter.setBrush(colours.lane);
        painter.drawRect(box);
        painter.drawText(box, Qt::AlignCenter, readout_);
    }
}

// ---- gestures

Frames LanesView::snapped(Frames songTime, Qt::KeyboardModifiers modifiers) const
{
    if ((modifiers & Qt::ControlModifier) != 0) {
        return songTime;
    }
    const Song& song = session_.song();
    const Grid grid(song.tempo, session_.fitting.request.grid);
    const Frames line = toFrames(grid.nearest(toSeconds(songTime, song.rate)).time, song.rate);
    return std::abs(xOf(line) - xOf(songTime)) <= kSnapPixels ? line : songTime;
}

bool LanesView::pressHead(const Lane& lane, QPoint place)
{
    const auto track = session_.song().track(lane.track);
    session_.choice.setTrack(lane.track);
    const bool isOnButtons = std::abs(place.y() - lane.head.center().y()) <= 10;
    MixChange change;
    if (isOnButtons && place.x() >= headWidth() - 34 && place.x() < headWidth() - 18) {
        change.muted = !track->isMuted;
    } else if (isOnButtons && place.x() >= headWidth() - 18) {
        change.soloed = !track->isSoloed;
    } else {
        return true;
    }
    const QString name = change.muted ? (*change.muted ? tr("Mute %1") : tr("Unmute %1"))
                                      : (*change.soloed ? tr("Solo %1") : tr("End solo of %1"));
    session_.document.apply(
        changeMix(session_.song(), lane.track, change),
        name.arg(QString::fromStdString(track->name))
    );
    return true;
}

void LanesView::mousePressEvent(QMouseEvent* event)
{
    pressed_ = event->pos();
    pressedTime_ = timeAt(event->position().x());
    pressedScale_ = scale();
    drag_ = Drag::None;
    if (session_.song().tracks.empty()) {
        return;
    }
    if (event->button() == Qt::MiddleButton) {
        drag_ = Drag::Pan;
        return;
    }
    if (event->button() != Qt::LeftButton) {
        return;
    }
    if (pressed_.y() < kRibbonHeight) {
        drag_ = Drag::Ribbon;
        mouseMoveEvent(event);
        return;
    }
    if (pressed_.y() < sheet().top()) {
        const bool isOfTool = tool_ != nullptr && pressed_.x() >= headWidth() - kSnapPixels &&
                              tool_->pressRuler(*event);
        drag_ = isOfTool ? Drag::Tool : Drag::Ruler;
        return;
    }
    if (isInFoot(pressed_)) {
        drag_ = tool_ != nullptr && tool_->pressFoot(*event) ? Drag::Tool : Drag::None;
        return;
    }
    const Lane* lane = laneAt(pressed_);
    if (lane == nullptr) {
        return;
    }
    const Lane pressedLane = *lane;
    if (std::abs(pressed_.x() - headWidth()) <= 3) {
        drag_ = Drag::HeadEdge;
        return;
    }
    if (pressed_.x() < headWidth()) {
        pressHead(pressedLane, pressed_);
        return;
    }
    if (tool_ != nullptr && tool_->press(pressedLane, *event)) {
        drag_ = Drag::Tool;
        return;
    }
    session_.choice.setTrack(pressedLane.track);
    drag_ = Drag::Select;
}

void LanesView::mouseMoveEvent(QMouseEvent* event)
{
    const QPoint place = event->pos();
    switch (drag_) {
    case Drag::Ribbon: {
        const double part = (place.x() - headWidth()) / std::max(1.0, width() - headWidth() - 8.0);
        TimeScale moved = scale();
        moved.left = part * static_cast<double>(session_.song().length().count()) -
                     0.5 * sheet().width() * moved.framesPerPixel;
        session_.shown.setScale(moved);
        return;
    }
    case Drag::HeadEdge: setHeadWidth(place.x()); return;
    case Drag::Pan: {
        TimeScale moved = pressedScale_;
        moved.left -= (place.x() - pressed_.x()) * moved.framesPerPixel;
        session_.shown.setScale(moved);
        return;
    }
    case Drag::Ruler:
    case Drag::Select: {
        if (std::abs(place.x() - pressed_.x()) < 4) {
            return;
        }
        const Frames a = snapped(pressedTime_, event->modifiers());
        const Frames b = snapped(timeAt(event->position().x()), event->modifiers());
        session_.choice.setRange(TimeRange{std::min(a, b), std::max(a, b)});
        setReadout(
            tr("%1 to %2, %3 s")
                .arg(
                    placeText(session_.song(), std::min(a, b)).place,
                    placeText(session_.song(), std::max(a, b)).place
                )
                .arg(
                    toSeconds(std::max(a, b) - std::min(a, b), session_.song().rate).count(),
                    0,
                    'f',
                    3
                ),
            place
        );
        return;
    }
    case Drag::Tool:
        if (tool_ != nullptr) {
            tool_->move(*event);
        }
        return;
    case Drag::None: break;
    }
    const Lane* lane = laneAt(place);
    if (tool_ != nullptr) {
        tool_->hover(place.x() >= headWidth() ? lane : nullptr, place, event->modifiers());
    }
    QString text;
    Qt::CursorShape cursor = Qt::ArrowCursor;
    if (place.y() < kRibbonHeight) {
        text = tr("Drag to scroll.");
    } else if (place.y() < sheet().top()) {
        if (tool_ != nullptr) {
            std::tie(text, cursor) = tool_->hintInRuler(place);
        }
        if (text.isEmpty()) {
            text = tr("Click to move the playhead, drag to select a range.");
        }
    } else if (tool_ != nullptr && isInFoot(place)) {
        std::tie(text, cursor) = tool_->hintInFoot(place);
    } else if (lane != nullptr && place.x() >= headWidth() && tool_ != nullptr) {
        std::tie(text, cursor) = tool_->hintAt(*lane, place);
        if (text.isEmpty()) {
            text = tr("Click to move the playhead, drag to select a range.");
        }
    }
    setCursor(cursor);
    Q_EMIT hint(text);
}

void LanesView::mouseReleaseEvent(QMouseEvent* event)
{
    const Drag ended = drag_;
    drag_ = Drag::None;
    setReadout({}, {});
    if (ended == Drag::Tool && tool_ != nullptr) {
        tool_->release(*event);
        return;
    }
    const bool isClick = (event->pos() - pressed_).manhattanLength() < 4;
    if (isClick && (ended == Drag::Ruler || ended == Drag::Select)) {
        session_.choice.setRange(std::nullopt);
        session_.player.seek(
            std::max(Frames(0), snapped(timeAt(event->position().x()), event->modifiers()))
        );
        update();
    }
}

void LanesView::mouseDoubleClickEvent(QMouseEvent* event)
{
    const Lane* lane = laneAt(event->pos());
    if (lane != nullptr && event->pos().x() >= headWidth() && tool_ != nullptr) {
        const Lane clicked = *lane;
        if (tool_->doubleClick(clicked, *event)) {
            return;
        }
    }
    mousePressEvent(event);
}

void LanesView::wheelEvent(QWheelEvent* event)
{
    const double turn = event->angleDelta().y() / 120.0;
    const double sideways = event->angleDelta().x() / 120.0;
    if ((event->modifiers() & Qt::ControlModifier) != 0) {
        session_.shown.zoom(std::pow(1.25, turn), event->position().x() - sheet().left());
    } else if ((event->modifiers() & Qt::AltModifier) != 0) {
        setLaneScale(laneScale_ * std::pow(1.15, turn + sideways));
    } else if ((event->modifiers() & Qt::ShiftModifier) != 0 || sideways != 0.0) {
        TimeScale moved = scale();
        moved.left -= (turn + sideways) * 0.1 * sheet().width() * moved.framesPerPixel;
        session_.shown.setScale(moved);
    } else if (!lanes_.empty() && lanes_.back().area.bottom() - lanes_.front().area.top() + 1 > lanesArea().height()) {
        scroll_ -= static_cast<int>(turn * 40.0);
        layOut();
        update();
    } else {
        TimeScale moved = scale();
        moved.left -= turn * 0.1 * sheet().width() * moved.framesPerPixel;
        session_.shown.setScale(moved);
    }
    event->accept();
}

void LanesView::contextMenuEvent(QContextMenuEvent* event)
{
    if (const Lane* lane = laneAt(event->pos()); lane != nullptr) {
        session_.choice.setTrack(lane->track);
        Q_EMIT headMenu(lane->track, event->globalPos());
    }
}

bool LanesView::event(QEvent* event)
{
    if (event->type() == QEvent::Leave) {
        Q_EMIT hint(QString());
        if (tool_ != nullptr) {
            tool_->hover(nullptr, {}, {});
        }
    }
    return QWidget::event(event);
}

}  // namespace orthochron::app
