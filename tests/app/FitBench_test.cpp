#include <QStandardPaths>

#include "app/WindowFixture.h"
#include "app/stages/fit/GrooveChoice.h"
#include "core/edits/GrooveEdits.h"
#include "core/edits/SectionEdits.h"
#include "core/files/GrooveFile.h"
#include "core/files/GrooveLibrary.h"

// The bench of Fit in the real window: grooves, sections, grid, amounts, and what it says.
namespace orthochron::app {
namespace {

class BenchOfFit : public Window {
protected:
    BenchOfFit()
    {
        openSong();
        press(Qt::Key_3);
        press(Qt::Key_F);
        press(Qt::Key_4);
    }
    ~BenchOfFit() override
    {
        std::error_code error;
        std::filesystem::remove_all(GrooveChoice::libraryFolder().toStdString(), error);
    }
    // Chooses what is written so in the list of grooves.
    void chooseGroove(const QString& text)
    {
        auto* list = child<QComboBox>("groove");
        const int index = list->findText(text);
        ASSERT_GE(index, 0) << text.toStdString();
        list->setCurrentIndex(index);
        Q_EMIT list->activated(index);
        settle();
    }
    [[nodiscard]] bool offers(const QString& text)
    {
        return child<QComboBox>("groove")->findText(text) >= 0;
    }
    [[nodiscard]] const FitFigures& figures() { return session_->fitting.preview().moves.figures; }
};

TEST_F(BenchOfFit, KeepsThePlayersFeelAsAGrooveNamedAfterItsTake)
{
    chooseGroove(QStringLiteral("Save groove…"));

    ASSERT_EQ(song().grooves.size(), 1U);
    EXPECT_EQ(song().grooves[0].name, "Kit");
    chooseGroove(QStringLiteral("Kit"));
    EXPECT_EQ(session_->fitting.request.fit.groove.name, "Kit");
    EXPECT_FALSE(offers(QStringLiteral("Save groove…")));

    // With its own feel taken out and its groove put in, a snare is as far behind as it was.
    set("feel", 100.0);
    press(Qt::Key_F);
    EXPECT_EQ(song().sets[0].recipe->fit.groove.name, "Kit");
    double behind = 0.0;
    int snares = 0;
    for (const JudgedHit& hit : session_->fitting.preview().performance.hits) {
        if (hit.role == HitRole::Main && hit.played.lead == 1) {
            const Frames heard = session_->review.heardAt(hit.played.beatPoint);
            behind += (toSeconds(heard, song().rate) - hit.line.time).count();
            ++snares;
        }
    }
    EXPECT_NEAR(behind / snares, 0.009, 0.004);
    chooseGroove(QStringLiteral("Delete groove"));
    EXPECT_TRUE(song().grooves.empty());
    EXPECT_TRUE(session_->fitting.request.fit.groove.isEmpty());
}

TEST_F(BenchOfFit, AGrooveKeptForAllSongsIsThereInTheNext)
{
    chooseGroove(QStringLiteral("Save for all songs"));
    EXPECT_TRUE(offers(QStringLiteral("Kit (yours)")));
    EXPECT_TRUE(song().grooves.empty());

    answerNext(QMessageBox::DestructiveRole);
    press(Qt::Key_N, Qt::ControlModifier);
    ASSERT_TRUE(song().tracks.empty());
    openSong();
    chooseGroove(QStringLiteral("Kit (yours)"));
    EXPECT_EQ(session_->fitting.request.fit.groove.name, "Kit");

    chooseGroove(QStringLiteral("Delete groove"));
    EXPECT_FALSE(offers(QStringLiteral("Kit (yours)")));
    EXPECT_TRUE(groovesIn(GrooveChoice::libraryFolder().toStdString()).empty());
}

TEST_F(BenchOfFit, GroovesGoOutAndComeInAsFiles)
{
    const auto file = Kit::shared().folder() / "out.json";
    chooseFileNext(file);
    chooseGroove(QStringLiteral("Export groove…"));
    const auto written = readGroove(file, {}, {});
    ASSERT_TRUE(written) << status();
    EXPECT_EQ(written->name, "Kit");

    chooseFileNext(file);
    chooseGroove(QStringLiteral("Import groove…"));
    ASSERT_EQ(song().grooves.size(), 1U);
    EXPECT_EQ(song().grooves[0], *written);

    const auto midi = Kit::shared().folder() / "out.mid";
    chooseFileNext(midi);
    chooseGroove(QStringLiteral("Export groove…"));
    EXPECT_TRUE(std::filesystem::exists(midi));

    std::ofstream(Kit::shared().folder() / "bad.json") << "no groove";
    const Song before = song();
    chooseFileNext(Kit::shared().folder() / "bad.json");
    chooseGroove(QStringLiteral("Import groove…"));
    EXPECT_EQ(song(), before);
    EXPECT_NE(status().find("is not a groove"), std::string::npos) << status();
}

TEST_F(BenchOfFit, AGrooveIsAppliedByItsAmount)
{
    document_->apply(
        addGroove(song(), {"late two", {4, 4}, {{Beats(1.0), Beats(0.06), 1.0, Beats(0.0)}}}),
        QStringLiteral("Groove")
    );
    settle();
    chooseGroove(QStringLiteral("late two"));
    set("feel", 100.0);
    set("stray", 100.0);
    set("grooveAmount", 50.0);

    const double late = 0.5 * 0.06 * 60.0 / 92.0;
    int seen = 0;
    for (std::size_t i = 0; i < session_->fitting.preview().performance.hits.size(); ++i) {
        const JudgedHit& hit = session_->fitting.preview().performance.hits[i];
        if (hit.role == HitRole::Main) {
            const bool isTwo = hit.line.step == 4;
            EXPECT_NEAR(
                session_->fitting.preview().moves.hits[i].left.count(), isTwo ? late : 0.0, 0.0001
            );
            seen += isTwo ? 1 : 0;
        }
    }
    EXPECT_GT(seen, 5);
}

TEST_F(BenchOfFit, SectionsAreMadeOfTheChosenRangeNamedRenamedAndRemoved)
{
    const auto action = [&](const QString& text) {
        auto* list = child<QComboBox>("focusSection");
        const int index = list->findText(text);
        ASSERT_GE(index, 0) << text.toStdString();
        list->setCurrentIndex(index);
        Q_EMIT list->activated(index);
        settle();
    };
    action(QStringLiteral("New section…"));
    EXPECT_NE(status().find("Select a range"), std::string::npos) << status();
    EXPECT_TRUE(song().sections.empty());

    const auto bar = [&](int number) {
        return toFrames(song().tempo.timeAt(song().tempo.startOfBar(number)), song().rate);
    };
    session_->choice.setRange(TimeRange{bar(3), bar(7) - Frames(100)});
    typeNext(QStringLiteral("verse"));
    action(QStringLiteral("New section…"));
    ASSERT_EQ(song().sections.size(), 1U);
    EXPECT_EQ(song().sections[0].bars, (BarRange{3, 6}));
    EXPECT_EQ(session_->fitting.focusSection(), song().sections[0].id);
    const QImage with = window_->lanes().grab().toImage();

    typeNext(QStringLiteral("chorus"));
    action(QStringLiteral("Rename section…"));
    EXPECT_EQ(song().sections[0].name, "chorus");
    // Its name stands in the ribbon.
    EXPECT_NE(window_->lanes().grab().toImage(), with);

    action(QStringLiteral("Delete section"));
    EXPECT_TRUE(song().sections.empty());
    EXPECT_FALSE(session_->fitting.focusSection().isValid());
}

TEST_F(BenchOfFit, AmountsTakeOutTheirOwnPartOnly)
{
    set("drift", 0.0);
    set("feel", 0.0);
    set("stray", 0.0);
    EXPECT_NEAR(figures().drift.after.count(), figures().drift.before.count(), 1e-9);
    EXPECT_NEAR(figures().furthestMove.count(), 0.0, 1e-9);

    set("stray", 100.0);
    EXPECT_NEAR(figures().stray.after.count(), 0.0, 1e-6);
    EXPECT_NEAR(figures().drift.after.count(), figures().drift.before.count(), 1e-9);
    EXPECT_NEAR(figures().feel.after.count(), figures().feel.before.count(), 1e-9);

    set("leaveWithin", 100.0);
    EXPECT_NEAR(figures().stray.after.count(), figures().stray.before.count(), 1e-6);
}

TEST_F(BenchOfFit, FeelAndStraysMoveNoHitFurtherThanAllowed)
{
    set("drift", 0.0);
    set("feel", 100.0);
    set("stray", 100.0);
    set("furthest", 3.0);
    for (const auto& hit : session_->fitting.preview().moves.hits) {
        EXPECT_LE(
            std::abs(inMilliseconds(toSeconds(hit.move, song().rate))),
            inMilliseconds(figures().furthestMove) + 0.03
        );
    }
    EXPECT_LE(inMilliseconds(figures().furthestMove), 3.03);
}

TEST_F(BenchOfFit, HumanisingIsTheSameWithTheSameSeed)
{
    set("feel", 100.0);
    set("stray", 100.0);
    set("humanise", 5.0);
    const auto targets = [&] {
        std::vector<Frames> all;
        for (const auto& hit : session_->fitting.preview().moves.hits) {
            all.push_back(hit.target);
        }
        return all;
    };
    const auto one = targets();
    set("seed", 2.0);
    EXPECT_NE(targets(), one);
    set("seed", 1.0);
    EXPECT_EQ(targets(), one);
    press(Qt::Key_F);
    EXPECT_EQ(song().sets[0].recipe->fit.seed, 1U);
}

TEST_F(BenchOfFit, ASwungGridIsShownAndFittedTo)
{
    set("swing", 66.0);
    EXPECT_EQ(session_->fitting.request.grid.swing, 66.0);
    const Grid grid(song().tempo, session_->fitting.request.grid);
    for (const JudgedHit& hit : session_->fitting.preview().performance.hits) {
        EXPECT_NEAR(hit.line.time.count(), grid.line(hit.line.index).time.count(), 1e-9);
    }
    choose("grid", 1);
    EXPECT_EQ(session_->fitting.request.grid.division, 8);
    choose("grid", 6);
    EXPECT_TRUE(session_->fitting.request.grid.triplet);
}

TEST_F(BenchOfFit, OpensWithTheValuesTheSetWasFittedWith)
{
    set("feel", 35.0);
    set("leadIn", 6.5);
    set("crossfade", 7.0);
    set("seed", 44.0);
    choose("grid", 1);
    choose("shape", 2);
    press(Qt::Key_F);
    press(Qt::Key_S, Qt::ControlModifier);

    open();
    openSong();
    press(Qt::Key_4);

    EXPECT_NEAR(child<NumberField>("feel")->value(), 35.0, 1e-9);
    EXPECT_NEAR(child<NumberField>("leadIn")->value(), 6.5, 1e-9);
    EXPECT_NEAR(child<NumberField>("crossfade")->value(), 7.0, 1e-9);
    EXPECT_NEAR(child<NumberField>("seed")->value(), 44.0, 1e-9);
    EXPECT_EQ(child<QComboBox>("grid")->currentIndex(), 1);
    EXPECT_EQ(child<QComboBox>("shape")->currentIndex(), 2);
}

TEST_F(BenchOfFit, AnotherSongBeginsWithItsOwnRequestAndNothingCopied)
{
    set("feel", 77.0);
    set("swing", 60.0);
    press(Qt::Key_C, Qt::ControlModifier);
    press(Qt::Key_S, Qt::ControlModifier);
    press(Qt::Key_N, Qt::ControlModifier);
    EXPECT_EQ(session_->fitting.request.fit.feel, FitSettings().feel);
    EXPECT_EQ(session_->fitting.request.grid.swing, 50.0);
    EXPECT_EQ(session_->hits.analysis(), nullptr);

    openSong();
    press(Qt::Key_4);
    EXPECT_NEAR(child<NumberField>("feel")->value(), FitSettings().feel * 100.0, 1e-9);
    const Song before = song();
    press(Qt::Key_V, Qt::ControlModifier);
    EXPECT_EQ(song(), before);
    EXPECT_NE(status().find("Nothing to paste"), std::string::npos) << status();
}

TEST_F(BenchOfFit, AdvisesWithAReason)
{
    const std::string advice = child<QLabel>("fitState")->text().toStdString();
    EXPECT_NE(advice.find("Suggested: cut"), std::string::npos) << advice;
    EXPECT_NE(advice.find("8 microphones"), std::string::npos) << advice;
}

TEST_F(BenchOfFit, OneKeyFitsAgainWhatIsOutOfDate)
{
    press(Qt::Key_F);
    press(Qt::Key_3);
    press(Qt::Key_D);
    press(Qt::Key_Right, Qt::ControlModifier);
    press(Qt::Key_4);
    const auto clips = song().tracks[0]->clips;
    EXPECT_NE(child<QLabel>("fitState")->text().indexOf(QStringLiteral("Out of date")), -1);
    EXPECT_EQ(song().tracks[0]->clips, clips);  // nothing moves by itself
    press(Qt::Key_F);
    EXPECT_EQ(child<QLabel>("fitState")->text().indexOf(QStringLiteral("Out of date")), -1);
}

TEST_F(BenchOfFit, OnlyTheBarsOfTheChosenRangeAreFitted)
{
    const auto bar = [&](int number) {
        return toFrames(song().tempo.timeAt(song().tempo.startOfBar(number)), song().rate);
    };
    session_->choice.setRange(TimeRange{bar(4), bar(6)});
    settle();
    EXPECT_NE(child<QLabel>("fitScope")->text().indexOf(QStringLiteral("bars 4 to 5")), -1);
    press(Qt::Key_F);
    for (const SetJoin& join : session_->review.joins()) {
        EXPECT_GT(join.at, bar(3));
        EXPECT_LT(join.at, bar(7));
    }
    EXPECT_GT(session_->review.joins().size(), 4U);
}

}  // namespace
}  // namespace orthochron::app
