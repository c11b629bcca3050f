#include "app/stages/shape/ShapeItems.h"

#include <QCoreApplication>

#include "app/controls/Counted.h"
#include "app/session/Session.h"
#include "core/edits/ClipEdits.h"
#include "core/edits/SpeedEdits.h"

#include <set>

namespace orthochron::app {

namespace {

constexpr double kNearBar = 1e-3;  // quarter notes

// "17", or "17 · 3" where it is not the start of a bar.
QString barOf(const Song& song, Frames at)
{
    // A frame may be a little before the line it stands for.
    const Beats near = song.tempo.beatsAt(toSeconds(at, song.rate)) + Beats(kNearBar);
    const int bar = song.tempo.barAt(near);
    const bool isBar = near - song.tempo.startOfBar(bar) < Beats(2.0 * kNearBar);
    return isBar ? QString::number(bar) : placeText(song, at).place;
}

QString say(const char* words)
{
    return QCoreApplication::translate("ShapeItems", words);
}

}  // namespace

QString barsOf(const Song& song, TimeRange range)
{
    return say("%1 to %2").arg(barOf(song, range.from), barOf(song, range.to));
}

std::vector<ShapeItem> shapeItemsOf(const Song& song)
{
    std::vector<ShapeItem> all;
    const auto addLine = [&](const QString& whose, std::optional<TrackId> owner) {
        const LevelLine& line = levelLineOf(song, owner);
        if (line.isEmpty()) {
            return;
        }
        const HeardLine heard(line, song.tempo, song.rate);
        const bool fadesOut = line.points.back().level == kSilence && line.points.size() > 1;
        const QString means =
            fadesOut ? say("fade out, %1")
                           .arg(barsOf(
                               song,
                               {heard.timeOfPoint(line.points.size() - 2),
                                heard.timeOfPoint(line.points.size() - 1)}
                           ))
                     : say("line, %1")
                           .arg(counted(std::ssize(line.points), say("point"), say("points")));
        all.push_back({whose, means, owner, {}, {}, heard.timeOfPoint(0), true});
    };
    addLine(say("Whole song"), std::nullopt);
    const auto hushes = hushesOf(song);
    std::set<PartId> seen;
    for (const auto& track : song.tracks) {
        const QString name = QString::fromStdString(track->name);
        addLine(name, track->id);
        for (const PlacedHush& placed : hushes) {
            if (placed.tracks.front() != track->id) {
                continue;
            }
            const FrameSpan span = spanOf(placed.hush, song.tempo, song.rate);
            const QString label =
                placed.hush.label.empty() ? say("hush") : QString::fromStdString(placed.hush.label);
            all.push_back(
                {placed.tracks.size() == 1
                     ? name
                     : say("%1 and %2 more").arg(name).arg(placed.tracks.size() - 1),
                 say("%1, %2").arg(label, barsOf(song, {span.from, span.to})),
                 track->id,
                 placed.hush.id,
                 {},
                 span.from,
                 false}
            );
        }
        for (const Clip& clip : track->clips) {
            if (!clip.sound.treatment || clip.sound.treatment->speed.isEmpty()) {
                continue;
            }
            // All microphones of a set spin alike.
            if (clip.part.isValid() && !seen.insert(clip.part).second) {
                continue;
            }
            const Spins spins = spinsOf(clip);
            if (!spins.up && !spins.down) {
                const Frames at = clip.at + speedPointsOf(clip).front().at;
                all.push_back(
                    {name,
                     say("speed line at %1").arg(placeText(song, at).place),
                     track->id,
                     {},
                     clip.id,
                     at,
                     false}
                );
            }
            if (spins.up) {
                all.push_back(
                    {name,
                     say("spin-up at %1").arg(placeText(song, clip.at).place),
                     track->id,
                     {},
                     clip.id,
                     clip.at,
                     false}
                );
            }
            if (spins.down) {
                const Frames at = clip.end() - spins.down->length;
                all.push_back(
                    {name,
                     say("spin-down at %1").arg(placeText(song, at).place),
                     track->id,
                     {},
                     clip.id,
                     at,
                     false}
                );
            }
        }
    }
    return all;
}

}  // namespace orthochron::app
