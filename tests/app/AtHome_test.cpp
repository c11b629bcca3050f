#include <QFontMetrics>
#include <QLineEdit>
#include <QMenu>
#include <QMenuBar>
#include <QSettings>

#include "WindowFixture.h"
#include "app/theme/Theme.h"
#include "app/views/JoinViews.h"
#include "app/window/Possible.h"

// A lone take, two songs one after the other, keys, menus and heads.
namespace orthochron::app {
namespace {

class AtHome : public Window {
protected:
    [[nodiscard]] static QString take(const char* name)
    {
        return QString::fromStdString((Kit::shared().folder() / name).string());
    }
    QMenu* menu(const QString& title)
    {
        for (QAction* action : window_->menuBar()->actions()) {
            if (action->text().remove(QLatin1Char('&')) == title) {
                return action->menu();
            }
        }
        return nullptr;
    }
};

TEST_F(AtHome, ALoneTakeIsFoundFittedJoinedAndPrintedWithoutAMicSet)
{
    window_->openFiles({take("Kick in.wav")});
    settle();
    ASSERT_EQ(song().tracks.size(), 1U);
    EXPECT_NE(status().find("Imported 1 take on 1 track"), std::string::npos) << status();
    set("bpm", 92.0);
    press(Qt::Key_3);
    press(Qt::Key_F);
    EXPECT_GT(song().tracks[0]->marks.size(), 20U);
    EXPECT_FALSE(child<QWidget>("isLead")->isEnabled());  // it is its own
    press(Qt::Key_4);
    EXPECT_TRUE(child<QPushButton>("cutAndJoin")->isEnabled());
    press(Qt::Key_F);
    EXPECT_GT(song().tracks[0]->clips.size(), 10U);
    press(Qt::Key_5);
    EXPECT_EQ(session_->review.joins().size(), joinsOf(song(), song().sets[0]).size());
    EXPECT_GT(session_->review.joins().size(), 10U);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(song().tracks[0]->clips.size(), 1U);
    // Nothing calls it a mic set.
    EXPECT_FALSE(isPossible(Command::UngroupSet, *session_));
    EXPECT_FALSE(window_->lanes().lanes()[0].isOfKit);
}

TEST_F(AtHome, TwoTakesOfOneNameHaveTheirWavesBoth)
{
    const auto other = Kit::shared().folder().path() / "again";
    std::filesystem::create_directories(other);
    std::filesystem::copy_file(
        Kit::shared().folder() / "Tom.wav",
        other / "Kick in.wav",
        std::filesystem::copy_options::overwrite_existing
    );
    // Two drops at once: the second does not end the first.
    window_->openFiles({take("Kick in.wav")});
    window_->openFiles({QString::fromStdString((other / "Kick in.wav").string())});
    settle();
    ASSERT_EQ(song().tracks.size(), 2U);
    EXPECT_EQ(song().tracks[0]->name, song().tracks[1]->name);
    for (const Take& each : song().takes) {
        EXPECT_NE(session_->waves.peaks(each.id), nullptr);
    }
}

TEST_F(AtHome, AnotherSongOpenedMeanwhileGetsNoneOfTheOldOnesHits)
{
    openSong();
    session_->hits.detect();
    const auto other = Kit::shared().folder() / "AnotherSong.orthochron";
    std::filesystem::copy_file(
        Kit::shared().folder() / "kit.orthochron",
        other,
        std::filesystem::copy_options::overwrite_existing
    );
    window_->openSong(QString::fromStdString(other.string()));
    settle();
    for (const auto& track : song().tracks) {
        EXPECT_TRUE(track->marks.empty()) << track->name;
    }
    EXPECT_FALSE(document_->isChanged());
}

TEST_F(AtHome, AnUndoneFitKeepsNoFindings)
{
    findHitsAndFit();
    ASSERT_FALSE(session_->review.joins().empty());
    document_->undo();  // while its joins may still be being checked
    settle();
    EXPECT_TRUE(session_->review.joins().empty());
    EXPECT_TRUE(session_->review.findings().empty());
}

TEST_F(AtHome, AfterAValueIsTypedTheKeysBelongToTheSong)
{
    openSong();
    press(Qt::Key_2);
    auto* field = child<NumberField>("firstDownbeat");
    for (const Qt::Key end : {Qt::Key_Return, Qt::Key_Escape}) {
        QTest::mouseClick(field, Qt::LeftButton, Qt::NoModifier, QPoint(field->width() - 10, 8));
        auto* editor = field->findChild<QLineEdit*>();
        ASSERT_TRUE(editor != nullptr && editor->isVisible());
        editor->setText(QStringLiteral("1.25"));
        QTest::keyClick(editor, end);
        settle();
        EXPECT_FALSE(editor->isVisible());
        EXPECT_FALSE(field->hasFocus());
        EXPECT_FALSE(editor->hasFocus());
        EXPECT_EQ(song().tempo.firstDownbeat(), Seconds(1.25));
    }
    QTest::keyClick(window_.get(), Qt::Key_3);
    EXPECT_TRUE(child<QWidget>("isLead")->isVisible());
    EXPECT_EQ(song().tempo.firstDownbeat(), Seconds(1.25));
}

TEST_F(AtHome, MenusHaveGroupsGreyWhatCannotBeDoneAndNameTheStagesAction)
{
    QMenu* clips = menu(QStringLiteral("Clips"));
    QMenu* stage = menu(QStringLiteral("Stage"));
    ASSERT_TRUE(clips != nullptr && stage != nullptr && menu(QStringLiteral("Help")) != nullptr);
    EXPECT_GT(std::ranges::count_if(clips->actions(), &QAction::isSeparator), 3);
    Q_EMIT clips->aboutToShow();
    EXPECT_FALSE(window_->action(Command::SplitPlayhead)->isEnabled());
    Q_EMIT clips->aboutToHide();
    EXPECT_TRUE(window_->action(Command::SplitPlayhead)->isEnabled());

    openSong();
    press(Qt::Key_3);
    press(Qt::Key_F);
    press(Qt::Key_4);
    Q_EMIT clips->aboutToShow();
    EXPECT_TRUE(window_->action(Command::SplitPlayhead)->isEnabled());
    Q_EMIT clips->aboutToHide();
    QMenu* fit = menu(QStringLiteral("Fit"));
    Q_EMIT fit->aboutToShow();
    EXPECT_FALSE(window_->action(Command::NextVersion)->isEnabled());
    Q_EMIT fit->aboutToHide();
    Q_EMIT stage->aboutToShow();
    EXPECT_EQ(
        window_->action(Command::MainAction)->text().remove(QLatin1Char('&')),
        child<QPushButton>("cutAndJoin")->text()
    );
    EXPECT_NE(window_->action(Command::MainAction)->text().indexOf(QStringLiteral("hits")), -1);
    EXPECT_FALSE(window_->action(Command::Mend)->isEnabled());
    Q_EMIT stage->aboutToHide();
}

TEST_F(AtHome, HeadsAreAsWideAsTheirNamesOrAsTheHandMakesThem)
{
    openSong();
    const int before = window_->lanes().headWidth();
    const TrackId id = song().tracks[3]->id;
    document_->apply(renameTrack(song(), id, "snare_bottom_long"), QStringLiteral("Rename track"));
    settle();
    const int wide = window_->lanes().headWidth();
    EXPECT_GT(wide, before);
    EXPECT_GE(
        wide,
        QFontMetrics(Theme::label(10, QFont::DemiBold))
            .horizontalAdvance(QStringLiteral("snare_bottom_long"))
    );
    const int y = window_->lanes().lanes()[0].area.center().y();
    drag({wide, y}, {wide + 60, y});
    EXPECT_NEAR(window_->lanes().headWidth(), wide + 60, 2);
    EXPECT_EQ(window_->lanes().sheet().left(), window_->lanes().headWidth());
    QSettings().remove(QStringLiteral("headWidth"));
}

TEST_F(AtHome, TheLoupeShowsEachMicrophoneAgainstTheHitThatFollows)
{
    findHitsAndFit();
    press(Qt::Key_5);
    press(Qt::Key_D);
    JoinPictures pictures(*session_, nullptr);
    ASSERT_EQ(pictures.of(session_->review.join()), nullptr);
    settle();
    const JoinPicture* picture = pictures.of(session_->review.join());
    ASSERT_NE(picture, nullptr);
    ASSERT_EQ(picture->hit.size(), 8U);
    ASSERT_EQ(picture->likeness.size(), 8U);
    EXPECT_GT(picture->hit[0] + picture->hit[2], 0.1F);
}

TEST_F(AtHome, FromAfarStrokesGiveWayToHowFarOffEachStretchIs)
{
    openSong();
    press(Qt::Key_3);
    press(Qt::Key_F);
    press(Qt::Key_4);
    session_->shown.zoomToAll();
    settle();
    LanesView& lanes = window_->lanes();
    const auto inked = [&] {
        const QRect area = lanes.lanes()[0].area;
        const QImage image = lanes.grab(area).toImage();
        int count = 0;
        // Heads of strokes stand near the lane's top.
        for (int x = 0; x < image.width(); ++x) {
            const QColor colour = image.pixelColor(x, 5);
            count += colour == Theme::palette().late || colour == Theme::palette().early ? 1 : 0;
        }
        return count;
    };
    TimeScale far = session_->shown.scale();
    far.framesPerPixel *= 4.0;
    session_->shown.setScale(far);
    settle();
    const int fromAfar = inked();
    session_->shown.zoomTo({Frames(48000), Frames(48000 * 6)});
    settle();
    EXPECT_GT(inked(), fromAfar);
}

}  // namespace
}  // namespace orthochron::app
