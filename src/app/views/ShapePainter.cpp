#include "app/views/ShapePainter.h"

#include <QPainter>
#include <QPainterPath>

#include "app/theme/Theme.h"
#include "core/shape/Bend.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr double kMargin = 4.0;  // above and below what is drawn in a lane

QColor inkOf(ShapePainter::Ink ink)
{
    QColor colour = Theme::palette().ink;
    colour.setAlpha(ink == ShapePainter::Ink::Faint ? 110 : 255);
    return colour;
}

double widthOf(ShapePainter::Ink ink)
{
    return ink == ShapePainter::Ink::Full ? 1.8 : 1.0;
}

// The corners of a curve: without the places on whose account nobody would see it bend.
QPolygonF withoutStraightOnes(const QPolygonF& places)
{
    constexpr double kUnseen = 0.15;   // px
    constexpr double kLongest = 32.0;  // px, so that what is left out cannot add up
    QPolygonF corners;
    for (const QPointF& place : places) {
        const auto count = corners.size();
        if (count > 1) {
            const QPointF from = corners[count - 2];
            const QPointF way = place - from;
            const QPointF last = corners[count - 1];
            const bool isLevel = from.y() == last.y() && last.y() == place.y();
            const double straight =
                way.x() > 0.0 ? from.y() + way.y() * (last.x() - from.x()) / way.x() : from.y();
            if (isLevel || (way.x() < kLongest && std::abs(straight - last.y()) < kUnseen)) {
                corners[count - 1] = place;
                continue;
            }
        }
        corners << place;
    }
    return corners;
}

// The speed all along what is seen of a clip; 100 % where it has no line.
QPolygonF speedCurve(
    const LanesView& lanes,
    QRectF area,
    const Clip& clip,
    const std::vector<SpeedPoint>& points,
    SpeedScale scale
)
{
    constexpr double kStep = 3.0;  // px
    const auto line = SpeedLine::through(points).value_or(SpeedLine());
    const double left = std::max(lanes.xOf(clip.at), area.left());
    const double right = std::min(lanes.xOf(clip.end()), area.right());
    QPolygonF curve;
    const auto add = [&](double x) {
        const auto heard = static_cast<double>((lanes.timeAt(x) - clip.at).count());
        curve << QPointF(x, ShapePainter::speedY(line.speedAt(heard), area, scale));
    };
    for (double x = left; x < right; x += kStep) {
        add(x);
    }
    if (right > left) {
        add(right - 0.5);
    }
    return curve;
}

}  // namespace

double levelY(double level, QRectF area)
{
    const double height = area.height() - 2.0 * kMargin;
    const double part =
        level == kSilence ? 0.0 : std::cbrt(fromDecibels(level) / fromDecibels(kMostLevel));
    return area.bottom() - kMargin - std::min(part, 1.0) * height;
}

double levelAtY(double y, QRectF area)
{
    const double height = area.height() - 2.0 * kMargin;
    const double part = std::clamp((area.bottom() - kMargin - y) / height, 0.0, 1.0);
    const double level = toDecibels(part * part * part * fromDecibels(kMostLevel));
    return level < kLeastLevel ? kSilence : std::min(level, kMostLevel);
}

QString levelText(double level)
{
    return level == kSilence ? ShapePainter::tr("silence")
                             : ShapePainter::tr("%1 dB").arg(level, 0, 'f', 1);
}

ShapePainter::ShapePainter(const LanesView& lanes, const Session& session)
    : lanes_(lanes), session_(session)
{}

