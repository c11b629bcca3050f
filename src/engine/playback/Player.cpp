#include "engine/playback/Player.h"

#include <xmmintrin.h>

#include "core/edits/SetParts.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <numbers>

namespace orthochron::engine {

namespace {

constexpr Seconds kFade = milliseconds(10.0);
constexpr std::int64_t kPreroll = 4096;  // frames rendered before a stream is handed over
// How a held pitch is written down.
constexpr std::uint32_t kMostHeld = 0xFFFFFF;
constexpr std::uint32_t kAnew = 0x80;
constexpr int kNoShift = 64;
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

void Player::updateMix()
{
    // The reader thread looks slots up as it prepares a stream.
    const std::scoped_lock lock(mutex_);
    for (const auto& track : song_->tracks) {
        const auto [place, isNew] = slots_.try_emplace(track->id, slots_.size() % kMixSlots);
        const auto isAmong = [&](const std::vector<TrackId>& tracks) {
            return std::ranges::find(tracks, track->id) != tracks.end();
        };
        const bool isTried = isPitchHeld_ && isAmong(trials_.back()->tracks());
        const bool isOn = !isTried && (alone_.empty() ? isHeard(*song_, *track) : isAmong(alone_));
        const auto gains = isOn ? mixGains(*track, channelsOf(*track, *sources_))
                                : std::array<float, 2>{0.0F, 0.0F};
        mix_[place->second].left.store(gains[0], std::memory_order_relaxed);
        mix_[place->second].right.store(gains[1], std::memory_order_relaxed);
    }
    clickGain_.store(
        click_.isOn ? static_cast<float>(fromDecibels(click_.decibels)) : 0.0F,
        std::memory_order_relaxed
    );
}

void Player::setSong(std::shared_ptr<const Song> song, std::shared_ptr<const Sources> sources)
{
    // Level, pan and mute act through the mix; a new stream is only for what sounds differently.
    const auto soundsAlike = [](const Song& a, const Song& b) {
        return a.tempo == b.tempo && a.level == b.level &&
               std::ranges::equal(a.tracks, b.tracks, [](const auto& x, const auto& y) {
                   return x->id == y->id &&
                          (x == y || (x->clips == y->clips && x->level == y->level &&
                                      x->hushes == y->hushes));
               });
    };
    const bool isSame = song_ && sources_ == sources && soundsAlike(*song_, *song);
    {
        const std::scoped_lock lock(mutex_);
        song_ = std::move(song);
        sources_ = std::move(sources);
    }
    updateMix();
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
        wantedStart_.store(startNumber_.load(std::memory_order_relaxed), std::memory_order_release);
    }
    wake_.notify_all();
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
    heldPitch_.store(0, std::memory_order_release);
    isPitchHeld_ = false;
    trial_.store(trial.get(), std::memory_order_seq_cst);
    // What the callback still holds is let go of the next time.
    const Trial* inUse = trialInUse_.load(std::memory_order_seq_cst);
    std::erase_if(trials_, [&](const auto& each) { return each.get() != inUse; });
    if (trial) {
        trials_.push_back(std::move(trial));
    }
    if (song_) {
        updateMix();
    }
}

void Player::holdPitch(std::optional<int> semitones, bool isAnew)
{
    const bool isHeld = semitones && !trials_.empty() && trials_.back()->has(*semitones);
    pitchesHeld_ = (pitchesHeld_ + 1) & kMostHeld;
    heldPitch_.store(
        isHeld ? (pitchesHeld_ << 8U) | (isAnew ? kAnew : 0U) |
                     static_cast<std::uint32_t>(*semitones + kNoShift)
               : 0U,
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
    idle_.wait(lock, [&] { return !wanted_ && !isServing_ && idleRounds_ >= enough; });
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

// One new stream, when one is asked for. True when there was something to do.
bool Player::serve()
{
    std::optional<StreamPlan> plan;
    double speed = 1.0;
    {
        const std::scoped_lock lock(mutex_);
        if (!wanted_) {
            return false;
        }
        plan = planFor(*wanted_);
        speed = rate_.speed;
        for (const auto& track : song_->tracks) {
            plan->slots.push_back(slots_.at(track->id));
        }
        wanted_.reset();
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
    if (incoming_.push(stream.get())) {
        streams_.push_back(std::move(stream));
    }
    {
        const std::scoped_lock lock(mutex_);
        isServing_ = false;
    }
    idle_.notify_all();
    return true;
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
            wake_.wait_for(lock, std::chrono::milliseconds(4), [&] {
                return wanted_.has_value() || stopped.stop_requested();
            });
        }
    }
}

// ---- the audio callback's side

void Player::retire(Stream* stream) noexcept
{
    // The ring holds more than ever are alive; a full one would leak a stream until the end.
    if (stream != nullptr) {
        (void)retired_.push(stream);
    }
}

// Takes over a new stream once the old fade is done and a continuation's place is reached.
void Player::adopt() noexcept
{
    Stream* next = nullptr;
    while (incoming_.pop(next)) {
        retire(pending_);
        pending_ = next;
    }
    isChangingPath_ = false;
    if (pending_ == nullptr || fading_ != nullptr) {
        return;
    }
    const StreamPlan& plan = pending_->plan();
    const bool isOtherPath =
        plan.isRated != isRated_ || (plan.isRated && plan.keepsPitch != keepsPitch_);
    if (isOtherPath && run_ > 0.0F) {
        isChangingPath_ = true;  // it is adopted once this is silent
        return;
    }
    if (plan.isRated && run_ <= 0.0F) {
        played_.restart();
    }
    isRated_ = plan.isRated;
    keepsPitch_ = plan.keepsPitch;
    if (pending_->plan().isContinuation && active_ != nullptr && run_ > 0.0F) {
        const std::int64_t late = (active_->position() - pending_->plan().start).count();
        const bool isFar = std::abs(late) > 6 * kAhead;  // the loop came between
        if (!isFar && late < 0) {
            return;
        }
        if (!isFar && late > 0) {
            pending_->skip(std::min(late, pending_->available()));
        }
    }
    fading_ = run_ > 0.0F ? active_ : nullptr;
    if (fading_ == nullptr) {
        retire(active_);
    }
    active_ = pending_;
    pending_ = nullptr;
    faded_ = 0;
}

void Player::sound(Stream& stream, std::span<float> left, std::span<float> right) noexcept
{
    std::ranges::fill(left, 0.0F);
    std::ranges::fill(right, 0.0F);
    const auto count = static_cast<std::int64_t>(left.size());
    const std::int64_t there = std::min(stream.available(), count);
    if (there < count) {
        dropouts_.fetch_add(1, std::memory_order_relaxed);
    }
    const auto some = static_cast<std::size_t>(there);
    if (some > 0) {
        stream.take(
            left.first(some), right.first(some), gains_, clickGain_.load(std::memory_order_relaxed)
        );
    }
}

// What is held of a trial, from this block on.
void Player::turnPitch() noexcept
{
    const Trial* trial = trial_.load(std::memory_order_seq_cst);
    trialInUse_.store(trial, std::memory_order_seq_cst);
    if (trial_.load(std::memory_order_seq_cst) != trial) {
        trial = nullptr;  // just taken away: the next block has the new one
        trialInUse_.store(nullptr, std::memory_order_seq_cst);
    }
    if (trial != heardTrial_) {
        voice_.silence();
        heardTrial_ = trial;
        heardPitch_ = 0;
    }
    const std::uint32_t held = trial != nullptr ? heldPitch_.load(std::memory_order_acquire) : 0;
    if (held == heardPitch_) {
        return;
    }
    heardPitch_ = held;
    const bool goesOn = (held & kAnew) == 0 && run_ > 0.0F && active_ != nullptr;
    std::int64_t place = 0;
    if (held != 0 && goesOn) {
        const std::int64_t length = trial->length().count();
        place = (((active_->position() - trial->at()).count() % length) + length) % length;
    }
    const int semitones = static_cast<int>(held & (kAnew - 1)) - kNoShift;
    voice_.turnTo(held != 0 ? trial->soundOf(semitones) : nullptr, place);
}

void Player::mixBlock(std::span<float> left, std::span<float> right) noexcept
{
    turnPitch();
    sound(*active_, left, right);
    if (fading_ != nullptr) {
        const auto oldLeft = std::span(oldLeft_).first(left.size());
        const auto oldRight = std::span(oldRight_).first(left.size());
        sound(*fading_, oldLeft, oldRight);
        const bool isAlike = active_->plan().isContinuation;
        for (std::size_t i = 0; i < left.size(); ++i) {
            const float part =
                std::min(1.0F, static_cast<float>(faded_) / static_cast<float>(fadeFrames_));
            const float turn = part * std::numbers::pi_v<float> / 2.0F;
            const float in = isAlike ? part : std::sin(turn);
            const float out = isAlike ? 1.0F - part : std::cos(turn);
            left[i] = in * left[i] + out * oldLeft[i];
            right[i] = in * right[i] + out * oldRight[i];
            ++faded_;
        }
        if (faded_ >= fadeFrames_) {
            retire(fading_);
            fading_ = nullptr;
        }
    }
    voice_.addTo(left, right);
}

bool Player::nextBlock(std::span<float> left, std::span<float> right) noexcept
{
    if (!isRated_) {
        mixBlock(left, right);
        return true;
    }
    const std::int64_t count = std::ssize(left);
    const std::int64_t there = played_.take(left, right);
    for (std::int64_t more = played_.wants(count); more > 0;) {
        const auto some = std::min(more, static_cast<std::int64_t>(kBlock));
        const auto mixedLeft = std::span(mixedLeft_).first(static_cast<std::size_t>(some));
        const auto mixedRight = std::span(mixedRight_).first(static_cast<std::size_t>(some));
        mixBlock(mixedLeft, mixedRight);
        played_.give(mixedLeft, mixedRight);
        more -= some;
    }
    if (played_.isSounding() && there < count) {
        dropouts_.fetch_add(1, std::memory_order_relaxed);
    }
    return played_.isSounding();
}

void Player::callback(std::span<float> interleaved) noexcept
{
    _MM_SET_FLUSH_ZERO_MODE(_MM_FLUSH_ZERO_ON);
    for (std::size_t s = 0; s < kMixSlots; ++s) {
        gains_[s] = {
            mix_[s].left.load(std::memory_order_relaxed),
            mix_[s].right.load(std::memory_order_relaxed)};
    }
    const float master = master_.load(std::memory_order_relaxed);
    const float step = 1.0F / static_cast<float>(std::max<std::int64_t>(1, fadeFrames_ / 2));
    std::array<float, 2> peak{};
    for (std::size_t done = 0; done < interleaved.size() / 2;) {
        adopt();
        const std::size_t count = std::min(kBlock, interleaved.size() / 2 - done);
        const auto left = std::span(left_).first(count);
        const auto right = std::span(right_).first(count);
        const bool wants = isWanted() && active_ != nullptr && !isChangingPath_;
        const bool isReady =
            run_ > 0.0F ||
            (wants && active_->plan().startNumber == startNumber_.load(std::memory_order_acquire));
        if (!isReady) {
            std::ranges::fill(left, 0.0F);
            std::ranges::fill(right, 0.0F);
            turnPitch();
            voice_.addTo(left, right);
            for (std::size_t i = 0; i < count; ++i) {
                interleaved[(done + i) * 2] = left[i] * master;
                interleaved[(done + i) * 2 + 1] = right[i] * master;
            }
            isPlaying_.store(false, std::memory_order_release);
            done += count;
            continue;
        }
        const bool isSounding = nextBlock(left, right);
        if (squeezed_.load(std::memory_order_relaxed)) {
            squeeze_.process(left, right);
        }
        for (std::size_t i = 0; i < count; ++i) {
            run_ = std::clamp(run_ + (wants && isSounding ? step : -step), 0.0F, 1.0F);
            const float l = left[i] * run_ * master;
            const float r = right[i] * run_ * master;
            interleaved[(done + i) * 2] = l;
            interleaved[(done + i) * 2 + 1] = r;
            peak = {std::max(peak[0], std::abs(l)), std::max(peak[1], std::abs(r))};
        }
        mixedPosition_.store(active_->position().count(), std::memory_order_release);
        const Frames now = active_->position(isRated_ ? played_.underWay() : 0);
        position_.store(now.count(), std::memory_order_release);
        isPlaying_.store(true, std::memory_order_release);
        if (active_->plan().stopAt && now >= *active_->plan().stopAt) {
            std::uint32_t ended = active_->plan().startNumber;
            wantedStart_.compare_exchange_strong(ended, kNoStart, std::memory_order_acq_rel);
        }
        done += count;
    }
    for (std::size_t c = 0; c < 2; ++c) {
        if (peak[c] > peaks_[c].load(std::memory_order_relaxed)) {
            peaks_[c].store(peak[c], std::memory_order_relaxed);
        }
    }
}

}  // namespace orthochron::engine
