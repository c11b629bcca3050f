#pragma once

#include "core/files/SongWriter.h"

#include <chrono>
#include <condition_variable>
#include <functional>
#include <mutex>
#include <optional>
#include <string>
#include <thread>

namespace orthochron::app {

// Writes what is not saved yet, on a lane of its own: no job holds it up. The time is counted from
// the first change that was not written, so steady editing never puts it off. Writes come one at a
// time and in order; after drop() nothing older lands any more.
//
// Threads: everything public from one thread; `failed` is called on the lane's.
class Autosave final {
public:
    using Failed = std::function<void(const std::string& sentence)>;

    Autosave(std::chrono::milliseconds delay, Failed failed);
    Autosave(const Autosave&) = delete;
    Autosave& operator=(const Autosave&) = delete;
    // Writes what still waits.
    ~Autosave();

    // The song is now this one. The last one told before the time is up is written to `file`.
    void changed(SongDocument state, const std::filesystem::path& file);
    // Writes now what waits, and returns when it is on the disk.
    void flush();
    // Forgets what waits, and returns when nothing is being written.
    void drop();

private:
    struct Waiting {
        SongDocument state;
        std::filesystem::path file;
    };

    void serve(const std::stop_token& stopped);
    [[nodiscard]] Result<void> write(const Waiting& now);

    const std::chrono::milliseconds delay_;
    const Failed failed_;
    std::mutex mutex_;
    std::condition_variable_any wake_;
    std::condition_variable idle_;
    std::optional<Waiting> waiting_;
    std::chrono::steady_clock::time_point due_;  // of what waits
    bool isWriting_ = false;
    // The lane's own: what it wrote last.
    SongWriter writer_;
    std::filesystem::path written_;
    std::uintmax_t wholeBytes_ = 0;
    std::uintmax_t bytes_ = 0;
    std::jthread lane_;  // last: it uses all of the above
};

}  // namespace orthochron::app
