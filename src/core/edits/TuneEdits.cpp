#include "core/edits/TuneEdits.h"

#include "core/edits/SectionEdits.h"
#include "core/edits/StretchEdits.h"
#include "core/tune/NotesByHand.h"
#include "core/tune/Tuning.h"

#include <algorithm>

namespace orthochron {

namespace {

// Whether a treatment's time only moves notes about: both ends of the take stay, and no fit has pinned
// its attacks.
bool isOfNotes(const Treatment& treatment)
{
    const auto& pins = treatment.time.pins();
    return pins.empty() || (treatment.attacks.empty() && pins.front().take == pins.front().sound &&
                            pins.back().take == pins.back().sound);
}

// Tunes clips, those laid alike by one treatment.
class Tuner {
public:
    Tuner(const Treatment& tuning, Witness heard) : tuning_(tuning), heard_(heard) {}

    // The clips of one channel. `chosen` null: all of them.
    Result<bool>
    tune(std::vector<Clip>& clips, TakeId take, int channel, const std::set<ClipId>* chosen)
    {
        bool isAny = false;
        for (Clip& clip : clips) {
            const bool isMeant = clip.sound.take == take && clip.sound.firstChannel() == channel &&
                                 (chosen == nullptr || chosen->contains(clip.id));
            if (!isMeant) {
                continue;
            }
            if (clip.isReversed) {
                return badArgument("a reversed clip cannot be tuned; reverse it first");
            }
            auto& treatment = made_[clip.sound.treatment];
            if (!treatment) {
                auto tuned = tunedFrom(clip);
                if (!tuned) {
                    return tl::unexpected(tuned.error());
                }
                treatment = std::make_shared<const Treatment>(std::move(*tuned));
            }
            const bool isPlain = treatment->pitch.empty() && treatment->time.pins().empty() &&
                                 treatment->semitones == 0.0 && treatment->speed.isEmpty();
            clip.sound.treatment = isPlain ? nullptr : treatment;
            isAny = true;
        }
        return isAny;
    }

private:
    Result<Treatment> tunedFrom(const Clip& clip) const
    {
        Treatment tuned = treatmentOf(clip);
        if (isOfNotes(tuned)) {
            tuned.time = tuning_.time;
        } else if (!tuning_.time.pins().empty()) {
            return badArgument(
                "this clip is stretched: change note pitch here, note timing by pins in Fit"
            );
        }
        tuned.pitch = tuning_.pitch;
        if (!tuned.pitch.empty() || !tuning_.time.pins().empty() || !clip.sound.treatment) {
            tuned.material = Material::Line;
        }
        if (tuned.witnesses.empty()) {
            tuned.witnesses = {heard_};
        }
        return tuned;
    }

