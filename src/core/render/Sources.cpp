#include "core/render/Sources.h"

#include "core/audio/ResampledSource.h"
#include "core/audio/SoundFile.h"
#include "core/joins/Layers.h"
#include "core/stretch/StretchPlan.h"

#include <algorithm>
#include <set>
#include <tuple>
#include <vector>

namespace orthochron {

namespace {

// A side of a crossfade, for remembering what was measured of it.
struct Side {
    TakeId take;
    int channel = 0;
    const Treatment* treatment = nullptr;
    Frames from;  // sound time
    bool isReversed = false;

    auto operator<=>(const Side&) const = default;
};

constexpr std::size_t kMostMeasured = 1U << 17U;  // some 15 MB
// Plans kept of treatments that nothing but these sources knows any more, and of all.
constexpr std::size_t kMostUnheld = 64;
constexpr std::size_t kMostPlans = 512;

// Reads one channel, whatever else there is, into the place where it is wanted.
Result<void> readChannel(
    SampleSource& source, AudioBuffer& scratch, int channel, Frames from, std::span<float> into
)
{
    const Frames length(static_cast<std::int64_t>(into.size()));
    if (scratch.frames() != length || scratch.channels() != source.channels()) {
        scratch = AudioBuffer(source.channels(), length);
    }
    if (auto read = source.read(from, scratch); !read) {
        return read;
    }
    std::ranges::copy(scratch.channel(channel), into.begin());
    return {};
}

}  // namespace

struct Sources::Measured {
    std::mutex mutex;
    std::map<std::tuple<Side, Side, Frames>, double> likeness;  // and how long they overlap
    struct Treated {
        std::shared_ptr<const Treatment> treatment;  // kept, so that no other can take its place
        std::shared_ptr<StretchPlan> plan;
        std::map<TakeId, std::shared_ptr<Opened>> takes;
        std::uint64_t used = 0;  // the greater, the later
    };
    std::map<const Treatment*, Treated> treated;
    std::uint64_t uses = 0;

    void letGo(const Treatment* kept);
};

struct Sources::Played {
    struct Treated {
        std::shared_ptr<const Treatment> treatment;  // kept, so that no other can take its place
        std::shared_ptr<StretchPlan> plan;
        std::shared_ptr<StandIns> standIns = std::make_shared<StandIns>();
        std::map<TakeId, std::shared_ptr<Opened>> takes;
    };
    std::map<const Treatment*, Treated>
        treated;  // of those that take long; guarded as what was measured
};

// Lets plans go that were not used for long, never that of `kept`: they are found out again when they are
// asked for. With a treatment goes what was measured of it, for another may come to lie where it lay.
void Sources::Measured::letGo(const Treatment* kept)
{
    if (treated.size() <= kMostUnheld) {
        return;
    }
    std::vector<std::pair<std::uint64_t, const Treatment*>> unheld;
    std::vector<std::pair<std::uint64_t, const Treatment*>> held;
    for (const auto& [treatment, own] : treated) {
        if (treatment != kept) {
            (own.treatment.use_count() <= 1 ? unheld : held).push_back({own.used, treatment});
        }
    }
    std::set<const Treatment*> gone;
    const auto drop = [&](auto& from, std::size_t most) {
        std::ranges::sort(from);
        for (std::size_t i = 0; i + most < from.size(); ++i) {
            gone.insert(from[i].second);
            treated.erase(from[i].second);
        }
    };
    drop(unheld, kMostUnheld / 2);
    drop(held, kMostPlans);
    std::erase_if(likeness, [&](const auto& each) {
        const auto& [before, after, length] = each.first;
        return gone.contains(before.treatment) || gone.contains(after.treatment);
    });
}

// A take as these sources have it, which must outlive it.
class Sources::OfTake final : public SampleSource {
public:
    OfTake(std::shared_ptr<Opened> opened) : opened_(std::move(opened)) {}

