#include "app/stages/tune/Ladder.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/theme/Theme.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr int kNear = 6;            // px
constexpr double kCatches = 0.12;   // semitones from a rung it is caught at
constexpr double kLeastBeam = 2.0;  // px
constexpr double kMostBeam = 6.0;
constexpr double kRoom = 1.5;  // semitones above and below the notes

}  // namespace

Ladder::Ladder(Session& session, LanesView& lanes, TuneHands& hands, NoteHands& notes)
    : session_(session), lanes_(lanes), hands_(hands), notes_(notes), beside_(session, lanes, hands)
{}

std::optional<TrackId> Ladder::besideAt(QRect area, QPoint place) const
{
    return beside_.at(place, [&](double midi) { return yOf(midi, area); });
}

const std::vector<NoteTuning>& Ladder::asked() const
{
    return dragged_.empty() ? hands_.asked() : dragged_;
}

// What is seen: of all notes, or so much about the chosen one.
Ladder::Range Ladder::range() const
{
    if (grip_ != Grip::None) {
        return shown_;
    }
    const Sung* sung = hands_.sung();
    Range seen;
    if (sung == nullptr || sung->notes.empty()) {
        return seen;
    }
    seen = {200.0, 0.0};
    double middle = 0.0;
    const auto& now = asked();
    for (std::size_t i = 0; i < sung->notes.size(); ++i) {
        const double at = sung->notes[i].centre + now[i].shift;
        seen.low = std::min({seen.low, sung->notes[i].centre, at});
        seen.high = std::max({seen.high, sung->notes[i].centre, at});
        middle = hands_.chosen().contains(i) ? at : middle;
    }
    const auto [low, high] = beside_.range().value_or(std::pair{seen.low, seen.high});
    seen.low = std::min(seen.low, low);
    seen.high = std::max(seen.high, high);
    seen.low -= kRoom;
    seen.high += kRoom;
    if (span_ > 0.0) {
        middle = middle > 0.0 ? middle : 0.5 * (seen.low + seen.high);
        seen = {middle - 0.5 * span_, middle + 0.5 * span_};
    }
    return seen;
}

double Ladder::yOf(double midi, QRectF area) const
{
    const Range& seen = shown_;
    return area.bottom() - (midi - seen.low) / (seen.high - seen.low) * area.height();
}

std::optional<std::pair<Frames, Frames>> Ladder::spanOf(std::size_t note) const
{
    const Sung* sung = hands_.sung();
    const auto start = hands_.heardAt(sung->notes[note].start);
    const auto end = hands_.heardAt(sung->notes[note].end - Frames(1));
    if (!start || !end) {
        return std::nullopt;
    }
    // What is being dragged is not in the song yet.
    const NoteTuning& now = asked()[note];
    const NoteTuning& was = hands_.asked()[note];
    return std::pair{*start + (now.start - was.start), *end + Frames(1) + (now.end - was.end)};
}

// ---- painting

void Ladder::paintRungs(QPainter& painter, QRect area) const
{
    const Palette& colours = Theme::palette();
    const Range& seen = shown_;
    const Scale& key = hands_.keyHere();
    const double apart = area.height() / (seen.high - seen.low);
    painter.setFont(Theme::label(8.5));
    for (int rung = static_cast<int>(std::ceil(seen.low)); rung <= seen.high; ++rung) {
        const double y = yOf(session_.song().temperament.heightOf(rung), area);
        const bool isOfKey = key.has(rung);
        painter.setPen(QPen(
            isOfKey ? colours.barLine : colours.hairline, 1.0, isOfKey ? Qt::SolidLine : Qt::DotLine
        ));
        painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
        // As many names as there is room for; those of the tonic always.
        const bool isNamed =
            apart >= 11.0 || (isOfKey && apart >= 6.0) || (rung - key.tonic) % 12 == 0;
        if (isNamed) {
            painter.setPen(isOfKey ? colours.ink : colours.secondInk);
            painter.drawText(
                QRectF(0, y - 7, area.left() - 8, 14),
                Qt::AlignRight | Qt::AlignVCenter,
                rungName(rung)
            );
        }
    }
    // Bars.
    const Song& song = session_.song();
    const TempoMap& map = song.tempo;
    const auto placeAt = [&](double x) {
        return map.beatsAt(toSeconds(lanes_.timeAt(x), song.rate));
    };
    const int first = map.barAt(placeAt(area.left()));
    const int last = map.barAt(placeAt(area.right()));
    for (int bar = first; bar <= std::min(last, first + 400); ++bar) {
        const double x = lanes_.xOf(toFrames(map.timeAt(map.startOfBar(bar)), song.rate));
        if (x >= area.left()) {
            painter.setPen(QPen(colours.barLine, 1.0));
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()));
        }
    }
}

