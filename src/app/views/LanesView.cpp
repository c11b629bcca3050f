#include "app/views/LanesView.h"

#include <QContextMenuEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QWheelEvent>

#include "app/stages/Stage.h"
#include "app/theme/Theme.h"

#include <map>

namespace orthochron::app {

namespace {

constexpr int kLeastLane = 34;
constexpr int kMostLane = 150;
constexpr int kSnapPixels = 7;

}  // namespace

LanesView::LanesView(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    setObjectName(QStringLiteral("lanes"));
    setAccessibleName(tr("Song"));
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    connect(&session_, &Session::scaleChanged, this, [this] {
        layOut();
        update();
    });
    connect(&session_, &Session::choiceChanged, this, [this] { update(); });
    connect(&session_, &Session::prescaleChanged, this, [this] { update(); });
    connect(&session_, &Session::findingsChanged, this, [this] { update(); });
}

void LanesView::setStage(Stage* stage)
{
    stage_ = stage;
    update();
}

QRect LanesView::sheet() const
{
    const int top = kRibbonHeight + kRulerHeight;
    return {Theme::kHeadWidth, top, width() - Theme::kHeadWidth, height() - top};
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
        if (track->isHidden || (set != nullptr && set->isFolded && !track->isLead)) {
            continue;
        }
        Lane lane;
        lane.track = track->id;
        lane.set = set != nullptr ? set->id : SetId();
        lanes_.push_back(lane);
    }
    if (lanes_.empty()) {
        return;
    }
    const QRect area = sheet();
    const int count = static_cast<int>(lanes_.size());
    const int fair =
        static_cast<int>(std::clamp(area.height() / count, kLeastLane, kMostLane) * laneScale_);
    const int laneHeight = std::max(fair, kLeastLane / 2);
    scroll_ = std::clamp(scroll_, 0, std::max(0, laneHeight * count - area.height()));
    int top = area.top() - scroll_;
    for (std::size_t i = 0; i < lanes_.size(); ++i) {
        Lane& lane = lanes_[i];
        lane.area = QRect(area.left(), top, area.width(), laneHeight);
        lane.head = QRect(0, top, Theme::kHeadWidth, laneHeight);
        lane.isFirstOfSet = lane.set.isValid() && (i == 0 || lanes_[i - 1].set != lane.set);
        lane.isLastOfSet =
            lane.set.isValid() && (i + 1 == lanes_.size() || lanes_[i + 1].set != lane.set);
        top += laneHeight;
    }
}

const Lane* LanesView::laneAt(QPoint place) const
{
    if (place.y() < sheet().top()) {
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
    session_.setViewWidth(sheet().width());
    layOut();
}

// ---- painting

void LanesView::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.fillRect(rect(), Theme::palette().paper);
    painter.fillRect(sheet(), Theme::palette().lane);
    painter.setRenderHint(QPainter::Antialiasing, true);
    painter.save();
    painter.setClipRect(QRect(0, sheet().top(), width(), sheet().height()));
    paintGrid(painter);
    for (const Lane& lane : lanes_) {
        if (lane.area.bottom() < sheet().top() || lane.area.top() > height()) {
            continue;
        }
        painter.save();
        painter.setClipRect(lane.area.intersected(sheet()));
        paintLane(painter, lane);
        if (stage_ != nullptr) {
            stage_->paintLane(painter, lane);
        }
        painter.restore();
    }
    painter.restore();
    for (const Lane& lane : lanes_) {
        painter.save();
        painter.setClipRect(QRect(0, sheet().top(), Theme::kHeadWidth, sheet().height()));
        paintHead(painter, lane);
        painter.restore();
    }
    paintRibbon(painter);
    paintRuler(painter);
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
        tr("Sound files or a whole folder. Files that start together become one mic set.\nOr open "
           "the demo song: Song › Demo song")
    );
}

