#include "core/audio/SoundFile.h"

#include <gtest/gtest.h>
#include <sndfile.h>

#include "core/audio/Peaks.h"
#include "core/audio/ResampledSource.h"
#include "testkit/Folder.h"

#include <cmath>
#include <cstring>
#include <fstream>
#include <limits>
#include <numbers>

namespace orthochron {
namespace {

using testkit::Folder;

AudioBuffer tone(double seconds, Hertz rate = Hertz(48000.0))
{
    return testkit::soundOf(
        seconds,
        [rate](std::int64_t f) {
            return 0.5 *
                   std::sin(2.0 * std::numbers::pi * 997.0 * static_cast<double>(f) / rate.count());
        },
        rate
    );
}

// A WAV header as bytes, so that every field can be spoiled.
class Wav {
public:
    Wav()
    {
        put("RIFF", 36 + 4000);
        bytes_ += "WAVE";
        put("fmt ", 16);
        number(1, 2);
        number(1, 2);
        number(48000, 4);
        number(96000, 4);
        number(2, 2);
        number(16, 2);
        put("data", 4000);
        bytes_ += std::string(4000, '\x11');
    }
    Wav& set(std::size_t at, std::uint64_t value, int size)
    {
        for (int i = 0; i < size; ++i) {
            bytes_[at + static_cast<std::size_t>(i)] = static_cast<char>(value >> (8 * i));
        }
        return *this;
    }
    Wav& cut(std::size_t size)
    {
        bytes_.resize(size);
        return *this;
    }
    [[nodiscard]] Result<std::unique_ptr<SoundFileReader>> open(const Folder& folder) const
    {
        std::ofstream(folder / "spoiled.wav", std::ios::binary) << bytes_;
        return SoundFileReader::open(folder / "spoiled.wav");
    }
    [[nodiscard]] std::size_t size() const { return bytes_.size(); }

private:
    void put(const char* name, std::uint32_t size)
    {
        bytes_ += name;
        number(size, 4);
    }
    void number(std::uint32_t value, int size)
    {
        for (int i = 0; i < size; ++i) {
            bytes_ += static_cast<char>(value >> (8 * i));
        }
    }
    std::string bytes_;
};

TEST(SoundFile, WritesAndReadsEveryFormatBack)
{
    const Folder folder;
    const AudioBuffer audio = tone(0.3);
    for (const auto& [format, step] :
         {std::pair{PrintFormat::Wav16, 0x1p-15F},
          std::pair{PrintFormat::Wav24, 0x1p-23F},
          std::pair{PrintFormat::Wav32Float, 0.0F},
          std::pair{PrintFormat::Flac, 0x1p-23F}}) {
        const auto path = folder / (format == PrintFormat::Flac ? "t.flac" : "t.wav");
        testkit::writeSound(path, audio, format);

        const AudioBuffer back = testkit::readSound(path);

        ASSERT_EQ(back.frames(), audio.frames());
        for (std::size_t i = 0; i < back.channel(0).size(); ++i) {
            ASSERT_NEAR(back.channel(0)[i], audio.channel(0)[i], 1.01F * step);
        }
    }
}

TEST(SoundFile, FormatsAreAskedForByTheirNames)
{
    EXPECT_EQ(*parsePrintFormat("same"), PrintFormat::Same);
    EXPECT_EQ(*parsePrintFormat("wav16"), PrintFormat::Wav16);
    EXPECT_EQ(*parsePrintFormat("wav24"), PrintFormat::Wav24);
    EXPECT_EQ(*parsePrintFormat("wav32f"), PrintFormat::Wav32Float);
    EXPECT_EQ(*parsePrintFormat("flac"), PrintFormat::Flac);
    const auto none = parsePrintFormat("mp3");
    ASSERT_FALSE(none);
    EXPECT_NE(none.error().message.find("'mp3'"), std::string::npos);
}

TEST(SoundFile, ReadsAnyStretchWithSilenceOutside)
{
    const Folder folder;
    testkit::writeSound(folder / "t.wav", tone(0.1));
    const AudioBuffer whole = testkit::readSound(folder / "t.wav");
    const auto reader = *SoundFileReader::open(folder / "t.wav");
    for (const std::int64_t from :
         {std::int64_t{-700},
          std::int64_t{0},
          std::int64_t{1234},
          std::int64_t{4500},
          std::int64_t{9000}}) {
        AudioBuffer part(1, Frames(1000));

        ASSERT_TRUE(reader->read(Frames(from), part));

        for (std::int64_t i = 0; i < 1000; ++i) {
            const std::int64_t at = from + i;
            const float wanted =
                at >= 0 && at < 4800 ? whole.channel(0)[static_cast<std::size_t>(at)] : 0.0F;
            ASSERT_EQ(part.channel(0)[static_cast<std::size_t>(i)], wanted) << at;
        }
    }
}

TEST(SoundFile, RefusesAWavCutShortAnywhereButNeverReadsPastItsEnd)
{
    const Folder folder;
    const std::size_t whole = Wav().size();
    ASSERT_TRUE(Wav().open(folder));

    for (std::size_t size = 0; size < whole; size += size < 60 ? 1 : 211) {
        EXPECT_FALSE(Wav().cut(size).open(folder)) << size;
    }
    const auto cut = Wav().cut(whole - 1000).open(folder);
    EXPECT_NE(cut.error().message.find("truncated"), std::string::npos);
    EXPECT_EQ(cut.error().kind, ErrorKind::BadInput);
}

TEST(SoundFile, RefusesHeadersThatCannotBeMeant)
{
    const Folder folder;

    EXPECT_FALSE(Wav().set(24, 0, 4).open(folder));          // 0 Hz
    EXPECT_FALSE(Wav().set(24, 4'000'000, 4).open(folder));  // 4 MHz
    EXPECT_FALSE(Wav().set(22, 65, 2).open(folder));         // 65 channels
    EXPECT_FALSE(Wav().set(22, 0, 2).open(folder));
    EXPECT_FALSE(Wav().set(40, 0x7FFFFFFE, 4).open(folder));  // about 2^31 bytes claimed
    EXPECT_FALSE(Wav().set(0, 0, 4).open(folder));
    // Every byte of the header in turn: an error or a take of sane facts, never a crash.
    for (std::size_t at = 0; at < 44; ++at) {
        for (const unsigned value : {0U, 1U, 127U, 255U}) {
            const auto reader = Wav().set(at, value, 1).open(folder);
            if (reader) {
                EXPECT_GE((*reader)->rate(), kLowestRate);
                EXPECT_LE((*reader)->channels(), kMostChannels);
                AudioBuffer part((*reader)->channels(), Frames(64));
                (void)(*reader)->read(Frames(0), part);
            }
        }
    }
}

TEST(SoundFile, RefusesSamplesThatAreNoNumbers)
{
    const Folder folder;
    AudioBuffer audio = tone(0.1);
    audio.channel(0)[1234] = std::numeric_limits<float>::quiet_NaN();
    testkit::writeSound(folder / "nan.wav", audio, PrintFormat::Wav32Float);
    const auto reader = *SoundFileReader::open(folder / "nan.wav");

    const auto read = readAll(*reader);

    ASSERT_FALSE(read);
    EXPECT_NE(read.error().message.find("frame 1234"), std::string::npos);
}

TEST(SoundFile, ReadsTheTimeStampOfABroadcastWav)
{
    const Folder folder;
    SF_INFO info{};
    info.samplerate = 48000;
    info.channels = 1;
    info.format = SF_FORMAT_WAV | SF_FORMAT_PCM_24;
    SNDFILE* file = sf_open((folder / "bwf.wav").c_str(), SFM_WRITE, &info);
    SF_BROADCAST_INFO broadcast{};
    broadcast.time_reference_low = 172'800'000;
    ASSERT_EQ(sf_command(file, SFC_SET_BROADCAST_INFO, &broadcast, sizeof broadcast), SF_TRUE);
    const std::vector<float> silence(4800, 0.0F);
    sf_writef_float(file, silence.data(), 4800);
    sf_close(file);

    const auto reader = SoundFileReader::open(folder / "bwf.wav");

    ASSERT_TRUE(reader);
    EXPECT_EQ((*reader)->facts().timeStamp, Frames(172'800'000));
}

TEST(SoundFile, ADroppedWriterLeavesNothingAndHarmsNothing)
{
    const Folder folder;
    testkit::writeSound(folder / "t.wav", tone(0.1));
    const auto before = testkit::readSound(folder / "t.wav");
    {
        auto writer =
            SoundFileWriter::create(folder / "t.wav", {Hertz(48000.0), 1, PrintFormat::Wav24});
        ASSERT_TRUE((*writer)->write(tone(0.5)));
    }

    EXPECT_EQ(testkit::readSound(folder / "t.wav"), before);
    EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder.path()), {}), 1);
    EXPECT_EQ(SoundFileWriter::create("/nowhere/t.wav", {}).error().kind, ErrorKind::Failed);
}

