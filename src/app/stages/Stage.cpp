#include "app/stages/Stage.h"

#include <QPainter>

#include "app/theme/Theme.h"

namespace orthochron::app {

namespace {

constexpr double kCrowded = 7.0;  // px between two hits: nearer, their strokes are a thicket
constexpr double kStretch = 6.0;  // px of one bar
constexpr double kFullMs = 30.0;  // fills it: beyond that the direction is all that matters

std::vector<TrackId> allTracks(const Song& song)
{
    std::vector<TrackId> tracks;
    for (const auto& track : song.tracks) {
        tracks.push_back(track->id);
    }
    return tracks;
}

}  // namespace

Stage::Stage(Session& session, LanesView& lanes, QObject* parent)
    : QObject(parent), session_(session), lanes_(lanes)
{}

void Stage::selectAll()
{
    const Song& song = session_.song();
    const Frames end = song.length() + Frames(1);
    const MicSet* set = song.setOf(session_.choice.track());
    ClipChoice clips =
        clipsWithin(song, set != nullptr ? set->tracks : allTracks(song), Frames(0), end);
    if (clips == session_.choice.clips()) {
        clips = clipsWithin(song, allTracks(song), Frames(0), end);
    }
    session_.choice.setClips(std::move(clips));
}

void Stage::paintStrokes(QPainter& painter, const Lane& lane, double toleranceMs, bool withRecorded)
    const
{
    const auto& preview = session_.fitting.preview();
    const auto& leads = preview.origin.leads;
    const auto found = std::ranges::find(leads, lane.track);
    if (found == leads.end()) {
        return;
    }
    const int lead = static_cast<int>(found - leads.begin());
    const Hertz rate = session_.song().rate;
    const double top = lane.area.top() + 4.0;
    const double bottom = lane.area.bottom() - 5.0;
    const Palette& colours = Theme::palette();
    // Where strokes would stand in each other, how far off each stretch is is drawn instead, as the
    // ribbon does; they come in on zooming.
    struct Seen {
        std::size_t hit;
        double x;
        double offMs;
        bool isCrowded = false;
    };
    std::vector<Seen> seen;
    for (std::size_t i = 0; i < preview.performance.hits.size(); ++i) {
        const JudgedHit& hit = preview.performance.hits[i];
        const Frames now = session_.review.heardAt(hit.played.beatPoint);
        const double x = lanes_.xOf(now);
        if (hit.played.lead == lead && x > lane.area.left() - 300 && x < lane.area.right() + 300) {
            seen.push_back({i, x, inMilliseconds(toSeconds(now, rate) - hit.line.time)});
        }
    }
    std::ranges::stable_sort(seen, {}, &Seen::x);
    for (std::size_t i = 1; i < seen.size(); ++i) {
        if (seen[i].x - seen[i - 1].x < kCrowded) {
            seen[i].isCrowded = seen[i - 1].isCrowded = true;
        }
    }
    // A lane is read one way: the few that stand apart in a thicket give way too.
    const auto crowded = std::ranges::count_if(seen, &Seen::isCrowded);
    for (Seen& each : seen) {
        each.isCrowded = each.isCrowded || 3 * crowded > std::ssize(seen);
    }
    for (std::size_t i = 0; i < seen.size();) {
        if (!seen[i].isCrowded) {
            ++i;
            continue;
        }
        // Of the hits within a few pixels.
        double sum = 0.0;
        int count = 0;
        const double left = seen[i].x;
        for (; i < seen.size() && seen[i].isCrowded && seen[i].x - left < kStretch; ++i) {
            if (preview.performance.hits[seen[i].hit].role == HitRole::Main) {
                sum += seen[i].offMs;
                ++count;
            }
        }
        if (count > 0) {
            const double mean = sum / count;
            const double middle = lane.area.center().y();
            const double tall = std::clamp(mean / kFullMs, -1.0, 1.0) * 0.42 * lane.area.height();
            QColor colour = Theme::colourOf(mean, toleranceMs);
            colour.setAlpha(215);
            painter.fillRect(
                QRectF(
                    left,
                    std::min(middle, middle + tall),
                    kStretch - 2.0,
                    std::max(std::abs(tall), 1.2)
                ),
                colour
            );
        }
    }
    for (const Seen& each : seen) {
        if (each.isCrowded) {
            continue;
        }
        const std::size_t i = each.hit;
        const JudgedHit& hit = preview.performance.hits[i];
        const Frames now = session_.review.heardAt(hit.played.beatPoint);
        const double x = each.x;
        const double offMs = each.offMs;
        const double lineX = lanes_.xOf(toFrames(hit.line.time, rate));
        if (hit.role == HitRole::Attached && hit.main != i) {
            // Its line is its main hit's business: a short upright stroke with an open foot.
            painter.setPen(QPen(colours.secondInk, 1.0));
            painter.drawLine(QPointF(x, bottom - 10), QPointF(x, bottom - 3));
            painter.setBrush(colours.lane);
            painter.drawEllipse(QPointF(x, bottom), 2.2, 2.2);
            continue;
        }
        if (withRecorded && now != hit.played.beatPoint) {
            const double recordedMs = inMilliseconds(hit.deviation());
            painter.setPen(QPen(colours.barLine, 1.0));
            painter.drawLine(
                QPointF(lanes_.xOf(hit.played.beatPoint), bottom),
                QPointF(
                    lanes_.xOf(hit.played.beatPoint) +
                        Theme::leanOf(lanes_.xOf(hit.played.beatPoint), lineX, recordedMs),
                    top
                )
            );
        }
        const QColor colour = Theme::colourOf(offMs, toleranceMs);
        const double headX = x + Theme::leanOf(x, lineX, offMs);
        painter.setPen(QPen(colour, 1.6));
        painter.drawLine(QPointF(x, bottom), QPointF(headX, top));
        painter.drawLine(QPointF(headX - 3, top), QPointF(headX + 3, top));
        painter.setPen(Qt::NoPen);
        painter.setBrush(colour);
        painter.drawEllipse(QPointF(x, bottom), 2.8, 2.8);
    }
}

}  // namespace orthochron::app
