#include "app/stages/grid/heads/BarHeads.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/theme/Theme.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr double kReach = 6.0;       // px around a line
constexpr double kCatch = 8.0;       // px to a mark or an attack
constexpr double kNumber = 26.0;     // px; how far a bar's number reaches right of its line
constexpr double kBarRoom = 16.0;    // px that bars take at least to have heads
constexpr double kBeatRoom = 26.0;   // likewise beats
constexpr double kTempoRoom = 62.0;  // px right of a bar line, for its tempo
constexpr double kRadius = 4.5;
constexpr double kSame = 1e-6;  // quarter notes

}  // namespace

BarHeads::BarHeads(Session& session, LanesView& lanes, Following& following)
    : session_(session), lanes_(lanes), following_(following)
{}

double BarHeads::xOf(Beats line) const
{
    const Song& song = session_.song();
    const TempoMap& map = held_ && held_->isMoved ? preview_ : song.tempo;
    return lanes_.xOf(toFrames(map.timeAt(line), song.rate));
}

std::vector<Beats> BarHeads::lines() const
{
    const Song& song = session_.song();
    const TempoMap& map = song.tempo;
    std::vector<Beats> lines;
    if (song.tracks.empty()) {
        return lines;
    }
    const QRect sheet = lanes_.sheet();
    const auto barAt = [&](double x) {
        return map.barAt(map.beatsAt(toSeconds(lanes_.timeAt(x), song.rate)));
    };
    // Bars before bar 1 are there for a count-in or a pick-up, as far as the song goes back.
    const int songStart = map.barAt(map.beatsAt(Seconds(0.0)));
    const int first = std::max(std::min(1, songStart), barAt(sheet.left()) - 1);
    const int last = barAt(sheet.right()) + 1;
    for (int bar = first; bar <= last; ++bar) {
        const Beats start = map.startOfBar(bar);
        const double width = xOf(map.startOfBar(bar + 1)) - xOf(start);
        if (width < kBarRoom) {
            if (bar == 1) {
                lines.push_back(start);
            }
            continue;
        }
        lines.push_back(start);
        const Meter meter = map.meterOfBar(bar);
        for (int beat = 1; beat < meter.numerator && width / meter.numerator >= kBeatRoom; ++beat) {
            lines.push_back(start + meter.beatLength() * beat);
        }
    }
    return lines;
}

void BarHeads::paint(QPainter& painter) const
{
    const Song& song = session_.song();
    const Palette& colours = Theme::palette();
    const QRect sheet = lanes_.sheet();
    const double y = LanesView::kRibbonHeight + 8.0;
    painter.setFont(Theme::label(8.5));
    for (const Beats line : lines()) {
        const double x = xOf(line);
        if (x < sheet.left() - kNumber || x > sheet.right() + kNumber) {
            continue;
        }
        const BarBeat place = song.tempo.placeAt(line);
        const TempoPoint* point = pointAt(song.tempo, line);
        const bool isPinned = point != nullptr && point->isPinned;
        const bool isDoubtful = point != nullptr && !isPinned && point->sureness < kDoubtfulBar;
        const bool isHeld = held_ && held_->line == line;
        const bool isChosen = std::abs((following_.line() - line).count()) < kSame;
        const QColor colour = isDoubtful ? colours.finding : colours.ink;
        if (isHeld && held_->isMoved) {
            // Where it was, and where it is to be.
            const double was = lanes_.xOf(toFrames(song.tempo.timeAt(line), song.rate));
            painter.setPen(QPen(colours.ink, 1.0, Qt::DashLine));
            painter.drawLine(QPointF(was, sheet.top()), QPointF(was, sheet.bottom()));
        }
        if (isChosen || isHeld) {
            painter.setPen(
                QPen(colour, isHeld ? 2.0 : 1.6, isDoubtful ? Qt::DashLine : Qt::SolidLine)
            );
            painter.drawLine(QPointF(x, y), QPointF(x, sheet.bottom()));
        } else if (held_ && held_->isMoved && place.beat == 1) {
            painter.setPen(QPen(colours.secondInk, 1.0, Qt::DotLine));
            painter.drawLine(QPointF(x, sheet.top()), QPointF(x, sheet.bottom()));
        }
        painter.setPen(QPen(colour, 1.4));
        painter.setBrush(isPinned ? colour : colours.lane);
        const double radius = place.beat == 1 ? kRadius : kRadius - 1.6;
        painter.drawEllipse(QPointF(x, y), radius, radius);
        const TempoMap& map = held_ && held_->isMoved ? preview_ : song.tempo;
        const double width = xOf(map.startOfBar(place.bar + 1)) - x;
        const int beats = map.meterOfBar(place.bar).numerator;
        const double room = width / beats >= kBeatRoom ? width / beats : width;
        if (place.beat == 1 && map.tempi().size() > 1 && room > kTempoRoom) {
            painter.setPen(isDoubtful ? colours.finding : colours.secondInk);
            painter.drawText(
                QPointF(x + 30.0, sheet.top() - 7.0), QString::number(map.bpmAt(line), 'f', 1)
            );
        }
    }
}