void Ladder::paintCurve(QPainter& painter, QRect area) const
{
    const Sung& sung = *hands_.sung();
    const Song& song = session_.song();
    const auto track = song.track(hands_.track());
    const Palette& colours = Theme::palette();
    const Treatment tuning = hands_.tuning();
    std::size_t next = 0;
    const auto lineAt = [&](Frames take) {
        const auto& points = tuning.pitch;
        while (next < points.size() && points[next].at <= take) {
            ++next;
        }
        if (next == 0 || points.empty()) {
            return 0.0;
        }
        const PitchPoint& before = points[next - 1];
        if (next == points.size()) {
            return before.semitones;
        }
        return before.semitones + (points[next].semitones - before.semitones) *
                                      ((take - before.at) / (points[next].at - before.at));
    };
    // What of the take is seen: the clips that play it, one after the other.
    for (const Clip& clip : track->clips) {
        if (!track->isMarked(clip) || clip.isReversed || lanes_.xOf(clip.end()) < area.left() ||
            lanes_.xOf(clip.at) > area.right()) {
            continue;
        }
        const Frames from = std::max(clip.at, lanes_.timeAt(area.left()));
        const Frames to = std::min(clip.end(), lanes_.timeAt(area.right()));
        const auto frameOf = [&](Frames at) {
            const Frames take = clip.sound.takeTimeOf(at - clip.offset());
            return static_cast<std::size_t>(
                std::max(std::llround(toSeconds(take, song.rate) / kPitchHop), 0LL)
            );
        };
        next = 0;
        QPolygonF sungLine;
        QPolygonF tunedLine;
        const auto flush = [&] {
            painter.setPen(QPen(colours.secondInk, 1.0));
            painter.drawPolyline(sungLine);
            painter.setPen(QPen(colours.ink, 1.6));
            painter.drawPolyline(tunedLine);
            sungLine.clear();
            tunedLine.clear();
        };
        // From afar not every frame.
        const double framesPerPixel = lanes_.scale().framesPerPixel;
        const auto stride = static_cast<std::size_t>(std::max(
            1.0, framesPerPixel / static_cast<double>(toFrames(kPitchHop, song.rate).count())
        ));
        for (std::size_t n = frameOf(from); n < std::min(frameOf(to) + 1, sung.curve.size());
             n += stride) {
            if (!sung.curve[n].isVoiced()) {
                flush();
                continue;
            }
            const Frames take = placeOfPitch(n, song.rate);
            const double x = lanes_.xOf(clip.sound.soundTimeOf(take) + clip.offset());
            const double midi = semitonesOf(sung.curve[n]);
            const double by = lineAt(take);
            if (std::abs(by) > 1e-3) {
                sungLine << QPointF(x, yOf(midi, area));
            }
            tunedLine << QPointF(x, yOf(midi + by, area));
        }
        flush();
    }
}

void Ladder::paintNote(QPainter& painter, QRect area, std::size_t i) const
{
    const auto span = spanOf(i);
    if (!span) {
        return;
    }
    const double left = lanes_.xOf(span->first);
    const double right = lanes_.xOf(span->second);
    if (right < area.left() || left > area.right()) {
        return;
    }
    const Sung& sung = *hands_.sung();
    const SungNote& note = sung.notes[i];
    const Palette& colours = Theme::palette();
    const double centre = note.centre + asked()[i].shift;
    const Rungs rungs = hands_.rungsOf(i);
    const int rung = rungs.nearest(centre);
    const double height = rungs.temperament.heightOf(rung);
    const double y = yOf(centre, area);
    const double rungY = yOf(height, area);
    const bool isChosen = hands_.chosen().contains(i);
    double power = 0.0;
    for (std::size_t n = note.firstFrame; n < std::min(note.lastFrame(), sung.curve.size()); ++n) {
        power = std::max(power, sung.curve[n].power);
    }
    const double level = std::clamp(1.0 + 10.0 * std::log10(power + 1e-9) / 50.0, 0.0, 1.0);
    const double tall = kLeastBeam + level * (kMostBeam - kLeastBeam);
    const double cents = 100.0 * (centre - height);
    const Rungs any({}, rungs.temperament);
    const bool isOfKey = rungs.key.has(any.nearest(note.centre));
    const QRectF beam(left, y - 0.5 * tall, std::max(right - left, 2.0), tall);
    if (isChosen) {
        QColor straw = colours.straw;
        straw.setAlpha(200);
        painter.fillRect(beam.adjusted(-3, -5, 3, 5), straw);
    }
    QColor ink = isOfKey ? colours.wave : colours.finding;
    ink.setAlpha(200);
    painter.fillRect(beam, ink);
    for (const double end : {beam.left(), beam.right()}) {
        painter.fillRect(QRectF(end - 0.75, y - 5.0, 1.5, 10.0), ink);
    }
    // The stem, as long as its error, from a dot on the rung it hangs off.
    const double stem = beam.center().x();
    painter.setPen(QPen(Theme::colourOf(cents, 10.0), 2.0));
    painter.drawLine(QPointF(stem, rungY), QPointF(stem, y));
    painter.setBrush(painter.pen().color());
    painter.drawEllipse(QPointF(stem, rungY), 2.0, 2.0);
    painter.setBrush(Qt::NoBrush);
    if (right - left > 34.0 && std::abs(cents) >= 1.0) {
        painter.setFont(Theme::label(8));
        painter.setPen(colours.ink);
        painter.drawText(
            QRectF(right + 4, y - 7, 40, 14),
            Qt::AlignLeft | Qt::AlignVCenter,
            QStringLiteral("%1%2")
                .arg(cents > 0.0 ? QStringLiteral("+") : QString(QChar(0x2212)))
                .arg(std::abs(cents), 0, 'f', 0)
        );
    }
}

