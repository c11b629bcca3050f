#include "core/edits/StretchEdits.h"

#include <fmt/format.h>

#include "core/edits/ChangedClips.h"
#include "core/edits/ClipEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/StretchFit.h"

#include <algorithm>
#include <cmath>
#include <tuple>

namespace orthochron {

namespace {

constexpr double kMostRatio = 20.0;
constexpr Seconds kApart = milliseconds(2.0);  // of two hits, at least

// What a fit of a set was asked; of one that was not fitted, to leave all as it is.
FitRequest requestFor(const Song& song, const MicSet& set)
{
    if (set.recipe) {
        return requestOf(*set.recipe);
    }
    FitRequest request{.fit = {0.0, 0.0, 0.0}};
    request.grid = song.grid;
    return request;
}

// Where the hits of a preview are heard.
class HeardHits {
public:
    HeardHits(const Song& song, SetId id, const FitPreview& preview)
        : hits_(preview.performance.hits)
    {
        if (const MicSet* set = song.set(id)) {
            parts_ = partsOf(song, *set);
        }
    }
    [[nodiscard]] Frames at(std::size_t hit) const
    {
        const Frames recorded = hits_[hit].played.beatPoint;
        const SetPart* holding = partHolding(parts_, recorded);
        return holding != nullptr ? holding->heardAt(recorded) : recorded;
    }
    // The main ones heard in a span.
    [[nodiscard]] std::vector<std::size_t> within(Span span) const
    {
        std::vector<std::size_t> inside;
        for (std::size_t i = 0; i < hits_.size(); ++i) {
            if (hits_[i].role == HitRole::Main && at(i) >= span.from && at(i) < span.to) {
                inside.push_back(i);
            }
        }
        return inside;
    }

private:
    const std::vector<JudgedHit>& hits_;
    std::vector<SetPart> parts_;
};

}  // namespace

Result<Song> moveHitsByStretching(
    const Song& song,
    SetId id,
    const FitPreview& preview,
    const std::vector<HitMove>& moves,
    Material material,
    const Sources& sources
)
{
    const MicSet* set = song.set(id);
    const auto& hits = preview.performance.hits;
    const HeardHits heard(song, id, preview);
    std::vector<std::optional<Frames>> targets(hits.size());
    std::vector<bool> isMoved(hits.size(), false);
    for (const HitMove& move : moves) {
        if (set == nullptr || move.hit >= hits.size()) {
            return badArgument("that hit is not in the mic set");
        }
        if (hits[move.hit].role != HitRole::Main) {
            return badArgument("this hit is attached to its main hit; move the main hit");
        }
        targets[move.hit] = move.target;
        isMoved[move.hit] = true;
    }
    if (moves.empty()) {
        return badArgument("there is no hit to move");
    }
    // Main hits stay in their order; one that goes back to where the fit has it is not held against others.
    const Frames apart = toFrames(kApart, song.rate);
    std::optional<Frames> before;
    bool wasMoved = false;
    for (std::size_t i = 0; i < hits.size(); ++i) {
        const bool goesAlong = hits[i].role != HitRole::Main && isMoved[hits[i].main];
        if (goesAlong || (isMoved[i] && !targets[i])) {
            continue;
        }
        const Frames now = targets[i].value_or(heard.at(i));
        if (before && (isMoved[i] || wasMoved) && now < *before + apart) {
            return badArgument("a hit cannot be stretched past its neighbour; cut instead");
        }
        before = now;
        wasMoved = isMoved[i];
    }
    std::vector<WantedPlace> places;
    for (const HitMove& move : moves) {
        const HitOrigin& origin = preview.origin.origins[move.hit];
        std::optional<Seconds> wanted;
        if (move.target) {
            wanted = toSeconds(*move.target, song.rate) - hits[move.hit].line.time;
        }
        places.push_back({origin.track, origin.mark, wanted});
    }
    const auto asked = setMarksWanted(song, places);
    if (!asked) {
        return asked;
    }
    FitRequest request = requestFor(song, *set);
    request.way = {FitMethod::Stretch, material};
    auto fitted = fitSet(*asked, id, request, sources);
    if (!fitted) {
        return tl::unexpected(fitted.error());
    }
    return std::move(fitted->song);
}

std::vector<HitMove>
movedAlong(const Song& song, SetId set, const FitPreview& preview, Span within, Frames by)
{
    const HeardHits heard(song, set, preview);
    std::vector<HitMove> moves;
    for (const std::size_t hit : heard.within(within)) {
        moves.push_back({hit, heard.at(hit) + by});
    }
    return moves;
}

std::vector<HitMove> drawnOutWithin(
    const Song& song, SetId set, const FitPreview& preview, Span within, Frames about, double ratio
)
{
    const HeardHits heard(song, set, preview);
    std::vector<HitMove> moves;
    for (const std::size_t hit : heard.within(within)) {
        const auto away = static_cast<double>((heard.at(hit) - about).count());
        moves.push_back({hit, about + Frames(std::llround(away * ratio))});
    }
    return moves;
}

std::vector<HitMove>
movedFreely(const Song& song, SetId set, const FitPreview& preview, std::size_t hit, Frames target)
{
    const HeardHits heard(song, set, preview);
    const auto& hits = preview.performance.hits;
    const auto isPinned = [&](std::size_t i) {
        const HitOrigin& origin = preview.origin.origins[i];
        const auto track = song.track(origin.track);
        const auto mark = std::ranges::find(track->marks, origin.mark, &Mark::id);
        return mark != track->marks.end() && mark->wanted.has_value();
    };
    // From a hit that stays to this one, on either side.
    Frames from;
    Frames to = song.length();
    std::size_t first = 0;
    std::size_t last = hits.size();
    for (std::size_t i = hit; i-- > 0;) {
        if (hits[i].role == HitRole::Main && isPinned(i)) {
            from = heard.at(i);
            first = i + 1;
            break;
        }
    }
    for (std::size_t i = hit + 1; i < hits.size(); ++i) {
        if (hits[i].role == HitRole::Main && isPinned(i)) {
            to = heard.at(i);
            last = i;
            break;
        }
    }
    const Frames was = heard.at(hit);
    std::vector<HitMove> moves;
    for (std::size_t i = first; i < last; ++i) {
        if (hits[i].role != HitRole::Main) {
            continue;
        }
        const Frames now = heard.at(i);
        const bool isBefore = now <= was;
        const double part = isBefore ? (now - from) / std::max(was - from, Frames(1))
                                     : (to - now) / std::max(to - was, Frames(1));
        const Frames way = target - was;
        moves.push_back({i, now + Frames(std::llround(part * static_cast<double>(way.count())))});
    }
    return moves;
}

Result<Song> fitLoop(const Song& song, ClipId id, double bpm, Frames firstBeat, Material material)
{
    const auto placed = clipOf(song, id);
    if (!placed) {
        return badArgument("that clip is not in the song");
    }
    if (!(bpm >= 20.0 && bpm <= 400.0)) {
        return badArgument("a loop's tempo must be 20 to 400 bpm");
    }
    const Clip& clip = placed->clip;
    const double songBpm = song.tempo.bpmAt(song.tempo.beatsAt(toSeconds(clip.at, song.rate)));
    // Against the take: a loop that was stretched already is stretched anew.
    auto next = stretchClips(
        song, {id}, {.material = material, .ratio = bpm / songBpm / stretchedBy(clip)}
    );
    if (!next) {
        return next;
    }
    const auto made = clipOf(*next, id);
    const Clip& stretched = made ? made->clip : clip;
    const Frames heard = stretched.sound.soundTimeOf(firstBeat) + stretched.offset();
    const auto by = [&](double beat) {
        return toFrames(song.tempo.timeAt(Beats(beat)), song.rate) - heard;
    };
    double beat = std::round(song.tempo.beatsAt(toSeconds(heard, song.rate)).count());
    while (stretched.at + by(beat) < Frames(0)) {
        beat += 1.0;  // nothing lies before the song begins
    }
    if (by(beat) == Frames(0)) {
        return next;
    }
    return moveClips(*next, {id}, by(beat), {});
}

Treatment treatmentOf(const Clip& clip)
{
    return clip.sound.treatment ? *clip.sound.treatment : Treatment{};
}

double stretchedBy(const Clip& clip)
{
    const Frames taken = clip.sound.takeTimeOf(clip.soundStart + clip.length) -
                         clip.sound.takeTimeOf(clip.soundStart);
    return clip.length / std::max(taken, Frames(1));
}

namespace {

// Gives clips of one song other treatments; those that were recorded together share them.
class Stretching {
public:
    Stretching(const Song& song, const ClipStretch& change) : song_(song), change_(change) {}

