#include "engine/playback/Rate.h"

#include <rubberband/RubberBandStretcher.h>
#include <soxr.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <optional>

namespace orthochron::engine {

namespace {

constexpr std::int64_t kRateMask = Rate::kCapacity - 1;
constexpr std::int64_t kPiece = 512;    // frames the stretcher is given at once
constexpr std::int64_t kReady = 3072;   // frames that are kept ready to be taken
constexpr std::int64_t kBegins = 1536;  // that must be there before it sounds
constexpr auto kLooks = std::chrono::milliseconds(1);
constexpr int kRestless = 500;  // looks before it waits to be woken

}  // namespace

// ---- pipes

Rate::Pipe::Pipe()
{
    for (auto& channel : sound) {
        channel.assign(static_cast<std::size_t>(kCapacity), 0.0F);
    }
}

std::int64_t Rate::Pipe::filled() const noexcept
{
    return written.load(std::memory_order_acquire) - read.load(std::memory_order_acquire);
}

void Rate::Pipe::put(std::span<const float> left, std::span<const float> right) noexcept
{
    const std::int64_t at = written.load(std::memory_order_relaxed);
    for (std::size_t i = 0; i < left.size(); ++i) {
        const auto place =
            static_cast<std::size_t>((at + static_cast<std::int64_t>(i)) & kRateMask);
        sound[0][place] = left[i];
        sound[1][place] = right[i];
    }
    written.store(at + static_cast<std::int64_t>(left.size()), std::memory_order_release);
}

void Rate::Pipe::get(std::span<float> left, std::span<float> right) noexcept
{
    const std::int64_t at = read.load(std::memory_order_relaxed);
    for (std::size_t i = 0; i < left.size(); ++i) {
        const auto place =
            static_cast<std::size_t>((at + static_cast<std::int64_t>(i)) & kRateMask);
        left[i] = sound[0][place];
        right[i] = sound[1][place];
    }
    read.store(at + static_cast<std::int64_t>(left.size()), std::memory_order_release);
}

// ---- the worker's side

// What sounds faster or slower, either way; made anew at a restart.
class Rate::Stretcher {
public:
    Stretcher(Hertz rate, bool keepsPitch, double speed)
    {
        if (keepsPitch) {
            using Engine = RubberBand::RubberBandStretcher;
            engine_ = std::make_unique<Engine>(
                static_cast<std::size_t>(rate.count()),
                2,
                // Its crisp transients bend the pitch of steady tones, and put slow strokes early.
                Engine::OptionProcessRealTime | Engine::OptionEngineFaster |
                    Engine::OptionTransientsSmooth | Engine::OptionChannelsTogether,
                1.0 / speed
            );
            engine_->setMaxProcessSize(static_cast<std::size_t>(kPiece));
        } else {
            const soxr_quality_spec_t quality = soxr_quality_spec(SOXR_HQ, SOXR_VR);
            const soxr_io_spec_t format = soxr_io_spec(SOXR_FLOAT32_S, SOXR_FLOAT32_S);
            tape_.reset(soxr_create(kMostRate, 1.0, 2, nullptr, &format, &quality, nullptr));
            soxr_set_io_ratio(tape_.get(), speed, 0);
        }
        setSpeed(speed);
    }

    void setSpeed(double speed)
    {
        if (speed == speed_) {
            return;
        }
        speed_ = speed;
        if (engine_) {
            engine_->setTimeRatio(1.0 / speed);
        } else if (tape_) {
            soxr_set_io_ratio(tape_.get(), speed, static_cast<std::size_t>(kPiece));
        }
    }

    // Gives a piece; what became of it and of earlier ones goes into the pipe. Either engine's first frame
    // out is the first one in.
    void process(std::span<const float> left, std::span<const float> right, Pipe& into)
    {
        held_ += static_cast<double>(left.size());
        if (engine_) {
            const std::array<const float*, 2> in{left.data(), right.data()};
            engine_->process(in.data(), left.size(), false);
            while (engine_->available() > 0) {
                const auto count = std::min<std::size_t>(
                    static_cast<std::size_t>(engine_->available()), out_[0].size()
                );
                const std::array<float*, 2> out{out_[0].data(), out_[1].data()};
                put(engine_->retrieve(out.data(), count), into);
            }
        } else if (tape_) {
            std::size_t used = 0;
            std::size_t taken = 0;
            std::size_t made = 0;
            do {
                std::array<soxr_buf_t, 2> out{out_[0].data(), out_[1].data()};
                const std::array<soxr_cbuf_t, 2> rest{left.data() + used, right.data() + used};
                soxr_process(
                    tape_.get(),
                    rest.data(),
                    left.size() - used,
                    &taken,
                    out.data(),
                    out_[0].size(),
                    &made
                );
                used += taken;
                put(made, into);
            } while (used < left.size() || made == out_[0].size());
        }
    }

    // Frames of the mix that were given and did not come out again.
    [[nodiscard]] std::int64_t inside() const { return std::max(std::llround(held_), 0LL); }

private:
    struct Delete {
        void operator()(soxr_t tape) const { soxr_delete(tape); }
    };

    void put(std::size_t count, Pipe& into)
    {
        held_ -= static_cast<double>(count) * speed_;
        into.put(
            std::span<const float>(out_[0]).first(count),
            std::span<const float>(out_[1]).first(count)
        );
    }

