#include "engine/device/MidiKeys.h"

#include <gtest/gtest.h>

#include "engine/device/QuietLibraries.h"
#include "testkit/JackServer.h"

#include <chrono>
#include <cstdio>
#include <memory>
#include <mutex>
#include <thread>
#include <utility>
#include <vector>

// Keyboards on a real JACK server.
namespace orthochron::engine {
namespace {

using Notes = std::vector<std::pair<int, bool>>;

class Heard {
public:
    void operator()(int note, bool isDown)
    {
        const std::scoped_lock lock(mutex_);
        notes_.emplace_back(note, isDown);
    }
    // Waits until there are so many.
    [[nodiscard]] Notes first(std::size_t count)
    {
        for (int tries = 0; tries < 250; ++tries) {
            {
                const std::scoped_lock lock(mutex_);
                if (notes_.size() >= count) {
                    return notes_;
                }
            }
            std::this_thread::sleep_for(std::chrono::milliseconds(20));
        }
        const std::scoped_lock lock(mutex_);
        return notes_;
    }

private:
    std::mutex mutex_;
    Notes notes_;
};

TEST(MidiKeys, HearsKeyboardsAsTheyComeAndGo)
{
    const testkit::JackServer server(48000);
    if (!server.isRunning()) {
        GTEST_SKIP() << "no JACK server can be started here";
    }
    Heard heard;
    MidiKeys keys([&](int note, bool isDown) { heard(note, isDown); });
    const std::size_t others = keys.look();
    {
        testkit::JackKeyboard keyboard("Stage keys");
        EXPECT_EQ(keys.look(), others + 1);
        EXPECT_EQ(keys.look(), others + 1);  // once is enough
        ASSERT_TRUE(keyboard.isHeard());
        keyboard.play(0x93, 64, 100);  // on any channel
        keyboard.play(0xB0, 7, 90);    // a pedal is no key
        keyboard.play(0x83, 64, 0);
        keyboard.play(0x90, 60, 1);
        keyboard.play(0x90, 60, 0);
        const Notes wanted{{64, true}, {64, false}, {60, true}, {60, false}};
        EXPECT_EQ(heard.first(wanted.size()), wanted);
    }
    EXPECT_EQ(keys.look(), others);
    const testkit::JackKeyboard later("Another");
    EXPECT_EQ(keys.look(), others + 1);
    ASSERT_TRUE(later.isHeard());
}

TEST(MidiKeys, WatchesForThemByItself)
{
    const testkit::JackServer server(48000);
    if (!server.isRunning()) {
        GTEST_SKIP() << "no JACK server can be started here";
    }
    Heard heard;
    MidiKeys keys([&](int note, bool isDown) { heard(note, isDown); });
    keys.watch();
    testkit::JackKeyboard keyboard("Plugged in later");
    ASSERT_TRUE(keyboard.isHeard());
    keyboard.play(0x90, 62, 90);
    EXPECT_EQ(heard.first(1), (Notes{{62, true}}));
}

TEST(QuietLibraries, LetTheTerminalSpeakAgainWhenTheLastOfThemIsGone)
{
    testing::internal::CaptureStderr();
    auto first = std::make_unique<QuietLibraries>();
    auto second = std::make_unique<QuietLibraries>();
    first.reset();
    (void)std::fputs("lost", stderr);
    second.reset();
    (void)std::fputs("heard", stderr);
    EXPECT_EQ(testing::internal::GetCapturedStderr(), "heard");
}

}  // namespace
}  // namespace orthochron::engine
