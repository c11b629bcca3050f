#include "app/WindowFixture.h"
#include "app/stages/marks/DoubtBench.h"
#include "core/edits/MarkEdits.h"

// The sheet of doubtful marks in the real window: walked, decided one by one and a kind at a time.
namespace orthochron::app {
namespace {

class DoubtfulMarks : public Window {
protected:
    DoubtfulMarks()
    {
        openSong();
        press(Qt::Key_3);
        press(Qt::Key_F);
        // The demo is nearly free of doubt: some are made.
        Song doubted = song();
        for (const auto& [track, mark, confidence] :
             {std::tuple{0, 2, 0.35}, std::tuple{0, 4, 0.55}, std::tuple{2, 3, 0.75}}) {
            Track changed = *doubted.tracks[static_cast<std::size_t>(track)];
            changed.marks[static_cast<std::size_t>(mark)].confidence = confidence;
            doubted.tracks[static_cast<std::size_t>(track)] =
                std::make_shared<const Track>(std::move(changed));
        }
        document_->apply(doubted, QStringLiteral("Doubt"));
        child<QPushButton>("wayDoubtful")->click();
        settle();
    }
    [[nodiscard]] int doubtful()
    {
        return child<QPushButton>("wayDoubtful")
            ->text()
            .section(QLatin1Char('('), 1)
            .section(QLatin1Char(')'), 0, 0)
            .toInt();
    }
    [[nodiscard]] std::size_t marksOf(std::size_t track)
    {
        return song().tracks[track]->marks.size();
    }
};

TEST_F(DoubtfulMarks, AreCountedWalkedAndKeptByKeys)
{
    const int before = doubtful();
    ASSERT_GE(before, 3);
    press(Qt::Key_A);
    const MarkId first = session_->choice.mark();
    EXPECT_EQ(first, song().tracks[0]->marks[2].id);  // the worst
    press(Qt::Key_D);
    EXPECT_NE(session_->choice.mark(), first);
    press(Qt::Key_A);
    press(Qt::Key_Y);
    EXPECT_EQ(doubtful(), before - 1);
    EXPECT_TRUE(song().tracks[0]->marks[2].byHand);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(doubtful(), before);
}

TEST_F(DoubtfulMarks, ADeletedOneStaysAwayWhenHitsAreFoundAgain)
{
    press(Qt::Key_A);
    const Frames at = song().tracks[0]->marks[2].at;
    press(Qt::Key_Delete);
    const auto isThere = [&] {
        const auto& marks = song().tracks[0]->marks;
        return std::ranges::find(marks, at, &Mark::at) != marks.end();
    };
    EXPECT_FALSE(isThere());
    press(Qt::Key_F);
    settle();
    EXPECT_FALSE(isThere());
    // And after saving and opening.
    press(Qt::Key_S, Qt::ControlModifier);
    openSong();
    press(Qt::Key_3);
    press(Qt::Key_F);
    EXPECT_FALSE(isThere());
}

TEST_F(DoubtfulMarks, AKindIsTakenAwayTogetherAndUndoneTogether)
{
    const Song before = song();
    press(Qt::Key_A);
    const auto text = child<QLabel>("doubtKind")->text();
    const auto count = static_cast<std::size_t>(text.section(QLatin1Char(' '), 0, 0).toInt());
    ASSERT_GE(count, 1U);
    const std::size_t marks = marksOf(0);
    child<QPushButton>("doubtAllAway")->click();
    settle();
    EXPECT_EQ(marksOf(0), marks - count);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(song(), before);
}

TEST_F(DoubtfulMarks, TheSheetIsClickedAndSaysWhy)
{
    auto* sheet = child<DoubtSheet>("doubtSheet");
    QTest::mouseClick(sheet, Qt::LeftButton, {}, {240, 40});
    settle();
    EXPECT_FALSE(child<QLabel>("doubtWhy")->text().isEmpty());
    EXPECT_TRUE(child<QLabel>("doubtPlace")->text().contains(QStringLiteral("·")));
}

}  // namespace
}  // namespace orthochron::app
