#include <QTableWidget>

#include "app/WindowFixture.h"
#include "core/audit/SongAudit.h"
#include "core/edits/JoinEdits.h"

// The whole careful job on the demo drummer: leads, marks checked and one moved, fitted with its
// feel kept, joins mended and locked, saved, opened again, one join changed, printed.
namespace orthochron::app {
namespace {

class CarefulJob : public Window {
protected:
    // The takes as they come, dropped on an empty window.
    void importTakes()
    {
        QStringList paths;
        for (const char* name :
             {"Kick in",
              "Kick out",
              "Snare top",
              "Snare under",
              "Tom",
              "Over left",
              "Over right",
              "Room"}) {
            paths << QString::fromStdString(
                (Kit::shared().folder() / (std::string(name) + ".wav")).string()
            );
        }
        answerNext(QMessageBox::YesRole);
        drop(paths);
    }
    [[nodiscard]] std::size_t wrongMarks(std::size_t track)
    {
        return static_cast<std::size_t>(std::ranges::count_if(
            song().tracks[track]->marks, [](const Mark& m) { return m.byHand; }
        ));
    }
    void clickStage(int stage)
    {
        auto* rail = child<QWidget>("stageRail");
        QTest::mouseClick(
            rail, Qt::LeftButton, {}, {40, 35 + 46 * (stage - (stage > 7 ? 1 : 0))}
        );  // one is not there yet
        settle();
        ASSERT_EQ(window_->stage(), stage);
    }
    // Every hit that was to come to its line did, with its feel; nothing but dips is left.
    void expectFitted()
    {
        const auto& preview = session_->fitting.preview();
        ASSERT_GT(preview.performance.hits.size(), 60U);
        for (std::size_t i = 0; i < preview.performance.hits.size(); ++i) {
            EXPECT_EQ(
                session_->review.heardAt(preview.performance.hits[i].played.beatPoint),
                preview.moves.hits[i].target
            );
        }
        EXPECT_NEAR(inMilliseconds(preview.moves.figures.drift.after), 0.0, 0.01);
        EXPECT_NEAR(
            inMilliseconds(preview.moves.figures.feel.after),
            inMilliseconds(preview.moves.figures.feel.before),
            0.01
        );
        EXPECT_LT(preview.moves.figures.stray.after, preview.moves.figures.stray.before);
        for (const Finding& finding : session_->review.findings()) {
            EXPECT_EQ(finding.kind, FindingKind::Dip);
        }
    }
    void expectAllMicrophonesTogether()
    {
        const auto& first = song().tracks[0]->clips;
        for (const auto& track : song().tracks) {
            ASSERT_EQ(track->clips.size(), first.size());
            for (std::size_t i = 0; i < first.size(); ++i) {
                EXPECT_EQ(track->clips[i].at, first[i].at);
                EXPECT_EQ(track->clips[i].soundStart, first[i].soundStart);
            }
        }
    }
    void expectPrinted(const std::filesystem::path& folder)
    {
        for (std::size_t t = 0; t < song().tracks.size(); ++t) {
            const AudioBuffer printed =
                testkit::readSound(folder / (song().tracks[t]->name + ".wav"));
            EXPECT_EQ(printed.frames(), song().length());
            AudioBuffer rendered(1, Frames(48000));
            const Frames from(48000 * 9);
            ASSERT_TRUE(renderClips(song().tracks[t]->clips, *document_->sources(), from, rendered)
            );
            for (std::size_t i = 0; i < 48000; i += 31) {
                ASSERT_NEAR(
                    printed.channel(0)[i + static_cast<std::size_t>(from.count())],
                    rendered.channel(0)[i],
                    1.3e-7F
                );
            }
        }
    }
};

TEST_F(CarefulJob, IsDoneWithTheMouse)
{
    const auto folder = Kit::shared().folder().path() / "careful";
    importTakes();
    ASSERT_EQ(song().tracks.size(), 8U);
    ASSERT_EQ(song().sets.size(), 1U);

    // The grid: the tempo typed, bar one where it is.
    clickStage(1);
    set("bpm", 92.0);
    set("firstDownbeat", 0.5);
    ASSERT_NEAR(song().tempo.firstDownbeat().count(), 0.5, 1e-6);

    // Leads by clicking their heads, then their box in Marks.
    clickStage(2);
    for (const std::size_t lead : {std::size_t{0}, std::size_t{2}}) {
        QTest::mouseClick(
            &window_->lanes(),
            Qt::LeftButton,
            {},
            window_->lanes().lanes()[lead].head.center() - QPoint(60, 0)
        );
        QTest::mouseClick(child<QCheckBox>("isLead"), Qt::LeftButton, {}, {8, 8});
        settle();
        ASSERT_TRUE(song().tracks[lead]->isLead);
    }
    click("findHits");
    ASSERT_GT(song().tracks[2]->marks.size(), 30U);

    // One mark is looked at and moved by a hair.
    const Mark mark = song().tracks[2]->marks[5];
    session_->shown.zoomTo({mark.at - Frames(2000), mark.at + Frames(2000)});
    settle();
    drag(onLane(2, mark.at), onLane(2, mark.at - Frames(96)));
    EXPECT_EQ(wrongMarks(2), 1U);

    clickStage(3);
    click("cutAndJoin");
    expectFitted();
    expectAllMicrophonesTogether();

    // The worst join is mended; all are locked.
    clickStage(4);
    QTest::mouseClick(window_->findChild<ContactSheet*>(), Qt::LeftButton, {}, {20, 20});
    settle();
    if (session_->review.worstOf(session_->review.join()) != nullptr) {
        click("mend");
    }
    click("lockAll");
    ASSERT_TRUE(std::ranges::all_of(session_->review.joins(), &SetJoin::isLocked));

    chooseFileNext(folder.string() + ".orthochron");
    press(Qt::Key_S, Qt::ControlModifier);
    ASSERT_FALSE(document_->isChanged()) << status();
    const Song saved = song();

    // A week later: opened again, one join unlocked and changed.
    open();
    window_->openSong(QString::fromStdString(folder.string() + ".orthochron"));
    settle();
    ASSERT_EQ(song(), saved);
    clickStage(4);
    QTest::mouseClick(window_->findChild<ContactSheet*>(), Qt::LeftButton, {}, {300, 20});
    settle();
    click("lockJoin");
    const SetJoin join = session_->review.joins()[session_->review.join()];
    set("joinLength", 9.0);
    EXPECT_NE(session_->review.joins()[session_->review.join()].length, join.length);
    expectAllMicrophonesTogether();

    clickStage(8);
    child<QLineEdit>("printFolder")->setText(QString::fromStdString(folder.string()));
    choose("printWhat", 1);
    click("print");
    expectPrinted(folder);
}

TEST_F(CarefulJob, IsDoneWithKeysAlone)
{
    const auto folder = Kit::shared().folder().path() / "careful-keys";
    openSong();
    press(Qt::Key_3);
    press(Qt::Key_F);
    for (int i = 0; i < 5; ++i) {
        press(Qt::Key_D);
    }
    press(Qt::Key_Left, Qt::ShiftModifier);
    const auto byHand = [](const Mark& mark) { return mark.byHand; };
    ASSERT_EQ(std::ranges::count_if(song().tracks[0]->marks, byHand), 1);

    press(Qt::Key_4);
    press(Qt::Key_F);
    expectFitted();

    press(Qt::Key_5);
    press(Qt::Key_D);
    press(Qt::Key_A);
    if (session_->review.worstOf(session_->review.join()) != nullptr) {
        press(Qt::Key_N);
    }
    press(Qt::Key_H);
    press(Qt::Key_Space);
    press(Qt::Key_J);
    EXPECT_TRUE(session_->review.joins()[session_->review.join()].isLocked);
    press(Qt::Key_S, Qt::ControlModifier);
    const Song saved = song();

    open();
    openSong();
    ASSERT_EQ(song(), saved);
    press(Qt::Key_5);
    press(Qt::Key_D);
    // The joins beside a locked one share a clip with it, and are held too.
    while (session_->review.joins()[session_->review.join()].isLocked) {
        press(Qt::Key_D);
    }
    const SetJoin join = session_->review.joins()[session_->review.join()];
    press(Qt::Key_Left, Qt::ControlModifier);
    EXPECT_LT(session_->review.joins()[session_->review.join()].at, join.at);
    expectAllMicrophonesTogether();

    press(Qt::Key_9);
    child<QLineEdit>("printFolder")->setText(QString::fromStdString(folder.string()));
    child<QComboBox>("printWhat")->setFocus();
    QTest::keyClick(child<QComboBox>("printWhat"), Qt::Key_Down);
    press(Qt::Key_F);
    expectPrinted(folder);
}

TEST_F(CarefulJob, ComesBackFromEveryStepOneByOne)
{
    findHitsAndFit();
    const Song fitted = song();
    press(Qt::Key_5);
    set("joinLength", 8.0);
    press(Qt::Key_J);
    press(Qt::Key_4);
    child<QPushButton>("asRecorded")->click();
    settle();
    EXPECT_TRUE(session_->review.joins().empty());

    for (int i = 0; i < 3; ++i) {
        press(Qt::Key_Z, Qt::ControlModifier);
    }
    EXPECT_EQ(song(), fitted);
    EXPECT_FALSE(session_->review.joins().empty());
}

}  // namespace
}  // namespace orthochron::app