void ShapePainter::paintLine(QPainter& painter, QRectF area, const LevelLine& line, Ink ink) const
{
    const Song& song = session_.song();
    const HeardLine heard(line, song.tempo, song.rate);
    constexpr double kApart = 3.0;  // px
    QPolygonF places;
    for (double x = area.left(); x < area.right() + kApart; x += kApart) {
        places << QPointF(x, levelY(heard.levelAt(lanes_.timeAt(x)), area));
    }
    // At the points themselves too, so that corners stand where they are.
    for (std::size_t i = 0; i < line.points.size(); ++i) {
        const double x = lanes_.xOf(heard.timeOfPoint(i));
        if (x >= area.left() && x <= area.right()) {
            places << QPointF(x, levelY(line.points[i].level, area));
        }
    }
    std::ranges::stable_sort(places, {}, [](const QPointF& point) { return point.x(); });
    const QPolygonF drawn = withoutStraightOnes(places);
    painter.setBrush(Qt::NoBrush);
    if (ink == Ink::Full) {
        // Ink on the ink of a wave would not be seen.
        QColor lane = Theme::palette().lane;
        lane.setAlpha(210);
        painter.setPen(QPen(lane, 5.0));
        painter.drawPolyline(drawn);
    }
    painter.setPen(QPen(inkOf(ink), widthOf(ink)));
    painter.drawPolyline(drawn);
}

void ShapePainter::paintPoints(
    QPainter& painter,
    QRectF area,
    const LevelLine& line,
    Ink ink,
    const std::set<std::size_t>& chosen
) const
{
    const Song& song = session_.song();
    const HeardLine heard(line, song.tempo, song.rate);
    const Palette& colours = Theme::palette();
    // Boxes, and what of them is not filled.
    std::vector<QRect> boxes;
    std::vector<QRect> hollows;
    double last = -100.0;
    for (std::size_t i = 0; i < line.points.size(); ++i) {
        const double x = lanes_.xOf(heard.timeOfPoint(i));
        // From afar not each of thousands.
        if (x < area.left() - 6 || x > area.right() + 6 ||
            (x - last < 2.0 && !chosen.contains(i))) {
            continue;
        }
        last = x;
        if (ink != Ink::Full) {
            const QPoint middle = QPointF(x, levelY(line.points[i].level, area)).toPoint();
            const QRect box(middle - QPoint(2, 2), QSize(5, 5));
            boxes.push_back(box);
            if (!chosen.contains(i)) {
                hollows.push_back(box.adjusted(1, 1, -1, -1));
            }
            continue;
        }
        painter.setPen(QPen(colours.ink, 1.4));
        painter.setBrush(chosen.contains(i) ? colours.ink : colours.lane);
        painter.drawEllipse(QPointF(x, levelY(line.points[i].level, area)), 4.0, 4.0);
    }
    painter.setPen(Qt::NoPen);
    for (const auto& [all, colour] :
         {std::pair(&boxes, colours.ink), std::pair(&hollows, colours.lane)}) {
        painter.setBrush(colour);
        painter.drawRects(all->data(), static_cast<int>(all->size()));
    }
    painter.setBrush(Qt::NoBrush);
}

void ShapePainter::paintHush(
    QPainter& painter, QRectF area, const Hush& hush, Ink ink, bool isChosen, bool isNamed
) const
{
    const Song& song = session_.song();
    const FrameSpan span = spanOf(hush, song.tempo, song.rate);
    const double left = lanes_.xOf(span.from);
    const double right = lanes_.xOf(span.to);
    if (right < area.left() || left > area.right()) {
        return;
    }
    const Palette& colours = Theme::palette();
    const QRectF box(left, area.top() + 1.0, std::max(right - left, 1.0), area.height() - 2.0);
    QColor paper = colours.paper;
    paper.setAlpha(ink == Ink::Full ? 215 : 150);
    painter.fillRect(box, paper);
    painter.save();
    painter.setClipRect(box.intersected(area), Qt::IntersectClip);
    QColor hatch = colours.secondInk;
    hatch.setAlpha(ink == Ink::Full ? 140 : 80);
    painter.setPen(QPen(hatch, 1.0));
    constexpr double kApart = 8.0;
    const double begin = std::max(box.left(), area.left()) - box.height();
    const double first = std::floor((begin - left) / kApart) * kApart + left;
    for (double x = first; x < std::min(box.right(), area.right()); x += kApart) {
        painter.drawLine(QPointF(x, box.bottom()), QPointF(x + box.height(), box.top()));
    }
    painter.restore();
    painter.setPen(QPen(isChosen ? colours.ink : hatch, isChosen ? 1.8 : 1.0));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(box);
    if (isNamed && box.width() > 30.0) {
        painter.setFont(Theme::label(8.5, QFont::DemiBold));
        const QString label = hush.label.empty() ? tr("hush") : QString::fromStdString(hush.label);
        QRectF text = painter.fontMetrics().boundingRect(label).adjusted(-4, -1, 4, 1);
        text.moveTopLeft({std::max(box.left(), area.left()) + 5.0, box.top() + 3.0});
        text.setWidth(std::min(text.width(), box.right() - text.left() - 2.0));
        painter.fillRect(text, colours.paper);
        painter.setPen(ink == Ink::Full ? colours.ink : colours.secondInk);
        painter.drawText(text, Qt::AlignCenter, label);
    }
}

