#include "app/stages/grid/follow/BarTempi.h"

#include <QPainter>

#include "app/theme/Theme.h"

#include <algorithm>

namespace orthochron::app {

namespace {

constexpr int kMostBars = 20000;     // an hour at the fastest
constexpr double kLeastRange = 0.1;  // of the tempo: what is steady is not drawn as a thicket

}  // namespace

void paintBarPoint(QPainter& painter, const BarTempo& bar, QPointF at, double radius)
{
    const Palette& colours = Theme::palette();
    const QColor colour = bar.isDoubtful ? colours.finding : colours.ink;
    painter.setPen(QPen(colour, 1.2));
    painter.setBrush(bar.isPinned ? colour : colours.lane);
    painter.drawEllipse(at, radius, radius);
}

void BarTempi::refresh(const Song& song, const Following& following)
{
    if (madeFrom_ == song.tempo && length_ == song.length() && !bars_.empty()) {
        return;
    }
    madeFrom_ = song.tempo;
    length_ = song.length();
    bars_.clear();
    const Seconds end = toSeconds(length_, song.rate);
    least_ = 1e9;
    most_ = 0.0;
    for (int bar = song.tempo.barAt(song.tempo.tempi().front().at); bar <= kMostBars; ++bar) {
        const Beats from = song.tempo.startOfBar(bar);
        const Beats to = song.tempo.startOfBar(bar + 1);
        const Seconds begins = song.tempo.timeAt(from);
        if (begins >= end && bar > 1) {
            break;
        }
        const double bpm = (to - from).count() * 60.0 / (song.tempo.timeAt(to) - begins).count();
        bars_.push_back({bar, bpm, false, following.isPinned(from)});
        least_ = std::min(least_, bpm);
        most_ = std::max(most_, bpm);
    }
    for (const DoubtfulBar& doubtful : following.doubtful()) {
        if (const BarTempo* bar = find(doubtful.bar)) {
            bars_[static_cast<std::size_t>(bar - bars_.data())].isDoubtful = true;
        }
    }
    const double middle = 0.5 * (least_ + most_);
    const double half = std::max(0.55 * (most_ - least_), 0.5 * kLeastRange * middle);
    least_ = middle - half;
    most_ = middle + half;
}

const BarTempo* BarTempi::find(int bar) const
{
    const auto found = std::ranges::lower_bound(bars_, bar, {}, &BarTempo::bar);
    return found != bars_.end() && found->bar == bar ? &*found : nullptr;
}

}  // namespace orthochron::app
