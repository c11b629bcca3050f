#include "testkit/Folder.h"

#include <gtest/gtest.h>
#include <unistd.h>

#include "core/demo/DemoSong.h"

namespace orthochron::testkit {

Folder::Folder()
{
    std::string name = (std::filesystem::temp_directory_path() / "orthochron-test-XXXXXX").string();
    path_ = ::mkdtemp(name.data());
}

Folder::~Folder()
{
    std::error_code ignored;
    std::filesystem::permissions(path_, std::filesystem::perms::owner_all, ignored);
    std::filesystem::remove_all(path_, ignored);
}

AudioBuffer soundOf(double seconds, const std::function<double(std::int64_t)>& value, Hertz rate)
{
    AudioBuffer audio(1, toFrames(Seconds(seconds), rate));
    std::int64_t frame = 0;
    for (float& sample : audio.channel(0)) {
        sample = static_cast<float>(value(frame++));
    }
    return audio;
}

void writeSound(
    const std::filesystem::path& path, const AudioBuffer& audio, PrintFormat format, Hertz rate
)
{
    auto writer =
        SoundFileWriter::create(path, {rate, audio.channels(), format, 0, false, audio.frames()});
    ASSERT_TRUE(writer) << writer.error().message;
    ASSERT_TRUE((*writer)->write(audio));
    ASSERT_TRUE((*writer)->finish());
}

AudioBuffer readSound(const std::filesystem::path& path)
{
    auto reader = SoundFileReader::open(path);
    EXPECT_TRUE(reader) << (reader ? "" : reader.error().message);
    if (!reader) {
        return {};
    }
    auto audio = readAll(**reader);
    EXPECT_TRUE(audio);
    return audio ? **audio : AudioBuffer();
}

SmallKit writeSmallKit(const std::filesystem::path& folder, int bars)
{
    demo::DrummerSettings drummer;
    drummer.bars = bars;
    auto takes = demo::writeKitTakes(demo::performKit(drummer), {}, folder);
    EXPECT_TRUE(takes);
    return {
        takes ? *takes : std::vector<std::filesystem::path>(),
        drummer.bpm,
        drummer.countIn.count()};
}

}  // namespace orthochron::testkit
