#pragma once

#include <fcntl.h>
#include <unistd.h>

#include <mutex>

namespace orthochron::engine {

// Where there is no card or no server, the sound libraries complain on the terminal in a dozen lines
// of their own. While one of these lives, on whatever thread, they go nowhere; what matters is said in the
// window.
class QuietLibraries {
public:
    QuietLibraries()
    {
        const std::scoped_lock lock(mutex_);
        if (living_++ > 0) {
            return;
        }
        kept_ = ::dup(STDERR_FILENO);
        const int nowhere = ::open("/dev/null", O_WRONLY | O_CLOEXEC);
        if (kept_ >= 0 && nowhere >= 0) {
            ::dup2(nowhere, STDERR_FILENO);
        }
        if (nowhere >= 0) {
            ::close(nowhere);
        }
    }
    QuietLibraries(const QuietLibraries&) = delete;
    QuietLibraries& operator=(const QuietLibraries&) = delete;
    ~QuietLibraries()
    {
        const std::scoped_lock lock(mutex_);
        if (--living_ == 0 && kept_ >= 0) {
            ::dup2(kept_, STDERR_FILENO);
            ::close(kept_);
        }
    }

private:
    // There is one terminal for the process: the first to come turns it off, the last to go on again.
    static inline std::mutex mutex_;
    static inline int living_ = 0;
    static inline int kept_ = -1;
};

}  // namespace orthochron::engine