void Ladder::paint(QPainter& painter, QRect area)
{
    const Palette& colours = Theme::palette();
    shown_ = range();
    painter.fillRect(QRect(0, area.top(), area.left(), area.height()), colours.paper);
    painter.fillRect(area, colours.lane);
    const Sung* sung = hands_.sung();
    painter.save();
    painter.setClipRect(area.adjusted(-area.left(), 0, 0, 0));
    paintRungs(painter, area);
    painter.setClipRect(area);
    if (sung != nullptr && !hands_.trouble()) {
        beside_.paint(painter, area, [&](double midi) { return yOf(midi, area); });
        for (std::size_t i = 0; i < sung->notes.size(); ++i) {
            paintNote(painter, area, i);
        }
        paintCurve(painter, area);
    } else {
        painter.setPen(colours.secondInk);
        painter.setFont(Theme::text(11));
        painter.drawText(
            area,
            Qt::AlignCenter | Qt::TextWordWrap,
            hands_.isListening() ? tr("Analysing %1…").arg(hands_.trackName())
            : sung != nullptr
                ? hands_.trouble().value_or(QString())
                : tr("Select a track with one voice or instrument, one note at a time, and press F."
                  )
        );
    }
    if (grip_ == Grip::Draw) {
        painter.setPen(QPen(colours.ink, 2.0, Qt::DashLine));
        painter.drawLine(pressed_, QPoint(now_.x(), pressed_.y()));
    }
    if (grip_ == Grip::Band) {
        QColor straw = colours.straw;
        straw.setAlpha(90);
        painter.fillRect(QRect(pressed_, now_).normalized(), straw);
    }
    painter.restore();
    painter.setPen(QPen(colours.barLine, 1.0));
    painter.drawLine(0, area.top(), area.right(), area.top());
}

// ---- gestures

Ladder::Found Ladder::find(QRect area, QPoint place) const
{
    const Sung* sung = hands_.sung();
    Found found;
    for (std::size_t i = 0; sung != nullptr && !hands_.trouble() && i < sung->notes.size(); ++i) {
        const auto span = spanOf(i);
        if (!span) {
            continue;
        }
        const double left = lanes_.xOf(span->first);
        const double right = lanes_.xOf(span->second);
        const double y = yOf(sung->notes[i].centre + asked()[i].shift, area);
        // The dot, where it is far enough from the beam to be told from it.
        const QPointF stem = stemOf(area, i);
        if (std::abs(stem.y() - y) > kNear && std::abs(place.x() - stem.x()) < kNear &&
            std::abs(place.y() - stem.y()) < kNear - 1) {
            return {Grip::Stem, i};
        }
        if (std::abs(place.y() - y) > kNear + 2 || place.x() < left - 3 || place.x() > right + 3) {
            continue;
        }
        const bool isWide = right - left > 4 * kNear;
        if (isWide && place.x() < left + kNear) {
            return {Grip::Start, i};
        }
        if (isWide && place.x() > right - kNear) {
            return {Grip::End, i};
        }
        found = {Grip::Note, i};
    }
    return found;
}

