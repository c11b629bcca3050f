#pragma once

#include "core/audio/AudioBuffer.h"
#include "core/audio/SoundFile.h"

#include <filesystem>
#include <functional>
#include <string>

namespace orthochron::testkit {

// A folder of its own for one test, gone with it.
class Folder {
public:
    Folder();
    Folder(const Folder&) = delete;
    Folder& operator=(const Folder&) = delete;
    ~Folder();

    [[nodiscard]] const std::filesystem::path& path() const { return path_; }
    [[nodiscard]] std::filesystem::path operator/(const std::string& name) const
    {
        return path_ / name;
    }

private:
    std::filesystem::path path_;
};

// One channel of `seconds`, filled by a function of the frame.
[[nodiscard]] AudioBuffer soundOf(
    double seconds, const std::function<double(std::int64_t)>& value, Hertz rate = Hertz(48000.0)
);

void writeSound(
    const std::filesystem::path& path,
    const AudioBuffer& audio,
    PrintFormat format = PrintFormat::Wav24,
    Hertz rate = Hertz(48000.0)
);
[[nodiscard]] AudioBuffer readSound(const std::filesystem::path& path);

// A few bars of the demo drummer as files, shared by the tests of one program.
struct SmallKit {
    std::vector<std::filesystem::path> takes;
    double bpm = 92.0;
    double firstDownbeat = 0.5;
};
[[nodiscard]] SmallKit writeSmallKit(const std::filesystem::path& folder, int bars = 8);

}  // namespace orthochron::testkit
