#include "core/edits/SpeedEdits.h"

#include "core/edits/ChangedClips.h"
#include "core/edits/StretchEdits.h"

#include <cmath>
#include <map>
#include <tuple>

namespace orthochron {

Spins spinsOf(const Clip& clip)
{
    return clip.sound.treatment
               ? spinsOf(
                     clip.sound.treatment->speed, clip.soundStart, clip.soundStart + clip.length
                 )
               : Spins();
}

std::vector<SpeedPoint> speedPointsOf(const Clip& clip)
{
    if (!clip.sound.treatment) {
        return {};
    }
    std::vector<SpeedPoint> points = clip.sound.treatment->speed.points();
    for (SpeedPoint& point : points) {
        point.at -= clip.soundStart;
    }
    return points;
}

namespace {

// Gives clips, and those of the other microphones alike, other speed lines: `lineOf` says of a clip which.
template<class LineOf>
Result<Song>
changeSpeed(const Song& song, const ClipChoice& choice, SpeedKeeps keeps, const LineOf& lineOf)
{
    // Microphones laid alike share one treatment.
    std::map<std::tuple<const Treatment*, Frames, Frames>, std::shared_ptr<const Treatment>> made;
    const auto change = [&](Clip& clip) -> Result<void> {
        if (clip.isReversed) {
            return badArgument(
                "the speed of a clip that runs backwards cannot be changed; turn it round first"
            );
        }
        const Frames begin = clip.soundStart;
        const Frames end = begin + clip.length;
        auto& treatment = made[{clip.sound.treatment.get(), begin, end}];
        const Treatment was = treatmentOf(clip);
        if (!treatment) {
            auto speed = lineOf(clip);
            if (!speed) {
                return tl::unexpected(speed.error());
            }
            Treatment changed = was;
            if (!clip.sound.treatment) {
                changed.material = Material::Tape;
            }
            changed.speed = std::move(*speed);
            treatment = std::make_shared<const Treatment>(std::move(changed));
        }
        if (keeps != SpeedKeeps::Length) {
            // The same of the sound as before, however long it takes.
            const double last = was.speed.placeOf(static_cast<double>(end.count()));
            const Frames now(std::llround(treatment->speed.heardAt(last)));
            clip.length = std::max(now - begin, Frames(1));
            clip.in.length = std::min(clip.in.length, clip.length);
            clip.out.length = std::min(clip.out.length, clip.length - clip.in.length);
        }
        const bool isAsRecorded = treatment->speed.isEmpty() && treatment->pitch.empty() &&
                                  treatment->semitones == 0.0 && treatment->time.pins().empty();
        clip.sound.treatment = isAsRecorded ? nullptr : treatment;
        clip.byHand = true;
        return {};
    };
    if (keeps != SpeedKeeps::Length) {
        const bool ripples = keeps == SpeedKeeps::ContentWithFollowers;
        return changeChosen(song, choice, ripples, [&](const MicSet&, Clip& clip) {
            return change(clip);
        });
    }
    // Nothing moves: crossfades and all stay as they are.
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    Song next = song;
    for (const auto& [id, clips] : *chosen) {
        Track track = *song.track(id);
        for (Clip& clip : track.clips) {
            if (clips.contains(clip.id)) {
                if (auto done = change(clip); !done) {
                    return tl::unexpected(done.error());
                }
            }
        }
        putTrack(next, std::move(track));
    }
    return next;
}

template<class Change>
Result<Song> changeSpins(const Song& song, const ClipChoice& choice, const Change& change)
{
    return changeSpeed(song, choice, SpeedKeeps::Length, [&](const Clip& clip) {
        Spins spins = spinsOf(clip);
        change(spins);
        return speedOf(spins, clip.soundStart, clip.soundStart + clip.length);
    });
}

}  // namespace

Result<Song>
spinClips(const Song& song, const ClipChoice& choice, bool isDown, std::optional<Spin> spin)
{
    return changeSpins(song, choice, [&](Spins& spins) {
        (isDown ? spins.down : spins.up) = spin;
    });
}

Result<Song> spinLevel(const Song& song, const ClipChoice& choice, bool followsLevel)
{
    const auto placed = clipsOf(song, choice);
    const bool isAny = std::ranges::any_of(placed, [](const PlacedClip& each) {
        const Spins spins = spinsOf(each.clip);
        return spins.up || spins.down;
    });
    if (!isAny) {
        return badArgument("none of the chosen clips has a spin");
    }
    return changeSpins(song, choice, [&](Spins& spins) { spins.followsLevel = followsLevel; });
}

Result<Song> setSpeed(const Song& song, const ClipChoice& choice, const ClipSpeed& speed)
{
    return changeSpeed(song, choice, speed.keeps, [&](const Clip& clip) -> Result<SpeedLine> {
        if (speed.points.empty()) {
            return SpeedLine();
        }
        std::vector<SpeedPoint> points = speed.points;
        for (SpeedPoint& point : points) {
            point.at += clip.soundStart;
        }
        // What is heard where the clip begins stays.
        return SpeedLine::through(std::move(points), speed.followsLevel, clip.soundStart);
    });
}

}  // namespace orthochron