bool Ladder::press(QRect area, QMouseEvent& event)
{
    const Found found = find(area, event.pos());
    area_ = area;
    pressed_ = now_ = event.pos();
    note_ = found.note;
    const bool adds = (event.modifiers() & Qt::ShiftModifier) != 0;
    if (event.type() == QEvent::MouseButtonDblClick && found.grip != Grip::None) {
        splitAt(note_, event.position().x());
        return true;
    }
    if (found.grip == Grip::None && (event.modifiers() & Qt::ControlModifier) != 0) {
        grip_ = Grip::Draw;
        return true;
    }
    if (const auto other = besideAt(area, event.pos()); found.grip == Grip::None && other) {
        grip_ = Grip::None;
        hands_.takeUp(*other);
        return true;
    }
    if (found.grip == Grip::None) {
        grip_ = Grip::Band;
        if (!adds) {
            hands_.choose({});
        }
        return true;
    }
    grip_ = found.grip;
    std::set<std::size_t> chosen = hands_.chosen();
    if (adds) {
        // A second time lets it go again.
        if (!chosen.insert(note_).second) {
            chosen.erase(note_);
        }
        hands_.choose(chosen);
    } else if (!chosen.contains(note_)) {
        hands_.choose({note_});
    }
    return true;
}

double Ladder::pitchAt(int y) const
{
    const double part = static_cast<double>(area_.bottom() - y) / area_.height();
    return shown_.low + part * (shown_.high - shown_.low);
}

QPointF Ladder::stemOf(QRect area, std::size_t note) const
{
    const auto span = spanOf(note);
    const Rungs rungs = hands_.rungsOf(note);
    const double centre = hands_.sung()->notes[note].centre + asked()[note].shift;
    return {
        span ? 0.5 * (lanes_.xOf(span->first) + lanes_.xOf(span->second)) : -1.0,
        yOf(rungs.temperament.heightOf(rungs.nearest(centre)), area)};
}

void Ladder::splitAt(std::size_t note, double x)
{
    if (const auto at = session_.hits.takeTimeAt(hands_.track(), lanes_.timeAt(x))) {
        notes_.splitAt(note, *at);
    }
}

void Ladder::draw()
{
    const QRect drawn = QRect(pressed_, now_).normalized();
    if (drawn.width() >= 4) {
        notes_.draw(
            lanes_.timeAt(drawn.left()), lanes_.timeAt(drawn.right()), pitchAt(pressed_.y())
        );
    }
}

// The dot is drawn along the stem: how near the note is brought to its rung.
void Ladder::moveStem(QMouseEvent& event)
{
    const auto& was = hands_.asked();
    dragged_ = was;
    const SungNote& note = hands_.sung()->notes[note_];
    const double off = note.offset() + was[note_].shift;
    const double reach = area_.height() / (shown_.high - shown_.low) * off;
    // Towards the beam, which hangs `reach` pixels above (or, negative, below) the rung.
    const double way = static_cast<double>(pressed_.y()) - event.position().y();
    const double part = reach == 0.0 ? 0.0 : std::clamp(way / reach, 0.0, 1.0);
    for (const std::size_t i : hands_.meant()) {
        const double own = hands_.sung()->notes[i].offset() + was[i].shift;
        dragged_[i].shift = was[i].shift - part * own;
    }
    lanes_.setReadout(
        tr("%1 % of %2 cents corrected")
            .arg(100.0 * part, 0, 'f', 0)
            .arg(100.0 * std::abs(off), 0, 'f', 0),
        event.pos()
    );
}

void Ladder::moveNotes(QMouseEvent& event)
{
    if (grip_ == Grip::Stem) {
        moveStem(event);
        return;
    }
    const Sung& sung = *hands_.sung();
    const auto held = event.modifiers();
    const double perPixel = (shown_.high - shown_.low) / area_.height();
    const auto& was = hands_.asked();
    dragged_ = was;
    const Song& song = session_.song();
    const Frames by = lanes_.timeAt(event.position().x()) - lanes_.timeAt(pressed_.x());
    if (grip_ == Grip::Note) {
        double up = (pressed_.y() - event.position().y()) * perPixel;
        const double centre = sung.notes[note_].centre + was[note_].shift + up;
        const Rungs rungs = hands_.rungsOf(note_);
        const double rung = rungs.temperament.heightOf(rungs.nearest(centre));
        if ((held & Qt::ControlModifier) == 0 && std::abs(centre - rung) < kCatches) {
            up += rung - centre;
        }
        for (const std::size_t i : hands_.meant()) {
            dragged_[i].shift = std::clamp(was[i].shift + up, -kMostSemitones, kMostSemitones);
        }
        const double now = sung.notes[note_].centre + dragged_[note_].shift;
        const Rungs any({}, rungs.temperament);
        const int near = any.nearest(now);
        lanes_.setReadout(
            tr("%1 %2 cents, moved %3 semitones")
                .arg(rungName(near))
                .arg(100.0 * (now - any.temperament.heightOf(near)), 0, 'f', 0)
                .arg(dragged_[note_].shift, 0, 'f', 2),
            event.pos()
        );
        return;
    }
    // In time: the ends of what is held, caught by the grid.
    const auto caught = [&](Frames end) { return lanes_.snapped(end + by, held) - end; };
    const auto span = spanOf(note_);
    Frames moved = by;
    if (span) {
        moved = caught(grip_ == Grip::End ? span->second : span->first);
    }
    if (grip_ == Grip::Sideways) {
        for (const std::size_t i : hands_.meant()) {
            dragged_[i].start = was[i].start + moved;
            dragged_[i].end = was[i].end + moved;
        }
    } else if (grip_ == Grip::Start) {
        dragged_[note_].start = was[note_].start + moved;
    } else {
        dragged_[note_].end = was[note_].end + moved;
    }
    lanes_.setReadout(
        tr("%1 ms").arg(inMilliseconds(toSeconds(moved, song.rate)), 0, 'f', 1), event.pos()
    );
}

