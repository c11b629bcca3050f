#include "app/views/TimeBands.h"

#include <QPainter>

#include "app/theme/Theme.h"
#include "core/edits/MapEdits.h"

namespace orthochron::app {

namespace {

// Song time from a section's first frame to the one after its last.
std::pair<Frames, Frames> spanOfSection(const Song& song, const Section& section)
{
    const auto at = [&](int bar) {
        return toFrames(song.tempo.timeAt(song.tempo.startOfBar(bar)), song.rate);
    };
    return {at(section.bars.first), at(section.bars.last + 1)};
}

}  // namespace

TimeBands::TimeBands(const LanesView& lanes, const Session& session)
    : lanes_(lanes), session_(session)
{}

Beats TimeBands::middleOfView() const
{
    const Song& song = session_.song();
    return song.tempo.beatsAt(toSeconds(lanes_.timeAt(lanes_.sheet().center().x()), song.rate));
}

// Bars that a draft is not sure of and nobody has decided.
void TimeBands::paintDoubtful(QPainter& painter, const QRect& ruler) const
{
    const Song& song = session_.song();
    QColor colour = Theme::palette().finding;
    colour.setAlpha(46);
    for (const DoubtfulBar& bar : doubtfulBars(song.tempo)) {
        const double left = lanes_.xOf(toFrames(song.tempo.timeAt(bar.place), song.rate));
        const double right =
            lanes_.xOf(toFrames(song.tempo.timeAt(song.tempo.startOfBar(bar.bar + 1)), song.rate));
        if (right >= ruler.left() && left <= ruler.right()) {
            painter.fillRect(QRectF(left, ruler.top(), right - left, ruler.height()), colour);
        }
    }
}

void TimeBands::paintGrid(QPainter& painter) const
{
    const Song& song = session_.song();
    if (song.tracks.empty()) {
        return;
    }
    const QRect area = lanes_.sheet();
    const Grid grid(song.tempo, session_.fitting.request.grid);
    // How wide things are in the middle of what is shown: whether there is room for them.
    const Beats middle = middleOfView();
    const double quarter =
        60.0 / song.tempo.bpmAt(middle) * song.rate.count() / lanes_.scale().framesPerPixel;
    const Meter meter = song.tempo.meterOfBar(song.tempo.barAt(middle));
    const double step = grid.stepLength().count() * quarter;
    const double beat = meter.beatLength().count() * quarter;
    const auto line = [&](Seconds time, const QColor& colour, double width) {
        const double x = std::floor(lanes_.xOf(toFrames(time, song.rate))) + 0.5;
        if (x < area.left()) {
            return;  // under the heads
        }
        painter.setPen(QPen(colour, width));
        painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()));
    };
    const Palette& colours = Theme::palette();
    if (step >= 9.0) {
        const Seconds end = toSeconds(lanes_.timeAt(area.right()), song.rate);
        QColor faint = colours.hairline;
        faint.setAlpha(130);
        for (auto index = grid.nearest(toSeconds(lanes_.timeAt(area.left()), song.rate)).index;
             grid.line(index).time < end;
             ++index) {
            line(grid.line(index).time, faint, 1.0);
        }
    }
    const int first =
        song.tempo.barAt(song.tempo.beatsAt(toSeconds(lanes_.timeAt(area.left()), song.rate)));
    const double barWidth = beat * meter.numerator;
    const int stride = barWidth >= 5.0 ? 1 : barWidth >= 1.2 ? 4 : 16;
    for (int bar = first;; ++bar) {
        const Beats start = song.tempo.startOfBar(bar);
        if (lanes_.xOf(toFrames(song.tempo.timeAt(start), song.rate)) > area.right()) {
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

void TimeBands::paintRuler(QPainter& painter) const
{
    const Song& song = session_.song();
    const QRect area(0, LanesView::kRibbonHeight, lanes_.width(), LanesView::kRulerHeight);
    painter.fillRect(area, Theme::palette().paper);
    painter.setPen(QPen(Theme::palette().barLine, 1));
    painter.drawLine(0, area.bottom(), lanes_.width(), area.bottom());
    if (song.tracks.empty()) {
        return;
    }
    painter.save();
    painter.setClipRect(area.adjusted(lanes_.headWidth(), 0, 0, 0));
    if (const auto& range = session_.choice.range()) {
        QColor straw = Theme::palette().straw;
        painter.fillRect(
            QRectF(
                lanes_.xOf(range->from),
                area.top(),
                lanes_.xOf(range->to) - lanes_.xOf(range->from),
                area.height()
            ),
            straw
        );
    }
    paintSections(painter, area);
    paintDoubtful(painter, area);
    const int shown = song.tempo.barAt(middleOfView());
    const double bar =
        (lanes_.xOf(toFrames(song.tempo.timeAt(song.tempo.startOfBar(shown + 1)), song.rate)) -
         lanes_.xOf(toFrames(song.tempo.timeAt(song.tempo.startOfBar(shown)), song.rate)));
    int stride = 1;
    while (bar * stride < 34.0 && stride < 4096) {
        stride *= 2;
    }
    const int first =
        song.tempo.barAt(song.tempo.beatsAt(toSeconds(lanes_.timeAt(lanes_.headWidth()), song.rate))
        );
    const bool isGuessed = hasGuessedBarOne(song.tempo);
    painter.setFont(Theme::label(9, QFont::DemiBold));
    for (int number = first;; ++number) {
        const Beats start = song.tempo.startOfBar(number);
        const double x = lanes_.xOf(toFrames(song.tempo.timeAt(start), song.rate));
        if (x > lanes_.width()) {
            break;
        }
        if ((number - 1) % stride != 0) {
            continue;
        }
        painter.setPen(QPen(Theme::palette().barLine, 1));
        painter.drawLine(QPointF(x, area.top() + 6), QPointF(x, area.bottom()));
        painter.setPen(Theme::palette().ink);
        // Bar 1 of a draft is a guess until somebody has put it or kept it.
        const QString text = number == 1 && isGuessed ? tr("1?") : QString::number(number);
        painter.drawText(QPointF(x + 7, area.bottom() - 6), text);
        const Meter meter = song.tempo.meterOfBar(number);
        if (bar > 60.0) {
            painter.setPen(QPen(Theme::palette().barLine, 1));
            for (int b = 1; b < meter.numerator; ++b) {
                const double tick = lanes_.xOf(
                    toFrames(song.tempo.timeAt(start + meter.beatLength() * b), song.rate)
                );
                painter.drawLine(QPointF(tick, area.bottom() - 4), QPointF(tick, area.bottom()));
            }
        }
    }
    painter.restore();
}

// A section is a line along the top of the ruler, with an upright where it begins.
void TimeBands::paintSections(QPainter& painter, const QRect& ruler) const
{
    painter.setPen(QPen(Theme::palette().ink, 2));
    for (const Section& section : session_.song().sections) {
        const auto [start, end] = spanOfSection(session_.song(), section);
        const double left = lanes_.xOf(start) + 1.0;
        painter.drawLine(
            QPointF(left, ruler.top() + 2), QPointF(lanes_.xOf(end) - 2.0, ruler.top() + 2)
        );
        painter.drawLine(QPointF(left, ruler.top() + 2), QPointF(left, ruler.bottom()));
    }
}

void TimeBands::paintRibbon(QPainter& painter) const
{
    const QRect area(0, 0, lanes_.width(), LanesView::kRibbonHeight);
    const Palette& colours = Theme::palette();
    painter.fillRect(area, colours.edge);
    painter.setPen(colours.secondInk);
    painter.setFont(Theme::label(8.5));
    painter.drawText(
        QRect(12, 8, lanes_.headWidth() - 14, 34), Qt::AlignLeft, tr("whole song\ntiming errors")
    );
    const Song& song = session_.song();
    const double length = static_cast<double>(song.length().count());
    if (length <= 0.0) {
        return;
    }
    const QRectF band(
        lanes_.headWidth(), 2, lanes_.width() - lanes_.headWidth() - 8, LanesView::kRibbonHeight - 6
    );
    const double middle = band.center().y();
    const auto x = [&](double frames) { return band.left() + frames / length * band.width(); };
    const int bins = std::max(1, static_cast<int>(band.width() / 5.0));
    std::vector<double> sum(static_cast<std::size_t>(bins), 0.0);
    std::vector<int> count(static_cast<std::size_t>(bins), 0);
    for (const JudgedHit& hit : session_.fitting.preview().performance.hits) {
        if (hit.role != HitRole::Main) {
            continue;
        }
        const Frames now = session_.review.heardAt(hit.played.beatPoint);
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
    painter.setFont(Theme::label(8));
    for (const Section& section : song.sections) {
        const auto [start, end] = spanOfSection(song, section);
        const double left = x(static_cast<double>(start.count()));
        const double right = std::min(x(static_cast<double>(end.count())), band.right());
        painter.setPen(QPen(colours.barLine, 1));
        painter.drawLine(QPointF(left, band.top()), QPointF(left, band.bottom()));
        painter.drawLine(QPointF(right, band.top()), QPointF(right, band.bottom()));
        painter.setPen(colours.secondInk);
        painter.drawText(
            QRectF(left + 3.0, band.top(), std::max(0.0, right - left - 4.0), 12.0),
            Qt::AlignLeft | Qt::AlignVCenter,
            QString::fromStdString(section.name)
        );
    }
    const double from =
        std::clamp(static_cast<double>(lanes_.timeAt(lanes_.sheet().left()).count()), 0.0, length);
    const double to =
        std::clamp(static_cast<double>(lanes_.timeAt(lanes_.sheet().right()).count()), 0.0, length);
    QColor straw = colours.straw;
    straw.setAlpha(120);
    painter.setPen(QPen(colours.secondInk, 1));
    painter.setBrush(straw);
    painter.drawRect(QRectF(x(from), band.top(), std::max(4.0, x(to) - x(from)), band.height()));
    painter.setPen(QPen(colours.ink, 1.4));
    const double head = x(static_cast<double>(session_.player.position().count()));
    painter.drawLine(QPointF(head, band.top()), QPointF(head, band.bottom()));
}

}  // namespace orthochron::app