void LanesView::paintGrid(QPainter& painter) const
{
    const Song& song = session_.song();
    if (song.tracks.empty()) {
        return;
    }
    const QRect area = sheet();
    const Grid grid(song.tempo, session_.request.grid);
    const double step = grid.stepLength().count() * 60.0 / song.tempo.bpmAt(Beats(0.0)) *
                        song.rate.count() / scale().framesPerPixel;
    const double beat = song.tempo.meterOfBar(1).beatLength().count() * 60.0 /
                        song.tempo.bpmAt(Beats(0.0)) * song.rate.count() / scale().framesPerPixel;
    const auto line = [&](Seconds time, const QColor& colour, double width) {
        const double x = std::floor(xOf(toFrames(time, song.rate))) + 0.5;
        painter.setPen(QPen(colour, width));
        painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()));
    };
    const Palette& colours = Theme::palette();
    if (step >= 9.0) {
        const Seconds end = toSeconds(timeAt(area.right()), song.rate);
        QColor faint = colours.hairline;
        faint.setAlpha(130);
        for (auto index = grid.nearest(toSeconds(timeAt(area.left()), song.rate)).index;
             grid.line(index).time < end;
             ++index) {
            line(grid.line(index).time, faint, 1.0);
        }
    }
    const int first =
        song.tempo.barAt(song.tempo.beatsAt(toSeconds(timeAt(area.left()), song.rate)));
    const double barWidth = beat * song.tempo.meterOfBar(1).numerator;
    const int stride = barWidth >= 5.0 ? 1 : barWidth >= 1.2 ? 4 : 16;
    for (int bar = first;; ++bar) {
        const Beats start = song.tempo.startOfBar(bar);
        if (xOf(toFrames(song.tempo.timeAt(start), song.rate)) > area.right()) {
            break;
        }
        if ((bar - 1) % stride != 0) {
            continue;
        }
        if (beat >= 12.0) {
            for (int b = 1; b < song.tempo.meterOfBar(bar).numerator; ++b) {
                line(
                    song.tempo.timeAt(start + song.tempo.meterOfBar(bar).beatLength() * b),
                    colours.hairline,
                    1.0
                );
            }
        }
        line(song.tempo.timeAt(start), stride == 1 ? colours.barLine : colours.hairline, 1.0);
    }
}

void LanesView::paintRuler(QPainter& painter) const
{
    const Song& song = session_.song();
    const QRect area(0, kRibbonHeight, width(), kRulerHeight);
    painter.fillRect(area, Theme::palette().paper);
    painter.setPen(QPen(Theme::palette().barLine, 1));
    painter.drawLine(0, area.bottom(), width(), area.bottom());
    if (song.tracks.empty()) {
        return;
    }
    painter.save();
    painter.setClipRect(area.adjusted(Theme::kHeadWidth, 0, 0, 0));
    if (const auto& range = session_.range()) {
        QColor straw = Theme::palette().straw;
        painter.fillRect(
            QRectF(xOf(range->from), area.top(), xOf(range->to) - xOf(range->from), area.height()),
            straw
        );
    }
    const double bar =
        (xOf(toFrames(song.tempo.timeAt(song.tempo.startOfBar(2)), song.rate)) -
         xOf(toFrames(song.tempo.timeAt(song.tempo.startOfBar(1)), song.rate)));
    int stride = 1;
    while (bar * stride < 34.0 && stride < 4096) {
        stride *= 2;
    }
    const int first =
        song.tempo.barAt(song.tempo.beatsAt(toSeconds(timeAt(Theme::kHeadWidth), song.rate)));
    painter.setFont(Theme::label(9, QFont::DemiBold));
    for (int number = first;; ++number) {
        const Beats start = song.tempo.startOfBar(number);
        const double x = xOf(toFrames(song.tempo.timeAt(start), song.rate));
        if (x > width()) {
            break;
        }
        if ((number - 1) % stride != 0) {
            continue;
        }
        painter.setPen(QPen(Theme::palette().barLine, 1));
        painter.drawLine(QPointF(x, area.top() + 6), QPointF(x, area.bottom()));
        painter.setPen(Theme::palette().ink);
        painter.drawText(QPointF(x + 4, area.bottom() - 6), QString::number(number));
        const Meter meter = song.tempo.meterOfBar(number);
        if (bar > 60.0) {
            painter.setPen(QPen(Theme::palette().barLine, 1));
            for (int b = 1; b < meter.numerator; ++b) {
                const double tick =
                    xOf(toFrames(song.tempo.timeAt(start + meter.beatLength() * b), song.rate));
                painter.drawLine(QPointF(tick, area.bottom() - 4), QPointF(tick, area.bottom()));
            }
        }
    }
    painter.restore();
}

