#include "engine/playback/Playing.h"

// Pitches tried from keys, on the simulated card.
namespace orthochron::engine {
namespace {

// A passage of two seconds from the second one on, as steady tones of other heights.
std::shared_ptr<Trial> tonesOf(const Song& song)
{
    const Frames length(96000);
    auto trial = std::make_shared<Trial>(std::vector{song.tracks[0]->id}, Frames(48000), length);
    for (const int semitones : {-3, 0, 5}) {
        auto sound = std::make_shared<AudioBuffer>(2, length);
        const double pitch = 220.0 * std::exp2(semitones / 12.0);
        for (std::int64_t i = 0; i < length.count(); ++i) {
            const double turn = 2.0 * std::numbers::pi * pitch * static_cast<double>(i) / 48000.0;
            for (int c = 0; c < 2; ++c) {
                sound->channel(c)[static_cast<std::size_t>(i)] =
                    static_cast<float>(0.3 * std::sin(turn));
            }
        }
        trial->put(semitones, std::move(sound));
    }
    return trial;
}

TEST_F(Playing, APitchThatIsTriedSoundsWithinABlockInPlaceOfItsTrack)
{
    addTake(20.0, sine);
    addTake(20.0, [](std::int64_t) { return 0.0; });
    load();
    player_->setTrial(tonesOf(song_));
    // Also while nothing plays.
    (void)play(2048);
    player_->holdPitch(5);
    auto some = device_->pump(Frames(256));
    EXPECT_GT(std::ranges::max(some), 0.1F);
    some = play(8192);
    EXPECT_NEAR(frequencyOf(some), 220.0 * std::exp2(5.0 / 12.0), 1.0);
    player_->holdPitch(std::nullopt);
    (void)play(2048);
    some = play(2048);
    EXPECT_EQ(std::ranges::max(some), 0.0F);
    // While the song goes on.
    player_->seek(Frames(60000));
    player_->play();
    auto sound = play(8192);
    player_->holdPitch(-3);
    auto first = device_->pump(Frames(256));
    (void)play(1024);
    const auto tried = play(16384);
    EXPECT_NEAR(frequencyOf(tried), 220.0 * std::exp2(-3.0 / 12.0), 1.0);
    EXPECT_LT(std::ranges::max(tried), 0.31F);  // and not the track beside it
    // One that is not made is not held, and lets go.
    player_->holdPitch(7);
    (void)play(2048);
    const auto back = play(8192);
    EXPECT_NEAR(frequencyOf(back), 220.0, 1.0);
    EXPECT_EQ(player_->dropouts(), 0);
}

TEST_F(Playing, APitchGoesOnFromTheSongsPlaceOrBeginsAnewAndTurnsWithoutAClick)
{
    addTake(20.0, sine);
    load();
    const auto trial = tonesOf(song_);
    // A stroke in the middle of the passage says where it is.
    auto marked = std::make_shared<AudioBuffer>(2, trial->length());
    for (int c = 0; c < 2; ++c) {
        marked->channel(c)[30000] = 0.9F;
    }
    trial->put(1, marked);
    player_->setTrial(trial);
    player_->seek(Frames(48000 + 20000));
    player_->play();
    (void)play(2048);
    const auto placeOf = [&](bool isAnew) {
        const Frames before = player_->position();
        player_->holdPitch(1, isAnew);
        const auto sound = play(40960);
        const auto stroke = std::ranges::find_if(sound, [](float value) { return value > 0.5F; });
        player_->holdPitch(std::nullopt);
        (void)play(1024);
        return std::pair{before.count(), (stroke - sound.begin()) / 2};
    };
    const auto [from, goesOn] = placeOf(false);
    EXPECT_EQ(goesOn, 48000 + 30000 - from);
    const auto [other, anew] = placeOf(true);
    EXPECT_EQ(anew, 30000);
    player_->holdPitch(0);
    auto sound = play(4096);
    for (const int next : {5, -3, 0, 5}) {
        player_->holdPitch(next);
        const auto some = play(3072);
        sound.insert(sound.end(), some.begin() + 2, some.end());
    }
    EXPECT_LT(largestStep({sound.begin() + 2048, sound.end()}), 3.0 * kSineStep);
    // Taken away while it is held.
    player_->setTrial(nullptr);
    (void)play(1024);
    EXPECT_NEAR(frequencyOf(play(8192)), 220.0, 1.0);
    // What was taken away cannot be held, and nothing falls silent for it.
    player_->holdPitch(0);
    (void)play(1024);
    EXPECT_GT(std::ranges::max(play(4096)), 0.3F);
}

}  // namespace
}  // namespace orthochron::engine
