#include "testkit/JackServer.h"

#include <gtest/gtest.h>

#include "core/edits/TakeEdits.h"
#include "core/render/Render.h"
#include "engine/device/SimulatedDevice.h"
#include "engine/playback/Player.h"

#include <cmath>
#include <numbers>

// What comes out of a real sound server, at its own rate, held against what is printed.
namespace orthochron::engine {
namespace {

using testkit::JackEar;
using testkit::JackServer;

constexpr Hertz kSongRate{48000.0};
constexpr double kTone = 1000.0;
constexpr double kLevel = 0.5;

// A song that is one steady tone.
struct Tone {
    std::shared_ptr<Song> song = std::make_shared<Song>();
    std::shared_ptr<Sources> sources = std::make_shared<Sources>();

    explicit Tone(double seconds)
    {
        AudioBuffer audio(1, toFrames(Seconds(seconds), kSongRate));
        for (std::size_t i = 0; i < audio.channel(0).size(); ++i) {
            audio.channel(0)[i] = static_cast<float>(
                kLevel *
                std::sin(
                    2.0 * std::numbers::pi * kTone * static_cast<double>(i) / kSongRate.count()
                )
            );
        }
        Take take;
        take.rate = kSongRate;
        take.frames = audio.frames();
        *song = *addTakes(*song, {{take, false}});
        sources->put(
            song->takes[0].id,
            std::make_unique<MemorySource>(
                std::make_shared<const AudioBuffer>(std::move(audio)), kSongRate
            )
        );
    }
};

// A tone as it was heard.
struct Fitted {
    double level = 0.0;
    double restDecibels = 0.0;  // what is not of it, against it
};

Fitted fitTone(std::span<const float> interleaved, std::size_t channel, int rate)
{
    const std::size_t frames = interleaved.size() / 2;
    double sine = 0.0;
    double cosine = 0.0;
    double power = 0.0;
    for (std::size_t i = 0; i < frames; ++i) {
        const auto x = static_cast<double>(interleaved[2 * i + channel]);
        const double angle = 2.0 * std::numbers::pi * kTone * static_cast<double>(i) / rate;
        sine += 2.0 * x * std::sin(angle) / static_cast<double>(frames);
        cosine += 2.0 * x * std::cos(angle) / static_cast<double>(frames);
        power += x * x / static_cast<double>(frames);
    }
    const double own = (sine * sine + cosine * cosine) / 2.0 + 1e-15;
    return {std::sqrt(2.0 * own), 10.0 * std::log10(std::abs(power - own) / own + 1e-15)};
}

// Of the tenths of a second heard, the one most like the tone.
Fitted bestFit(const std::vector<float>& heard, std::size_t channel, int rate)
{
    const std::size_t step = 2 * static_cast<std::size_t>(rate) / 10;
    Fitted best{0.0, 100.0};
    for (std::size_t from = 0; from + step <= heard.size(); from += step / 2) {
        const Fitted here = fitTone(std::span(heard).subspan(from, step), channel, rate);
        if (here.level > 0.1 && here.restDecibels < best.restDecibels) {
            best = here;
        }
    }
    return best;
}

class OnJack : public testing::TestWithParam<int> {};

TEST_P(OnJack, PlaysWhatIsPrintedAtTheServersRate)
{
    const int rate = GetParam();
    const JackServer server(rate);
    if (!server.isRunning()) {
        GTEST_SKIP() << "no JACK server can be started here";
    }
    DeviceChoice choice;
    choice.system = "jack";
    auto device = openDevice(choice);
    ASSERT_FALSE(device->isSimulated());
    EXPECT_EQ(device->name(), "JACK: system");
    Player player(std::move(device));
    const Tone tone(10.0);
    player.setSong(tone.song, tone.sources);
    ASSERT_EQ(player.trouble(), "");
    EXPECT_EQ(player.device().rate(), Hertz(rate));
    EXPECT_GT(player.device().latency(), milliseconds(2.0));
    EXPECT_LT(player.device().latency(), milliseconds(100.0));
    ClickSettings silent;
    silent.isOn = false;
    player.setClick(silent);
    JackEar ear("Orthochron", rate, 2.0);
    ASSERT_TRUE(ear.isConnected());
    EXPECT_EQ(ear.leadsTo(), (std::vector<std::string>{"system:playback_1", "system:playback_2"}));
    player.play();
    const std::vector<float> heard = ear.heard();
    EXPECT_TRUE(player.device().isAlive());

    // Against the same tone at the server's rate: a sine and a cosine fitted. A busy machine may
    // make the server skip blocks, so the best of many tenths of a second is looked at.
    AudioBuffer printed(2, Frames(4800));
    ASSERT_TRUE(renderMix(*tone.song, *tone.sources, Frames(48000), printed));
    double level = 0.0;
    for (const float sample : printed.channel(0)) {
        level = std::max(level, static_cast<double>(std::abs(sample)));
    }
    for (std::size_t c = 0; c < 2; ++c) {
        const Fitted best = bestFit(heard, c, rate);
        EXPECT_NEAR(best.level, level, 0.001) << c;
        EXPECT_LT(best.restDecibels, -80.0) << c;
    }
}

INSTANTIATE_TEST_SUITE_P(Rates, OnJack, testing::Values(44100, 48000, 96000));

TEST(JackServerTest, TheChosenPairOfOutputsIsUsed)
{
    const JackServer server(48000, 256, 4);
    if (!server.isRunning()) {
        GTEST_SKIP() << "no JACK server can be started here";
    }
    DeviceChoice choice;
    choice.system = "jack";
    choice.device = "system";
    choice.firstChannel = 2;
    Player player(openDevice(choice));
    const Tone tone(1.0);
    player.setSong(tone.song, tone.sources);
    const JackEar ear("Orthochron", 48000, 0.1);
    ASSERT_TRUE(ear.isConnected());
    EXPECT_EQ(ear.leadsTo(), (std::vector<std::string>{"system:playback_3", "system:playback_4"}));
    // A pair there is not is no device.
    choice.firstChannel = 4;
    EXPECT_TRUE(openDevice(choice)->isSimulated());
    bool isListed = false;
    for (const DeviceFacts& facts : listDevices()) {
        isListed = isListed || (facts.system == "jack" && facts.channels == 4);
    }
    EXPECT_TRUE(isListed);
}

TEST(JackServerTest, AServerThatGoesAwayIsNoticedAndPlayingGoesOnElsewhere)
{
    JackServer server(48000);
    if (!server.isRunning()) {
        GTEST_SKIP() << "no JACK server can be started here";
    }
    DeviceChoice choice;
    choice.system = "jack";
    Player player(openDevice(choice));
    const Tone tone(60.0);
    player.setSong(tone.song, tone.sources);
    player.play();
    ASSERT_FALSE(player.device().isSimulated());
    ASSERT_TRUE(player.device().isAlive()) << player.trouble();
    server.kill();
    for (int i = 0; i < 500 && player.device().isAlive(); ++i) {
        std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
    EXPECT_FALSE(player.device().isAlive());

    auto gone = player.exchangeDevice(std::make_unique<SimulatedDevice>());
    const Frames before = player.position();
    for (int i = 0; i < 500 && player.position() <= before; ++i) {
        std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
    EXPECT_TRUE(player.isPlaying());
    EXPECT_GT(player.position(), before);
    std::this_thread::sleep_for(std::chrono::seconds(1));  // the library closes it by itself
    gone.reset();
}

}  // namespace
}  // namespace orthochron::engine