void LanesView::paintRibbon(QPainter& painter) const
{
    const QRect area(0, 0, width(), kRibbonHeight);
    const Palette& colours = Theme::palette();
    painter.fillRect(area, colours.edge);
    painter.setPen(colours.secondInk);
    painter.setFont(Theme::label(8.5));
    painter.drawText(
        QRect(12, 8, Theme::kHeadWidth - 14, 34), Qt::AlignLeft, tr("whole song\nwhere it is off")
    );
    const Song& song = session_.song();
    const double length = static_cast<double>(song.length().count());
    if (length <= 0.0) {
        return;
    }
    const QRectF band(Theme::kHeadWidth, 2, width() - Theme::kHeadWidth - 8, kRibbonHeight - 6);
    const double middle = band.center().y();
    const auto x = [&](double frames) { return band.left() + frames / length * band.width(); };
    const int bins = std::max(1, static_cast<int>(band.width() / 5.0));
    std::vector<double> sum(static_cast<std::size_t>(bins), 0.0);
    std::vector<int> count(static_cast<std::size_t>(bins), 0);
    for (const JudgedHit& hit : session_.preview().performance.hits) {
        if (hit.role != HitRole::Main) {
            continue;
        }
        const Frames now = session_.heardAt(hit.played.beatPoint);
        const auto bin = static_cast<std::size_t>(
            std::clamp(static_cast<double>(now.count()) / length * bins, 0.0, bins - 1.0)
        );
        sum[bin] += inMilliseconds(toSeconds(now, song.rate) - hit.line.time);
        ++count[bin];
    }
    painter.setPen(QPen(colours.barLine, 1));
    painter.drawLine(QPointF(band.left(), middle), QPointF(band.right(), middle));
    for (std::size_t i = 0; i < sum.size(); ++i) {
        if (count[i] == 0) {
            continue;
        }
        const double mean = sum[i] / count[i];
        // 30 ms fill the band: beyond that the direction is all that matters here.
        const double tall = std::clamp(mean / 30.0, -1.0, 1.0) * band.height() / 2.0;
        const double left = band.left() + static_cast<double>(i) * band.width() / bins;
        QColor colour = mean > 0.0 ? colours.late : colours.early;
        colour.setAlpha(190);
        painter.fillRect(
            QRectF(left, std::min(middle, middle + tall), 3.0, std::max(std::abs(tall), 0.6)),
            colour
        );
    }
    const double from =
        std::clamp(static_cast<double>(timeAt(sheet().left()).count()), 0.0, length);
    const double to = std::clamp(static_cast<double>(timeAt(sheet().right()).count()), 0.0, length);
    QColor straw = colours.straw;
    straw.setAlpha(120);
    painter.setPen(QPen(colours.secondInk, 1));
    painter.setBrush(straw);
    painter.drawRect(QRectF(x(from), band.top(), std::max(4.0, x(to) - x(from)), band.height()));
    painter.setPen(QPen(colours.ink, 1.4));
    const double head = x(static_cast<double>(session_.player.position().count()));
    painter.drawLine(QPointF(head, band.top()), QPointF(head, band.bottom()));
}

