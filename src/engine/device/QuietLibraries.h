#pragma once

#include <fcntl.h>
#include <unistd.h>

namespace orthochron::engine {

// Where there is no card or no server, the sound libraries complain on the terminal in a dozen lines
// of their own. While one of these lives they go nowhere; what matters is said in the window.
class QuietLibraries {
public:
    QuietLibraries()
        : kept_(::dup(STDERR_FILENO)), nowhere_(::open("/dev/null", O_WRONLY | O_CLOEXEC))
    {
        if (kept_ >= 0 && nowhere_ >= 0) {
            ::dup2(nowhere_, STDERR_FILENO);
        }
    }
    QuietLibraries(const QuietLibraries&) = delete;
    QuietLibraries& operator=(const QuietLibraries&) = delete;
    ~QuietLibraries()
    {
        if (kept_ >= 0) {
            ::dup2(kept_, STDERR_FILENO);
            ::close(kept_);
        }
        if (nowhere_ >= 0) {
            ::close(nowhere_);
        }
    }

private:
    int kept_;
    int nowhere_;
};

}  // namespace orthochron::engine
