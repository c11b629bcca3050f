#include "core/files/ClipReader.h"

#include "core/files/SongFormat.h"
#include "core/files/SongPartReader.h"

#include <algorithm>

namespace orthochron {

namespace {

using Json = nlohmann::json;

constexpr std::size_t kManyItems = 4'000'000;
constexpr std::int64_t kManyTreatments = 1'000'000;
constexpr std::size_t kManyWitnesses = 4096;
// Items made in all of a history, shared ones each time: 200 steps of the largest song there is
// are far below.
constexpr std::size_t kMostWork = 2'000'000'000;

Fade fadeFrom(JsonReader& read, const Json& json)
{
    Fade fade;
    if (json.is_object()) {
        fade.length = read.length(read.field(json, "length"));
        if (const Json* shape = read.find(json, "shape")) {
            fade.shape = read.checked(parseFadeShape(read.text(*shape)));
        }
        fade.middle = static_cast<float>(read.numberOr(json, "middle", 0.5, 0.05, 0.95));
        return fade;
    }
    fade.length = read.length(read.item(json, 0));
    fade.shape = read.checked(parseFadeShape(read.text(read.item(json, 1))));
    if (json.is_array() && json.size() > 3) {
        fade.middle = static_cast<float>(read.number(json[3], 0.05, 0.95));
    }
    return fade;
}

Clip clipFromObject(JsonReader& read, const Json& json, TreatmentPool& treatments)
{
    Clip clip;
    clip.id = ClipId{read.id(read.field(json, "id"))};
    clip.sound.take = TakeId{read.id(read.field(json, "take"))};
    if (const Json* channel = read.find(json, "channel")) {
        clip.sound.channel = static_cast<int>(read.whole(*channel, Sound::kAllChannels, 63));
    }
    if (const Json* treatment = read.find(json, "treatment")) {
        clip.sound.treatment =
            treatments.at(static_cast<std::size_t>(read.whole(*treatment, 0, kManyTreatments)));
    }
    if (const Json* part = read.find(json, "part")) {
        clip.part = PartId{read.id(*part)};
    }
    clip.soundStart = read.frames(read.field(json, "from"));
    clip.at = read.frames(read.field(json, "at"));
    clip.length = read.length(read.field(json, "length"));
    clip.gain = static_cast<float>(read.numberOr(json, "gain", 1.0, -100.0, 100.0));
    clip.isLocked = read.flagOr(json, "locked");
    clip.isMuted = read.flagOr(json, "muted");
    clip.isReversed = read.flagOr(json, "reversed");
    clip.byHand = read.flagOr(json, "byHand");
    if (const Json* in = read.find(json, "in")) {
        clip.in = fadeFrom(read, *in);
    }
    if (const Json* out = read.find(json, "out")) {
        clip.out = fadeFrom(read, *out);
    }
    clip.extras = extrasOf(
        json,
        {"id",
         "part",
         "take",
         "channel",
         "treatment",
         "from",
         "at",
         "length",
         "gain",
         "locked",
         "muted",
         "reversed",
         "byHand",
         "in",
         "out"}
    );
    return clip;
}

// As it stood in the formats before the third.
Clip clipFromList(JsonReader& read, const Json& json)
{
    Clip clip;
    clip.id = ClipId{read.id(read.item(json, 0))};
    clip.sound.take = TakeId{read.id(read.item(json, 1))};
    clip.sound.channel = static_cast<int>(read.whole(read.item(json, 2), Sound::kAllChannels, 63));
    clip.soundStart = read.frames(read.item(json, 3));
    clip.at = read.frames(read.item(json, 4));
    clip.length = read.length(read.item(json, 5));
    clip.gain = static_cast<float>(read.number(read.item(json, 6), -100.0, 100.0));
    const std::int64_t flags = read.whole(read.item(json, 7), 0, 15);
    clip.isLocked = (flags & kLocked) != 0;
    clip.isMuted = (flags & kMuted) != 0;
    clip.isReversed = (flags & kReversed) != 0;
    clip.byHand = (flags & kByHand) != 0;
    clip.in = fadeFrom(read, read.item(json, 8));
    clip.out = fadeFrom(read, read.item(json, 9));
    return clip;
}

ListRun runFrom(JsonReader& read, const Json& json)
{
    return {
        static_cast<std::uint32_t>(read.whole(read.item(json, 0), 0, kManyItems)),
        static_cast<std::uint32_t>(read.whole(read.item(json, 1), 0, kManyItems)),
        read.frames(read.item(json, 2))};
}

void readLike(JsonReader& read, const Json& json, auto& list)
{
    list.isWhole = false;
    list.like = static_cast<std::size_t>(read.whole(read.field(json, "like"), 0, kManyItems));
}

// The order clips and marks have in a list.
void putInOrder(JsonReader& read, std::vector<Clip>& clips)
{
    if (!std::ranges::is_sorted(clips, {}, &Clip::at)) {
        read.fail("its clips are not in order");
    }
}

void putInOrder(JsonReader&, std::vector<Mark>& marks)
{
    std::ranges::stable_sort(marks, {}, &Mark::at);
}

void becomeSister(const WrittenList<Clip>::Sister& sister, std::vector<Clip>& clips)
{
    for (Clip& clip : clips) {
        clip.id.value = static_cast<std::uint32_t>(clip.id.value + sister.ids);
        clip.sound.take = sister.take;
        clip.sound.channel = sister.channel;
    }
}

void becomeSister(const WrittenList<Mark>::Sister&, std::vector<Mark>&) {}

}  // namespace

Extras extrasOf(const Json& json, std::initializer_list<const char*> known)
{
    if (!json.is_object() || json.size() == 0) {
        return {};
    }
    Json unknown = Json::object();
    for (const auto& [key, value] : json.items()) {
        if (std::ranges::find(known, std::string_view(key)) == known.end()) {
            unknown[key] = value;
        }
    }
    if (unknown.empty()) {
        return {};
    }
    return {std::make_shared<const std::string>(
        unknown.dump(-1, ' ', false, Json::error_handler_t::replace)
    )};
}

std::shared_ptr<const Treatment> TreatmentPool::at(std::size_t place)
{
    while (treatments_.size() <= place) {
        treatments_.push_back(std::make_shared<Treatment>());
    }
    return treatments_[place];
}

void TreatmentPool::add(Treatment treatment)
{
    (void)at(read_);
    *treatments_[read_++] = std::move(treatment);
}

Treatment treatmentFrom(JsonReader& read, const Json& json)
{
    Treatment treatment;
    std::vector<Pin> pins;
    for (const Json& pin : read.list(read.field(json, "pins"), kManyItems)) {
        pins.push_back({read.frames(read.item(pin, 0)), read.frames(read.item(pin, 1))});
    }
    treatment.time = read.checked(TimeMap::through(std::move(pins)));
    treatment.material = read.checked(parseMaterial(read.text(read.field(json, "material"))));
    for (const Json& attack : read.list(read.field(json, "attacks"), kManyItems)) {
        treatment.attacks.push_back(read.frames(attack));
    }
    std::ranges::sort(treatment.attacks);
    for (const Json& witness : read.list(read.field(json, "witnesses"), kManyWitnesses)) {
        treatment.witnesses.push_back(
            {TakeId{read.id(read.item(witness, 0))},
             static_cast<int>(read.whole(read.item(witness, 1), 0, 63)),
             read.frames(read.item(witness, 2))}
        );
    }
    treatment.semitones = read.numberOr(json, "semitones", 0.0, -kMostSemitones, kMostSemitones);
    treatment.movesFormants = read.flagOr(json, "movesFormants");
    if (const Json* pitch = read.find(json, "pitch")) {
        for (const Json& point : read.list(*pitch, kManyItems)) {
            treatment.pitch.push_back(
                {read.frames(read.item(point, 0)),
                 read.number(read.item(point, 1), -kMostSemitones, kMostSemitones),
                 point.size() > 2 && read.flag(point[2])}
            );
        }
        std::ranges::stable_sort(treatment.pitch, {}, &PitchPoint::at);
    }
    if (const Json* speed = read.find(json, "speed")) {
        treatment.speed = speedFrom(read, *speed);
        treatment.keepsTime = read.flagOr(*speed, "keepsTime");
    }
    return treatment;
}

Clip clipFrom(JsonReader& read, const Json& json, TreatmentPool& treatments)
{
    const Clip clip =
        json.is_object() ? clipFromObject(read, json, treatments) : clipFromList(read, json);
    if (clip.in.length + clip.out.length > clip.length) {
        read.fail("a clip's fades are longer than the clip");
    }
    return clip;
}

Mark markFrom(JsonReader& read, const Json& json)
{
    Mark mark;
    mark.id = MarkId{read.id(read.item(json, 0))};
    mark.at = read.length(read.item(json, 1));
    mark.beatPoint = read.length(read.item(json, 2));
    mark.strength = read.number(read.item(json, 3), 0.0, 1.0);
    mark.isOn = read.whole(read.item(json, 4), 0, 1) == 1;
    mark.byHand = read.whole(read.item(json, 5), 0, 1) == 1;
    if (const Json& line = read.item(json, 6); !line.is_null()) {
        mark.line = read.whole(line, -100'000'000, 100'000'000);
    }
    if (json.is_array() && json.size() > 7 && !json[7].is_null()) {
        mark.wanted = Seconds(read.number(json[7], -10.0, 10.0));
    }
    if (json.is_array() && json.size() > 8) {
        mark.confidence = read.number(json[8], 0.0, 1.0);
    }
    return mark;
}

template<class T>
std::vector<T>
ListPool<T>::made(JsonReader& read, const WrittenList<T>& list, std::span<const T> other)
{
    std::vector<T> items;
    if (list.sister) {
        items.assign(other.begin(), other.end());
        becomeSister(*list.sister, items);
    } else if (auto whole = patched<T>(other, list.diff)) {
        items = std::move(*whole);
    } else {
        read.fail("a list names items that its base list does not have");
    }
    putInOrder(read, items);
    work_ += items.size();
    if (work_ > kMostWork || items.size() > kManyItems) {
        read.fail("it contains more clips or marks than a song can have");
    }
    return items;
}

template<class T>
std::shared_ptr<const std::vector<T>> ListPool<T>::at(JsonReader& read, std::size_t place)
{
    // Back to one that is whole or at hand; places only ever name earlier ones, so it ends.
    std::vector<std::size_t> chain;
    std::shared_ptr<const std::vector<T>> items;
    for (std::size_t next = place; !items && !read.hasFailed();) {
        if (next >= lists_.size() || (!chain.empty() && next >= chain.back())) {
            read.fail("it names a list that is not in the file");
            break;
        }
        if (const auto kept = fresh_.find(next); kept != fresh_.end()) {
            items = kept->second;
        } else if (const auto older = old_.find(next); older != old_.end()) {
            items = fresh_[next] = older->second;
        } else {
            chain.push_back(next);
            if (lists_[next].isWhole) {
                items = std::make_shared<const std::vector<T>>();
            } else {
                next = lists_[next].like;
            }
        }
    }
    while (!chain.empty() && !read.hasFailed()) {
        items = std::make_shared<const std::vector<T>>(made(read, lists_[chain.back()], *items));
        fresh_[chain.back()] = items;
        chain.pop_back();
    }
    return read.hasFailed() ? std::make_shared<const std::vector<T>>() : items;
}

template<class T>
void ListPool<T>::forgetOld()
{
    old_ = std::exchange(fresh_, {});
}

template class ListPool<Clip>;
template class ListPool<Mark>;

WrittenList<Clip> clipListFrom(
    JsonReader& read, const Json& json, std::span<const Clip> clips, TreatmentPool& treatments
)
{
    WrittenList<Clip> list;
    const Json* parts = &json;
    if (json.is_object()) {
        readLike(read, json, list);
        if (const Json* take = read.find(json, "take")) {
            auto& sister = list.sister.emplace();
            sister.take = TakeId{read.id(*take)};
            sister.channel =
                static_cast<int>(read.whole(read.field(json, "channel"), Sound::kAllChannels, 63));
            sister.ids = read.whole(read.field(json, "ids"), -0xFFFFFFFFLL, 0xFFFFFFFFLL);
            return list;
        }
        parts = &read.field(json, "parts");
    }
    for (const Json& part : read.list(*parts, kManyItems)) {
        if (read.hasFailed()) {
            break;
        }
        if (part.is_number_unsigned() && !clips.empty()) {
            list.diff.push_back(clips[static_cast<std::size_t>(
                read.whole(part, 0, static_cast<std::int64_t>(clips.size()) - 1)
            )]);
        } else if (list.isWhole || part.is_object()) {
            list.diff.push_back(clipFrom(read, part, treatments));
        } else {
            list.diff.push_back(runFrom(read, part));
        }
    }
    return list;
}

WrittenList<Mark> markListFrom(JsonReader& read, const Json& json)
{
    WrittenList<Mark> list;
    const Json* parts = &json;
    if (json.is_object()) {
        readLike(read, json, list);
        parts = &read.field(json, "parts");
    }
    for (const Json& part : read.list(*parts, kManyItems)) {
        if (read.hasFailed()) {
            break;
        }
        // A run of the older list is three numbers, a mark more.
        if (!list.isWhole && part.is_array() && part.size() == 3) {
            list.diff.push_back(runFrom(read, part));
        } else {
            list.diff.push_back(markFrom(read, part));
        }
    }
    return list;
}

}  // namespace orthochron
