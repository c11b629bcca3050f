#include "app/views/FrameSheet.h"

#include <QKeyEvent>
#include <QPainter>
#include <QWheelEvent>

#include "app/theme/Theme.h"

#include <algorithm>

namespace orthochron::app {

namespace {

constexpr int kGap = 8;

}  // namespace

void paintSamples(QPainter& painter, std::span<const float> samples, QRectF area, double gain)
{
    if (samples.size() < 2) {
        return;
    }
    const double perPixel = static_cast<double>(samples.size()) / area.width();
    QPolygonF line;
    for (int x = 0; x < static_cast<int>(area.width()); ++x) {
        const auto from = static_cast<std::size_t>(x * perPixel);
        const auto to =
            std::clamp(static_cast<std::size_t>((x + 1) * perPixel), from + 1, samples.size());
        const auto [low, high] = std::ranges::minmax_element(samples.subspan(from, to - from));
        const double middle = area.center().y();
        line << QPointF(area.left() + x, middle - static_cast<double>(*low) * gain)
             << QPointF(area.left() + x, middle - static_cast<double>(*high) * gain);
    }
    painter.save();
    painter.setClipRect(area, Qt::IntersectClip);
    painter.drawPolyline(line);
    painter.restore();
}

FrameSheet::FrameSheet(int frameHeight, QWidget* parent, int leastWidth)
    : QWidget(parent), frameHeight_(frameHeight), leastWidth_(leastWidth)
{
    setFocusPolicy(Qt::StrongFocus);
}

int FrameSheet::columns() const
{
    return std::max(1, (width() + kGap) / (leastWidth_ + kGap));
}

int FrameSheet::frameWidth() const
{
    return (width() - kGap * (columns() - 1) - 2) / columns();
}

void FrameSheet::choosePlace(std::size_t place)
{
    if (place >= count()) {
        return;
    }
    const int row = static_cast<int>(place) / columns();
    const int rows = std::max(1, height() / (frameHeight_ + kGap));
    topRow_ = std::clamp(topRow_, row - rows + 1, row);
    choose(place);
}

void FrameSheet::step(int by)
{
    const auto all = static_cast<std::ptrdiff_t>(count());
    const auto place = static_cast<std::ptrdiff_t>(chosenPlace()) + by;
    if (all > 0) {
        choosePlace(static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(place, 0, all - 1)));
    }
}

void FrameSheet::paintHead(
    QPainter& painter,
    QRect frame,
    bool isChosen,
    bool isFinding,
    const QString& left,
    const QString& right
)
{
    const Palette& colours = Theme::palette();
    painter.fillRect(
        frame,
        isChosen ? colours.straw.lighter(Theme::sheet() == Sheet::Day ? 118 : 100) : colours.lane
    );
    painter.setPen(QPen(
        isFinding  ? colours.finding
        : isChosen ? colours.ink
                   : colours.edge,
        isFinding || isChosen ? 2 : 1
    ));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(frame);
    painter.setFont(Theme::label(8.5, QFont::DemiBold));
    painter.setPen(colours.ink);
    painter.drawText(frame.adjusted(7, 4, 0, 0), Qt::AlignLeft | Qt::AlignTop, left);
    painter.setFont(Theme::label(8.5, isFinding ? QFont::DemiBold : QFont::Normal));
    painter.setPen(isFinding ? colours.finding : colours.secondInk);
    painter.drawText(frame.adjusted(0, 4, -7, 0), Qt::AlignRight | Qt::AlignTop, right);
}

void FrameSheet::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const std::size_t all = count();
    if (all == 0) {
        painter.setPen(Theme::palette().secondInk);
        painter.drawText(rect(), Qt::AlignCenter | Qt::TextWordWrap, emptyText());
        return;
    }
    const int wide = columns();
    const int lastRow = static_cast<int>(all - 1) / wide;
    topRow_ = std::clamp(topRow_, 0, lastRow);
    for (std::size_t place = static_cast<std::size_t>(topRow_) * static_cast<std::size_t>(wide);
         place < all;
         ++place) {
        const int row = static_cast<int>(place) / wide - topRow_;
        const int column = static_cast<int>(place) % wide;
        const QRect frame(
            column * (frameWidth() + kGap) + 1,
            row * (frameHeight_ + kGap) + 1,
            frameWidth(),
            frameHeight_
        );
        if (frame.top() > height()) {
            break;
        }
        paintFrame(painter, frame, place);
    }
}

void FrameSheet::mousePressEvent(QMouseEvent* event)
{
    const int column = std::min(event->pos().x() / (frameWidth() + kGap), columns() - 1);
    const int row = event->pos().y() / (frameHeight_ + kGap) + topRow_;
    setFocus();
    choosePlace(
        static_cast<std::size_t>(row) * static_cast<std::size_t>(columns()) +
        static_cast<std::size_t>(column)
    );
}

void FrameSheet::wheelEvent(QWheelEvent* event)
{
    const int rows = (static_cast<int>(count()) + columns() - 1) / columns();
    topRow_ = std::clamp(topRow_ - event->angleDelta().y() / 120, 0, std::max(0, rows - 1));
    update();
    event->accept();
}

void FrameSheet::keyPressEvent(QKeyEvent* event)
{
    switch (event->key()) {
    case Qt::Key_Right: step(1); return;
    case Qt::Key_Left: step(-1); return;
    case Qt::Key_Down: step(columns()); return;
    case Qt::Key_Up: step(-columns()); return;
    default: QWidget::keyPressEvent(event);
    }
}

}  // namespace orthochron::app
