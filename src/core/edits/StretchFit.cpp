#include "core/edits/StretchFit.h"

#include <fmt/format.h>

#include "core/edits/SpeedEdits.h"

#include <algorithm>
#include <limits>
#include <map>
#include <tuple>

namespace orthochron {

namespace {

constexpr Seconds kHitsApart = milliseconds(2.0);  // of two hits, at least
constexpr Seconds kAtEnd = milliseconds(50.0);     // a hit so near an end takes it along

// Makes the treatments of a set, one for all clips that were laid alike.
class Treatments {
public:
    Treatments(
        const Song& song,
        const std::vector<std::vector<Clip>>& recorded,
        std::span<const Anchor> anchors,
        const TimeMap& map,
        Material material
    )
        : song_(song), recorded_(recorded), anchors_(anchors), map_(map), material_(material)
    {}

    std::shared_ptr<const Treatment> of(const Clip& clip)
    {
        auto& treatment = made_[{clip.offset(), clip.sound.treatment.get()}];
        if (!treatment) {
            treatment = make(clip);
        }
        return treatment;
    }

private:
    std::shared_ptr<const Treatment> make(const Clip& clip) const
    {
        const Frames offset = clip.offset();
        // Every moment where the map or the one before it bends, take time.
        std::vector<Frames> bends;
        for (const Pin& pin : map_.pins()) {
            bends.push_back(clip.sound.takeTimeOf(pin.take - offset));
        }
        if (clip.sound.treatment) {
            for (const Pin& pin : clip.sound.treatment->time.pins()) {
                bends.push_back(pin.take);
            }
        }
        std::ranges::sort(bends);
        std::vector<Pin> pins;
        for (const Frames take : bends) {
            const Pin pin{take, map_.soundTimeOf(clip.sound.soundTimeOf(take) + offset) - offset};
            if (pins.empty() || (pin.take > pins.back().take && pin.sound > pins.back().sound)) {
                pins.push_back(pin);
            }
        }
        Treatment treatment;
        if (clip.sound.treatment) {
            treatment = *clip.sound.treatment;
        }
        treatment.time = *TimeMap::through(std::move(pins));
        // Notes that are in tune stay so: only a line has them.
        treatment.material = treatment.pitch.empty() ? material_ : Material::Line;
        treatment.attacks.clear();
        for (const Anchor& anchor : anchors_) {
            const Frames attack = clip.sound.takeTimeOf(anchor.start - offset);
            if (treatment.attacks.empty() || attack > treatment.attacks.back()) {
                treatment.attacks.push_back(attack);
            }
        }
        treatment.witnesses.clear();
        for (const auto& clips : recorded_) {
            if (!clips.empty()) {
                addWitnesses(treatment, song_, clips.front(), offset - clips.front().offset());
            }
        }
        return std::make_shared<const Treatment>(std::move(treatment));
    }