    Result<void> stretch(const MicSet& set, Clip& clip)
    {
        if (clip.isReversed) {
            return badArgument("a reversed clip cannot be stretched; reverse it first");
        }
        const Frames from = clip.sound.takeTimeOf(clip.soundStart);
        const Frames to = clip.sound.takeTimeOf(clip.soundStart + clip.length);
        auto& made = made_[{clip.sound.treatment.get(), clip.part, from, to}];
        if (!made) {
            auto treatment = treated(set, clip, from, to);
            if (!treatment) {
                return tl::unexpected(treatment.error());
            }
            made = std::make_shared<const Treatment>(std::move(*treatment));
        }
        const bool isAsRecorded = made->semitones == 0.0 && isPlain(made->time) &&
                                  made->pitch.empty() && made->speed.isEmpty();
        clip.sound.treatment = isAsRecorded ? nullptr : made;
        const Span was{clip.at, clip.end()};
        if (made->speed.isEmpty()) {
            clip.soundStart = clip.sound.soundTimeOf(from);
            clip.length = clip.sound.soundTimeOf(to) - clip.soundStart;
        } else {
            // It was drawn out about its start, which stays. When a place near a standstill is heard cannot
            // be asked to the frame.
            const auto length = static_cast<double>(clip.length.count());
            clip.length =
                std::max(Frames(std::llround(length * change_.ratio.value_or(1.0))), Frames(1));
        }
        if (change_.ratio && change_.about) {
            // Both ends are rounded as places, so that clips that touched go on touching.
            clip.at = drawnOut(was.from);
            clip.length = std::max(drawnOut(was.to) - clip.at, Frames(1));
            if (clip.at < Frames(0)) {
                return badArgument("nothing can be placed before the song's start");
            }
        }
        clip.in.length = std::min(clip.in.length, clip.length);
        clip.out.length = std::min(clip.out.length, clip.length - clip.in.length);
        clip.byHand = true;
        return {};
    }

private:
    static bool isPlain(const TimeMap& time)
    {
        return std::ranges::all_of(time.pins(), [](const Pin& pin) {
            return pin.sound == pin.take;
        });
    }

