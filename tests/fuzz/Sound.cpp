#include "InFile.h"
#include "core/audio/SoundFile.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    using namespace orthochron;  // NOLINT(google-build-using-namespace)
    const auto path = inFile(data, size, ".wav");
    if (auto reader = SoundFileReader::open(path)) {
        AudioBuffer block((*reader)->channels(), Frames(512));
        (void)(*reader)->read(Frames(0), block);
        (void)(*reader)->read((*reader)->frames() - Frames(256), block);
    }
    std::filesystem::remove(path);
    return 0;
}