TEST(ResampledSource, GivesOneAnswerHoweverItIsRead)
{
    const auto audio = std::make_shared<const AudioBuffer>(tone(2.0, Hertz(44100.0)));
    const auto open = [&] { return std::make_unique<MemorySource>(audio, Hertz(44100.0)); };
    ResampledSource whole(open(), Hertz(48000.0));
    const auto all = *readAll(whole);
    EXPECT_EQ(all->frames(), Frames(96000));

    ResampledSource pieces(open(), Hertz(48000.0));
    for (std::int64_t at = 0; at < 96000; at += 1531) {
        AudioBuffer part(1, Frames(1531));
        ASSERT_TRUE(pieces.read(Frames(at), part));
        for (std::int64_t i = 0; i < 1531 && at + i < 96000; ++i) {
            ASSERT_EQ(
                part.channel(0)[static_cast<std::size_t>(i)],
                all->channel(0)[static_cast<std::size_t>(at + i)]
            );
        }
    }
    // It is the same tone: 997 Hz sampled at the new rate.
    for (std::size_t i = 4800; i < 90000; i += 101) {
        const double wanted =
            0.5 * std::sin(2.0 * std::numbers::pi * 997.0 * static_cast<double>(i) / 48000.0);
        ASSERT_NEAR(all->channel(0)[i], wanted, 2e-4) << i;
    }
}

