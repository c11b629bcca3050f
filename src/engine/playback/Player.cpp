#include "engine/playback/Player.h"

#include "core/edits/SetParts.h"
#include "engine/playback/HeldPitch.h"

#include <algorithm>
#include <chrono>
#include <cmath>

namespace orthochron::engine {

namespace {

constexpr Seconds kFade = milliseconds(10.0);
constexpr std::int64_t kPreroll = 4096;  // frames rendered before a stream is handed over
constexpr std::chrono::seconds kHeldBackMost(10);
constexpr std::chrono::milliseconds kReaderLooks(4);
constexpr std::int64_t kAhead = 6144;  // how far ahead a continuation begins: it must be ready then

// More of the song goes by until then where it is played faster.
std::int64_t aheadAt(double speed)
{
    return static_cast<std::int64_t>(std::max(speed, 1.0) * static_cast<double>(kAhead));
}

}  // namespace

Song asRecorded(const Song& song, Frames at)
{
    Song recorded = song;
    for (const MicSet& set : song.sets) {
        if (!set.recipe || set.tracks.empty()) {
            continue;
        }
        const auto clips = recordedClips(song, set);
        // The part under `at`, or the last one before it.
        const auto parts = partsOf(song, set);
        auto under = std::ranges::upper_bound(parts, at, {}, &SetPart::from);
        if (under != parts.begin()) {
            --under;
        }
        const Frames shift = under != parts.end() ? at - under->recordedAt(at) : Frames(0);
        for (std::size_t t = 0; t < set.tracks.size(); ++t) {
            Track track = *song.track(set.tracks[t]);
            track.clips = clips[t];
            for (Clip& clip : track.clips) {
                clip.at += shift;
            }
            putTrack(recorded, std::move(track));
        }
    }
    return recorded;
}

Player::Player(std::unique_ptr<AudioDevice> device) : device_(std::move(device))
{
    reader_ = std::jthread([this](const std::stop_token& stopped) { readAhead(stopped); });
}

Player::~Player()
{
    device_->stop();
    reader_.request_stop();
    const std::scoped_lock lock(mutex_);  // else the reader may miss it just before it waits
    wake_.notify_all();
}

void Player::startDevice()
{
    if (deviceRate_ == song_->rate) {
        return;
    }
    device_->stop();
    startDeviceAt(song_->rate);
}

void Player::startDeviceAt(Hertz rate)
{
    deviceRate_ = rate;
    fadeFrames_ = toFrames(kFade, deviceRate_).count();
    squeeze_.prepare(deviceRate_);
    played_.prepare(deviceRate_);
    auto started = device_->start(deviceRate_, [this](std::span<float> block) { callback(block); });
    trouble_ = started ? "" : started.error().message;
}

std::unique_ptr<AudioDevice> Player::exchangeDevice(std::unique_ptr<AudioDevice> device)
{
    device_->detach();
    std::swap(device_, device);
    if (deviceRate_ > Hertz(0.0)) {
        startDeviceAt(deviceRate_);
    }
    return device;
}

// Under mutex_: the reader looks slots up as it prepares a stream, so a song has them before it is seen.
void Player::giveSlots()
{
    for (const auto& track : song_->tracks) {
        if (slots_.contains(track->id)) {
            continue;
        }
        std::size_t slot = slots_.size();
        if (slot >= kMixSlots) {
            // That of a track that is gone; where there are more tracks than slots, some share one.
            const auto gone = std::ranges::find_if(slots_, [&](const auto& each) {
                return song_->track(each.first) == nullptr;
            });
            slot = gone != slots_.end() ? gone->second : slotsGiven_ % kMixSlots;
            if (gone != slots_.end()) {
                slots_.erase(gone);
            }
        }
        slots_.emplace(track->id, slot);
        ++slotsGiven_;
    }
}

void Player::updateMix()
{
    const std::scoped_lock lock(mutex_);
    for (const auto& track : song_->tracks) {
        const auto isAmong = [&](const std::vector<TrackId>& tracks) {
            return std::ranges::find(tracks, track->id) != tracks.end();
        };
        const bool isTried = isPitchHeld_ && isAmong(trial_.current()->tracks());
        const bool isOn = !isTried && (alone_.empty() ? isHeard(*song_, *track) : isAmong(alone_));
        const auto gains = isOn ? mixGains(*track, channelsOf(*track, *sources_))
                                : std::array<float, 2>{0.0F, 0.0F};
        mix_[slots_.at(track->id)].left.store(gains[0], std::memory_order_relaxed);
        mix_[slots_.at(track->id)].right.store(gains[1], std::memory_order_relaxed);
    }
    clickGain_.store(
        click_.isOn || clickOn_ ? static_cast<float>(fromDecibels(click_.decibels)) : 0.0F,
        std::memory_order_relaxed
    );
}

void Player::setSong(std::shared_ptr<const Song> song, std::shared_ptr<const Sources> sources)
{
    // Level, pan and mute act through the mix, lines and hushes as it is mixed; a new stream is only for
    // what else sounds differently.
    const auto soundsAlike = [](const Song& a, const Song& b) {
        return a.tempo == b.tempo &&
               std::ranges::equal(a.tracks, b.tracks, [](const auto& x, const auto& y) {
                   return x->id == y->id && (x == y || x->clips == y->clips);
               });
    };
    const bool isSame = song_ && sources_ == sources && soundsAlike(*song_, *song);
    {
        const std::scoped_lock lock(mutex_);
        song_ = std::move(song);
        sources_ = std::move(sources);
        giveSlots();
    }
    ahead_.look(song_, sources_, loop_);
    updateMix();
    shaping_.give(std::make_shared<const Shaping>(song_, slots_, ++shapings_));
    startDevice();
    if (!isSame) {
        refresh();
    }
}

void Player::refresh()
{
    if (isWanted()) {
        request(position(), true, stopAt_);
    }
}

void Player::request(Frames at, bool isContinuation, std::optional<Frames> stopAt)
{
    {
        const std::scoped_lock lock(mutex_);
        if (!song_) {
            return;
        }
        if (isContinuation && wanted_ && !wanted_->isContinuation) {
            return;  // what is about to start will be of the newest song anyway
        }
        if (!isContinuation) {
            const auto number = startNumber_.load(std::memory_order_relaxed) + 1;
            startNumber_.store(number == kNoStart ? 1 : number, std::memory_order_release);
        }
        wanted_ = Request{at, isContinuation, stopAt, startNumber_.load(std::memory_order_relaxed)};
    }
    if (!isContinuation) {
        stopAt_ = stopAt;
        const std::scoped_lock lock(mutex_);  // the reader waits for this too
        wantedStart_.store(startNumber_.load(std::memory_order_relaxed), std::memory_order_release);
    }
    wake_.notify_all();
    if (!isContinuation) {
        ahead_.hurry();
    }
}

void Player::play()
{
    if (!song_) {
        return;
    }
    request(position(), false);
}

void Player::playRange(Frames from, Frames to)
{
    if (!song_) {
        return;
    }
    position_.store(from.count(), std::memory_order_release);
    mixedPosition_.store(from.count(), std::memory_order_release);
    request(from, false, to);
}

void Player::stop()
{
    wantedStart_.store(kNoStart, std::memory_order_release);
}

void Player::seek(Frames songTime)
{
    const Frames at = std::max(songTime, Frames(0));
    position_.store(at.count(), std::memory_order_release);
    mixedPosition_.store(at.count(), std::memory_order_release);
    if (isWanted()) {
        request(at, false);
    }
}

void Player::setLoop(std::optional<LoopRange> loop)
{
    if (loop && loop->to <= loop->from + Frames(480)) {
        loop.reset();
    }
    {
        const std::scoped_lock lock(mutex_);
        loop_ = loop;
    }
    ahead_.look(song_, sources_, loop_);
    refresh();
}

void Player::setSide(Side side)
{
    if (side_ == side) {
        return;
    }
    {
        const std::scoped_lock lock(mutex_);
        side_ = side;
    }
    refresh();
}

void Player::setClickOn(std::optional<TempoMap> map)
{
    if (clickOn_ == map) {
        return;
    }
    {
        const std::scoped_lock lock(mutex_);
        clickOn_ = std::move(map);
    }
    if (song_) {
        updateMix();
        refresh();
    }
}

void Player::setClick(const ClickSettings& click)
{
    const bool isOther = click.sound != click_.sound;
    {
        const std::scoped_lock lock(mutex_);
        click_ = click;
    }
    if (song_) {
        updateMix();
    }
    if (isOther) {
        refresh();
    }
}

void Player::setRecordedTrim(double decibels)
{
    {
        const std::scoped_lock lock(mutex_);
        recordedTrim_ = decibels;
    }
    if (side_ == Side::Recorded) {
        refresh();
    }
}

void Player::setMasterLevel(double decibels)
{
    master_.store(static_cast<float>(fromDecibels(decibels)), std::memory_order_relaxed);
}

void Player::setSqueezed(bool isSqueezed)
{
    squeezed_.store(isSqueezed, std::memory_order_relaxed);
}

void Player::setRate(const RateSettings& rate)
{
    const bool isOtherPath = rate.isPlain() != rate_.isPlain() ||
                             (!rate.isPlain() && rate.keepsPitch != rate_.keepsPitch);
    {
        const std::scoped_lock lock(mutex_);
        rate_ = rate;
        rate_.speed =
            std::isfinite(rate.speed) ? std::clamp(rate.speed, kLeastRate, kMostRate) : 1.0;
    }
    played_.set(rate_);
    if (isOtherPath && isWanted()) {
        request(position(), false, stopAt_);
    }
}

void Player::setTrial(std::shared_ptr<const Trial> trial)
{
    heldPitch_.store(HeldPitch::kNone, std::memory_order_release);
    isPitchHeld_ = false;
    trial_.give(std::move(trial));
    if (song_) {
        updateMix();
    }
}

void Player::holdPitch(std::optional<int> semitones, bool isAnew)
{
    const Trial* trial = trial_.current();
    const bool isHeld = semitones && trial != nullptr && trial->has(*semitones);
    heldPitch_.store(
        isHeld ? HeldPitch::written(++pitchesHeld_, isAnew, *semitones) : HeldPitch::kNone,
        std::memory_order_release
    );
    isPitchHeld_ = isHeld;
    if (song_) {
        updateMix();
    }
}

void Player::setAlone(std::vector<TrackId> tracks)
{
    alone_ = std::move(tracks);
    if (song_) {
        updateMix();
    }
}

std::array<float, 2> Player::peaks()
{
    return {
        peaks_[0].exchange(0.0F, std::memory_order_relaxed),
        peaks_[1].exchange(0.0F, std::memory_order_relaxed)};
}

void Player::settle()
{
    std::unique_lock lock(mutex_);
    // The round under way may have begun before what is waited for; the one after it has not.
    const std::uint64_t enough = idleRounds_ + 2;
    roundsAsked_ = enough;
    wake_.notify_all();
    idle_.wait(lock, [&] { return (!wanted_ || isFull_) && !isServing_ && idleRounds_ >= enough; });
    const bool isRated = !rate_.isPlain();
    lock.unlock();
    if (isRated) {
        played_.settle();
    }
}

StreamPlan Player::planFor(const Request& request) const
{
    StreamPlan plan;
    plan.start = request.at;
    plan.isContinuation = request.isContinuation;
    plan.stopAt = request.stopAt;
    plan.startNumber = request.startNumber;
    plan.isRated = !rate_.isPlain();
    plan.keepsPitch = rate_.keepsPitch;
    plan.sources = sources_;
    plan.click = click_.sound;
    plan.clickOn = clickOn_;
    if (!request.stopAt) {
        plan.loop = loop_;
    }
    if (side_ == Side::Recorded) {
        plan.song = std::make_shared<const Song>(asRecorded(*song_, request.at));
        plan.gain = static_cast<float>(fromDecibels(recordedTrim_));
    } else {
        plan.song = song_;
    }
    return plan;
}

Frames Player::aheadPlace()
{
    const std::scoped_lock lock(mutex_);
    return wanted_ && !wanted_->isContinuation ? wanted_->at : position();
}

namespace {

// Whether reading a song from there on would wait for what is still being stretched.
bool wouldWait(const Song& song, const Sources& sources, Frames at)
{
    return std::ranges::any_of(song.tracks, [&](const auto& track) {
        const auto clip = std::ranges::partition_point(track->clips, [at](const Clip& one) {
            return one.end() <= at;
        });
        return clip != track->clips.end() && clip->at <= at && clip->sound.treatment &&
               !sources.isReadyToPlay(clip->sound, clip->soundTimeOf(at, at + Frames(1)));
    });
}

}  // namespace

// One new stream, when one is asked for. True when there was something to do.
bool Player::serve()
{
    std::optional<StreamPlan> plan;
    std::optional<Request> asked;
    double speed = 1.0;
    {
        const std::scoped_lock lock(mutex_);
        if (!wanted_) {
            return false;
        }
        plan = planFor(*wanted_);
        speed = rate_.speed;
        // What plays goes on meanwhile: the reader that waits for one stream fills none.
        const Frames at =
            plan->isContinuation
                ? Frames(mixedPosition_.load(std::memory_order_acquire)) + Frames(aheadAt(speed))
                : plan->start;
        const auto now = std::chrono::steady_clock::now();
        const bool waits = !streams_.empty() && wouldWait(*plan->song, *plan->sources, at);
        if (waits && now - heldBack_.value_or(now) < kHeldBackMost) {
            heldBack_ = heldBack_.value_or(now);
            return false;
        }
        heldBack_.reset();
        plan->sources = plan->sources->whilePlaying();
        for (const auto& track : song_->tracks) {
            plan->slots.push_back(slots_.at(track->id));
        }
        asked = std::exchange(wanted_, {});
        isServing_ = true;
    }
    if (plan->isContinuation) {
        const Frames mixed(mixedPosition_.load(std::memory_order_acquire));
        plan->start = mixed + Frames(aheadAt(speed));
        if (plan->loop && plan->start >= plan->loop->to && mixed < plan->loop->to) {
            const std::int64_t length = (plan->loop->to - plan->loop->from).count();
            plan->start =
                plan->loop->from + Frames((plan->start - plan->loop->to).count() % length);
        }
    }
    auto stream = std::make_unique<Stream>(std::move(*plan));
    while (!stream->isReady(kPreroll) && stream->fill()) {}
    const bool isGiven = incoming_.push(stream.get());
    if (isGiven) {
        streams_.push_back(std::move(stream));
    }
    {
        const std::scoped_lock lock(mutex_);
        isServing_ = false;
        isFull_ = !isGiven;
        if (isFull_ && !wanted_) {
            wanted_ = asked;  // the callback has not taken what was given before: once more, later
        }
    }
    idle_.notify_all();
    return isGiven;
}

void Player::readAhead(const std::stop_token& stopped)
{
    while (!stopped.stop_requested()) {
        Stream* gone = nullptr;
        while (retired_.pop(gone)) {
            std::erase_if(streams_, [gone](const auto& stream) { return stream.get() == gone; });
        }
        bool worked = serve();
        for (const auto& stream : streams_) {
            worked = stream->fill() || worked;
        }
        if (!worked) {
            std::unique_lock lock(mutex_);
            ++idleRounds_;
            idle_.notify_all();
            const auto isAsked = [&] {
                return (wanted_ && !heldBack_ && !isFull_) || idleRounds_ < roundsAsked_ ||
                       stopped.stop_requested();
            };
            // The callback must not be made to wake anybody: while it takes sound, it is looked for. Else one waits.
            if (wanted_ || isWanted() || isPlaying()) {
                wake_.wait_for(lock, kReaderLooks, isAsked);
            } else {
                wake_.wait(lock, [&] { return isAsked() || isWanted() || isPlaying(); });
            }
        }
    }
}

}  // namespace orthochron::engine