    double speed_ = 0.0;
    double held_ = 0.0;
    std::unique_ptr<RubberBand::RubberBandStretcher> engine_;
    std::unique_ptr<soxr, Delete> tape_;
    std::array<std::array<float, 2048>, 2> out_{};
};

Rate::Rate()
{
    worker_ = std::jthread([this](const std::stop_token& stopped) { work(stopped); });
}

Rate::~Rate()
{
    worker_.request_stop();
    const std::scoped_lock lock(mutex_);
    wake_.notify_all();
}

void Rate::prepare(Hertz rate)
{
    deviceRate_.store(rate.count(), std::memory_order_release);
}

void Rate::set(const RateSettings& settings)
{
    speed_.store(
        std::isfinite(settings.speed) ? std::clamp(settings.speed, kLeastRate, kMostRate) : 1.0,
        std::memory_order_release
    );
    keepsPitch_.store(settings.keepsPitch, std::memory_order_release);
    const std::scoped_lock lock(mutex_);
    isSet_ = true;
    wake_.notify_all();
}

// One piece, or a restart. False when there was nothing to do.
bool Rate::workOnce()
{
    const std::uint32_t asked = asked_.load(std::memory_order_acquire);
    const double speed = speed_.load(std::memory_order_acquire);
    if (asked != done_.load(std::memory_order_relaxed)) {
        const std::int64_t from = askedAt_.load(std::memory_order_acquire);
        mixed_.read.store(
            std::max(from, mixed_.read.load(std::memory_order_relaxed)), std::memory_order_release
        );
        stretcher_.reset();
        inside_.store(0, std::memory_order_release);
        doneAt_.store(played_.written.load(std::memory_order_relaxed), std::memory_order_release);
        done_.store(asked, std::memory_order_release);
        return true;
    }
    // The most a piece can become.
    const bool hasRoom =
        kCapacity - played_.filled() > static_cast<std::int64_t>(8.0 / kLeastRate) * kPiece;
    if (mixed_.filled() < kPiece || !hasRoom) {
        return false;
    }
    if (!stretcher_) {
        const Hertz rate(deviceRate_.load(std::memory_order_acquire));
        const bool keepsPitch = keepsPitch_.load(std::memory_order_acquire);
        stretcher_ = std::make_unique<Stretcher>(rate, keepsPitch, speed);
    }
    stretcher_->setSpeed(speed);
    std::array<std::array<float, kPiece>, 2> piece;
    mixed_.get(piece[0], piece[1]);
    stretcher_->process(piece[0], piece[1], played_);
    inside_.store(stretcher_->inside(), std::memory_order_release);
    return true;
}

void Rate::work(const std::stop_token& stopped)
{
    int idle = 0;
    while (!stopped.stop_requested()) {
        if (workOnce()) {
            idle = 0;
            continue;
        }
        const bool isAsked = speed_.load(std::memory_order_acquire) != 1.0;
        idle = isAsked ? 0 : std::min(idle + 1, kRestless);
        std::unique_lock lock(mutex_);
        ++idleRounds_;
        idle_.notify_all();
        // The callback must not be made to wake anybody: it is looked for, unless the rate is the song's own and nothing
        // is left of another.
        const auto isAwake = [&] {
            return isSet_ || idleRounds_ < roundsAsked_ || stopped.stop_requested();
        };
        if (idle < kRestless) {
            wake_.wait_for(lock, kLooks, isAwake);
        } else {
            wake_.wait(lock, isAwake);
        }
        isSet_ = false;
    }
}

void Rate::settle()
{
    std::unique_lock lock(mutex_);
    const std::uint64_t enough = idleRounds_ + 2;
    roundsAsked_ = enough;
    wake_.notify_all();
    idle_.wait(lock, [&] { return idleRounds_ >= enough; });
}

// ---- the callback's side

std::int64_t Rate::underWay() const noexcept
{
    const double ready =
        static_cast<double>(played_.filled()) * speed_.load(std::memory_order_relaxed);
    return mixed_.filled() + inside_.load(std::memory_order_acquire) + std::llround(ready);
}

std::int64_t Rate::wants(std::int64_t frames) const noexcept
{
    if (asked_.load(std::memory_order_relaxed) != done_.load(std::memory_order_acquire)) {
        return 0;  // what is under way is still being let go
    }
    const double speed = speed_.load(std::memory_order_relaxed);
    const double ready =
        static_cast<double>(played_.filled()) + static_cast<double>(mixed_.filled()) / speed;
    const double wanted = (static_cast<double>(frames + kReady) - ready) * speed;
    // In whole pieces: what is no whole one stays in the pipe unplayed.
    const auto pieces = static_cast<std::int64_t>(std::ceil(std::max(wanted, 0.0) / kPiece));
    return std::min(pieces * kPiece, kCapacity - mixed_.filled() - kPiece);
}

void Rate::give(std::span<const float> left, std::span<const float> right) noexcept
{
    mixed_.put(left, right);
}

std::int64_t Rate::take(std::span<float> left, std::span<float> right) noexcept
{
    std::ranges::fill(left, 0.0F);
    std::ranges::fill(right, 0.0F);
    if (asked_.load(std::memory_order_relaxed) != done_.load(std::memory_order_acquire)) {
        return 0;
    }
    const std::int64_t from = doneAt_.load(std::memory_order_acquire);
    if (played_.read.load(std::memory_order_relaxed) < from) {
        played_.read.store(from, std::memory_order_release);
    }
    const std::int64_t filled = played_.filled();
    if (!isSounding_ && filled < kBegins) {
        return 0;
    }
    isSounding_ = true;
    const auto count =
        static_cast<std::size_t>(std::min(filled, static_cast<std::int64_t>(left.size())));
    played_.get(left.first(count), right.first(count));
    return static_cast<std::int64_t>(count);
}

void Rate::restart() noexcept
{
    isSounding_ = false;
    askedAt_.store(mixed_.written.load(std::memory_order_relaxed), std::memory_order_release);
    asked_.fetch_add(1, std::memory_order_acq_rel);
}

}  // namespace orthochron::engine