void ShapePainter::paintSpins(QPainter& painter, QRectF area, const Clip& clip, Ink ink) const
{
    const Spins spins = spinsOf(clip);
    const Palette& colours = Theme::palette();
    const auto paint = [&](const Spin& spin, bool isDown) {
        const Frames from = isDown ? clip.end() - spin.length : clip.at;
        const double left = lanes_.xOf(from);
        const double right = lanes_.xOf(from + spin.length);
        if (right < area.left() || left > area.right() || right - left < 2.0) {
            return;
        }
        const double top = area.top() + kMargin + 2.0;
        const double bottom = area.bottom() - kMargin - 2.0;
        const auto yOf = [&](double speed) {
            return bottom - std::min(speed, 1.0) * (bottom - top);
        };
        QColor straw = colours.straw;
        straw.setAlpha(ink == Ink::Full ? 120 : 50);
        painter.fillRect(QRectF(left, area.top(), right - left, area.height()), straw);
        QPolygonF curve;
        for (int step = 0; step <= 40; ++step) {
            const double part = step / 40.0;
            const double frame = static_cast<double>((from - clip.offset()).count()) +
                                 part * static_cast<double>(spin.length.count());
            const double speed =
                step == 40 && isDown ? spin.speed : clip.sound.treatment->speed.speedAt(frame);
            curve << QPointF(left + part * (right - left), yOf(speed));
        }
        QColor finding = colours.finding;
        finding.setAlpha(ink == Ink::Full ? 255 : 130);
        painter.setPen(QPen(finding, ink == Ink::Full ? 2.0 : 1.2));
        painter.setBrush(Qt::NoBrush);
        painter.drawPolyline(curve);
        if (ink != Ink::Full) {
            return;
        }
        painter.setBrush(colours.lane);
        painter.drawEllipse(curve.front(), 4.0, 4.0);
        painter.drawEllipse(curve.back(), 4.0, 4.0);
        painter.setBrush(Qt::NoBrush);
        // Low lanes of a set would all say the same.
        if (right - left > 60.0 && area.height() > 44.0) {
            painter.setFont(Theme::label(8.5, QFont::DemiBold));
            painter.drawText(
                QRectF(left + 6, bottom - 14, right - left - 12, 14),
                isDown ? Qt::AlignLeft : Qt::AlignRight,
                isDown ? tr("spin-down") : tr("spin-up")
            );
        }
    };
    if (spins.up) {
        paint(*spins.up, false);
    }
    if (spins.down) {
        paint(*spins.down, true);
    }
    if (!spins.up && !spins.down) {
        painter.setPen(QPen(inkOf(Ink::Faint), 1.2));
        painter.setBrush(Qt::NoBrush);
        const SpeedScale scale{keepsTime(clip) ? kMostPitch : 0.0};
        painter.drawPolyline(speedCurve(lanes_, area, clip, speedPointsOf(clip), scale));
    }
}

