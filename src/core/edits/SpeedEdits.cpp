#include "core/edits/SpeedEdits.h"

#include "core/edits/ChangedClips.h"
#include "core/edits/StretchEdits.h"

#include <cmath>
#include <map>
#include <tuple>

namespace orthochron {

double pitchOfSpeed(double speed)
{
    return 12.0 * std::log2(std::max(speed, kLeastPitchSpeed));
}

double speedOfPitch(double semitones)
{
    return std::exp2(semitones / 12.0);
}

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

bool keepsTime(const Clip& clip)
{
    return clip.sound.treatment && clip.sound.treatment->keepsTime;
}

namespace {

constexpr Seconds kOutOfTime = milliseconds(2.0);  // as far as what keeps its time may lie off it
constexpr int kHalvings = 12;

// A treatment's time as it was before its speed line drew it out.
TimeMap undrawn(const Treatment& treatment)
{
    if (!treatment.keepsTime) {
        return treatment.time;
    }
    std::vector<Pin> pins = treatment.time.pins();
    bool isPlain = true;
    for (Pin& pin : pins) {
        const double heard = treatment.speed.heardAt(static_cast<double>(pin.sound.count()));
        pin.sound = Frames(std::llround(heard));
        isPlain = isPlain && std::abs((pin.sound - pin.take).count()) <= 1;
    }
    return isPlain ? TimeMap() : TimeMap::through(std::move(pins)).value_or(TimeMap());
}

// A time map under which what a speed line then plays is heard when it was, over [begin, end) of sound time.
// Time runs evenly between pins, the line does not: there are as many as keep it near.
Result<TimeMap>
drawnOutFor(const TimeMap& time, const SpeedLine& speed, Frames begin, Frames end, Hertz rate)
{
    const auto placeAt = [&](Frames heard) {
        return speed.placeOf(static_cast<double>(heard.count()));
    };
    std::vector<Frames> heard{begin, end};
    for (const Pin& pin : time.pins()) {
        heard.push_back(pin.sound);
    }
    for (const SpeedPoint& point : speed.points()) {
        heard.push_back(point.at);
    }
    std::erase_if(heard, [&](Frames at) { return at < begin || at > end; });
    std::ranges::sort(heard);
    heard.erase(std::unique(heard.begin(), heard.end()), heard.end());
    const double most = kOutOfTime.count() * rate.count();
    for (int step = 0; step < kHalvings; ++step) {
        std::vector<Frames> finer{heard.front()};
        for (std::size_t i = 1; i < heard.size(); ++i) {
            const Frames middle = (heard[i - 1] + heard[i]) / 2;
            const double even = 0.5 * (placeAt(heard[i - 1]) + placeAt(heard[i]));
            if (std::abs(placeAt(middle) - even) > most) {
                finer.push_back(middle);
            }
            finer.push_back(heard[i]);
        }
        if (finer.size() == heard.size()) {
            break;
        }
        heard = std::move(finer);
    }
    std::vector<Pin> pins;
    for (const Frames at : heard) {
        const Pin pin{time.takeTimeOf(at), Frames(std::llround(placeAt(at)))};
        if (pins.empty() || (pin.take > pins.back().take && pin.sound > pins.back().sound)) {
            pins.push_back(pin);
        }
    }
    return TimeMap::through(std::move(pins));
}

// What a clip plays at another speed; as sound that is stretched, where it is not to be on tape.
Result<Treatment>
withSpeed(const Song& song, const MicSet& set, const Clip& clip, SpeedLine speed, SpeedKeeps keeps)
{
    Treatment changed = treatmentOf(clip);
    changed.time = undrawn(changed);
    changed.keepsTime = keeps == SpeedKeeps::Time && !speed.isEmpty();
    const bool isPlain =
        changed.time.pins().empty() && changed.semitones == 0.0 && changed.pitch.empty();
    if (!clip.sound.treatment || isPlain) {
        changed.material = Material::Tape;
    }
    if (changed.keepsTime) {
        const bool isTooLow = std::ranges::any_of(speed.points(), [](const SpeedPoint& point) {
            return point.speed < kLeastPitchSpeed;
        });
        if (isTooLow) {
            return badArgument("pitch only stops at −24 semitones (25 % speed)");
        }
        auto time = drawnOutFor(
            changed.time, speed, clip.soundStart, clip.soundStart + clip.length, song.rate
        );
        if (!time) {
            return tl::unexpected(time.error());
        }
        changed.time = std::move(*time);
        if (changed.material == Material::Tape) {
            changed.material = set.isLone() ? Material::Blend : Material::Hits;
        }
        changed = listening(song, set, clip, std::move(changed));
    }
    changed.speed = std::move(speed);
    return changed;
}

// Gives clips, and those of the other microphones alike, other speed lines: `lineOf` says of a clip which.
template<class LineOf>
Result<Song>
changeSpeed(const Song& song, const ClipChoice& choice, SpeedKeeps keeps, const LineOf& lineOf)
{
    const bool isOfContent =
        keeps == SpeedKeeps::Content || keeps == SpeedKeeps::ContentWithFollowers;
    // Microphones laid alike share one treatment.
    std::map<std::tuple<const Treatment*, Frames, Frames>, std::shared_ptr<const Treatment>> made;
    const auto change = [&](const MicSet& set, Clip& clip) -> Result<void> {
        if (clip.isReversed) {
            return badArgument("the speed of a reversed clip cannot be changed; reverse it first");
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
            auto changed = withSpeed(song, set, clip, std::move(*speed), keeps);
            if (!changed) {
                return tl::unexpected(changed.error());
            }
            treatment = std::make_shared<const Treatment>(std::move(*changed));
        }
        if (isOfContent) {
            // The same of the sound as before, however long it takes.
            const double last = was.keepsTime ? static_cast<double>(end.count())
                                              : was.speed.placeOf(static_cast<double>(end.count()));
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
    if (isOfContent) {
        return changeChosen(song, choice, keeps == SpeedKeeps::ContentWithFollowers, change);
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
                if (auto done = change(*song.setOf(id), clip); !done) {
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
        return badArgument("none of the selected clips has a spin");
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