    Result<Treatment> treated(const MicSet& set, const Clip& clip, Frames from, Frames to) const
    {
        Treatment treatment = treatmentOf(clip);
        treatment.semitones = change_.semitones.value_or(treatment.semitones);
        treatment.movesFormants = change_.movesFormants.value_or(treatment.movesFormants);
        treatment.material = change_.material.value_or(treatment.material);
        if (treatment.material == Material::Tape && treatment.semitones != 0.0) {
            return badArgument("with tape the pitch follows the speed; use another material");
        }
        if (change_.ratio) {
            auto time = drawnOut(clip, from, to, *change_.ratio);
            if (!time) {
                return tl::unexpected(time.error());
            }
            treatment.time = std::move(*time);
            auto speed = drawnOut(treatment.speed, clip.soundStart, *change_.ratio);
            if (!speed) {
                return tl::unexpected(speed.error());
            }
            treatment.speed = std::move(*speed);
        }
        return listening(song_, set, clip, std::move(treatment));
    }

    // Where a place in the song comes to lie when all is drawn out about one.
    [[nodiscard]] Frames drawnOut(Frames place) const
    {
        const auto away = static_cast<double>((place - *change_.about).count());
        return *change_.about + Frames(std::llround(away * *change_.ratio));
    }

    // So many times as long about a place.
    static Frames drawnOut(Frames at, Frames about, double ratio)
    {
        return about + Frames(std::llround(static_cast<double>((at - about).count()) * ratio));
    }