    [[nodiscard]] Hertz rate() const override { return opened_->source->rate(); }
    [[nodiscard]] Frames frames() const override { return opened_->source->frames(); }
    [[nodiscard]] int channels() const override { return opened_->source->channels(); }
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into) override
    {
        const std::scoped_lock lock(opened_->mutex);
        return opened_->source->read(from, into);
    }

private:
    std::shared_ptr<Opened> opened_;
};

Sources::Sources() : measured_(std::make_shared<Measured>()) {}

std::filesystem::path pathOf(const Take& take, const std::filesystem::path& songFolder)
{
    const std::filesystem::path path(take.path);
    return path.is_absolute() ? path : songFolder / path;
}

Result<std::shared_ptr<Sources>>
Sources::open(const Song& song, const std::filesystem::path& songFolder)
{
    auto sources = std::make_shared<Sources>();
    for (const Take& take : song.takes) {
        const auto path = pathOf(take, songFolder);
        auto reader = SoundFileReader::open(path);
        if (!reader) {
            return tl::unexpected(reader.error());
        }
        sources->put(take.id, atRate(std::move(*reader), song.rate), path);
    }
    return sources;
}

void Sources::put(
    TakeId take, std::unique_ptr<SampleSource> source, const std::filesystem::path& file
)
{
    auto opened = std::make_shared<Opened>();
    opened->source = std::move(source);
    opened->file = file;
    const bool isNew = takes_.insert_or_assign(take, std::move(opened)).second;
    if (!isNew) {
        measured_ = std::make_shared<Measured>();  // of what was there before nothing holds
    }
}

bool Sources::isAlike(TakeId take, const Sources& others) const
{
    const auto own = takes_.find(take);
    const auto other = others.takes_.find(take);
    return own != takes_.end() && other != others.takes_.end() && own->second == other->second;
}

bool Sources::share(TakeId take, const Sources& others)
{
    const auto found = others.takes_.find(take);
    if (found == others.takes_.end()) {
        return false;
    }
    takes_[take] = found->second;
    return true;
}

std::vector<std::filesystem::path> Sources::files() const
{
    std::vector<std::filesystem::path> files;
    for (const auto& [take, opened] : takes_) {
        if (!opened->file.empty()) {
            files.push_back(opened->file);
        }
    }
    return files;
}

std::filesystem::path Sources::file(TakeId take) const
{
    const auto found = takes_.find(take);
    return found == takes_.end() ? std::filesystem::path() : found->second->file;
}

void Sources::silence(TakeId take, const std::filesystem::path& file)
{
    put(take, nullptr, file);
}

const SampleSource* Sources::sourceOf(TakeId take) const
{
    const auto found = takes_.find(take);
    return found == takes_.end() ? nullptr : found->second->source.get();
}

int Sources::channels(TakeId take) const
{
    const SampleSource* source = sourceOf(take);
    return source == nullptr ? 0 : source->channels();
}

Frames Sources::frames(TakeId take) const
{
    const SampleSource* source = sourceOf(take);
    return source == nullptr ? Frames(0) : source->frames();
}

Result<void> Sources::read(TakeId take, Frames from, AudioBuffer& into) const
{
    if (!has(take)) {
        into.clear();
        return {};
    }
    Opened& opened = *takes_.at(take);
    const std::scoped_lock lock(opened.mutex);
    return opened.source->read(from, into);
}

Result<void> Sources::read(TakeId take, int channel, Frames from, std::span<float> into) const
{
    if (channel >= channels(take)) {
        std::ranges::fill(into, 0.0F);
        return {};
    }
    Opened& opened = *takes_.at(take);
    const std::scoped_lock lock(opened.mutex);
    return readChannel(*opened.source, opened.scratch, channel, from, into);
}

