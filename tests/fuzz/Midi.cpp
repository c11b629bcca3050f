#include "InFile.h"
#include "core/files/GrooveFile.h"
#include "core/files/GuideFile.h"
#include "core/files/MidiTempo.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    using namespace orthochron;  // NOLINT(google-build-using-namespace)
    const auto path = inFile(data, size, ".mid");
    (void)readMidiTempo(path, Meter{4, 4}, Seconds(0.0));
    (void)readGroove(path, Meter{4, 4}, GridSettings{});
    (void)readGuide(path);
    std::filesystem::remove(path);
    return 0;
}