double ShapePainter::speedY(double speed, QRectF area, SpeedScale scale)
{
    const double half = 0.5 * area.height() - kMargin;
    if (scale.semitones > 0.0) {
        const double semitones = pitchOfSpeed(speed);
        return area.center().y() - half * std::clamp(semitones / scale.semitones, -1.0, 1.0);
    }
    const double above = speed <= 1.0 ? speed - 1.0 : (speed - 1.0) / (kMostSpeed - 1.0);
    return area.center().y() - above * half;
}

double ShapePainter::speedAtY(double y, QRectF area, SpeedScale scale)
{
    const double half = 0.5 * area.height() - kMargin;
    const double above = std::clamp((area.center().y() - y) / half, -1.0, 1.0);
    if (scale.semitones > 0.0) {
        return speedOfPitch(above * scale.semitones);
    }
    return above <= 0.0 ? 1.0 + above : 1.0 + above * (kMostSpeed - 1.0);
}

void ShapePainter::paintSpeed(
    QPainter& painter,
    QRectF area,
    const Clip& clip,
    const std::vector<SpeedPoint>& points,
    SpeedScale scale,
    std::optional<std::size_t> chosen
) const
{
    const Palette& colours = Theme::palette();
    const QPolygonF curve = speedCurve(lanes_, area, clip, points, scale);
    painter.setBrush(Qt::NoBrush);
    // On paper of its own, so that it is seen over the sound.
    painter.setPen(QPen(colours.lane, 4.0));
    painter.drawPolyline(curve);
    painter.setPen(QPen(colours.finding, 1.8, points.empty() ? Qt::DashLine : Qt::SolidLine));
    painter.drawPolyline(curve);
    painter.setPen(QPen(colours.finding, 1.6));
    for (std::size_t i = 0; i < points.size(); ++i) {
        painter.setBrush(chosen == i ? colours.finding : colours.lane);
        painter.drawEllipse(
            QPointF(lanes_.xOf(clip.at + points[i].at), speedY(points[i].speed, area, scale)),
            4.0,
            4.0
        );
    }
    painter.setBrush(Qt::NoBrush);
}

void ShapePainter::paintFades(
    QPainter& painter, QRectF area, const Clip& clip, Ink ink, Frames inBy, Frames outBy
) const
{
    const double top = fadeTop(area);
    const double tall = fadeHeight(area);
    const auto curve = [&](const Fade& fade, bool isIn, Frames by) {
        const Frames length = fade.length + by;
        if (length / Frames(1) < 2.0 * lanes_.scale().framesPerPixel) {
            return;
        }
        const double wide = lanes_.xOf(clip.at + length) - lanes_.xOf(clip.at);
        QPolygonF line;
        for (int step = 0; step <= 24; ++step) {
            const double part = step / 24.0;
            const FadeGains gains = fade.gainsAt(part, 0.0);
            const double from = isIn ? lanes_.xOf(clip.at) : lanes_.xOf(clip.end() - length);
            line << QPointF(from + part * wide, top + tall * (1.0 - (isIn ? gains.in : gains.out)));
        }
        painter.setPen(QPen(inkOf(ink), ink == Ink::Full ? 1.2 : 1.0));
        painter.setBrush(Qt::NoBrush);
        painter.drawPolyline(line);
    };
    curve(clip.in, true, inBy);
    curve(clip.out, false, outBy);
}

void ShapePainter::paintFaint(QPainter& painter, QRectF area, const Track& track) const
{
    const Frames from = lanes_.timeAt(area.left());
    const Frames to = lanes_.timeAt(area.right());
    auto clip =
        std::ranges::lower_bound(track.clips, from, {}, [](const Clip& c) { return c.end(); });
    for (; clip != track.clips.end() && clip->at < to; ++clip) {
        if (clip->sound.treatment && !clip->sound.treatment->speed.isEmpty()) {
            paintSpins(painter, area, *clip, Ink::Faint);
        }
    }
    if (!track.level.isEmpty()) {
        paintLine(painter, area, track.level, Ink::Faint);
    }
    for (const Hush& hush : track.hushes) {
        paintHush(painter, area, hush, Ink::Faint, false, true);
    }
}

}  // namespace orthochron::app
