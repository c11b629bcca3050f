#include "core/files/SongFile.h"

#include <cstdlib>

// What is read of a song can be written, and is read again.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    using namespace orthochron;  // NOLINT(google-build-using-namespace)
    const auto read = readSong({reinterpret_cast<const char*>(data), size}, "s");
    if (read) {
        const auto again = readSong(writeSong(*read), "s");
        if (!again || !(*again->history.song() == *read->history.song())) {
            std::abort();
        }
    }
    return 0;
}
