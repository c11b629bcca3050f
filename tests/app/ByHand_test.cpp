#include "app/WindowFixture.h"
#include "core/edits/ClipEdits.h"
#include "core/edits/JoinEdits.h"

// Clips by hand in the real window.
namespace orthochron::app {
namespace {

class ByHandWindow : public Window {
protected:
    void takeHold()
    {
        press(Qt::Key_4);
        child<QPushButton>("wayByHand")->click();
        settle();
    }
    // A little above the middle: the lower third of a lane selects time, the top is for fades.
    QPoint grab(int lane, Frames at) { return onLane(lane, at) - QPoint(0, 3); }
    [[nodiscard]] std::size_t clips(std::size_t track)
    {
        return song().tracks[track]->clips.size();
    }
    void playheadTo(Seconds time) { player_->seek(toFrames(time, song().rate)); }
};

TEST_F(ByHandWindow, SplitsTrimsSlipsAndMovesByMouseOnAllMicrophones)
{
    openSong();
    takeHold();
    const Hertz rate = song().rate;
    child<QComboBox>("snap")->setCurrentIndex(3);
    Q_EMIT child<QComboBox>("snap")->activated(3);

    QTest::mouseDClick(
        &window_->lanes(), Qt::LeftButton, {}, grab(0, toFrames(Seconds(8.0), rate))
    );
    settle();
    QTest::mouseDClick(
        &window_->lanes(), Qt::LeftButton, {}, grab(0, toFrames(Seconds(16.0), rate))
    );
    settle();
    ASSERT_EQ(clips(0), 3U);
    ASSERT_EQ(clips(7), 3U);

    const Frames slipBy = toFrames(Seconds(0.6), rate);
    const Frames at = toFrames(Seconds(12.0), rate);
    drag(grab(2, at), grab(2, at + slipBy), Qt::ShiftModifier);
    for (const std::size_t track : {std::size_t{0}, std::size_t{5}}) {
        const Clip& middle = song().tracks[track]->clips[1];
        EXPECT_NEAR(middle.offset() / slipBy, 1.0, 0.1);
        EXPECT_NEAR(toSeconds(middle.end(), rate).count(), 16.0, 0.1);
    }

    drag(grab(2, at), grab(2, at + slipBy));
    EXPECT_GT(song().tracks[3]->clips[1].at, toFrames(Seconds(8.2), rate));
    EXPECT_NE(status().find("Move clips"), std::string::npos) << status();

    const Clip& last = song().tracks[0]->clips.back();
    const Frames end = last.end();
    drag(
        QPoint(static_cast<int>(window_->lanes().xOf(end)) - 3, grab(0, end).y()),
        QPoint(static_cast<int>(window_->lanes().xOf(end - slipBy)), grab(0, end).y())
    );
    EXPECT_LT(song().tracks[6]->clips.back().end(), end);
    for (int i = 0; i < 5; ++i) {
        press(Qt::Key_Z, Qt::ControlModifier);
    }
    EXPECT_EQ(clips(0), 1U);
}

TEST_F(ByHandWindow, MovesAClipOfATrackInNoSetBesideAKitWithHits)
{
    findHitsAndFit();
    const auto file = Kit::shared().folder() / "Room.wav";
    const auto take = takeFromFile(file, song().rate, document_->songFolder());
    ASSERT_TRUE(take);
    ASSERT_TRUE(document_->apply(addTakes(song(), {{*take, false}}), QStringLiteral("Import")));
    settle();
    takeHold();
    session_->shown.zoomToAll();
    settle();
    const std::size_t lane = song().tracks.size() - 1;
    const auto& area = window_->lanes().lanes()[lane].area;
    ASSERT_TRUE(window_->rect().contains(window_->lanes().mapTo(window_.get(), area.center())));
    const Frames before = song().tracks[lane]->clips[0].at;
    const Frames at = toFrames(Seconds(6.0), song().rate);

    // Painted while it is held, among the leaning strokes of the kit.
    const QPoint from = grab(static_cast<int>(lane), at);
    QTest::mousePress(&window_->lanes(), Qt::LeftButton, {}, from);
    QMouseEvent move(
        QEvent::MouseMove,
        from + QPoint(80, 0),
        window_->lanes().mapToGlobal(from + QPoint(80, 0)),
        Qt::NoButton,
        Qt::LeftButton,
        {}
    );
    QApplication::sendEvent(&window_->lanes(), &move);
    (void)window_->grab();
    QTest::mouseRelease(&window_->lanes(), Qt::LeftButton, {}, from + QPoint(80, 0));
    settle();

    EXPECT_GT(song().tracks[lane]->clips[0].at, before) << status();
}

TEST_F(ByHandWindow, DoesTheSameWithKeysAlone)
{
    openSong();
    takeHold();
    playheadTo(Seconds(6.0));
    press(Qt::Key_I);
    playheadTo(Seconds(9.0));
    press(Qt::Key_I);
    ASSERT_EQ(clips(4), 3U);

    press(Qt::Key_A);  // to the clip before: the one the playhead stands on was chosen first
    press(Qt::Key_M, Qt::ShiftModifier);
    const auto muted = std::ranges::count_if(song().tracks[1]->clips, &Clip::isMuted);
    EXPECT_EQ(muted, 1);
    press(Qt::Key_Right, Qt::ControlModifier | Qt::ShiftModifier);
    press(Qt::Key_L, Qt::ShiftModifier);
    const Song locked = song();
    press(Qt::Key_Right, Qt::ControlModifier);
    EXPECT_EQ(song(), locked);
    EXPECT_NE(status().find("locked"), std::string::npos) << status();
    press(Qt::Key_L, Qt::ShiftModifier);
    press(Qt::Key_Right, Qt::ControlModifier);
    EXPECT_NE(song(), locked);
    press(Qt::Key_D, Qt::ControlModifier);
    EXPECT_GE(clips(2), 3U);
    press(Qt::Key_A, Qt::ControlModifier);
    EXPECT_EQ(session_->choice.clips().size(), 8 * clips(0)) << "of all microphones";
    press(Qt::Key_Delete);
    EXPECT_EQ(clips(0), 0U);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_GE(clips(0), 3U);
}

TEST_F(ByHandWindow, FadesAllChosenClipsByAnExactValue)
{
    openSong();
    takeHold();
    playheadTo(Seconds(6.0));
    press(Qt::Key_I);
    press(Qt::Key_A, Qt::ControlModifier);

    Q_EMIT child<NumberField>("handFadeOut")->finished(0.0);
    child<NumberField>("handFadeOut")->setValue(250.0);
    Q_EMIT child<NumberField>("handFadeOut")->finished(250.0);
    settle();

    EXPECT_EQ(
        song().tracks[0]->clips.back().out.length, toFrames(milliseconds(250.0), song().rate)
    );
    // The two touch: they keep their crossfade.
    EXPECT_EQ(song().tracks[0]->clips.front().out.length, Frames(240));
}

TEST_F(ByHandWindow, DraggingAFadeChangesAllChosenClipsAlikeOrToTheSame)
{
    openSong();
    takeHold();
    session_->choice.setRange(TimeRange{
        toFrames(Seconds(6.0), song().rate), toFrames(Seconds(7.0), song().rate)});
    press(Qt::Key_I);
    ASSERT_EQ(clips(0), 3U);
    session_->choice.setRange(std::nullopt);
    playheadTo(Seconds(6.5));
    press(Qt::Key_Delete, Qt::ShiftModifier);
    ASSERT_EQ(clips(0), 2U);
    press(Qt::Key_A, Qt::ControlModifier);
    const Frames outBefore = song().tracks[0]->clips[1].out.length;
    const Clip first = song().tracks[0]->clips[0];
    LanesView& lanes = window_->lanes();
    const auto corner = [&](Frames at) {
        return QPoint(
            static_cast<int>(std::lround(lanes.xOf(at))), lanes.lanes()[0].area.top() + 4
        );
    };
    const QPoint out = corner(first.end() - first.out.length) - QPoint(2, 0);

    drag(out, out - QPoint(30, 0));

    const Frames longer = song().tracks[0]->clips[0].out.length - first.out.length;
    EXPECT_GT(longer, Frames(4800));
    EXPECT_EQ(song().tracks[5]->clips[1].out.length - outBefore, longer);
    const QPoint in = corner(song().tracks[0]->clips[0].at) + QPoint(2, 0);
    drag(in, in + QPoint(20, 0), Qt::ControlModifier);
    EXPECT_EQ(song().tracks[0]->clips[0].in.length, song().tracks[0]->clips[1].in.length);
}

TEST_F(ByHandWindow, AFadeIsBentByItsCurveAndTakesItsShapeFromAPicture)
{
    openSong();
    takeHold();
    const auto clips = withTheirSet(song(), {song().tracks[0]->clips[0].id});
    session_->choice.setClips(clips);
    settle();
    set("handFadeIn", 2000.0);
    choose("handFadeShape", 2);  // straight
    ASSERT_EQ(song().tracks[3]->clips[0].in.shape, FadeShape::EqualGain);
    ASSERT_EQ(song().tracks[3]->clips[0].in.length, toFrames(Seconds(2.0), song().rate));
    session_->shown.zoomTo({Frames(0), toFrames(Seconds(4.0), song().rate)});
    settle();
    const QRect lane = window_->lanes().lanes()[0].area;
    const int x =
        static_cast<int>(std::lround(window_->lanes().xOf(toFrames(Seconds(1.0), song().rate))));
    const auto at = [&](double gain) {
        return QPoint(
            x, static_cast<int>(std::lround(lane.top() + 3 + (lane.height() - 6) * (1.0 - gain)))
        );
    };
    drag(at(0.5), at(0.8));
    EXPECT_EQ(document_->history().undoName(), "Set fades");
    for (const auto& track : song().tracks) {
        EXPECT_NEAR(track->clips[0].in.gainsAt(0.5, 0.0).in, 0.8, 0.06);
        EXPECT_EQ(track->clips[0].out, song().tracks[0]->clips[0].out);
    }
    // Longer than its clip: as long as it can be, and it is said.
    set("handFadeIn", 60000.0);
    EXPECT_EQ(song().tracks[0]->clips[0].in.length, song().tracks[0]->clips[0].length);
    EXPECT_NE(status().find("no more audio available"), std::string::npos) << status();
    choose("handFadeShape", 5);  // none
    EXPECT_EQ(song().tracks[0]->clips[0].in.length, Frames(0));
}

TEST_F(ByHandWindow, WhereThereIsNoGapAFadeOffersRoomOrTheCrossfade)
{
    openSong();
    takeHold();
    playheadTo(Seconds(3.0));
    press(Qt::Key_I);
    ASSERT_EQ(clips(0), 2U);
    ASSERT_TRUE(document_->apply(
        slipClips(song(), withTheirSet(song(), {song().tracks[0]->clips[1].id}), Frames(9600), {}),
        QStringLiteral("Slip")
    ));
    settle();
    const Clip second = song().tracks[0]->clips[1];
    ASSERT_GT(song().tracks[0]->clips[0].end(), second.at);
    session_->choice.setClips(withTheirSet(song(), {second.id}));
    settle();
    const auto answer = [](const QString& text) {
        QTimer::singleShot(0, [text] {
            auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
            ASSERT_NE(box, nullptr);
            for (QAbstractButton* button : box->buttons()) {
                if (button->text() == text) {
                    button->click();
                    return;
                }
            }
            box->reject();
            ADD_FAILURE() << "no " << text.toStdString();
        });
    };
    answer(QStringLiteral("Change crossfade"));
    set("handFadeIn", 60.0);
    EXPECT_EQ(song().tracks[2]->clips[1].in.length, toFrames(milliseconds(60.0), song().rate));
    EXPECT_EQ(
        song().tracks[2]->clips[0].end() - song().tracks[2]->clips[1].at,
        toFrames(milliseconds(60.0), song().rate)
    );
    answer(QStringLiteral("Make gap"));
    set("handFadeIn", 20.0);
    EXPECT_LE(song().tracks[2]->clips[0].end(), song().tracks[2]->clips[1].at);
    EXPECT_EQ(song().tracks[2]->clips[1].in.length, toFrames(milliseconds(20.0), song().rate));
}

TEST_F(ByHandWindow, DoesTheStepsOfAFitOneByOne)
{
    openSong();
    press(Qt::Key_3);
    press(Qt::Key_F);
    takeHold();

    child<QPushButton>("stepCutStep")->click();
    settle();
    const std::size_t cut = clips(0);
    EXPECT_GT(cut, 40U);
    child<QPushButton>("fitClips")->click();
    settle();
    const auto joins = joinsOf(song(), song().sets[0]);
    EXPECT_GT(joins.size(), 20U);
    child<QPushButton>("stepEarlierStep")->click();
    settle();
    const auto earlier = joinsOf(song(), song().sets[0]);
    ASSERT_EQ(earlier.size(), joins.size());
    EXPECT_LT(earlier[5].at, joins[5].at);
    EXPECT_EQ(song().length(), song().takes[0].frames);
}

TEST_F(ByHandWindow, AsksBeforeItReplacesWhatWasChangedByHand)
{
    findHitsAndFit();
    takeHold();
    playheadTo(Seconds(10.0));
    press(Qt::Key_D);
    press(Qt::Key_M, Qt::ShiftModifier);
    ASSERT_EQ(std::ranges::count_if(song().tracks[0]->clips, &Clip::isMuted), 1);

    answerNext(QMessageBox::AcceptRole);
    press(Qt::Key_F);
    EXPECT_EQ(std::ranges::count_if(song().tracks[0]->clips, &Clip::isMuted), 1);
    const auto steps = document_->history().size();
    answerNext(QMessageBox::DestructiveRole);
    press(Qt::Key_F);
    EXPECT_EQ(document_->history().size(), steps + 1);
    EXPECT_EQ(std::ranges::count_if(song().tracks[0]->clips, &Clip::isMuted), 0) << status();
}

TEST_F(ByHandWindow, SwitchesBetweenTwoWaysOfFittingWithOneKey)
{
    findHitsAndFit();
    const auto first = song().tracks[0]->clips;
    press(Qt::Key_Z, Qt::ShiftModifier);
    session_->fitting.request.fit.feel = 1.0;
    press(Qt::Key_F);
    const auto second = song().tracks[0]->clips;
    ASSERT_NE(first, second);

    press(Qt::Key_Z);
    EXPECT_EQ(song().tracks[0]->clips, first);
    press(Qt::Key_Z);
    EXPECT_EQ(song().tracks[0]->clips, second);
}

TEST_F(ByHandWindow, CutsClipsOutAndPastesThemElsewhereOnAllMicrophones)
{
    openSong();
    takeHold();
    playheadTo(Seconds(6.0));
    press(Qt::Key_I);
    playheadTo(Seconds(9.0));
    press(Qt::Key_I);
    press(Qt::Key_A);  // none chosen yet: the one under the playhead
    press(Qt::Key_A);
    const Clip middle = song().tracks[2]->clips[1];

    press(Qt::Key_X, Qt::ControlModifier);
    ASSERT_EQ(clips(2), 2U);
    const Frames end = song().length();
    player_->seek(end + Frames(48000));
    press(Qt::Key_V, Qt::ControlModifier);

    for (const std::size_t track : {std::size_t{0}, std::size_t{2}, std::size_t{7}}) {
        ASSERT_EQ(clips(track), 3U);
        const Clip& pasted = song().tracks[track]->clips[2];
        EXPECT_EQ(pasted.at, end + Frames(48000));
        EXPECT_NEAR(static_cast<double>((pasted.length - middle.length).count()), 0.0, 480.0);
    }
    press(Qt::Key_Z, Qt::ControlModifier);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(clips(2), 3U);
}

TEST_F(ByHandWindow, SelectsAllNoneAndByRange)
{
    openSong();
    takeHold();
    playheadTo(Seconds(6.0));
    press(Qt::Key_I);
    press(Qt::Key_A, Qt::ControlModifier);
    EXPECT_EQ(session_->choice.clips().size(), 16U);
    press(Qt::Key_A, Qt::ControlModifier | Qt::ShiftModifier);
    EXPECT_TRUE(session_->choice.clips().empty());
    press(Qt::Key_X, Qt::ShiftModifier);
    EXPECT_NE(status().find("Select a range"), std::string::npos) << status();
    session_->choice.setRange(TimeRange{Frames(0), toFrames(Seconds(5.0), song().rate)});
    press(Qt::Key_X, Qt::ShiftModifier);
    EXPECT_EQ(session_->choice.clips().size(), 8U);
}

TEST_F(ByHandWindow, SplitsAtMarksAtGridLinesAndAroundARange)
{
    openSong();
    press(Qt::Key_3);
    press(Qt::Key_F);
    takeHold();
    press(Qt::Key_I, Qt::ShiftModifier);
    EXPECT_GT(clips(6), 50U);
    press(Qt::Key_Z, Qt::ControlModifier);
    ASSERT_EQ(clips(6), 1U);

    session_->choice.setRange(TimeRange{
        toFrames(Seconds(4.0), song().rate), toFrames(Seconds(8.0), song().rate)});
    press(Qt::Key_I);
    EXPECT_EQ(clips(6), 3U);
    session_->choice.setRange(std::nullopt);
    playheadTo(Seconds(5.0));
    press(Qt::Key_I, Qt::ControlModifier | Qt::ShiftModifier);
    // Sixteenths at 92 bpm in four seconds.
    EXPECT_NEAR(static_cast<double>(clips(6)), 2.0 + 4.0 / (15.0 / 92.0), 2.0);
    press(Qt::Key_A, Qt::ControlModifier);
    press(Qt::Key_U);
    EXPECT_EQ(clips(6), 1U);  // all of it goes on where it was split
}

TEST_F(ByHandWindow, RepeatsAsOftenAsAskedAndRippleTakesTheRestAlong)
{
    openSong();
    takeHold();
    playheadTo(Seconds(6.0));
    press(Qt::Key_I);
    const Frames end = song().length();
    child<QCheckBox>("ripple")->click();
    press(Qt::Key_A);  // none chosen yet: the one under the playhead
    press(Qt::Key_A);
    const auto span = spanOf(song(), session_->choice.clips());
    ASSERT_TRUE(span);
    ASSERT_EQ(span->from, Frames(0));
    child<NumberField>("handCopies")->setValue(3.0);
    click("handRepeat");
    EXPECT_EQ(song().length(), end + (span->to - span->from) * 3);
    EXPECT_EQ(clips(5), 5U);
}

TEST_F(ByHandWindow, GainAndReverseAreHeardInThePicture)
{
    openSong();
    takeHold();
    playheadTo(Seconds(6.0));
    press(Qt::Key_I);
    press(Qt::Key_A);
    child<NumberField>("handGain")->setValue(-6.0);
    Q_EMIT child<NumberField>("handGain")->finished(-6.0);
    settle();
    const auto quieter = std::ranges::count_if(song().tracks[0]->clips, [](const Clip& clip) {
        return std::abs(clip.gain - 0.5012F) < 0.001F;
    });
    EXPECT_EQ(quieter, 1);
    press(Qt::Key_R, Qt::ShiftModifier);
    EXPECT_EQ(std::ranges::count_if(song().tracks[4]->clips, &Clip::isReversed), 1);
    press(Qt::Key_R, Qt::ShiftModifier);
    EXPECT_EQ(std::ranges::count_if(song().tracks[4]->clips, &Clip::isReversed), 0);
}

TEST_F(ByHandWindow, ALockedSetIsMovedByNothingAtAll)
{
    openSong();
    press(Qt::Key_3);
    press(Qt::Key_F);
    takeHold();
    press(Qt::Key_L, Qt::ControlModifier | Qt::ShiftModifier);
    const Song locked = song();
    playheadTo(Seconds(6.0));
    press(Qt::Key_I);
    press(Qt::Key_Delete);
    press(Qt::Key_D, Qt::ControlModifier);
    press(Qt::Key_R, Qt::ShiftModifier);
    press(Qt::Key_F);
    child<QPushButton>("stepCutStep")->click();
    settle();
    EXPECT_EQ(song(), locked);
    EXPECT_NE(status().find("lock"), std::string::npos) << status();
    press(Qt::Key_L, Qt::ControlModifier | Qt::ShiftModifier);
    press(Qt::Key_I);
    EXPECT_EQ(clips(0), 2U);
}

TEST_F(ByHandWindow, AClipIsMovedToTheTrackBelowAtTheIdenticalTime)
{
    openSong();
    takeHold();
    playheadTo(Seconds(6.0));
    press(Qt::Key_I);
    session_->choice.setTrack(song().tracks[0]->id);
    session_->choice.setClips({song().tracks[0]->clips[1].id});
    const Clip moved = song().tracks[0]->clips[1];
    press(Qt::Key_Down, Qt::ControlModifier | Qt::ShiftModifier);
    ASSERT_EQ(clips(0), 1U);
    EXPECT_TRUE(std::ranges::any_of(song().tracks[1]->clips, [&](const Clip& clip) {
        return clip.sound.take == moved.sound.take && clip.offset() == moved.offset();
    }));
    EXPECT_EQ(clips(2), 2U);  // the others stay
}

TEST_F(ByHandWindow, ShowsWhereASplitWouldFallAndSaysWhatADragWouldDo)
{
    openSong();
    takeHold();
    const QPoint place = grab(1, toFrames(Seconds(7.0), song().rate));
    const QImage before = window_->lanes().grab().toImage();

    QTest::mouseMove(&window_->lanes(), place);
    settle();

    EXPECT_NE(status().find("split"), std::string::npos) << status();
    EXPECT_NE(window_->lanes().grab().toImage(), before);
}

}  // namespace
}  // namespace orthochron::app
