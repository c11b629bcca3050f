#include "app/stages/print/PrintTable.h"

#include <QPainter>

#include "app/theme/Theme.h"

#include <array>

namespace orthochron::app {

namespace {

constexpr std::array kRows{
    PrintedWork::Cuts,
    PrintedWork::Stretch,
    PrintedWork::Speed,
    PrintedWork::ClipLevel,
    PrintedWork::Lines,
    PrintedWork::TrackLevel,
    PrintedWork::SongLine};
constexpr std::array kColumns{
    PrintExtent::Clips, PrintExtent::Stem, PrintExtent::Track, PrintExtent::Song};
constexpr int kColumnWidth = 58;

}  // namespace

PrintTable::PrintTable(QWidget* parent) : QWidget(parent), isThere_(kRows.size(), false)
{
    setObjectName(QStringLiteral("printTable"));
    setAccessibleName(tr("What becomes fixed"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
}

void PrintTable::show(const Song& song, std::span<const TrackId> tracks, PrintExtent extent)
{
    extent_ = extent;
    for (std::size_t i = 0; i < kRows.size(); ++i) {
        isThere_[i] = hasWork(song, tracks, kRows[i]);
    }
    update();
}

void PrintTable::paintEvent(QPaintEvent*)
{
    const std::array rows{
        tr("Cuts, joins, fades"),
        tr("Stretch, pitch, notes"),
        tr("Speed lines, spins"),
        tr("Clip level"),
        tr("Level lines, hushes"),
        tr("Track level, pan"),
        tr("Song level line")};
    const std::array columns{tr("Clips"), tr("Stem"), tr("Track"), tr("Song")};
    const Palette& colours = Theme::palette();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const int line = std::min(26, (height() - 24) / static_cast<int>(rows.size() + 1));
    const int left = width() - kColumnWidth * static_cast<int>(columns.size());
    for (std::size_t c = 0; c < columns.size(); ++c) {
        const QRect column(
            left + kColumnWidth * static_cast<int>(c), 0, kColumnWidth - 4, line * 8 + 2
        );
        if (kColumns[c] == extent_) {
            painter.setPen(QPen(colours.ink, 1.5));
            painter.setBrush(colours.straw);
            painter.drawRect(column.adjusted(0, 1, 0, 0));
        }
        painter.setPen(colours.ink);
        painter.setFont(Theme::text(9.5, QFont::DemiBold));
        painter.drawText(
            QRect(column.left(), 0, column.width(), line), Qt::AlignCenter, columns[c]
        );
    }
    painter.setFont(Theme::text(9.5));
    for (std::size_t r = 0; r < rows.size(); ++r) {
        const int top = line * static_cast<int>(r + 1);
        const QColor ink = isThere_[r] ? colours.ink : colours.spare;
        painter.setPen(isThere_[r] ? colours.ink : colours.secondInk);
        painter.drawText(QRect(0, top, left, line), Qt::AlignLeft | Qt::AlignVCenter, rows[r]);
        for (std::size_t c = 0; c < columns.size(); ++c) {
            const QPointF middle(
                left + kColumnWidth * static_cast<int>(c) + (kColumnWidth - 4) / 2.0,
                top + line / 2.0
            );
            const bool isFixed = becomesFixed(kRows[r], kColumns[c]);
            painter.setPen(QPen(ink, 1.3));
            painter.setBrush(isFixed ? QBrush(ink) : QBrush(Qt::NoBrush));
            painter.drawEllipse(middle, 4.5, 4.5);
        }
        painter.setPen(QPen(colours.hairline, 1));
        painter.drawLine(0, top, left - 8, top);
    }
    painter.setFont(Theme::label(9));
    painter.setPen(colours.secondInk);
    const int foot = line * 8 + 6;
    painter.drawText(
        QRect(0, foot, width(), 18),
        Qt::AlignLeft | Qt::AlignVCenter,
        tr("Dot: becomes part of the sound. Ring: stays live. Grey: not used here.")
    );
}

}  // namespace orthochron::app
