#include <QTableWidget>

#include "app/WindowFixture.h"
#include "app/stages/marks/StrengthCurve.h"
#include "core/edits/MarkEdits.h"

// The Marks stage in the real window: what is listened for, each mark under the loupe, and the
// microphones of the set.
namespace orthochron::app {
namespace {

class MarksWindow : public Window {
protected:
    MarksWindow()
    {
        openSong();
        press(Qt::Key_3);
        press(Qt::Key_F);
    }
    // As if the track's head were clicked.
    void chooseTrack(std::size_t index)
    {
        QTest::mouseClick(
            &window_->lanes(),
            Qt::LeftButton,
            {},
            window_->lanes().lanes()[index].head.center() - QPoint(60, 0)
        );
        settle();
    }
    [[nodiscard]] const std::vector<Mark>& marks(std::size_t track)
    {
        return song().tracks[track]->marks;
    }
    [[nodiscard]] const Mark& chosen(std::size_t track)
    {
        return *std::ranges::find(marks(track), session_->choice.mark(), &Mark::id);
    }
    void lookAt(Frames at, Frames around)
    {
        session_->shown.zoomTo({at - around, at + around});
        settle();
    }
};

TEST_F(MarksWindow, AReleasedSliderEndsWhateverIsChosenMeanwhile)
{
    const auto other = path_.parent_path() / "again.orthochron";
    ASSERT_TRUE(saveSong({History(song()), {}}, other));
    window_->openSong(QString::fromStdString(other.string()));
    settle();
    ASSERT_EQ(session_->hits.analysis(), nullptr);
    session_->choice.setTrack(song().tracks[0]->id);
    auto* field = child<NumberField>("sensitivity");
    field->setValue(30.0);
    Q_EMIT field->finished(30.0);
    // While the analysis runs the room is chosen, which is no lead.
    session_->choice.setTrack(song().tracks.back()->id);
    for (int i = 0; i < 10; ++i) {
        settle();
    }
    EXPECT_FALSE(jobs_->isBusy());
    EXPECT_LE(document_->history().size(), 3U);
    // It was meant for the kick.
    EXPECT_EQ(song().tracks[0]->detection.sensitivity, 30.0);
    EXPECT_NE(song().tracks.back()->detection.sensitivity, 30.0);
}

TEST_F(MarksWindow, TheThresholdIsDraggedOnTheCurveOfTheLane)
{
    const std::size_t before = marks(0).size();
    const Lane lane = window_->lanes().lanes()[0];
    const double strength = thresholdOf(song().tracks[0]->detection);
    const int from = static_cast<int>(std::lround(heightOfStrength(lane, strength)));
    lookAt(marks(0)[2].at, Frames(24000));
    const int x = onLane(0, marks(0)[2].at).x() + 15;  // no mark's own place

    drag({x, from}, {x, lane.area.top() + 5});

    EXPECT_LT(marks(0).size(), before);
    EXPECT_GT(thresholdOf(song().tracks[0]->detection), strength);
    const int high = static_cast<int>(
        std::lround(heightOfStrength(lane, thresholdOf(song().tracks[0]->detection)))
    );
    drag({x, high}, {x, lane.area.bottom() - 5});
    EXPECT_GE(marks(0).size(), before);
    press(Qt::Key_Z, Qt::ControlModifier);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(marks(0).size(), before);
}

TEST_F(MarksWindow, TheCountIsLiveWhileTheThresholdIsHeldAndNothingIsDoneYet)
{
    const Song before = song();
    auto* threshold = child<NumberField>("threshold");
    const QString counted = child<QLabel>("markCount")->text();

    threshold->setValue(-3.0);
    Q_EMIT threshold->changed(-3.0);

    EXPECT_NE(child<QLabel>("markCount")->text(), counted);
    EXPECT_EQ(song(), before);
    Q_EMIT threshold->finished(-3.0);
    settle();
    EXPECT_LT(marks(0).size(), before.tracks[0]->marks.size());
    EXPECT_EQ(
        child<QLabel>("markCount")->text().split(QLatin1Char(' ')).first().toInt(),
        static_cast<int>(marks(0).size())
    );
}

TEST_F(MarksWindow, TheSmallestGapKeepsTheStrongerOfTwo)
{
    auto* gap = child<NumberField>("smallestGap");
    gap->setValue(500.0);
    Q_EMIT gap->finished(500.0);
    settle();

    ASSERT_GT(marks(0).size(), 4U);
    for (std::size_t i = 1; i < marks(0).size(); ++i) {
        EXPECT_GE(marks(0)[i].at - marks(0)[i - 1].at, toFrames(milliseconds(499.0), song().rate));
    }
}

TEST_F(MarksWindow, ASnareIsFoundInAnOverheadWhenItIsListenedToInABand)
{
    const auto snares = marks(2);
    // Two overheads on their own, as if nothing stood close to the drums.
    Song overheads = *orthochron::openSet(song(), song().sets[0].id);
    overheads =
        *makeSet(overheads, {overheads.tracks[5]->id, overheads.tracks[6]->id}, "Overheads");
    document_->apply(overheads, QStringLiteral("Overheads alone"));
    chooseTrack(5);
    child<QCheckBox>("isLead")->click();
    settle();
    choose("onsetBand", 2);

    ASSERT_TRUE(song().tracks[5]->detection.band);
    EXPECT_EQ(song().tracks[5]->detection.band->low, Hertz(150.0));
    int found = 0;
    for (const Mark& snare : snares) {
        // The overhead hangs some two metres away: up to 10 ms later.
        found += std::ranges::any_of(marks(5), [&](const Mark& mark) {
            const Seconds later = toSeconds(mark.at - snare.at, song().rate);
            return later > milliseconds(-2.0) && later < milliseconds(14.0);
        });
    }
    EXPECT_GT(found, static_cast<int>(snares.size()) * 7 / 10) << marks(5).size();
    EXPECT_EQ(child<QComboBox>("onsetBand")->currentIndex(), 2);
    EXPECT_FALSE(child<NumberField>("bandLow")->isEnabled());

    choose("onsetBand", 4);
    EXPECT_TRUE(child<NumberField>("bandLow")->isEnabled());
    child<NumberField>("bandLow")->setValue(180.0);
    child<NumberField>("bandHigh")->setValue(4000.0);
    Q_EMIT child<NumberField>("bandHigh")->finished(4000.0);
    settle();
    EXPECT_EQ(song().tracks[5]->detection.band->high, Hertz(4000.0));
    choose("onsetBand", 0);
    EXPECT_FALSE(song().tracks[5]->detection.band);
}

TEST_F(MarksWindow, AnUpsideDownBandIsRefusedAndSaysWhy)
{
    choose("onsetBand", 4);
    const Song before = song();
    child<NumberField>("bandLow")->setValue(5000.0);
    child<NumberField>("bandHigh")->setValue(100.0);
    Q_EMIT child<NumberField>("bandHigh")->finished(100.0);
    settle();
    EXPECT_EQ(song(), before);
    EXPECT_NE(status().find("band"), std::string::npos) << status();
}

TEST_F(MarksWindow, WeakAttacksAreAnotherWayOfListening)
{
    const auto struck = marks(0);
    choose("onsetWay", 1);
    EXPECT_EQ(song().tracks[0]->detection.way, OnsetWay::Weak);
    EXPECT_NE(marks(0), struck);
    choose("onsetWay", 0);
    EXPECT_EQ(marks(0).size(), struck.size());
}

TEST_F(MarksWindow, SaysWhyAMarkIsBelievedAndSwitchesItOff)
{
    press(Qt::Key_D);
    auto* about = child<QLabel>("aboutMark");
    EXPECT_NE(about->text().indexOf(QStringLiteral("rises")), -1) << about->text().toStdString();
    EXPECT_NE(about->text().indexOf(QStringLiteral("confidence")), -1);
    const std::size_t hits = session_->fitting.preview().performance.hits.size();

    child<QPushButton>("switchMark")->click();
    settle();

    EXPECT_FALSE(chosen(0).isOn);
    EXPECT_EQ(session_->fitting.preview().performance.hits.size(), hits - 1);
    EXPECT_EQ(child<QPushButton>("switchMark")->text(), QStringLiteral("Turn on"));
    // What was switched off stays so when hits are found again.
    const Frames at = chosen(0).at;
    press(Qt::Key_F);
    EXPECT_FALSE(std::ranges::find(marks(0), at, &Mark::at)->isOn);
}

TEST_F(MarksWindow, AConfirmedMarkIsMovedByNoDetection)
{
    press(Qt::Key_D);
    press(Qt::Key_Right, Qt::ControlModifier);
    const Frames moved = chosen(0).at;
    press(Qt::Key_D);
    child<QPushButton>("confirmMark")->click();
    settle();
    EXPECT_TRUE(chosen(0).byHand);
    EXPECT_FALSE(child<QPushButton>("confirmMark")->isEnabled());
    const Frames confirmed = chosen(0).at;

    auto* sensitivity = child<NumberField>("sensitivity");
    sensitivity->setValue(0.0);
    Q_EMIT sensitivity->changed(0.0);
    Q_EMIT sensitivity->finished(0.0);
    settle();

    EXPECT_NE(std::ranges::find(marks(0), moved, &Mark::at), marks(0).end());
    EXPECT_NE(std::ranges::find(marks(0), confirmed, &Mark::at), marks(0).end());
}

TEST_F(MarksWindow, TheBeatPointIsDraggedApartFromTheStart)
{
    const Mark mark = marks(2)[2];
    lookAt(mark.at, Frames(3000));
    const Frames later = mark.at + Frames(600);

    drag(onLane(2, mark.at), onLane(2, later), Qt::ShiftModifier);

    const Mark moved = *std::ranges::find(marks(2), mark.id, &Mark::id);
    EXPECT_EQ(moved.at, mark.at);
    EXPECT_NEAR(
        static_cast<double>((moved.beatPoint - later).count()),
        0.0,
        2.0 * session_->shown.scale().framesPerPixel
    );
    // What is put on the line is the beat point.
    const auto& hits = session_->fitting.preview().performance.hits;
    EXPECT_TRUE(std::ranges::any_of(hits, [&](const JudgedHit& hit) {
        return hit.played.start == mark.at && hit.played.beatPoint == moved.beatPoint;
    }));
}

TEST_F(MarksWindow, BeatPointsAreFoundForAFlam)
{
    // The drummer's flam: a grace stroke some 25 ms ahead of its main stroke, on the snare.
    child<QPushButton>("findBeatPoints")->click();
    settle();
    const auto apart =
        std::ranges::count_if(marks(2), [](const Mark& mark) { return mark.beatPoint != mark.at; });
    EXPECT_LE(apart, static_cast<std::ptrdiff_t>(marks(2).size()) / 4);
    for (const Mark& mark : marks(2)) {
        EXPECT_GE(mark.beatPoint, mark.at);
        EXPECT_LE(mark.beatPoint - mark.at, toFrames(milliseconds(120.0), song().rate));
    }
}

TEST_F(MarksWindow, HearsEachMarkOneStepsToWhenAsked)
{
    press(Qt::Key_D);
    EXPECT_FALSE(player_->isPlaying());
    child<QCheckBox>("hearEach")->click();
    press(Qt::Key_D);
    player_->settle();
    EXPECT_NEAR(toSeconds(player_->position() - chosen(0).at, song().rate).count(), -0.03, 0.031);
    press(Qt::Key_H);
    EXPECT_EQ(session_->choice.mark(), chosen(0).id);
}

TEST_F(MarksWindow, ZoomsToTheSamplesOfAMarkAndStaysThereWhileStepping)
{
    press(Qt::Key_D);
    press(Qt::Key_V, Qt::ShiftModifier);
    EXPECT_LE(session_->shown.scale().framesPerPixel, 1.0);
    for (int i = 0; i < 3; ++i) {
        press(Qt::Key_D);
        const double x = window_->lanes().xOf(chosen(0).at);
        EXPECT_GT(x, window_->lanes().sheet().left());
        EXPECT_LT(x, window_->lanes().sheet().right());
        EXPECT_LE(session_->shown.scale().framesPerPixel, 1.0);
    }
    press(Qt::Key_A);
    press(Qt::Key_A);
    press(Qt::Key_A);
    EXPECT_EQ(session_->choice.mark(), marks(0).front().id);
    press(Qt::Key_A);
    EXPECT_EQ(session_->choice.mark(), marks(0).front().id);  // the first has none before it
}

TEST_F(MarksWindow, ListsWhenEachMicrophoneHearsTheLead)
{
    auto* table = child<QTableWidget>("arrivals");
    ASSERT_EQ(table->rowCount(), 8);
    EXPECT_NE(child<QLabel>("hearsFirst")->text().indexOf(QStringLiteral("Kick in")), -1);
    bool isLate = false;
    for (int row = 0; row < table->rowCount(); ++row) {
        if (table->item(row, 0)->text() == QLatin1String("Kick out")) {
            isLate = table->item(row, 1)->text().startsWith(QLatin1Char('+'));
        }
    }
    EXPECT_TRUE(isLate);
    chooseTrack(2);
    EXPECT_NE(child<QLabel>("hearsFirst")->text().indexOf(QStringLiteral("Snare top")), -1);
    // The one below the snare swings the other way.
    for (int row = 0; row < table->rowCount(); ++row) {
        if (table->item(row, 0)->text() == QLatin1String("Snare under")) {
            EXPECT_EQ(table->item(row, 2)->text(), QStringLiteral("inverted"));
        }
    }
}

TEST_F(MarksWindow, StepsThroughWhatNoLeadHearsAndMakingItALeadSettlesIt)
{
    auto* next = child<QPushButton>("nextUnheard");
    ASSERT_TRUE(next->isEnabled()) << next->text().toStdString();
    const auto left = [&] { return next->text().split(QLatin1Char(' ')).value(2).toInt(); };
    const int before = left();
    EXPECT_GT(before, 10);  // hats and the ride have no lead
    const Frames at = player_->position();
    next->click();
    settle();
    EXPECT_GT(player_->position(), at);
    EXPECT_FALSE(song().track(session_->choice.track())->isLead);

    child<QCheckBox>("isLead")->click();
    settle();
    press(Qt::Key_F);
    EXPECT_LT(left(), before);
}

// A song as it was imported: nobody has said yet which microphone leads.
TEST_F(MarksWindow, WithoutALeadItSaysWhatToDoUntilThatIsDone)
{
    for (const std::size_t track : {0U, 2U, 4U}) {
        chooseTrack(track);
        if (child<QCheckBox>("isLead")->isChecked()) {
            child<QCheckBox>("isLead")->click();
            settle();
        }
    }
    child<QPushButton>("measureSet")->click();
    settle();
    EXPECT_NE(status().find("No hits yet"), std::string::npos) << status();

    press(Qt::Key_F);
    EXPECT_NE(status().find("select at least one lead first"), std::string::npos) << status();
    EXPECT_TRUE(child<QPushButton>("putAway")->isVisible());

    chooseTrack(0);
    child<QCheckBox>("isLead")->click();
    settle();
    EXPECT_EQ(status().find("select at least one lead"), std::string::npos) << status();
    EXPECT_FALSE(child<QPushButton>("putAway")->isVisible());
    press(Qt::Key_F);
    EXPECT_NE(status().find("hits"), std::string::npos) << status();
}

TEST_F(MarksWindow, ProposesTheMicrophoneThatHearsADrumFirstAsItsLead)
{
    // Made wrong on purpose: the one outside the drum leads.
    chooseTrack(0);
    child<QCheckBox>("isLead")->click();
    settle();
    chooseTrack(1);
    child<QCheckBox>("isLead")->click();
    settle();
    press(Qt::Key_F);
    auto* propose = child<QPushButton>("proposeLeads");
    ASSERT_TRUE(propose->isEnabled());

    propose->click();
    settle();

    EXPECT_TRUE(song().tracks[0]->isLead);
    EXPECT_FALSE(song().tracks[1]->isLead);
    EXPECT_TRUE(song().tracks[2]->isLead);
    EXPECT_FALSE(marks(0).empty());
}

TEST_F(MarksWindow, AMarkIsAddedAtThePlayheadWithAKeyOnlyOnALead)
{
    chooseTrack(4);
    const Song before = song();
    press(Qt::Key_Insert);
    EXPECT_EQ(song(), before);
    EXPECT_NE(status().find("lead"), std::string::npos);

    chooseTrack(0);
    player_->seek(toFrames(Seconds(0.2), song().rate));
    press(Qt::Key_Insert);
    EXPECT_EQ(marks(0).front().at, toFrames(Seconds(0.2), song().rate));
    EXPECT_TRUE(marks(0).front().byHand);
}

}  // namespace
}  // namespace orthochron::app
