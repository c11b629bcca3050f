#include "app/views/LanePainter.h"

#include <QPainter>

#include "app/theme/Theme.h"
#include "app/views/ShapePainter.h"
#include "app/views/Spring.h"
#include "core/edits/PrintEdits.h"

namespace orthochron::app {

namespace {

constexpr double kLeastHeight = 0.4;  // px: silence is a thin line

}  // namespace

LanePainter::LanePainter(const LanesView& lanes, Session& session)
    : lanes_(lanes), session_(session)
{}

void LanePainter::paintHead(QPainter& painter, const Lane& lane) const
{
    const auto track = session_.song().track(lane.track);
    const Palette& colours = Theme::palette();
    const QRect head = lane.head;
    painter.fillRect(head, session_.choice.track() == lane.track ? colours.edge : colours.paper);
    painter.setPen(QPen(colours.hairline, 1));
    painter.drawLine(head.left() + 12, head.bottom(), head.right(), head.bottom());
    if (lane.isOfKit) {
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
    const QString name = painter.fontMetrics().elidedText(
        QString::fromStdString(track->name), Qt::ElideRight, head.width() - 56
    );
    painter.drawText(QRect(18, top, head.width() - 54, 17), Qt::AlignLeft | Qt::AlignVCenter, name);
    if (isTall) {
        painter.setPen(colours.secondInk);
        painter.setFont(Theme::label(8));
        const PrintedSet* print = printOf(session_.song(), lane.set);
        const QString role = print != nullptr && !print->isLive ? tr("printed")
                             : !lane.isOfKit                    ? tr("track")
                             : track->isLead                    ? tr("lead")
                                                                : tr("mic set");
        painter.drawText(
            QRect(18, top + 17, head.width() - 54, 14),
            Qt::AlignLeft | Qt::AlignVCenter,
            track->isLocked ? tr("%1, locked").arg(role) : role
        );
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
    button(head.right() - 33, QStringLiteral("M"), track->isMuted);
    button(head.right() - 17, QStringLiteral("S"), track->isSoloed);
}

void LanePainter::paintLane(QPainter& painter, const Lane& lane, bool withShapes)
{
    const auto track = session_.song().track(lane.track);
    const Palette& colours = Theme::palette();
    if (session_.choice.track() == lane.track) {
        QColor chosen = colours.straw;
        chosen.setAlpha(26);
        painter.fillRect(lane.area, chosen);
    }
    painter.setPen(QPen(colours.hairline, 1));
    painter.drawLine(lane.area.left(), lane.area.bottom(), lane.area.right(), lane.area.bottom());
    const Frames from = lanes_.timeAt(lane.area.left());
    const Frames to = lanes_.timeAt(lane.area.right() + 1);
    auto clip =
        std::ranges::lower_bound(track->clips, from, {}, [](const Clip& c) { return c.end(); });
    auto strained = clip;
    // Spare only where single pieces can be told apart: behind a join it is drawn pale.
    const bool showsSpare = lanes_.scale().framesPerPixel < 200.0;
    Outline pale(lane, colours.spare);
    Outline wave(lane, colours.wave);
    for (; clip != track->clips.end() && clip->at < to; ++clip) {
        if (showsSpare) {
            const Frames reach = toFrames(milliseconds(40.0), session_.song().rate);
            paintClip(
                painter, lane, *clip, pale, std::max(from, clip->at - reach), std::min(to, clip->at)
            );
            paintClip(
                painter,
                lane,
                *clip,
                pale,
                std::max(from, clip->end()),
                std::min(to, clip->end() + reach)
            );
        }
        paintClip(
            painter,
            lane,
            *clip,
            clip->isMuted || track->isMuted ? pale : wave,
            std::max(from, clip->at),
            std::min(to, clip->end())
        );
    }
    pale.paint(painter);
    wave.paint(painter);
    // All microphones of a set yield alike: it is drawn where its hits are.
    for (; strained != track->clips.end() && strained->at < to; ++strained) {
        if (strained->sound.treatment && (lane.isFirstOfSet || session_.song().isLead(*track))) {
            paintStrain(painter, lane, *strained);
        }
    }
    if (withShapes) {
        ShapePainter(lanes_, session_).paintFaint(painter, lane.area, *track);
    }
}

void LanePainter::paintStrain(QPainter& painter, const Lane& lane, const Clip& clip) const
{
    const Treatment& treatment = *clip.sound.treatment;
    const double left = std::max<double>(lanes_.xOf(clip.at), lane.area.left());
    const double right = std::min<double>(lanes_.xOf(clip.end()), lane.area.right());
    if (right - left < 14.0) {
        return;  // no coil is seen, and of a take cut into a thousand clips each would be asked
    }
    paintSpring(
        painter,
        QRectF(left, lane.area.top(), right - left, lane.area.height()),
        strainOf(treatment.time, session_.song().rate),
        strainLimits(treatment.material),
        [&](Frames sound) { return lanes_.xOf(sound + clip.offset()); },
        true
    );
}

// Paints what a clip's take sounds like between two song times, which may lie in its spare.
void LanePainter::paintClip(
    QPainter& painter, const Lane& lane, const Clip& clip, Outline& outline, Frames from, Frames to
)
{
    if (to <= from) {
        return;
    }
    const Peaks* peaks = session_.waves.peaks(clip.sound.take);
    if (peaks == nullptr) {
        return;
    }
    if (lanes_.scale().framesPerPixel < 24.0 &&
        paintSamples(painter, lane, clip, outline.colour(), from, to)) {
        return;
    }
    // Waves are drawn to their take's own height: a quiet take is still read.
    const double loud = std::max(0.05, peaks->loudest());
    const double gain = 0.94 * lane.area.height() / 2.0 / 32767.0 / loud;
    const int channel = std::max(0, clip.sound.channel);
    const int first = static_cast<int>(std::floor(lanes_.xOf(from)));
    const int last = static_cast<int>(std::ceil(lanes_.xOf(to)));
    // What spins down grows quiet with its speed.
    const SpeedLine* speed = clip.sound.treatment && !clip.sound.treatment->speed.isEmpty()
                                 ? &clip.sound.treatment->speed
                                 : nullptr;
    for (int x = first; x < last; ++x) {
        const Frames songA = std::max(from, lanes_.timeAt(x));
        const Frames songB = std::min(to, lanes_.timeAt(x + 1));
        const Frames inSound = clip.soundTimeOf(songA, songB);
        const Frames a = clip.sound.takeTimeOf(inSound);
        const Frames b = clip.sound.takeTimeOf(inSound + (songB - songA));
        if (b <= a || b <= Frames(0) || a >= peaks->frames()) {
            continue;
        }
        const PeakPair pair = peaks->range(channel, a, b);
        const double own =
            speed != nullptr ? gain * speed->gainAt(static_cast<double>(inSound.count())) : gain;
        outline.add(x, pair.low * own, pair.high * own);
    }
}

LanePainter::Outline::Outline(const Lane& lane, QColor colour)
    : area_(lane.area), colour_(std::move(colour))
{}

void LanePainter::Outline::add(int x, double low, double high)
{
    if (x < area_.left() || x > area_.right()) {
        return;
    }
    if (columns_.empty()) {
        columns_.resize(static_cast<std::size_t>(area_.width()));
    }
    Column& column = columns_[static_cast<std::size_t>(x - area_.left())];
    column.high = std::max(column.high, std::max(kLeastHeight, high));
    column.low = std::min(column.low, std::min(-kLeastHeight, low));
}

void LanePainter::Outline::paint(QPainter& painter) const
{
    const double middle = area_.center().y();
    std::vector<QLineF> lines;
    lines.reserve(columns_.size());
    for (std::size_t i = 0; i < columns_.size(); ++i) {
        if (const Column& column = columns_[i]; column.high > 0.0) {
            const double x = area_.left() + static_cast<double>(i) + 0.5;
            lines.emplace_back(x, middle - column.high, x, middle - column.low);
        }
    }
    if (lines.empty()) {
        return;
    }
    painter.setRenderHint(QPainter::Antialiasing, false);
    painter.setPen(QPen(colour_, 1));
    painter.drawLines(lines.data(), static_cast<int>(lines.size()));
    painter.setRenderHint(QPainter::Antialiasing, true);
}

bool LanePainter::paintSamples(
    QPainter& painter,
    const Lane& lane,
    const Clip& clip,
    const QColor& colour,
    Frames from,
    Frames to
)
{
    if (clip.sound.treatment) {
        return false;  // its samples are not those of its take
    }
    const Frames wanted = clip.soundTimeOf(from, to);
    const Frames takeFrom = std::max(Frames(0), wanted - Frames(1));
    const Frames takeTo = wanted + (to - from) + Frames(1);
    if (takeTo <= takeFrom) {
        return true;
    }
    const auto samples = session_.waves.samples(
        clip.sound.take, std::max(0, clip.sound.channel), takeFrom, (takeTo - takeFrom).count()
    );
    if (samples.empty()) {
        return false;
    }
    const Peaks* peaks = session_.waves.peaks(clip.sound.take);
    const double gain = 0.94 * lane.area.height() / 2.0 / std::max(0.05, peaks->loudest());
    const double middle = lane.area.center().y();
    QPolygonF line;
    for (std::size_t i = 0; i < samples.size(); ++i) {
        const Frames inTake = takeFrom + Frames(static_cast<std::int64_t>(i));
        const Frames at = clip.isReversed ? clip.end() - Frames(1) - (inTake - clip.soundStart)
                                          : inTake + clip.offset();
        line << QPointF(lanes_.xOf(at), middle - static_cast<double>(samples[i]) * gain);
    }
    painter.save();
    painter.setClipRect(
        QRectF(
            lanes_.xOf(from), lane.area.top(), lanes_.xOf(to) - lanes_.xOf(from), lane.area.height()
        ),
        Qt::IntersectClip
    );
    painter.setPen(QPen(colour, 1.2));
    painter.drawPolyline(line);
    if (lanes_.scale().framesPerPixel < 0.25) {
        painter.setBrush(colour);
        painter.setPen(Qt::NoPen);
        for (const QPointF& point : line) {
            painter.drawEllipse(point, 2.0, 2.0);
        }
    }
    painter.restore();
    return true;
}

}  // namespace orthochron::app