void LanesView::paintHead(QPainter& painter, const Lane& lane) const
{
    const auto track = session_.song().track(lane.track);
    const Palette& colours = Theme::palette();
    const QRect head = lane.head;
    painter.fillRect(head, session_.track() == lane.track ? colours.edge : colours.paper);
    painter.setPen(QPen(colours.hairline, 1));
    painter.drawLine(head.left() + 12, head.bottom(), head.right(), head.bottom());
    if (lane.set.isValid()) {
        painter.fillRect(
            QRect(
                8,
                head.top() + (lane.isFirstOfSet ? 2 : 0),
                3,
                head.height() - (lane.isLastOfSet ? 2 : 0)
            ),
            colours.ink
        );
    }
    const bool isTall = head.height() >= 38;
    const int top = isTall ? head.center().y() - 15 : head.center().y() - 8;
    painter.setPen(colours.ink);
    painter.setFont(Theme::label(10, QFont::DemiBold));
    const QString name =
        painter.fontMetrics().elidedText(QString::fromStdString(track->name), Qt::ElideRight, 72);
    painter.drawText(QRect(18, top, 76, 17), Qt::AlignLeft | Qt::AlignVCenter, name);
    if (isTall) {
        painter.setPen(colours.secondInk);
        painter.setFont(Theme::label(8));
        const QString role = track->isLead        ? tr("lead")
                             : lane.set.isValid() ? tr("mic set")
                                                  : tr("track");
        painter.drawText(QRect(18, top + 17, 70, 14), Qt::AlignLeft | Qt::AlignVCenter, role);
    }
    painter.setFont(Theme::label(9, QFont::DemiBold));
    const auto button = [&](int x, const QString& text, bool isOn) {
        const QRect place(x, head.center().y() - 9, 16, 18);
        if (isOn) {
            painter.fillRect(place, colours.ink);
        }
        painter.setPen(isOn ? colours.paper : colours.secondInk);
        painter.drawText(place, Qt::AlignCenter, text);
    };
    button(94, QStringLiteral("M"), track->isMuted);
    button(110, QStringLiteral("S"), track->isSoloed);
}

void LanesView::paintLane(QPainter& painter, const Lane& lane)
{
    const auto track = session_.song().track(lane.track);
    const Palette& colours = Theme::palette();
    if (session_.track() == lane.track) {
        QColor chosen = colours.straw;
        chosen.setAlpha(26);
        painter.fillRect(lane.area, chosen);
    }
    painter.setPen(QPen(colours.hairline, 1));
    painter.drawLine(lane.area.left(), lane.area.bottom(), lane.area.right(), lane.area.bottom());
    const Frames from = timeAt(lane.area.left());
    const Frames to = timeAt(lane.area.right() + 1);
    auto clip =
        std::ranges::lower_bound(track->clips, from, {}, [](const Clip& c) { return c.end(); });
    // Spare only where single pieces can be told apart: behind a join it is drawn pale.
    const bool showsSpare = scale().framesPerPixel < 200.0;
    QColor wave = track->isMuted ? colours.spare : colours.wave;
    for (; clip != track->clips.end() && clip->at < to; ++clip) {
        if (showsSpare) {
            const Frames reach = toFrames(milliseconds(40.0), session_.song().rate);
            paintClip(
                painter,
                lane,
                *clip,
                colours.spare,
                std::max(from, clip->at - reach),
                std::min(to, clip->at)
            );
            paintClip(
                painter,
                lane,
                *clip,
                colours.spare,
                std::max(from, clip->end()),
                std::min(to, clip->end() + reach)
            );
        }
        const QColor& colour = clip->isMuted ? colours.spare : wave;
        paintClip(
            painter, lane, *clip, colour, std::max(from, clip->at), std::min(to, clip->end())
        );
    }
}

// Paints what a clip's take sounds like between two song times, which may lie in its spare.
void LanesView::paintClip(
    QPainter& painter,
    const Lane& lane,
    const Clip& clip,
    const QColor& colour,
    Frames from,
    Frames to
)
{
    if (to <= from) {
        return;
    }
    const Peaks* peaks = session_.waves.peaks(clip.take);
    if (peaks == nullptr) {
        return;
    }
    if (scale().framesPerPixel < 24.0 && paintSamples(painter, lane, clip, colour, from, to)) {
        return;
    }
    // Waves are drawn to their take's own height: a quiet take is still read.
    const double loud = std::max(0.05, peaks->loudest());
    const double gain = 0.94 * lane.area.height() / 2.0 / 32767.0 / loud;
    const double middle = lane.area.center().y();
    const int channel = std::max(0, clip.channel);
    const int first = static_cast<int>(std::floor(xOf(from)));
    const int last = static_cast<int>(std::ceil(xOf(to)));
    std::vector<QLineF> lines;
    lines.reserve(static_cast<std::size_t>(std::max(0, last - first)));
    for (int x = first; x < last; ++x) {
        const Frames songA = std::max(from, timeAt(x));
        const Frames songB = std::min(to, timeAt(x + 1));
        const Frames a = clip.takeTimeOf(songA, songB);
        const Frames b = a + (songB - songA);
        if (b <= a || b <= Frames(0) || a >= peaks->frames()) {
            continue;
        }
        const PeakPair pair = peaks->range(channel, a, b);
        const double high = std::max(0.4, pair.high * gain);
        const double low = std::min(-0.4, pair.low * gain);
        lines.emplace_back(x + 0.5, middle - high, x + 0.5, middle - low);
    }
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing, false);
    painter.setPen(QPen(colour, 1));
    painter.drawLines(lines.data(), static_cast<int>(lines.size()));
    painter.restore();
}