std::vector<Channel> Sources::witnessesOf(const Sound& sound) const
{
    std::vector<Channel> channels;
    const auto add = [&](TakeId take, int channel, Frames offset) {
        const auto found = takes_.find(take);
        if (found == takes_.end() || !found->second->source ||
            channel >= found->second->source->channels()) {
            return;
        }
        const auto& opened = found->second;
        channels.push_back(
            {opened->source->frames() - offset,
             [opened, channel, offset](Frames from, std::span<float> into) {
                 const std::scoped_lock lock(opened->mutex);
                 return readChannel(*opened->source, opened->scratch, channel, from + offset, into);
             }}
        );
    };
    for (const Witness& witness : sound.treatment->witnesses) {
        add(witness.take, witness.channel, witness.offset);
    }
    for (int channel = 0; channels.empty() && channel < this->channels(sound.take); ++channel) {
        add(sound.take, channel, Frames(0));
    }
    return channels;
}

std::vector<int> Sources::heardAs(const Sound& sound) const
{
    std::vector<int> places;
    const auto& witnesses = sound.treatment->witnesses;
    for (int channel = 0; channel < channels(sound.take); ++channel) {
        int place = witnesses.empty() ? channel : -1;
        int next = 0;
        for (const Witness& witness : witnesses) {
            if (witness.take == sound.take && witness.channel == channel) {
                place = next;
            }
            // Those that are not here are not listened to.
            next += witness.channel < channels(witness.take) ? 1 : 0;
        }
        places.push_back(place);
    }
    return places;
}

Result<std::shared_ptr<Sources::Opened>> Sources::treated(const Sound& sound) const
{
    const std::scoped_lock lock(measured_->mutex);
    Measured::Treated& treated = measured_->treated[sound.treatment.get()];
    if (!treated.plan) {
        auto plan = planStretch(
            *sound.treatment, witnessesOf(sound), takes_.at(sound.take)->source->rate()
        );
        if (!plan) {
            measured_->treated.erase(sound.treatment.get());
            return tl::unexpected(plan.error());
        }
        treated.treatment = sound.treatment;
        treated.plan = std::move(*plan);
        measured_->letGo(sound.treatment.get());
    }
    treated.used = ++measured_->uses;
    const auto take = [&] { return std::make_unique<OfTake>(takes_.at(sound.take)); };
    if (played_ && treated.plan->takesLong()) {
        Played::Treated& played = played_->treated[sound.treatment.get()];
        if (played.plan != treated.plan) {
            played = {.treatment = sound.treatment, .plan = treated.plan};
            // Plans that were let go of are not kept here either.
            std::erase_if(played_->treated, [&](const auto& each) {
                return !measured_->treated.contains(each.first);
            });
        }
        auto& opened = played.takes[sound.take];
        if (!opened) {
            opened = std::make_shared<Opened>();
            opened->source = played.plan->playedSourceOf(take(), heardAs(sound), played.standIns);
        }
        return opened;
    }
    auto& opened = treated.takes[sound.take];
    if (!opened) {
        opened = std::make_shared<Opened>();
        opened->source = treated.plan->sourceOf(take(), heardAs(sound));
    }
    return opened;
}

std::shared_ptr<const Sources> Sources::whilePlaying() const
{
    auto playing = std::make_shared<Sources>(*this);
    playing->played_ = std::make_shared<Played>();
    return playing;
}

void Sources::leap() const
{
    if (!played_) {
        return;
    }
    const std::scoped_lock lock(measured_->mutex);
    for (const auto& [treatment, played] : played_->treated) {
        played.standIns->forget();
    }
}

Result<void> Sources::read(const Sound& sound, Frames from, AudioBuffer& into) const
{
    if (!sound.treatment || !has(sound.take)) {
        return read(sound.take, from, into);
    }
    const auto opened = treated(sound);
    if (!opened) {
        return tl::unexpected(opened.error());
    }
    const std::scoped_lock lock((*opened)->mutex);
    return (*opened)->source->read(from, into);
}