    const Treatment& tuning_;
    Witness heard_;
    std::map<std::shared_ptr<const Treatment>, std::shared_ptr<const Treatment>> made_;
};

}  // namespace

Result<Song>
tuneClips(const Song& song, TrackId id, const ClipChoice& chosen, const Treatment& tuning)
{
    const auto track = song.track(id);
    if (!track) {
        return badArgument("the track is not in the song");
    }
    ClipChoice meant = chosen;
    if (meant.empty()) {
        for (const Clip& clip : track->clips) {
            if (track->isMarked(clip)) {
                meant.push_back(clip.id);
            }
        }
    }
    const auto allowed = freeOf(song, withTheirSet(song, meant));
    if (!allowed) {
        return tl::unexpected(allowed.error());
    }
    Song next = song;
    const MicSet* set = song.setOf(id);
    Tuner tuner(tuning, {track->markedTake, track->markedChannel, Frames(0)});
    bool isAny = false;
    std::vector<TrackId> tracks = set != nullptr ? set->tracks : std::vector{id};
    for (const TrackId each : tracks) {
        Track changed = *song.track(each);
        const auto own = allowed->find(each);
        if (own == allowed->end()) {
            continue;
        }
        const auto tuned =
            tuner.tune(changed.clips, changed.markedTake, changed.markedChannel, &own->second);
        if (!tuned) {
            return tl::unexpected(tuned.error());
        }
        isAny = isAny || *tuned;
        putTrack(next, std::move(changed));
    }
    if (!isAny) {
        return badArgument("no clip here plays the take of these notes");
    }
    if (set == nullptr || !set->recipe || !chosen.empty()) {
        return next;
    }
    FitRecipe recipe = *set->recipe;
    for (std::size_t t = 0; t < recipe.recorded.size() && t < tracks.size(); ++t) {
        const auto of = song.track(tracks[t]);
        const auto tuned =
            tuner.tune(recipe.recorded[t], of->markedTake, of->markedChannel, nullptr);
        if (!tuned) {
            return tl::unexpected(tuned.error());
        }
    }
    const auto place = std::ranges::find(next.sets, set->id, &MicSet::id);
    place->recipe = std::make_shared<const FitRecipe>(std::move(recipe));
    return next;
}

Treatment tuningOf(const Song& song, TrackId id, const ClipChoice& chosen)
{
    const auto track = song.track(id);
    const Clip* first = nullptr;
    if (track) {
        for (const Clip& clip : track->clips) {
            const bool isChosen = std::ranges::find(chosen, clip.id) != chosen.end();
            if (track->isMarked(clip) && (first == nullptr || isChosen)) {
                first = &clip;
                if (isChosen) {
                    break;
                }
            }
        }
    }
    Treatment tuning = first != nullptr ? treatmentOf(*first) : Treatment();
    if (!isOfNotes(tuning)) {
        tuning.time = TimeMap();
    }
    return tuning;
}

Result<Song> layNoteByHand(const Song& song, TrackId id, const NoteByHand& note)
{
    const auto track = song.track(id);
    if (!track) {
        return badArgument("the track is not in the song");
    }
    if (auto checked = checkNoteByHand(note, song.rate); !checked) {
        return tl::unexpected(checked.error());
    }
    Song next = song;
    Track changed = *track;
    changed.notes = withNoteByHand(std::move(changed.notes), note, song.rate);
    putTrack(next, std::move(changed));
    return next;
}

Result<Song> forgetNotesByHand(const Song& song, TrackId id, Frames from, Frames to)
{
    const auto track = song.track(id);
    if (!track) {
        return badArgument("the track is not in the song");
    }
    Track changed = *track;
    changed.notes = withoutNotesByHand(std::move(changed.notes), from, to);
    if (changed.notes == track->notes) {
        return badArgument("these notes have no manual changes");
    }
    Song next = song;
    putTrack(next, std::move(changed));
    return next;
}

Result<Song> setGlide(const Song& song, TrackId id, std::optional<Seconds> glide)
{
    const auto track = song.track(id);
    if (!track) {
        return badArgument("the track is not in the song");
    }
    if (glide && !(*glide >= Seconds(0.0) && *glide <= kLongestGlide)) {
        return badArgument("a glide must be 0 to 2000 ms");
    }
    Song next = song;
    Track changed = *track;
    changed.glide = glide;
    putTrack(next, std::move(changed));
    return next;
}

Result<Song> setSectionKey(const Song& song, SectionId id, std::optional<Scale> key)
{
    Song next = song;
    const auto section = std::ranges::find(next.sections, id, &Section::id);
    if (section == next.sections.end()) {
        return badArgument("the section is not in the song");
    }
    section->key = key;
    return next;
}

Result<Song> setTemperament(const Song& song, const Temperament& temperament)
{
    if (auto checked = checkTemperament(temperament); !checked) {
        return tl::unexpected(checked.error());
    }
    Song next = song;
    next.temperament = temperament;
    return next;
}

Rungs rungsAt(const Song& song, int bar)
{
    const Section* section = sectionAt(song, bar);
    const bool hasOwn = section != nullptr && section->key;
    return {hasOwn ? *section->key : song.key, song.temperament};
}

Song setKey(const Song& song, const Scale& key)
{
    Song next = song;
    next.key = key;
    return next;
}

}  // namespace orthochron