    // A speed line with the stretched sound under it: both are drawn out about one place.
    static Result<SpeedLine> drawnOut(const SpeedLine& speed, Frames about, double ratio)
    {
        if (speed.isEmpty()) {
            return speed;
        }
        std::vector<SpeedPoint> points;
        for (SpeedPoint point : speed.points()) {
            point.at = drawnOut(point.at, about, ratio);
            if (!points.empty() && point.at <= points.back().at) {
                point.at = points.back().at + Frames(1);
            }
            points.push_back(point);
        }
        return SpeedLine::through(
            std::move(points), speed.followsLevel(), drawnOut(speed.same(), about, ratio)
        );
    }

    // The clip's part of its map, so many times as long about its start; what a speed line makes of it lies
    // on top.
    static Result<TimeMap> drawnOut(const Clip& clip, Frames from, Frames to, double ratio)
    {
        const Treatment present = treatmentOf(clip);
        std::vector<Pin> pins;
        const auto put = [&](Frames take) {
            const Pin pin{take, drawnOut(present.time.soundTimeOf(take), clip.soundStart, ratio)};
            if (pins.empty() || (pin.take > pins.back().take && pin.sound > pins.back().sound)) {
                pins.push_back(pin);
            }
        };
        put(from);
        for (const Pin& pin : present.time.pins()) {
            if (pin.take > from && pin.take < to) {
                put(pin.take);
            }
        }
        put(to);
        return TimeMap::through(std::move(pins));
    }

    const Song& song_;
    const ClipStretch& change_;
    std::map<std::tuple<const Treatment*, PartId, Frames, Frames>, std::shared_ptr<const Treatment>>
        made_;
};

Result<void> validate(const ClipStretch& change)
{
    if (!change.semitones && !change.movesFormants && !change.material &&
        (!change.ratio || *change.ratio == 1.0)) {
        return badArgument("nothing to change");
    }
    if (change.semitones && !(std::abs(*change.semitones) <= kMostSemitones)) {
        return badArgument(
            fmt::format("a clip can be moved at most {:g} semitones up or down", kMostSemitones)
        );
    }
    if (change.ratio && !(*change.ratio >= 1.0 / kMostRatio && *change.ratio <= kMostRatio)) {
        return badArgument(fmt::format(
            "a clip can be made {:g} to {:g} times as long", 1.0 / kMostRatio, kMostRatio
        ));
    }
    return {};
}

}  // namespace

Treatment listening(const Song& song, const MicSet& set, const Clip& clip, Treatment treatment)
{
    const bool isNew = treatment.witnesses.empty();
    std::vector<Frames> attacks;
    for (const TrackId id : set.tracks) {
        const auto track = song.track(id);
        for (const Clip& other : track->clips) {
            const bool isOwn = clip.part.isValid() ? other.part == clip.part : other.id == clip.id;
            if (isNew && isOwn) {
                addWitnesses(treatment, song, other, clip.offset() - other.offset());
            }
        }
        if (song.isLead(*track)) {
            for (const HeardMark& heard : marksHeard(*track, track->clips)) {
                if (heard.at >= clip.at && heard.at < clip.end()) {
                    attacks.push_back(clip.sound.takeTimeOf(heard.at - clip.offset()));
                }
            }
        }
    }
    std::ranges::sort(attacks);
    attacks.erase(std::unique(attacks.begin(), attacks.end()), attacks.end());
    if (!attacks.empty()) {
        treatment.attacks = std::move(attacks);
    }
    return treatment;
}

Result<Song> stretchClips(const Song& song, const ClipChoice& choice, const ClipStretch& change)
{
    if (auto valid = validate(change); !valid) {
        return tl::unexpected(valid.error());
    }
    Stretching stretching(song, change);
    return changeChosen(song, choice, false, [&](const MicSet& set, Clip& clip) {
        return stretching.stretch(set, clip);
    });
}

}  // namespace orthochron
