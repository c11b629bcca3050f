#include "app/document/Autosave.h"

#include "core/files/AtomicFile.h"

#include <utility>

namespace orthochron::app {

namespace {

constexpr std::uintmax_t kLeastGrowth = 1U << 20U;

}  // namespace

Autosave::Autosave(std::chrono::milliseconds delay, Failed failed)
    : delay_(delay),
      failed_(std::move(failed)),
      lane_([this](const std::stop_token& stopped) { serve(stopped); })
{}

Autosave::~Autosave()
{
    flush();
}

void Autosave::changed(SongDocument state, const std::filesystem::path& file)
{
    {
        const std::scoped_lock lock(mutex_);
        if (!waiting_) {
            due_ = std::chrono::steady_clock::now() + delay_;
        }
        waiting_.emplace(std::move(state), file);
    }
    wake_.notify_one();
}

void Autosave::flush()
{
    std::unique_lock lock(mutex_);
    due_ = {};
    wake_.notify_one();
    idle_.wait(lock, [this] { return !waiting_ && !isWriting_; });
}

void Autosave::drop()
{
    std::unique_lock lock(mutex_);
    waiting_.reset();
    idle_.wait(lock, [this] { return !isWriting_; });
}

void Autosave::serve(const std::stop_token& stopped)
{
    std::unique_lock lock(mutex_);
    while (wake_.wait(lock, stopped, [this] { return waiting_.has_value(); })) {
        // Woken early by flush(), which sets the time back, or by drop().
        while (waiting_ && !stopped.stop_requested() && std::chrono::steady_clock::now() < due_) {
            wake_.wait_until(lock, stopped, due_, [this, due = due_] {
                return !waiting_ || due_ != due;
            });
        }
        if (!waiting_) {
            continue;
        }
        const Waiting now = *std::exchange(waiting_, std::nullopt);
        isWriting_ = true;
        lock.unlock();
        std::string trouble;
        try {
            if (const auto saved = write(now); !saved) {
                trouble = saved.error().message;
            }
        } catch (const std::exception& error) {
            trouble = now.file.string() + ": " + error.what();
        }
        if (!trouble.empty()) {
            failed_(trouble);
        }
        lock.lock();
        isWriting_ = false;
        idle_.notify_all();
    }
}

Result<void> Autosave::write(const Waiting& now)
{
    std::error_code error;
    // Written whole again before it holds more of what was than of what is; and when somebody
    // else was at it, or the last writing broke off.
    const bool goesOn = written_ == now.file && bytes_ < 2 * wholeBytes_ + kLeastGrowth &&
                        std::filesystem::file_size(now.file, error) == bytes_ && !error;
    if (const auto more = goesOn ? writer_.more(now.state) : std::nullopt) {
        if (appendSynced(now.file, *more)) {
            bytes_ += more->size();
            return {};
        }
    }
    written_.clear();
    const std::string text = writer_.whole(now.state);
    if (auto saved = writeAtomically(now.file, text); !saved) {
        return saved;
    }
    written_ = now.file;
    wholeBytes_ = bytes_ = text.size();
    return {};
}

}  // namespace orthochron::app