Result<void> Sources::read(const Sound& sound, Frames from, std::span<float> into) const
{
    const int channel = sound.firstChannel();
    if (!sound.treatment || channel >= channels(sound.take)) {
        return read(sound.take, channel, from, into);
    }
    const auto opened = treated(sound);
    if (!opened) {
        return tl::unexpected(opened.error());
    }
    const std::scoped_lock lock((*opened)->mutex);
    return readChannel(*(*opened)->source, (*opened)->scratch, channel, from, into);
}

Result<std::shared_ptr<StretchPlan>> Sources::planOf(const Sound& sound) const
{
    if (!sound.treatment || !has(sound.take)) {
        return nullptr;
    }
    if (auto opened = treated(sound); !opened) {
        return tl::unexpected(opened.error());
    }
    const std::scoped_lock lock(measured_->mutex);
    const auto found = measured_->treated.find(sound.treatment.get());
    return found != measured_->treated.end() ? found->second.plan : nullptr;
}

Result<std::vector<Splice>> Sources::splices(const Sound& sound, Frames from, Frames to) const
{
    const auto plan = planOf(sound);
    if (!plan) {
        return tl::unexpected(plan.error());
    }
    return *plan ? (*plan)->splices(from, to) : std::vector<Splice>();
}

Result<void> Sources::makeReady(const Sound& sound, Frames from, Frames to, const Work& work) const
{
    const auto plan = planOf(sound);
    if (!plan) {
        return tl::unexpected(plan.error());
    }
    return *plan ? (*plan)->makeReady(from, to, work) : Result<void>();
}

bool Sources::isReady(const Sound& sound, Frames at) const
{
    const auto plan = planOf(sound);
    return !plan || !*plan || (*plan)->isReady(at);
}

Result<void>
Sources::makeStandIn(const Sound& sound, Frames from, Frames to, const Work& work) const
{
    const auto plan = planOf(sound);
    if (!plan) {
        return tl::unexpected(plan.error());
    }
    return *plan ? (*plan)->makeStandIn(from, to, work) : Result<void>();
}

bool Sources::isReadyToPlay(const Sound& sound, Frames at) const
{
    const auto plan = planOf(sound);
    return !plan || !*plan || (*plan)->isReadyToPlay(at);
}

Result<double> Sources::likeness(const Clip& before, const Clip& after) const
{
    const Frames from = after.at;
    const Frames to = before.end();
    if (to <= from) {
        return 1.0;
    }
    const auto sideOf = [&](const Clip& clip) {
        return Side{
            clip.sound.take,
            clip.sound.firstChannel(),
            clip.sound.treatment.get(),
            clip.soundTimeOf(from, to),
            clip.isReversed};
    };
    const std::tuple key{sideOf(before), sideOf(after), to - from};
    {
        const std::scoped_lock lock(measured_->mutex);
        if (const auto known = measured_->likeness.find(key); known != measured_->likeness.end()) {
            return known->second;
        }
    }
    std::vector<float> a(static_cast<std::size_t>((to - from).count()));
    std::vector<float> b(a.size());
    const auto readSide = [&](const Clip& clip, std::vector<float>& side) {
        auto done = read(clip.sound, clip.soundTimeOf(from, to), side);
        if (clip.isReversed) {
            std::ranges::reverse(side);
        }
        return done;
    };
    if (auto done = readSide(before, a); !done) {
        return tl::unexpected(done.error());
    }
    if (auto done = readSide(after, b); !done) {
        return tl::unexpected(done.error());
    }
    const double likeness = correlationOf(a, b);
    const std::scoped_lock lock(measured_->mutex);
    if (measured_->likeness.size() >= kMostMeasured) {
        measured_->likeness.clear();
    }
    measured_->likeness.emplace(key, likeness);
    return likeness;
}

Channel Sources::channel(TakeId take, int channel) const
{
    return {frames(take), [this, take, channel](Frames from, std::span<float> into) {
                return read(take, channel, from, into);
            }};
}

}  // namespace orthochron
