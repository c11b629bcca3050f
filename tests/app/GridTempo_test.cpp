#include "app/WindowFixture.h"
#include "app/stages/grid/tempo/ReadingsSheet.h"
#include "core/edits/ShapeEdits.h"
#include "core/render/Render.h"

// The tempo of a take found, chosen among its readings or typed, and given to the song.
namespace orthochron::app {
namespace {

class GridTempo : public Window {
protected:
    GridTempo()
    {
        openSong();
        session_->choice.setTrack(song().tracks[5]->id);
        press(Qt::Key_2);
        set("bpm", 77.0);
    }
    [[nodiscard]] double value(const char* name) { return child<NumberField>(name)->value(); }
    [[nodiscard]] double songBpm() { return song().tempo.bpmAt(Beats(0.0)); }
    void find()
    {
        click("findTempo");
        settle();
    }
    void clickReading(int index)
    {
        auto* sheet = child<ReadingsSheet>("readings");
        QTest::mouseClick(sheet, Qt::LeftButton, {}, QPoint(20 + index % 2 * 430, 20));
        settle();
    }
};

TEST_F(GridTempo, IsFoundAndGivenToTheSongWithBarOneOnItsFirstBeat)
{
    find();
    EXPECT_NEAR(value("takeBpm"), 92.0, 0.3);
    EXPECT_NEAR(songBpm(), 77.0, 1e-9);  // nothing is changed until one asks for it
    press(Qt::Key_F);                    // the stage's main action
    EXPECT_NEAR(songBpm(), 92.0, 0.3);
    const double beat = 60.0 / songBpm();
    const double off = std::remainder(song().tempo.firstDownbeat().count() - 0.5, beat);
    EXPECT_NEAR(off, 0.0, 0.03);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_NEAR(songBpm(), 77.0, 1e-9);
}

TEST_F(GridTempo, AnotherReadingIsOneClickOrKeyAway)
{
    find();
    const double first = value("takeBpm");
    clickReading(1);
    const double second = value("takeBpm");
    EXPECT_GT(std::abs(second - first), 5.0);
    press(Qt::Key_A);
    EXPECT_DOUBLE_EQ(value("takeBpm"), first);
    press(Qt::Key_D);
    EXPECT_DOUBLE_EQ(value("takeBpm"), second);
}

TEST_F(GridTempo, IsHeardCountedAsItsReadingsSay)
{
    EXPECT_FALSE(child<QPushButton>("hearTempo")->isEnabled());
    find();
    // The take silent, so that what is heard is the click, which the song's is switched off for.
    const TrackId track = song().tracks[5]->id;
    const LevelLine silence{{{HeldPlace(0.0), kSilence}}, Keeps::Time};
    ASSERT_TRUE(
        session_->document.apply(setLevelLine(song(), std::array{track}, silence), QString())
    );
    engine::ClickSettings off = player_->click();
    off.isOn = false;
    player_->setClick(off);
    auto& card = dynamic_cast<engine::SimulatedDevice&>(player_->device());
    const auto spacing = [&] {
        std::vector<double> clicks;
        std::int64_t frame = 0;
        for (int block = 0; block < 400; ++block) {
            player_->settle();
            const auto sound = card.pump(Frames(512));
            for (std::size_t i = 0; i < sound.size(); i += 2, ++frame) {
                const double at = static_cast<double>(frame) / song().rate.count();
                if (std::abs(sound[i]) > 0.01F && (clicks.empty() || at > clicks.back() + 0.15)) {
                    clicks.push_back(at);
                }
            }
        }
        return clicks.size() < 4
                   ? 0.0
                   : (clicks.back() - clicks[1]) / static_cast<double>(clicks.size() - 2);
    };
    click("hearTempo");
    EXPECT_EQ(child<QPushButton>("hearTempo")->text(), QStringLiteral("Stop"));
    EXPECT_NEAR(spacing(), 60.0 / value("takeBpm"), 0.005);
    // Another reading is heard at once.
    press(Qt::Key_D);
    EXPECT_NEAR(spacing(), 60.0 / value("takeBpm"), 0.005);
    click("hearTempo");
    for (int block = 0; block < 20; ++block) {
        (void)card.pump(Frames(512));
    }
    settle();
    EXPECT_FALSE(player_->isPlaying());
    // And the song's own click is off as it was.
    player_->setAlone({track});
    player_->play();
    EXPECT_EQ(spacing(), 0.0);
}

TEST_F(GridTempo, AfterAWrongDetectionTheCountOfBeatsOrBarsSaysIt)
{
    set("leastBpm", 100.0);
    set("mostBpm", 170.0);
    find();
    const double length = toSeconds(song().length(), song().rate).count();
    set("lastsBeats", 40.0);
    EXPECT_NEAR(value("lastsBars"), 10.0, 1e-9);
    EXPECT_NEAR(value("takeBpm"), 40.0 * 60.0 / length, 0.1);
    set("lastsBars", 12.0);
    EXPECT_NEAR(value("lastsBeats"), 48.0, 1e-9);
    click("giveToSong");
    EXPECT_NEAR(songBpm(), 48.0 * 60.0 / length, 0.1);
    set("takeBpm", 91.98);
    click("roundTempo");
    EXPECT_DOUBLE_EQ(value("takeBpm"), 92.0);
}

TEST_F(GridTempo, ATakeIsStretchedToTheSongInsteadOfTheSongToIt)
{
    const double songs = songBpm();
    const Frames was = song().tracks[0]->clips[0].length;
    set("takeBpm", songs * 1.1);
    click("stretchToSong");
    EXPECT_DOUBLE_EQ(songBpm(), songs);
    const Clip& clip = song().tracks[0]->clips[0];
    ASSERT_NE(clip.sound.treatment, nullptr);
    EXPECT_NEAR(clip.length / was, 1.1, 1e-3);
    EXPECT_EQ(clip.sound.treatment, song().tracks[3]->clips[0].sound.treatment);
}

TEST_F(GridTempo, AStretchIsHeardBeforeItIsMadeAndAnotherMaterialAtOnce)
{
    set("takeBpm", songBpm() * 1.1);
    engine::ClickSettings off = player_->click();
    off.isOn = false;
    player_->setClick(off);
    auto& card = dynamic_cast<engine::SimulatedDevice&>(player_->device());
    const auto pump = [&] {
        std::vector<float> left;
        for (int block = 0; block < 120; ++block) {
            player_->settle();
            const auto sound = card.pump(Frames(256));
            for (std::size_t i = 0; i < sound.size(); i += 2) {
                left.push_back(sound[i]);
            }
        }
        return left;
    };
    const auto likeness = [&](const std::vector<float>& heard, Frames at) {
        AudioBuffer wanted(2, Frames(std::ssize(heard)));
        EXPECT_TRUE(renderMix(song(), *document_->sources(), at, wanted));
        double same = 0.0;
        double a = 1e-12;
        double b = 1e-12;
        for (std::size_t i = 2048; i < heard.size(); ++i) {
            const auto x = static_cast<double>(heard[i]);
            const auto y = static_cast<double>(wanted.channel(0)[i]);
            same += x * y;
            a += x * x;
            b += y * y;
        }
        return same / std::sqrt(a * b);
    };
    const Song before = song();
    choose("loopMaterial", 1);
    click("hearStretched");
    EXPECT_EQ(child<QPushButton>("hearStretched")->text(), QStringLiteral("Stop"));
    const Frames from = player_->position();
    const auto asHits = pump();
    // Another material while it is heard.
    choose("loopMaterial", 4);
    (void)pump();
    const Frames later = player_->position();
    const auto asTape = pump();
    EXPECT_EQ(song(), before);
    click("hearStretched");
    EXPECT_EQ(child<QPushButton>("hearStretched")->text(), QStringLiteral("Preview"));
    EXPECT_LT(likeness(asHits, from), 0.5);
    // It was what is made of it then.
    choose("loopMaterial", 1);
    click("stretchToSong");
    EXPECT_GT(likeness(asHits, from), 0.98);
    press(Qt::Key_Z, Qt::ControlModifier);
    choose("loopMaterial", 4);
    // Whatever changes the song ends the trying: it is never tried on top of itself.
    click("hearStretched");
    EXPECT_TRUE(player_->isWanted());
    click("stretchToSong");
    EXPECT_FALSE(player_->isWanted());
    EXPECT_EQ(child<QPushButton>("hearStretched")->text(), QStringLiteral("Preview"));
    EXPECT_GT(likeness(asTape, later), 0.98);
}

TEST_F(GridTempo, WhatItLastsAndWhatItShallLastAreSetApart)
{
    const double songs = songBpm();
    const Frames was = song().tracks[0]->clips[0].length;
    set("takeBpm", songs);
    EXPECT_NEAR(value("wantedBeats"), value("lastsBeats"), 1e-9);
    // Half as long again; what it was found to last stays.
    set("wantedBars", 1.5 * value("lastsBars"));
    EXPECT_NEAR(value("wantedBeats"), 1.5 * value("lastsBeats"), 1e-6);
    choose("loopMaterial", 3);
    click("stretchToSong");
    const Clip& clip = song().tracks[0]->clips[0];
    ASSERT_NE(clip.sound.treatment, nullptr);
    EXPECT_NEAR(clip.length / was, 1.5, 1e-3);
    EXPECT_EQ(clip.sound.treatment->material, Material::Blend);
    press(Qt::Key_Z, Qt::ControlModifier);
    // What no stretching reaches is said.
    set("wantedBeats", 100.0 * value("lastsBeats"));
    click("stretchToSong");
    EXPECT_EQ(song().tracks[0]->clips[0].length, was);
    EXPECT_NE(status().find("the range is 20 to 400"), std::string::npos) << status();
}

TEST_F(GridTempo, ALoopCutAlmostToLengthIsOfferedWholeBars)
{
    set("lastsBars", 7.92);
    auto* whole = child<QPushButton>("wholeBars");
    ASSERT_TRUE(whole->isVisible());
    EXPECT_EQ(whole->text(), QStringLiteral("Set 8 bars"));
    click("wholeBars");
    EXPECT_NEAR(value("lastsBars"), 8.0, 1e-9);
    EXPECT_FALSE(whole->isVisible());
    set("lastsBars", 7.5);
    EXPECT_FALSE(whole->isVisible());
}

TEST_F(GridTempo, ATakeIsBroughtToTheLevelOfAllElse)
{
    const TrackId track = song().tracks[5]->id;
    ASSERT_TRUE(document_->apply(openSet(song(), song().sets[0].id), QString()));
    settle();
    const auto gain = [&] { return static_cast<double>(song().track(track)->clips[0].gain); };
    const double before = gain();
    click("matchLevel");
    const double first = gain();
    EXPECT_GT(std::abs(20.0 * std::log10(first / before)), 1.0);
    EXPECT_NE(status().find("matches the rest"), std::string::npos) << status();
    // Now it is, so once more changes next to nothing.
    click("matchLevel");
    EXPECT_NEAR(20.0 * std::log10(gain() / first), 0.0, 0.1);
    press(Qt::Key_Z, Qt::ControlModifier);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(gain(), before);
}

TEST_F(GridTempo, WhereThereIsNothingElseThereIsNoLevelToComeTo)
{
    // All microphones are one set.
    const Song before = song();
    click("matchLevel");
    EXPECT_EQ(song(), before);
    EXPECT_NE(status().find("nothing else"), std::string::npos) << status();
}

TEST_F(GridTempo, BelongsToTheTakeThatWasListenedTo)
{
    find();
    EXPECT_GT(value("takeBpm"), 0.0);
    session_->choice.setTrack(song().tracks[0]->id);
    settle();
    EXPECT_EQ(value("takeBpm"), 0.0);
    EXPECT_FALSE(child<QPushButton>("giveToSong")->isEnabled());
    const Song before = song();
    click("giveToSong");
    EXPECT_EQ(song(), before);
    // Another song opened while it is being found receives nothing.
    child<QPushButton>("findTempo")->click();
    answerNext(QMessageBox::DestructiveRole);  // what was changed is not wanted
    openSong();
    EXPECT_EQ(value("takeBpm"), 0.0);
}

TEST_F(GridTempo, WhatWasTypedForOneTakeIsNotSaidOfAnother)
{
    set("lastsBeats", 40.0);
    EXPECT_GT(value("takeBpm"), 0.0);
    session_->choice.setTrack(song().tracks[0]->id);
    settle();
    EXPECT_EQ(value("takeBpm"), 0.0);
    EXPECT_EQ(value("lastsBeats"), 0.0);
}

TEST_F(GridTempo, ARangeTheWrongWayRoundIsSaid)
{
    set("leastBpm", 150.0);
    set("mostBpm", 90.0);
    find();
    EXPECT_EQ(value("takeBpm"), 0.0);
    EXPECT_NE(status().find("150 to 90 bpm"), std::string::npos) << status();
}

TEST_F(GridTempo, CanBeTapped)
{
    press(Qt::Key_K);
    EXPECT_NE(status().find("Keep tapping"), std::string::npos) << status();
    // Until a tempo is told, however often a busy machine is too late for one and begins anew.
    for (int tap = 0; tap < 100 && status().find("tapped") == std::string::npos; ++tap) {
        QTest::qWait(200);
        press(Qt::Key_K);
    }
    ASSERT_NE(status().find("tapped"), std::string::npos) << status();
    const double told = std::stod(status());
    EXPECT_GT(told, 20.0);
    EXPECT_LE(told, 400.0);
    EXPECT_NEAR(value("takeBpm"), told, 0.06);  // one decimal is said
}

}  // namespace
}  // namespace orthochron::app
