#include <xmmintrin.h>

#include "engine/playback/HeldPitch.h"
#include "engine/playback/Player.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <utility>

// The audio callback's side of the player: bounded, without allocation, lock or wait.
namespace orthochron::engine {

namespace {

constexpr std::int64_t kFar = 36'864;  // frames between two places: the loop came between

}  // namespace

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
    if (run_ <= 0.0F) {
        // Stopped in the middle of a fade: it goes on no more, and what comes must not wait for its end.
        retire(std::exchange(fading_, nullptr));
    }
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
        const bool isFar = std::abs(late) > kFar;
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
            left.first(some),
            right.first(some),
            gains_,
            clickGain_.load(std::memory_order_relaxed),
            heardShaping_
        );
    }
}

// What is held of a trial, from this block on.
void Player::turnPitch() noexcept
{
    const Trial* trial = trial_.take();
    if (trial != heardTrial_) {
        voice_.silence();
        heardTrial_ = trial;
        heardPitch_ = 0;
    }
    const std::uint32_t held =
        trial != nullptr ? heldPitch_.load(std::memory_order_acquire) : HeldPitch::kNone;
    if (held == heardPitch_) {
        return;
    }
    heardPitch_ = held;
    const bool goesOn = !HeldPitch::isAnew(held) && run_ > 0.0F && active_ != nullptr;
    std::int64_t place = 0;
    if (held != HeldPitch::kNone && goesOn) {
        const std::int64_t length = trial->length().count();
        place = (((active_->position() - trial->at()).count() % length) + length) % length;
    }
    const int semitones = HeldPitch::semitones(held);
    voice_.turnTo(held != HeldPitch::kNone ? trial->soundOf(semitones) : nullptr, place);
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
    heardShaping_ = shaping_.take();
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