std::optional<BarHeads::Held> BarHeads::heldAt(QPoint place) const
{
    const bool isInRuler = place.y() < lanes_.sheet().top();
    std::optional<Held> best;
    double least = kReach;
    for (const Beats line : lines()) {
        const double away = place.x() - xOf(line);
        const Frames at = toFrames(session_.song().tempo.timeAt(line), session_.song().rate);
        if (std::abs(away) <= least) {
            least = std::abs(away);
            best = Held{line, Part::Head, at};
        } else if (!best && isInRuler && away > kReach && away < kNumber &&
                   session_.song().tempo.placeAt(line).beat == 1) {
            best = Held{line, Part::Number, at};
        }
    }
    return best;
}

Frames BarHeads::caught(Frames songTime) const
{
    const Hertz rate = session_.song().rate;
    const Frames reach(static_cast<std::int64_t>(kCatch * lanes_.scale().framesPerPixel));
    Frames best = songTime;
    Frames least = reach;
    const auto consider = [&](Frames at) {
        const Frames away(std::abs((at - songTime).count()));
        if (away < least) {
            least = away;
            best = at;
        }
    };
    for (const PlayedHit& hit : session_.fitting.preview().origin.hits) {
        consider(hit.start);
    }
    for (const HeardMark& mark : session_.hits.marksOf(session_.choice.track())) {
        consider(mark.at);
    }
    if (const auto attack =
            following_.attackNear(toSeconds(songTime, rate), toSeconds(reach, rate))) {
        consider(toFrames(*attack, rate));
    }
    return best;
}

bool BarHeads::press(QMouseEvent& event)
{
    held_ = heldAt(event.pos());
    if (!held_) {
        return false;
    }
    grip_ = event.position().x() - xOf(held_->line);
    following_.chooseLine(held_->line);
    return true;
}

Result<Song> BarHeads::moved() const
{
    const Song& song = session_.song();
    const Seconds time = toSeconds(held_->at, song.rate);
    return held_->part == Part::Number ? moveLine(song, held_->line, time)
                                       : following_.shifted(held_->line, time);
}

void BarHeads::move(QMouseEvent& event)
{
    if (!held_) {
        return;
    }
    const Song& song = session_.song();
    const Frames to = lanes_.timeAt(event.position().x() - grip_);
    const Frames was = held_->at;
    held_->at = (event.modifiers() & Qt::ControlModifier) != 0 ? to : caught(to);
    const auto next = moved();
    if (!next) {
        held_->at = was;
        lanes_.setReadout(QString::fromStdString(next.error().message), event.pos());
        return;
    }
    held_->isMoved = true;
    preview_ = next->tempo;
    const double by =
        inMilliseconds(toSeconds(held_->at, song.rate) - song.tempo.timeAt(held_->line));
    const double before = preview_.bpmAt(held_->line - Beats(1e-3));
    lanes_.setReadout(
        tr("%1 %2%3 ms, %4 bpm before%5")
            .arg(
                following_.lineName(held_->line),
                by < 0.0 ? QStringLiteral("−") : QStringLiteral("+")
            )
            .arg(std::abs(by), 0, 'f', 1)
            .arg(before, 0, 'f', 2)
            .arg(held_->at == to ? QString() : tr(", snapped to attack")),
        event.pos()
    );
}

void BarHeads::release()
{
    const auto held = std::exchange(held_, std::nullopt);
    if (held && held->isMoved) {
        const Seconds time = toSeconds(held->at, session_.song().rate);
        if (held->part == Part::Number) {
            following_.move(held->line, time);
        } else {
            following_.pin(held->line, time);
        }
    }
    lanes_.update();
}

std::pair<QString, Qt::CursorShape> BarHeads::hintAt(QPoint place) const
{
    const auto held = heldAt(place);
    if (!held) {
        return {};
    }
    const QString name = following_.lineName(held->line);
    return {
        held->part == Part::Number
            ? tr("Drag the number to move %1 without a pin. Ctrl: no snap.").arg(name)
            : tr("Drag %1 to its attack to pin it. Ctrl: no snap.").arg(name),
        Qt::SizeHorCursor};
}

}  // namespace orthochron::app