void Ladder::move(QMouseEvent& event)
{
    now_ = event.pos();
    const QPoint way = now_ - pressed_;
    if (grip_ == Grip::None || (dragged_.empty() && way.manhattanLength() < 4)) {
        return;
    }
    // A middle is moved up and down, or sideways: whichever way it is first drawn.
    if (grip_ == Grip::Note && dragged_.empty() && std::abs(way.x()) > 2 * std::abs(way.y())) {
        grip_ = Grip::Sideways;
    }
    if (grip_ == Grip::Draw) {
        lanes_.setReadout(
            tr("a note at %1")
                .arg(rungName(Rungs({}, session_.song().temperament).nearest(pitchAt(pressed_.y())))
                ),
            event.pos()
        );
    } else if (grip_ != Grip::Band) {
        moveNotes(event);
        hands_.hearDragged(dragged_);
    }
}

void Ladder::release(QMouseEvent& event)
{
    const Grip was = std::exchange(grip_, Grip::None);
    const std::vector<NoteTuning> dragged = std::exchange(dragged_, {});
    hands_.endDragging();
    if (was == Grip::Draw) {
        draw();
        return;
    }
    if (was == Grip::Band) {
        const QRect band = QRect(pressed_, now_).normalized();
        if (band.width() + band.height() < 4) {
            session_.choice.setRange(std::nullopt);
            session_.player.seek(std::max(Frames(0), lanes_.timeAt(event.position().x())));
            return;
        }
        std::set<std::size_t> inside = hands_.chosen();
        const Sung* sung = hands_.sung();
        for (std::size_t i = 0; sung != nullptr && i < sung->notes.size(); ++i) {
            const auto span = spanOf(i);
            const double y = yOf(sung->notes[i].centre + asked()[i].shift, area_);
            if (span && lanes_.xOf(span->second) >= band.left() &&
                lanes_.xOf(span->first) <= band.right() && y >= band.top() && y <= band.bottom()) {
                inside.insert(i);
            }
        }
        hands_.choose(std::move(inside));
        return;
    }
    if (!dragged.empty() && dragged != hands_.asked()) {
        hands_.apply(
            dragged,
            was == Grip::Note   ? tr("Move notes in pitch")
            : was == Grip::Stem ? tr("Offset")
                                : tr("Move notes in time")
        );
    }
}

std::pair<QString, Qt::CursorShape> Ladder::hintAt(QRect area, QPoint place) const
{
    const Grip grip = find(area, place).grip;
    if (const auto other = besideAt(area, place); grip == Grip::None && other) {
        return {
            tr("Click to edit %1; the present track stays visible.")
                .arg(QString::fromStdString(session_.song().track(*other)->name)),
            Qt::PointingHandCursor};
    }
    switch (grip) {
    case Grip::Start:
    case Grip::End:
        return {
            tr("Drag to change the note's length; only an adjoining note changes too."),
            Qt::SizeHorCursor};
    case Grip::Note:
        return {
            tr("Drag to move in pitch or time. Ctrl: no snap. Shift-click: select several. "
               "Double-click: split."),
            Qt::SizeAllCursor};
    case Grip::Stem:
        return {
            tr("Drag along the stem to set how much of the error is corrected."),
            Qt::SizeVerCursor};
    default:
        return {
            tr("Drag to select notes. Click: move playhead. Ctrl-drag: draw a missed note."),
            Qt::ArrowCursor};
    }
}

}  // namespace orthochron::app