    const Song& song_;
    const std::vector<std::vector<Clip>>& recorded_;
    std::span<const Anchor> anchors_;
    const TimeMap& map_;
    Material material_;
    std::map<std::pair<Frames, const Treatment*>, std::shared_ptr<const Treatment>> made_;
};

// What a clip showed, of another sound of its take; none when it would lie before the song begins.
std::optional<Clip> shownBy(const Clip& recorded, std::shared_ptr<const Treatment> treatment)
{
    Clip clip = recorded;
    const Frames offset = recorded.offset();
    const Frames from = recorded.sound.takeTimeOf(recorded.soundStart);
    const Frames to = recorded.sound.takeTimeOf(recorded.soundStart + recorded.length);
    clip.sound.treatment = std::move(treatment);
    clip.soundStart = std::max(clip.sound.soundTimeOf(from), -offset);
    clip.length = clip.sound.soundTimeOf(to) - clip.soundStart;
    clip.at = clip.soundStart + offset;
    clip.in.length = std::min(clip.in.length, clip.length);
    clip.out.length = std::min(clip.out.length, clip.length - clip.in.length);
    clip.byHand = false;
    return clip.length > Frames(0) ? std::optional(clip) : std::nullopt;
}

// The spins of clips, taken off before a fit and put on again after it. What spins is left where it is: what is
// between spins is heard where it would be without them.
class SpinsApart {
public:
    // A clip without its spins. Errors: BadArgument for one whose speed is drawn otherwise.
    Result<Clip> without(const Clip& clip, const std::string& track)
    {
        Clip plain = clip;
        if (!clip.sound.treatment || clip.sound.treatment->speed.isEmpty()) {
            return plain;
        }
        const Spins spins = spinsOf(clip);
        if (keepsTime(clip) || (!spins.up && !spins.down)) {
            return badArgument(
                fmt::format("a clip of {} has a speed line; delete it first, or cut instead", track)
            );
        }
        auto [made, isNew] = plain_.try_emplace(clip.sound.treatment.get());
        if (isNew) {
            Treatment treatment = *clip.sound.treatment;
            treatment.speed = {};
            const bool isAsRecorded = treatment.time.pins().empty() && treatment.semitones == 0.0 &&
                                      treatment.pitch.empty();
            made->second =
                isAsRecorded ? nullptr : std::make_shared<const Treatment>(std::move(treatment));
        }
        plain.sound.treatment = made->second;
        return plain;
    }
    // The spins of `was` on what it became. Errors: BadArgument when they are longer.
    Result<void> putOn(Clip& clip, const Clip& was)
    {
        const Spins spins = spinsOf(was);
        if (!spins.up && !spins.down) {
            return {};
        }
        const Frames end = clip.soundStart + clip.length;
        auto& made = spun_[{clip.sound.treatment.get(), clip.soundStart, end}];
        if (!made) {
            auto speed = speedOf(spins, clip.soundStart, end);
            if (!speed) {
                return tl::unexpected(speed.error());
            }
            Treatment treatment = *clip.sound.treatment;
            treatment.speed = std::move(*speed);
            made = std::make_shared<const Treatment>(std::move(treatment));
        }
        clip.sound.treatment = made;
        return {};
    }
    // Leaves out what is heard while a clip spins.
    static void leaveOut(std::vector<Anchor>& anchors, const Clip& clip)
    {
        const Spins spins = spinsOf(clip);
        if (!spins.up && !spins.down) {
            return;
        }
        std::erase_if(anchors, [&](const Anchor& anchor) {
            return anchor.start >= clip.at && anchor.start < clip.end() &&
                   ((spins.up && anchor.start < clip.at + spins.up->length) ||
                    (spins.down && anchor.start >= clip.end() - spins.down->length));
        });
    }

private:
    std::map<const Treatment*, std::shared_ptr<const Treatment>> plain_;
    std::map<std::tuple<const Treatment*, Frames, Frames>, std::shared_ptr<const Treatment>> spun_;
};

}  // namespace

void addWitnesses(Treatment& treatment, const Song& song, const Clip& clip, Frames offset)
{
    const Take* take = song.take(clip.sound.take);
    const bool isAll = clip.sound.channel == Sound::kAllChannels && take != nullptr;
    const int first = clip.sound.firstChannel();
    for (int channel = first; channel < (isAll ? take->channels : first + 1); ++channel) {
        treatment.witnesses.push_back({clip.sound.take, channel, offset});
    }
}

Result<TimeMap> stretchMap(
    const std::vector<std::vector<Clip>>& recorded, std::span<const Anchor> anchors, Hertz rate
)
{
    Frames begin(std::numeric_limits<std::int64_t>::max());
    Frames end(std::numeric_limits<std::int64_t>::min());
    for (const auto& clips : recorded) {
        for (const Clip& clip : clips) {
            begin = std::min(begin, clip.at);
            end = std::max(end, clip.end());
        }
    }
    std::vector<Pin> pins;
    const Frames apart = toFrames(kHitsApart, rate);
    const Frames near = toFrames(kAtEnd, rate);
    if (anchors.empty() || (anchors.front().start > begin + near &&
                            anchors.front().start + anchors.front().move > begin + near)) {
        pins.push_back({begin, begin});
    }
    Frames move{0};
    for (const Anchor& anchor : anchors) {
        if (!pins.empty() && anchor.start <= pins.back().take) {
            continue;
        }
        const bool isInOrder =
            pins.empty() || anchor.start + anchor.move >= pins.back().sound + apart;
        move = isInOrder ? anchor.move : pins.back().sound - pins.back().take;
        pins.push_back({anchor.start, anchor.start + move});
    }
    if (!pins.empty() && end > pins.back().take + near && end > pins.back().sound + near) {
        pins.push_back({end, end});
    }
    return TimeMap::through(std::move(pins));
}

Result<std::vector<std::vector<Clip>>> stretchedClips(
    const Song& song,
    const MicSet& set,
    const std::vector<std::vector<Clip>>& recorded,
    std::span<const Anchor> anchors,
    Material material,
    NewIds& ids
)
{
    if (material == Material::Tape) {
        return badArgument("with tape a fit would be out of tune; use hits, single notes or chords"
        );
    }
    SpinsApart spins;
    std::vector<std::vector<Clip>> plain;
    std::vector<Anchor> steady(anchors.begin(), anchors.end());
    for (std::size_t t = 0; t < recorded.size(); ++t) {
        const std::string& name = song.track(set.tracks[t])->name;
        auto& clips = plain.emplace_back();
        for (const Clip& clip : recorded[t]) {
            if (clip.isReversed) {
                return badArgument(fmt::format(
                    "a clip of {} is reversed and cannot be fitted by stretching; cut instead", name
                ));
            }
            auto without = spins.without(clip, name);
            if (!without) {
                return tl::unexpected(without.error());
            }
            clips.push_back(std::move(*without));
            SpinsApart::leaveOut(steady, clip);
        }
    }
    const auto map = stretchMap(plain, steady, song.rate);
    if (!map) {
        return tl::unexpected(map.error());
    }
    Treatments treatments(song, plain, steady, *map, material);
    std::vector<std::vector<Clip>> tracks;
    for (std::size_t t = 0; t < recorded.size(); ++t) {
        auto& clips = tracks.emplace_back();
        for (std::size_t i = 0; i < plain[t].size(); ++i) {
            const Clip& clip = plain[t][i];
            if (auto shown = shownBy(clip, treatments.of(clip))) {
                if (auto spun = spins.putOn(*shown, recorded[t][i]); !spun) {
                    return tl::unexpected(spun.error());
                }
                shown->id = ids.clip();
                shown->part = ids.part(clip.part, 0);
                clips.push_back(std::move(*shown));
            }
        }
    }
    return tracks;
}

}  // namespace orthochron
