#include "app/EditingChild.h"
#include "app/WindowFixture.h"
#include "core/base/Hash.h"

// Drives the real window with mouse and keys, on twelve bars of the demo drummer.
namespace orthochron::app {
namespace {

TEST_F(Window, DoesTheWholeJobWithKeysAlone)
{
    findHitsAndFit();

    EXPECT_GT(session_->review.joins().size(), 30U);
    EXPECT_NE(status().find("Cut at"), std::string::npos);
    for (std::size_t i = 0; i < session_->fitting.preview().performance.hits.size(); ++i) {
        // Each hit is heard where the plan put it.
        const Frames heard = session_->review.heardAt(
            session_->fitting.preview().performance.hits[i].played.beatPoint
        );
        EXPECT_EQ(heard, session_->fitting.preview().moves.hits[i].target);
    }

    // Look at the joins, lock one, mend the worst, save, and come back another day.
    press(Qt::Key_5);
    press(Qt::Key_D);
    press(Qt::Key_J);
    const std::size_t locked = session_->review.join();
    EXPECT_TRUE(session_->review.joins()[locked].isLocked);
    press(Qt::Key_S, Qt::ControlModifier);
    EXPECT_FALSE(document_->isChanged());
    const Song saved = song();
    open();
    openSong();

    EXPECT_EQ(song(), saved);
    EXPECT_TRUE(document_->history().canUndo());
    press(Qt::Key_9);
    child<QLineEdit>("printFolder")
        ->setText(QString::fromStdString((Kit::shared().folder() / "out").string()));
    child<QComboBox>("printWhat")->setCurrentIndex(1);
    press(Qt::Key_F);
    AudioBuffer printed = testkit::readSound(Kit::shared().folder() / "out/Kick in.wav");
    AudioBuffer rendered(1, printed.frames());
    ASSERT_TRUE(renderClips(song().tracks[0]->clips, *document_->sources(), Frames(0), rendered));
    for (std::size_t i = 0; i < rendered.channel(0).size(); i += 97) {
        ASSERT_NEAR(printed.channel(0)[i], rendered.channel(0)[i], 1.3e-7F);
    }
}

TEST_F(Window, UndoesTwentyStepsAndDoesThemAgain)
{
    findHitsAndFit();
    const Song fitted = song();
    for (int i = 0; i < 18; ++i) {
        press(Qt::Key_M);
    }
    const Song last = song();

    for (int i = 0; i < 20; ++i) {
        press(Qt::Key_Z, Qt::ControlModifier);
    }

    EXPECT_TRUE(song().tracks[0]->marks.empty());
    EXPECT_TRUE(session_->review.joins().empty());
    for (int i = 0; i < 20; ++i) {
        press(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    }
    EXPECT_EQ(song(), last);
    EXPECT_EQ(song(), fitted);  // muted and unmuted nine times
}

TEST_F(Window, ShowsWhatASliderWouldDoBeforeItIsDone)
{
    openSong();
    press(Qt::Key_3);
    press(Qt::Key_F);
    press(Qt::Key_4);
    const Song before = song();
    auto* feel = child<NumberField>("feel");
    const double kept = session_->fitting.preview().moves.figures.feel.after.count();

    feel->setFocus();
    for (int i = 0; i < 20; ++i) {
        QTest::keyClick(feel, Qt::Key_Up);
    }

    EXPECT_EQ(feel->value(), 100.0);
    EXPECT_GT(kept, 0.001);
    EXPECT_EQ(session_->fitting.preview().moves.figures.feel.after.count(), 0.0);
    EXPECT_EQ(song(), before);
    resetField(feel);
    EXPECT_EQ(feel->value(), 0.0);
}

TEST_F(Window, MovesAddsAndDeletesMarksByMouse)
{
    openSong();
    press(Qt::Key_3);
    press(Qt::Key_F);
    const Track kick = *song().tracks[0];
    ASSERT_GT(kick.marks.size(), 8U);
    const Mark mark = kick.marks[3];
    session_->shown.zoomTo({mark.at - Frames(4000), mark.at + Frames(4000)});

    drag(onLane(0, mark.at), onLane(0, mark.at + Frames(480)));

    const Mark moved = *std::ranges::find(song().tracks[0]->marks, mark.id, &Mark::id);
    EXPECT_NEAR(
        static_cast<double>((moved.at - mark.at).count()),
        480.0,
        session_->shown.scale().framesPerPixel + 1.0
    );
    EXPECT_TRUE(moved.byHand);

    QTest::mouseDClick(
        &window_->lanes(), Qt::LeftButton, Qt::NoModifier, onLane(0, mark.at + Frames(2400))
    );
    settle();
    EXPECT_EQ(song().tracks[0]->marks.size(), kick.marks.size() + 1);

    press(Qt::Key_Delete);
    EXPECT_EQ(song().tracks[0]->marks.size(), kick.marks.size());
    // A new detection leaves what was set by hand.
    press(Qt::Key_F);
    EXPECT_NE(
        std::ranges::find(song().tracks[0]->marks, moved.at, &Mark::at),
        song().tracks[0]->marks.end()
    );
}

TEST_F(Window, StepsFromMarkToMarkAndNudgesBySamples)
{
    openSong();
    press(Qt::Key_3);
    press(Qt::Key_F);

    press(Qt::Key_D);
    const MarkId first = session_->choice.mark();
    press(Qt::Key_D);

    EXPECT_NE(session_->choice.mark(), first);
    const auto at = [&] {
        return std::ranges::find(song().tracks[0]->marks, session_->choice.mark(), &Mark::id)->at;
    };
    const Frames before = at();
    press(Qt::Key_Right);
    EXPECT_EQ(at() - before, Frames(1));
    press(Qt::Key_Left, Qt::ControlModifier);
    EXPECT_EQ(at() - before, Frames(-47));
}

TEST_F(Window, SensitivityCountsLiveAndPutsMarksWhenReleased)
{
    openSong();
    press(Qt::Key_3);
    press(Qt::Key_F);
    session_->choice.setTrack(song().tracks[2]->id);
    const auto marks = [&] { return song().tracks[2]->marks.size(); };
    const std::size_t before = marks();
    auto* sensitivity = child<NumberField>("sensitivity");

    QTest::mousePress(
        sensitivity, Qt::LeftButton, Qt::NoModifier, QPoint(8, sensitivity->height() - 9)
    );
    const std::size_t held = marks();
    const QString live = child<QLabel>("markCount")->text();
    QTest::mouseRelease(
        sensitivity, Qt::LeftButton, Qt::NoModifier, QPoint(8, sensitivity->height() - 9)
    );
    settle();

    EXPECT_EQ(held, before);
    EXPECT_LT(marks(), before);
    EXPECT_EQ(live, QStringLiteral("%1 marks").arg(marks()));
}

TEST_F(Window, FitsAgainFromTheRecordedTakesAndPassesOverWhatIsLocked)
{
    findHitsAndFit();
    press(Qt::Key_5);
    session_->review.setJoin(10);
    press(Qt::Key_J);
    const SetJoin kept = session_->review.joins()[10];
    press(Qt::Key_4);
    child<NumberField>("feel")->setFocus();
    resetField(child<NumberField>("stray"));
    for (int i = 0; i < 20; ++i) {
        QTest::keyClick(child<NumberField>("feel"), Qt::Key_Up);
    }

    press(Qt::Key_F);

    const auto same = std::ranges::find_if(session_->review.joins(), [&](const SetJoin& join) {
        return join.moveBefore == kept.moveBefore && join.moveAfter == kept.moveAfter &&
               join.at == kept.at;
    });
    EXPECT_NE(same, session_->review.joins().end());
    child<QPushButton>("asRecorded")->click();
    settle();
    EXPECT_EQ(song().tracks[0]->clips.size(), 1U);
}

TEST_F(Window, SaysWhenAFitIsOutOfDate)
{
    findHitsAndFit();
    EXPECT_FALSE(isOutOfDate(song(), *session_->choice.set()));

    press(Qt::Key_3);
    press(Qt::Key_D);
    press(Qt::Key_Right);
    press(Qt::Key_4);

    EXPECT_TRUE(isOutOfDate(song(), *session_->choice.set()));
    EXPECT_NE(child<QLabel>("fitState")->text().indexOf(QStringLiteral("Out of date")), -1);
    press(Qt::Key_F);
    EXPECT_FALSE(isOutOfDate(song(), *session_->choice.set()));
}

TEST_F(Window, MakesACrossfadeLongerByTypingAndByDraggingForAllMicrophones)
{
    findHitsAndFit();
    press(Qt::Key_5);
    session_->review.setJoin(5);
    auto* length = child<NumberField>("joinLength");

    QTest::mouseClick(length, Qt::LeftButton, Qt::NoModifier, QPoint(length->width() - 10, 6));
    auto* editor = length->findChild<QLineEdit*>();
    ASSERT_NE(editor, nullptr);
    editor->setText(QStringLiteral("480smp"));
    QTest::keyClick(editor, Qt::Key_Return);
    settle();

    EXPECT_EQ(session_->review.joins()[5].length, Frames(480));
    for (const auto& track : song().tracks) {
        const auto later =
            std::ranges::find(track->clips, session_->review.joins()[5].id, &Clip::part);
        ASSERT_NE(later, track->clips.end());
        EXPECT_EQ(later->in.length, Frames(480)) << track->name;
    }
    const SetJoin join = session_->review.joins()[5];
    session_->shown.zoomTo({join.at - Frames(2000), join.at + Frames(2000)});
    drag(onLane(0, join.middle()), onLane(0, join.middle() - Frames(200)));
    EXPECT_NEAR(
        static_cast<double>((session_->review.joins()[5].at - join.at).count()), -200.0, 8.0
    );
}

TEST_F(Window, ChangesAllJoinsInARangeByValueAndByDrag)
{
    findHitsAndFit();
    press(Qt::Key_5);
    const Frames middle(song().length().count() / 2);
    session_->choice.setRange(TimeRange{Frames(0), middle});
    auto* scope = child<QComboBox>("joinScope");
    scope->setCurrentIndex(1);
    Q_EMIT scope->activated(1);

    const auto fitted = session_->review.joins();
    child<NumberField>("joinLength")->setValue(9.0);
    Q_EMIT child<NumberField>("joinLength")->finished(9.0);
    settle();

    int longer = 0;
    const Frames wanted = toFrames(milliseconds(9.0), song().rate);
    ASSERT_EQ(session_->review.joins().size(), fitted.size());
    for (std::size_t i = 0; i < fitted.size(); ++i) {
        const SetJoin& join = session_->review.joins()[i];
        if (join.at > middle) {
            EXPECT_EQ(join.length, fitted[i].length);
        } else {
            longer += join.length == wanted ? 1 : 0;
        }
    }
    EXPECT_GT(longer, 10);
    child<NumberField>("joinMiddle")->setValue(70.0);
    Q_EMIT child<NumberField>("joinMiddle")->finished(70.0);
    settle();
    EXPECT_FLOAT_EQ(session_->review.joins().front().fadeMiddle, 0.7F);
    EXPECT_FLOAT_EQ(session_->review.joins().back().fadeMiddle, 0.5F);

    // A drag on one moves all that are meant by as much.
    const auto before = session_->review.joins();
    const SetJoin& held = before[4];
    session_->shown.zoomTo({held.at - Frames(9600), held.at + Frames(9600)});
    settle();
    const QPoint from = onLane(0, held.middle());
    drag(from, from - QPoint(6, 0));
    const auto& after = session_->review.joins();
    EXPECT_LT(after[4].at, before[4].at);
    EXPECT_LT(after[2].at, before[2].at);
    EXPECT_EQ(after.back().at, before.back().at);
}

TEST_F(Window, HearsJoinsSqueezedAloneAndAllInTurn)
{
    findHitsAndFit();
    press(Qt::Key_5);

    child<QCheckBox>("hearSqueezed")->click();
    child<QCheckBox>("hearAlone")->click();
    EXPECT_TRUE(player_->isSqueezed());
    child<QPushButton>("hearInTurn")->click();
    settle();

    EXPECT_TRUE(child<QPushButton>("hearInTurn")->isChecked());
    child<QPushButton>("hearInTurn")->click();
    child<QCheckBox>("hearSqueezed")->click();
    EXPECT_FALSE(player_->isSqueezed());
}

TEST_F(Window, DragsBarOneOntoAHit)
{
    openSong();
    press(Qt::Key_3);
    press(Qt::Key_F);
    press(Qt::Key_2);
    const Frames hit = song().tracks[0]->marks[1].at;
    session_->shown.zoomTo({Frames(0), hit + Frames(24000)});
    const Frames bar = toFrames(song().tempo.firstDownbeat(), song().rate);

    drag(onLane(3, bar), onLane(3, hit) + QPoint(3, 0));

    EXPECT_NEAR(song().tempo.firstDownbeat().count(), toSeconds(hit, song().rate).count(), 1e-6);
}

TEST_F(Window, TakesDroppedFilesAndMakesThemAMicSetWhenAsked)
{
    answerNext(QMessageBox::YesRole);
    drop(
        {QString::fromStdString((Kit::shared().folder() / "Kick in.wav").string()),
         QString::fromStdString((Kit::shared().folder() / "Snare top.wav").string())}
    );

    ASSERT_EQ(song().tracks.size(), 2U);
    EXPECT_EQ(song().tracks[1]->name, "Snare top");
    ASSERT_EQ(song().sets.size(), 1U);
    EXPECT_EQ(song().sets[0].tracks.size(), 2U);
}

TEST_F(Window, SaysWhatIsWrongWithADroppedFileAndKeepsTheRest)
{
    const auto bad = Kit::shared().folder() / "letter.wav";
    std::ofstream(bad) << "Dear producer";
    answerNext(QMessageBox::NoRole);
    drop(
        {QString::fromStdString(bad.string()),
         QString::fromStdString((Kit::shared().folder() / "Tom.wav").string())}
    );

    EXPECT_NE(status().find("letter.wav: cannot be read as audio"), std::string::npos);
    EXPECT_EQ(song().tracks.size(), 1U);
    child<QPushButton>("putAway")->click();
    EXPECT_EQ(status().find("letter.wav"), std::string::npos);
}

TEST_F(Window, OffersWhatWasNotSavedAfterACrash)
{
    openSong();
    press(Qt::Key_M);
    document_->autosave();
    settle();
    // The program ends without closing the song: what is on the disk is all there is.
    const auto kept = autosavePath(path_);
    ASSERT_TRUE(std::filesystem::exists(kept));
    const auto aside = path_.parent_path() / "aside";
    std::filesystem::copy_file(kept, aside, std::filesystem::copy_options::overwrite_existing);
    document_->discard();
    open();
    std::filesystem::copy_file(aside, kept);

    answerNext(QMessageBox::AcceptRole);
    openSong();

    EXPECT_TRUE(song().tracks[0]->isMuted);
    EXPECT_TRUE(document_->isChanged());
    std::filesystem::copy_file(aside, kept, std::filesystem::copy_options::overwrite_existing);
    answerNext(QMessageBox::DestructiveRole);
    openSong();
    EXPECT_FALSE(song().tracks[0]->isMuted);
}

TEST_F(Window, RefusesToOpenASongTwice)
{
    openSong();
    Document other;

    const auto opened = other.open(QString::fromStdString(path_.string()));

    ASSERT_FALSE(opened);
    EXPECT_NE(opened.error().message.find("is open in another window"), std::string::npos);
}

TEST_F(Window, SaysWhenSavingFailsAndKeepsTheSong)
{
    openSong();
    press(Qt::Key_M);

    const auto saved = document_->save(QStringLiteral("/nowhere/at/all.orthochron"));

    EXPECT_FALSE(saved);
    EXPECT_NE(saved.error().message.find("cannot be saved"), std::string::npos);
    EXPECT_TRUE(song().tracks[0]->isMuted);
    EXPECT_TRUE(document_->isChanged());
}

TEST_F(Window, ListsAMissingTakeAndFindsItAgain)
{
    // A song of its own, with a take that goes away.
    const Folder folder;
    std::filesystem::copy_file(Kit::shared().folder() / "Tom.wav", folder / "Tom.wav");
    Song song;
    song = *addTakes(song, {{*takeFromFile(folder / "Tom.wav", song.rate, folder.path()), false}});
    ASSERT_TRUE(saveSong({History(song), {}}, folder / "s.orthochron"));
    std::filesystem::rename(folder / "Tom.wav", folder / "Moved.wav");
    answerNext(QMessageBox::NoRole);

    window_->openSong(QString::fromStdString((folder / "s.orthochron").string()));
    settle();

    EXPECT_NE(status().find("Tom.wav: is missing"), std::string::npos);
    EXPECT_FALSE(document_->relocate(
        song.takes[0].id,
        QString::fromStdString((Kit::shared().folder() / "Room.wav").string()),
        *hashOfFile(Kit::shared().folder() / "Room.wav")
    ));
    EXPECT_TRUE(document_->relocate(
        song.takes[0].id,
        QString::fromStdString((folder / "Moved.wav").string()),
        *hashOfFile(folder / "Moved.wav")
    ));
    EXPECT_TRUE(document_->troubles().empty());
}

TEST_F(Window, MutesByTheHeadAndFoldsTheSetToItsLeads)
{
    openSong();
    const auto& head = window_->lanes().lanes()[4].head;

    QTest::mouseClick(
        &window_->lanes(), Qt::LeftButton, Qt::NoModifier, QPoint(100, head.center().y())
    );
    settle();
    press(Qt::Key_B, Qt::ControlModifier);

    EXPECT_TRUE(song().tracks[4]->isMuted);
    EXPECT_EQ(window_->lanes().lanes().size(), 2U);
}

TEST_F(Window, ShowsTheStageOneCameFromWhileTheKeyIsHeld)
{
    openSong();
    press(Qt::Key_3);
    press(Qt::Key_4);

    QTest::keyPress(window_.get(), Qt::Key_QuoteLeft);
    EXPECT_EQ(window_->stage(), 2);
    QTest::keyRelease(window_.get(), Qt::Key_QuoteLeft);

    EXPECT_EQ(window_->stage(), 3);
    press(Qt::Key_8);
    EXPECT_EQ(window_->stage(), 3);
}

TEST_F(Window, ZoomsUnderThePointerAndToTheChosenRange)
{
    openSong();
    LanesView& lanes = window_->lanes();
    const QPoint place(700, lanes.sheet().center().y());
    const Frames under = lanes.timeAt(place.x());

    QWheelEvent wheel(
        place,
        lanes.mapToGlobal(place),
        {},
        QPoint(0, 240),
        Qt::NoButton,
        Qt::ControlModifier,
        Qt::NoScrollPhase,
        false
    );
    QApplication::sendEvent(&lanes, &wheel);
    EXPECT_NEAR(
        static_cast<double>((lanes.timeAt(place.x()) - under).count()),
        0.0,
        session_->shown.scale().framesPerPixel
    );

    const int ruler = LanesView::kRibbonHeight + 8;
    drag(QPoint(400, ruler), QPoint(600, ruler), Qt::ControlModifier);
    ASSERT_TRUE(session_->choice.range());
    const TimeRange range = *session_->choice.range();
    press(Qt::Key_E);
    EXPECT_LT(lanes.timeAt(lanes.sheet().left()), range.from);
    EXPECT_GT(lanes.timeAt(lanes.sheet().right()), range.to);
}

TEST_F(Window, StaysWholeWhenResizedFromSmallToLargeByDayAndNight)
{
    findHitsAndFit();
    for (const QSize size : {QSize(1100, 700), QSize(2400, 1300), QSize(900, 600)}) {
        window_->resize(size);
        for (const Sheet sheet : {Sheet::Night, Sheet::Day}) {
            Theme::setSheet(sheet);
            for (const int stage : {0, 1, 2, 3, 4, 8}) {
                window_->showStage(stage);
                settle();
                EXPECT_FALSE(window_->grab().isNull());
            }
        }
    }
    EXPECT_GE(window_->lanes().height(), 200);
}

TEST(NumberField, UnderstandsUnitsAndRefusesNonsense)
{
    const NumberStyle ms{QStringLiteral("ms"), 1, 0.0, 100.0, 0.0, 0.1, 48000.0};

    EXPECT_DOUBLE_EQ(*readNumber(QStringLiteral("12ms"), ms), 12.0);
    EXPECT_DOUBLE_EQ(*readNumber(QStringLiteral("480smp"), ms), 10.0);
    EXPECT_DOUBLE_EQ(*readNumber(QStringLiteral("0,02 s"), ms), 20.0);
    EXPECT_DOUBLE_EQ(*readNumber(QStringLiteral("1/64"), ms), 1.0 / 64.0);
    EXPECT_DOUBLE_EQ(*readNumber(QStringLiteral("−3"), ms), -3.0);
    for (const char* text : {"", "ms", "twelve", "12 dB", "1/0", "--3"}) {
        EXPECT_FALSE(readNumber(QLatin1String(text), ms)) << text;
    }
}

}  // namespace
}  // namespace orthochron::app

int main(int argc, char** argv)
{
    // A child of a test lives in its parent's home, and is killed: it must leave none of its own.
    if (argc == 4 && QLatin1String(argv[1]) == QLatin1String(orthochron::app::kEditingChild)) {
        const QCoreApplication child(argc, argv);
        QCoreApplication::setOrganizationName(QStringLiteral("Orthochron"));
        QCoreApplication::setApplicationName(QStringLiteral("orthochron-test"));
        orthochron::app::editUntilKilled(
            QString::fromLocal8Bit(argv[2]), QByteArray(argv[3]).toUInt()
        );
    }
    // Settings, caches and autosaves of the tests go nowhere near the user's.
    const orthochron::testkit::Folder home;
    qputenv("HOME", QByteArray::fromStdString(home.path().string()));
    qputenv("XDG_CONFIG_HOME", QByteArray::fromStdString((home / "config").string()));
    qputenv("XDG_CACHE_HOME", QByteArray::fromStdString((home / "cache").string()));
    qputenv("XDG_DATA_HOME", QByteArray::fromStdString((home / "data").string()));
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM") && qEnvironmentVariableIsEmpty("DISPLAY")) {
        qputenv("QT_QPA_PLATFORM", "offscreen");
    }
    testing::InitGoogleTest(&argc, argv);
    QApplication application(argc, argv);
    QApplication::setOrganizationName(QStringLiteral("Orthochron"));
    QApplication::setApplicationName(QStringLiteral("orthochron-test"));
    orthochron::app::Theme::install();
    const int failed = RUN_ALL_TESTS();
    // Who names tests says how many: a name that is gone names none, and nobody would notice.
    const QByteArray named = qgetenv("ORTHOCHRON_TESTS_NAMED");
    const int run = testing::UnitTest::GetInstance()->test_to_run_count();
    if (!named.isEmpty() && run != named.toInt()) {
        std::fprintf(stderr, "%d of %s tests that were named are there\n", run, named.constData());
        return 1;
    }
    return failed;
}