bool LanesView::paintSamples(
    QPainter& painter,
    const Lane& lane,
    const Clip& clip,
    const QColor& colour,
    Frames from,
    Frames to
)
{
    const Frames wanted = clip.takeTimeOf(from, to);
    const Frames takeFrom = std::max(Frames(0), wanted - Frames(1));
    const Frames takeTo = wanted + (to - from) + Frames(1);
    if (takeTo <= takeFrom) {
        return true;
    }
    const auto samples = session_.waves.samples(
        clip.take, std::max(0, clip.channel), takeFrom, (takeTo - takeFrom).count()
    );
    if (samples.empty()) {
        return false;
    }
    const Peaks* peaks = session_.waves.peaks(clip.take);
    const double gain = 0.94 * lane.area.height() / 2.0 / std::max(0.05, peaks->loudest());
    const double middle = lane.area.center().y();
    QPolygonF line;
    for (std::size_t i = 0; i < samples.size(); ++i) {
        const Frames inTake = takeFrom + Frames(static_cast<std::int64_t>(i));
        const Frames at = clip.isReversed ? clip.end() - Frames(1) - (inTake - clip.takeStart)
                                          : inTake + clip.offset();
        line << QPointF(xOf(at), middle - static_cast<double>(samples[i]) * gain);
    }
    painter.save();
    painter.setClipRect(
        QRectF(xOf(from), lane.area.top(), xOf(to) - xOf(from), lane.area.height()),
        Qt::IntersectClip
    );
    painter.setPen(QPen(colour, 1.2));
    painter.drawPolyline(line);
    if (scale().framesPerPixel < 0.25) {
        painter.setBrush(colour);
        painter.setPen(Qt::NoPen);
        for (const QPointF& point : line) {
            painter.drawEllipse(point, 2.0, 2.0);
        }
    }
    painter.restore();
    return true;
}

