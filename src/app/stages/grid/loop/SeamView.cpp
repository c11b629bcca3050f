#include "app/stages/grid/loop/SeamView.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/theme/Theme.h"
#include "app/views/FrameSheet.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr double kHead = 22.0;  // px for the words over each side

double loudestOf(std::span<const float> samples)
{
    double most = 0.0;
    for (const float sample : samples) {
        most = std::max(most, static_cast<double>(std::abs(sample)));
    }
    return most;
}

}  // namespace

SeamView::SeamView(Session& session, LoopCutting& loop, QWidget* parent)
    : QWidget(parent), session_(session), loop_(loop)
{
    setObjectName(QStringLiteral("seam"));
    setAccessibleName(tr("Loop seam"));
    setCursor(Qt::SizeHorCursor);
    setToolTip(tr("Drag left side: move end. Drag right side: move start. Wheel: zoom."));
    connect(&loop_, &LoopCutting::changed, this, [this] { update(); });
}

QRectF SeamView::area() const
{
    return QRectF(rect()).adjusted(0.5, kHead, -0.5, -0.5);
}

double SeamView::framesPerPixel() const
{
    return 2.0 * static_cast<double>(loop_.reach().count()) / std::max(area().width(), 1.0);
}

void SeamView::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Palette& colours = Theme::palette();
    const QRectF all = area();
    painter.fillRect(all, colours.lane);
    painter.setPen(QPen(colours.hairline, 1.0));
    painter.drawRect(all);
    painter.setFont(Theme::label(9.5));
    const LoopPicture* picture = loop_.picture();
    if (picture == nullptr) {
        painter.setPen(colours.secondInk);
        painter.drawText(
            all,
            Qt::AlignCenter | Qt::TextWordWrap,
            loop_.span() ? tr("Reading audio at the edges")
                         : tr("Select a range in the ruler.\nThe loop's end and start are shown "
                              "here side by side.")
        );
        return;
    }
    const double middle = all.center().x();
    const double loudest = std::max(loudestOf(picture->beginning), loudestOf(picture->end));
    const double gain = loudest > 0.0 ? 0.45 * all.height() / loudest : 0.0;  // px
    const QRectF left(all.left(), all.top(), middle - all.left(), all.height());
    const QRectF right(middle, all.top(), all.right() - middle, all.height());
    const auto side = [&](const std::vector<float>& samples, QRectF clip, bool isHeard) {
        painter.save();
        painter.setClipRect(clip);
        painter.setOpacity(isHeard ? 1.0 : 0.6);
        painter.setPen(QPen(isHeard ? colours.wave : colours.spare, 1.0));
        paintSamples(painter, samples, all, gain);
        painter.restore();
    };
    // What each side leaves out is seen behind what is heard instead of it.
    side(picture->beginning, left, false);
    side(picture->end, right, false);
    side(picture->end, left, true);
    side(picture->beginning, right, true);
    painter.setPen(QPen(colours.ink, 1.4));
    painter.drawLine(QPointF(middle, all.top()), QPointF(middle, all.bottom()));
    const auto name = [&](LoopEdge edge, const QString& text, Qt::Alignment where) {
        const bool isChosen = loop_.edge() == edge;
        painter.setFont(Theme::label(9.5, isChosen ? QFont::DemiBold : QFont::Normal));
        painter.setPen(isChosen ? colours.ink : colours.secondInk);
        painter.drawText(
            QRectF(0, 0, width(), kHead), static_cast<int>(where | Qt::AlignVCenter), text
        );
    };
    const auto secondsAt = [this](LoopEdge edge) {
        return toSeconds(loop_.at(edge), session_.song().rate).count();
    };
    name(LoopEdge::End, tr("end, %1 s").arg(secondsAt(LoopEdge::End), 0, 'f', 4), Qt::AlignLeft);
    name(
        LoopEdge::Beginning,
        tr("start, %1 s").arg(secondsAt(LoopEdge::Beginning), 0, 'f', 4),
        Qt::AlignRight
    );
    painter.setFont(Theme::label(9.5));
    painter.setPen(colours.secondInk);
    painter.drawText(
        QRectF(0, 0, width(), kHead),
        Qt::AlignCenter,
        tr("similarity %1 · %2 ms each side")
            .arg(picture->likeness, 0, 'f', 2)
            .arg(inMilliseconds(toSeconds(loop_.reach(), session_.song().rate)), 0, 'g', 3)
    );
}

void SeamView::mousePressEvent(QMouseEvent* event)
{
    if (!loop_.span() || event->button() != Qt::LeftButton) {
        return;
    }
    const bool isEnd = event->position().x() < area().center().x();
    const LoopEdge edge = isEnd ? LoopEdge::End : LoopEdge::Beginning;
    loop_.choose(edge);
    held_ = Held{edge, event->position().x(), loop_.at(edge)};
}

void SeamView::mouseMoveEvent(QMouseEvent* event)
{
    if (!held_) {
        return;
    }
    // The sound is what is held: to the right it plays later, so that its edge comes earlier.
    const double by = (held_->x - event->position().x()) * framesPerPixel();
    loop_.move(held_->edge, held_->at + Frames(std::llround(by)));
}

void SeamView::mouseReleaseEvent(QMouseEvent*)
{
    held_.reset();
}

void SeamView::wheelEvent(QWheelEvent* event)
{
    constexpr double kStep = 1.25;
    loop_.zoom(event->angleDelta().y() > 0 ? 1.0 / kStep : kStep);
    event->accept();
}

}  // namespace orthochron::app