TEST(Peaks, HoldTheLowestAndHighestAtEveryZoomAndSurviveTheirCache)
{
    const Folder folder;
    auto audio = std::make_shared<AudioBuffer>(tone(3.0));
    audio->channel(0)[70001] = 0.9F;
    audio->channel(0)[70002] = -0.8F;
    MemorySource source(audio, Hertz(48000.0));

    const auto peaks = *Peaks::build(source);

    for (const std::int64_t width :
         {std::int64_t{64}, std::int64_t{1000}, std::int64_t{9000}, std::int64_t{60000}}) {
        const PeakPair pair =
            peaks.range(0, Frames(70001 - width / 2), Frames(70001 + width / 2 + 2));
        EXPECT_EQ(pair.high, std::lround(0.9F * 32767.0F));
        EXPECT_EQ(pair.low, std::lround(-0.8F * 32767.0F));
    }
    ASSERT_TRUE(peaks.save(folder / "p"));
    EXPECT_EQ(Peaks::load(folder / "p"), peaks);
    std::filesystem::resize_file(folder / "p", 100);
    EXPECT_FALSE(Peaks::load(folder / "p"));
    EXPECT_FALSE(Peaks::load(folder / "none"));
}

TEST(SoundFile, ALongWavThatClaimsMoreThanItHoldsIsRefused)
{
    const Folder folder;
    SF_INFO info{};
    info.samplerate = 48000;
    info.channels = 1;
    info.format = SF_FORMAT_RF64 | SF_FORMAT_PCM_16;
    SNDFILE* file = sf_open((folder / "a.wav").c_str(), SFM_WRITE, &info);
    ASSERT_NE(file, nullptr);
    const std::vector<float> sound(1000, 0.5F);
    sf_writef_float(file, sound.data(), 1000);
    sf_close(file);
    EXPECT_TRUE(SoundFileReader::open(folder / "a.wav"));

    std::fstream bytes(folder / "a.wav", std::ios::in | std::ios::out | std::ios::binary);
    bytes.seekp(12 + 8 + 8 + 7);  // the highest byte of the size of the sound
    bytes.put('\x40');            // 2^62
    bytes.close();
    EXPECT_FALSE(SoundFileReader::open(folder / "a.wav"));
}

}  // namespace
}  // namespace orthochron