void LanesView::paintOver(QPainter& painter) const
{
    painter.save();
    painter.setClipRect(
        QRect(sheet().left(), kRibbonHeight, sheet().width(), height() - kRibbonHeight)
    );
    const Palette& colours = Theme::palette();
    if (const auto& range = session_.range()) {
        QColor straw = colours.straw;
        straw.setAlpha(60);
        painter.fillRect(
            QRectF(
                xOf(range->from), sheet().top(), xOf(range->to) - xOf(range->from), sheet().height()
            ),
            straw
        );
    }
    if (stage_ != nullptr) {
        stage_->paintOver(painter);
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
    const Grid grid(song.tempo, session_.request.grid);
    const Frames line = toFrames(grid.nearest(toSeconds(songTime, song.rate)).time, song.rate);
    return std::abs(xOf(line) - xOf(songTime)) <= kSnapPixels ? line : songTime;
}

bool LanesView::pressHead(const Lane& lane, QPoint place)
{
    const auto track = session_.song().track(lane.track);
    session_.setTrack(lane.track);
    const bool isOnButtons = std::abs(place.y() - lane.head.center().y()) <= 10;
    MixChange change;
    if (isOnButtons && place.x() >= 94 && place.x() < 110) {
        change.muted = !track->isMuted;
    } else if (isOnButtons && place.x() >= 110) {
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
        drag_ = Drag::Ruler;
        return;
    }
    const Lane* lane = laneAt(pressed_);
    if (lane == nullptr) {
        return;
    }
    const Lane pressedLane = *lane;
    if (pressed_.x() < Theme::kHeadWidth) {
        pressHead(pressedLane, pressed_);
        return;
    }
    if (stage_ != nullptr && stage_->press(pressedLane, *event)) {
        drag_ = Drag::Stage;
        return;
    }
    session_.setTrack(pressedLane.track);
    drag_ = Drag::Select;
}

void LanesView::mouseMoveEvent(QMouseEvent* event)
{
    const QPoint place = event->pos();
    switch (drag_) {
    case Drag::Ribbon: {
        const double part =
            (place.x() - Theme::kHeadWidth) / std::max(1.0, width() - Theme::kHeadWidth - 8.0);
        TimeScale moved = scale();
        moved.left = part * static_cast<double>(session_.song().length().count()) -
                     0.5 * sheet().width() * moved.framesPerPixel;
        session_.setScale(moved);
        return;
    }
    case Drag::Pan: {
        TimeScale moved = pressedScale_;
        moved.left -= (place.x() - pressed_.x()) * moved.framesPerPixel;
        session_.setScale(moved);
        return;
    }
    case Drag::Ruler:
    case Drag::Select: {
        if (std::abs(place.x() - pressed_.x()) < 4) {
            return;
        }
        const Frames a = snapped(pressedTime_, event->modifiers());
        const Frames b = snapped(timeAt(event->position().x()), event->modifiers());
        session_.setRange(TimeRange{std::min(a, b), std::max(a, b)});
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
    case Drag::Stage:
        if (stage_ != nullptr) {
            stage_->move(*event);
        }
        return;
    case Drag::None: break;
    }
    const Lane* lane = laneAt(place);
    if (stage_ != nullptr) {
        stage_->hover(place.x() >= Theme::kHeadWidth ? lane : nullptr, place, event->modifiers());
    }
    QString text;
    Qt::CursorShape cursor = Qt::ArrowCursor;
    if (place.y() < kRibbonHeight) {
        text = tr("Drag to look elsewhere in the song");
    } else if (place.y() < sheet().top()) {
        text = tr("Click to move the playhead, drag to choose a range");
    } else if (lane != nullptr && place.x() >= Theme::kHeadWidth && stage_ != nullptr) {
        std::tie(text, cursor) = stage_->hintAt(*lane, place);
        if (text.isEmpty()) {
            text = tr("Click to move the playhead, drag to choose a range");
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
    if (ended == Drag::Stage && stage_ != nullptr) {
        stage_->release(*event);
        return;
    }
    const bool isClick = (event->pos() - pressed_).manhattanLength() < 4;
    if (isClick && (ended == Drag::Ruler || ended == Drag::Select)) {
        session_.setRange(std::nullopt);
        session_.player.seek(
            std::max(Frames(0), snapped(timeAt(event->position().x()), event->modifiers()))
        );
        update();
    }
}

void LanesView::mouseDoubleClickEvent(QMouseEvent* event)
{
    const Lane* lane = laneAt(event->pos());
    if (lane != nullptr && event->pos().x() >= Theme::kHeadWidth && stage_ != nullptr) {
        const Lane clicked = *lane;
        if (stage_->doubleClick(clicked, *event)) {
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
        session_.zoom(std::pow(1.25, turn), event->position().x() - sheet().left());
    } else if ((event->modifiers() & Qt::AltModifier) != 0) {
        setLaneScale(laneScale_ * std::pow(1.15, turn + sideways));
    } else if ((event->modifiers() & Qt::ShiftModifier) != 0 || sideways != 0.0) {
        TimeScale moved = scale();
        moved.left -= (turn + sideways) * 0.1 * sheet().width() * moved.framesPerPixel;
        session_.setScale(moved);
    } else if (!lanes_.empty() && lanes_.back().area.bottom() - lanes_.front().area.top() + 1 > sheet().height()) {
        scroll_ -= static_cast<int>(turn * 40.0);
        layOut();
        update();
    } else {
        TimeScale moved = scale();
        moved.left -= turn * 0.1 * sheet().width() * moved.framesPerPixel;
        session_.setScale(moved);
    }
    event->accept();
}

void LanesView::contextMenuEvent(QContextMenuEvent* event)
{
    if (const Lane* lane = laneAt(event->pos()); lane != nullptr) {
        session_.setTrack(lane->track);
        Q_EMIT headMenu(lane->track, event->globalPos());
    }
}

bool LanesView::event(QEvent* event)
{
    if (event->type() == QEvent::Leave) {
        Q_EMIT hint(QString());
        if (stage_ != nullptr) {
            stage_->hover(nullptr, {}, {});
        }
    }
    return QWidget::event(event);
}

}  // namespace orthochron::app
