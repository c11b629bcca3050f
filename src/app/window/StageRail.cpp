#include "app/window/StageRail.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include "app/theme/Theme.h"

#include <algorithm>
#include <span>

namespace orthochron::app {

StageRail::StageRail(std::vector<Entry> entries, QWidget* parent)
    : QWidget(parent), entries_(std::move(entries))
{
    setObjectName(QStringLiteral("stageRail"));
    setAccessibleName(tr("Stages"));
    setFixedWidth(Theme::kRailWidth);
    setMouseTracking(true);
    setFocusPolicy(Qt::TabFocus);
}

QRect StageRail::place(int stage) const
{
    const auto before = std::ranges::count_if(
        std::span(entries_).first(static_cast<std::size_t>(stage)), &Entry::isOn
    );
    return {0, 14 + static_cast<int>(before) * 46, width(), 40};
}

int StageRail::stageAt(QPoint at) const
{
    for (int i = 0; i < static_cast<int>(entries_.size()); ++i) {
        if (entries_[static_cast<std::size_t>(i)].isOn && place(i).contains(at)) {
            return i;
        }
    }
    return -1;
}

void StageRail::setCurrent(int stage)
{
    current_ = stage;
    update();
}

void StageRail::setHeldKey(const QString& character)
{
    heldKey_ = character;
    update();
}

void StageRail::setWorkedOn(int stage, bool isWorkedOn)
{
    entries_[static_cast<std::size_t>(stage)].isWorkedOn = isWorkedOn;
    update();
}

void StageRail::paintEvent(QPaintEvent*)
{
    const Palette& colours = Theme::palette();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), colours.edge);
    painter.setPen(QPen(colours.barLine, 1));
    painter.drawLine(width() - 1, 0, width() - 1, height());
    for (int i = 0; i < static_cast<int>(entries_.size()); ++i) {
        const Entry& entry = entries_[static_cast<std::size_t>(i)];
        if (!entry.isOn) {
            continue;
        }
        const QRect area = place(i);
        const bool isCurrent = i == current_;
        if (isCurrent) {
            // The chosen stage is the tab that opens onto the sheet.
            QPainterPath tab;
            tab.addRoundedRect(QRectF(area).adjusted(6, 0, 8, 0), 4, 4);
            painter.setClipRect(rect());
            painter.fillPath(tab, colours.paper);
            painter.setPen(QPen(hasFocus() ? colours.ink : colours.barLine, 1));
            painter.drawPath(tab);
            painter.fillRect(
                QRect(width() - 1, area.top() + 1, 1, area.height() - 1), colours.paper
            );
        }
        const QColor ink = isCurrent ? colours.ink : colours.secondInk;
        painter.setPen(ink);
        painter.setFont(Theme::label(8));
        painter.drawText(
            QRect(18, area.top(), 12, area.height()), Qt::AlignVCenter, QString::number(i + 1)
        );
        painter.setFont(Theme::text(11, isCurrent ? QFont::DemiBold : QFont::Normal));
        painter.drawText(QRect(34, area.top(), 54, area.height()), Qt::AlignVCenter, entry.name);
        if (entry.isWorkedOn) {
            painter.setPen(Qt::NoPen);
            painter.setBrush(ink);
            painter.drawEllipse(QPointF(width() - 9, area.center().y() + 1), 2.3, 2.3);
            painter.setBrush(Qt::NoBrush);
        }
    }
    painter.setPen(colours.secondInk);
    painter.setFont(Theme::label(8));
    painter.drawText(
        QRect(4, height() - 40, width() - 8, 32),
        Qt::AlignCenter,
        tr("hold %1 for the\nprevious stage").arg(heldKey_)
    );
}

void StageRail::mousePressEvent(QMouseEvent* event)
{
    const int stage = stageAt(event->pos());
    if (stage >= 0) {
        Q_EMIT chosen(stage);
    }
}

void StageRail::mouseMoveEvent(QMouseEvent* event)
{
    const int stage = stageAt(event->pos());
    if (stage < 0) {
        Q_EMIT hint(QString());
        return;
    }
    Q_EMIT hint(tr("%1 (key %2)").arg(entries_[static_cast<std::size_t>(stage)].name).arg(stage + 1)
    );
}

void StageRail::leaveEvent(QEvent*)
{
    Q_EMIT hint(QString());
}

void StageRail::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Down || event->key() == Qt::Key_Up) {
        const int by = event->key() == Qt::Key_Down ? 1 : -1;
        for (int stage = current_ + by; stage >= 0 && stage < static_cast<int>(entries_.size());
             stage += by) {
            if (entries_[static_cast<std::size_t>(stage)].isOn) {
                Q_EMIT chosen(stage);
                return;
            }
        }
        return;
    }
    QWidget::keyPressEvent(event);
}

}  // namespace orthochron::app
