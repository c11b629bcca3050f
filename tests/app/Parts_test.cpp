#include <QApplication>
#include <QFile>
#include <QSignalSpy>
#include <QTest>

#include <gtest/gtest.h>

#include "app/controls/Commands.h"
#include "app/controls/NumberField.h"
#include "app/document/JobQueue.h"
#include "app/session/Session.h"
#include "app/session/TimeScale.h"
#include "app/views/FrameSheet.h"
#include "app/window/StageRail.h"

#include <set>

namespace orthochron::app {
namespace {

TEST(TimeScale, GoesFromTimeToPixelsAndBackAtEveryZoom)
{
    for (const double framesPerPixel : {1.0 / 16.0, 1.0, 512.0, 100000.0}) {
        const TimeScale scale{12345.0, framesPerPixel};
        for (const double x : {-100.0, 0.0, 37.0, 1000.0}) {
            EXPECT_NEAR(scale.xOf(scale.timeAt(x)), x, 0.51 / framesPerPixel);
        }
    }
}

TEST(Frames, WhatIsTooLoudForItsFrameEndsAtItsEdges)
{
    QImage image(100, 80, QImage::Format_RGB32);
    image.fill(Qt::white);
    QPainter painter(&image);
    std::vector<float> samples(400);
    for (std::size_t i = 0; i < samples.size(); ++i) {
        samples[i] = i % 2 == 0 ? 1.0F : -1.0F;
    }
    paintSamples(painter, samples, QRectF(10, 20, 80, 40), 60.0);  // three times too high
    painter.end();
    EXPECT_NE(image.pixelColor(50, 22), QColor(Qt::white));
    EXPECT_NE(image.pixelColor(50, 58), QColor(Qt::white));
    for (int x = 0; x < 100; ++x) {
        for (const int y : {5, 18, 62, 75}) {
            ASSERT_EQ(image.pixelColor(x, y), QColor(Qt::white)) << x << ' ' << y;
        }
    }
}

TEST(TimeScale, ZoomsAboutAPointThatStays)
{
    TimeScale scale{1000.0, 100.0};
    const Frames held = scale.timeAt(300.0);

    for (const double factor : {2.0, 3.0, 0.1, 1e9, 1e-12}) {
        scale.zoom(factor, 300.0);
        EXPECT_NEAR(scale.xOf(held), 300.0, 1.0 / scale.framesPerPixel + 0.01);
    }
}

TEST(Commands, HaveKeysOfTheirOwnAndNoneThatBelongElsewhere)
{
    std::set<QString> ids;
    std::map<QString, QString> keys;
    for (const CommandSpec& spec : commandTable()) {
        EXPECT_TRUE(ids.insert(spec.id).second) << spec.id.toStdString();
        EXPECT_FALSE(spec.text.isEmpty());
        for (const QString& each : {spec.keys, spec.second}) {
            if (each.isEmpty()) {
                continue;
            }
            EXPECT_FALSE(QKeySequence(each).isEmpty()) << each.toStdString();
            EXPECT_TRUE(keys.emplace(each, spec.id).second) << each.toStdString() << " is taken";
        }
    }
    for (const char* key : {"Q", "G", "C", "X", "Tab", "+", "-", "B", "Ctrl+Alt+Up"}) {
        EXPECT_FALSE(keys.contains(QLatin1String(key))) << key;
    }
}

TEST(Commands, AreAllInTheDocument)
{
    const QString text = shortcutsDocument();
    for (const CommandSpec& spec : commandTable()) {
        EXPECT_TRUE(text.contains(QStringLiteral("| %1 | %2").arg(spec.text, spec.keys)))
            << spec.text.toStdString();
    }
    QFile file(QStringLiteral(ORTHOCHRON_SOURCE "/docs/shortcuts.md"));
    ASSERT_TRUE(file.open(QIODevice::ReadOnly));
    EXPECT_EQ(QString::fromUtf8(file.readAll()), text) << "make docs/shortcuts.md anew";
}

TEST(Commands, CanBeChangedByTheUser)
{
    const CommandSpec& spec = commandTable()[3];

    const QList<QKeySequence> own{
        QKeySequence(QStringLiteral("Ctrl+Alt+P")), QKeySequence(QStringLiteral("Ctrl+Alt+O"))};
    const QList<QKeySequence> delivered{QKeySequence(spec.keys), QKeySequence(spec.second)};
    setKeys(spec, own);
    EXPECT_EQ(keysOf(spec), own);
    setKeys(spec, delivered);
    EXPECT_EQ(keysOf(spec), delivered);
}

TEST(JobQueue, BringsResultsBackToTheWindowsThread)
{
    JobQueue jobs;
    QObject receiver;
    int got = 0;
    const auto here = std::this_thread::get_id();

    jobs.run(
        {.key = {}, .title = QStringLiteral("sum")},
        &receiver,
        [here](const Work& work) {
            work.report(0.5);
            return std::this_thread::get_id() != here ? 42 : 0;
        },
        [&](int value) {
            EXPECT_EQ(std::this_thread::get_id(), here);
            got = value;
        }
    );
    EXPECT_EQ(jobs.shownName(), QStringLiteral("sum"));
    jobs.finish();

    EXPECT_EQ(got, 42);
    EXPECT_FALSE(jobs.isBusy());
}

TEST(JobQueue, AJobThatThrowsBecomesASentence)
{
    JobQueue jobs;
    QObject here;
    const QSignalSpy broke(&jobs, &JobQueue::broke);
    std::string said;
    jobs.run(
        {.key = {}, .title = QStringLiteral("Fit")},
        &here,
        [](const Work&) -> Result<int> { throw std::bad_alloc(); },
        [&](const Result<int>& done) { said = done ? "done" : done.error().message; }
    );
    bool isDone = false;
    jobs.run(
        {.key = {}, .title = QStringLiteral("Drawing")},
        &here,
        [](const Work&) -> int { throw std::runtime_error("the disk is gone"); },
        [&](int) { isDone = true; }
    );
    jobs.finish();
    QCoreApplication::processEvents();
    EXPECT_NE(said.find("memory"), std::string::npos) << said;
    EXPECT_FALSE(isDone);
    ASSERT_EQ(broke.count(), 1);
    EXPECT_EQ(broke.first().first().toString(), QStringLiteral("Drawing: the disk is gone"));
}

TEST(JobQueue, DropsWhatIsStoppedReplacedOrNoLongerWanted)
{
    JobQueue jobs;
    auto receiver = std::make_unique<QObject>();
    int delivered = 0;
    const auto wait = [](const Work& work) {
        while (!work.stopped()) {
            std::this_thread::yield();
        }
        return 1;
    };
    const auto count = [&](int) { ++delivered; };

    const JobTag keyed{.key = QStringLiteral("a"), .title = {}};
    jobs.run(keyed, receiver.get(), wait, count);
    jobs.run(
        keyed, receiver.get(), [](const Work&) { return 2; }, count
    );
    jobs.finish();
    EXPECT_EQ(delivered, 1);  // the newer one

    const JobTag titled{.key = {}, .title = QStringLiteral("c")};
    jobs.run(
        titled, receiver.get(), [](const Work&) { return 3; }, count
    );
    receiver.reset();
    jobs.finish();
    EXPECT_EQ(delivered, 1);

    QObject other;
    jobs.run(titled, &other, wait, count);
    jobs.stopShown();
    jobs.finish();
    EXPECT_EQ(delivered, 2);  // a stopped job says itself that it was stopped

    jobs.run(keyed, &other, wait, count);
    jobs.drop(QStringLiteral("a"));
    jobs.finish();
    EXPECT_EQ(delivered, 2);
}

TEST(JobQueue, TellsJobsApartByTheirKeysAndNotByWhatIsShown)
{
    JobQueue jobs;
    QObject here;
    int delivered = 0;
    // Two takes of one name are drawn, and two drops of files imported.
    for (const char* key : {"wave 1", "wave 2", "", ""}) {
        jobs.run(
            {.key = QString::fromUtf8(key), .title = QStringLiteral("Drawing Kick")},
            &here,
            [](const Work&) { return 1; },
            [&](int) { ++delivered; }
        );
    }
    jobs.finish();
    EXPECT_EQ(delivered, 4);
}

TEST(JobQueue, DropsAResultWhoseSourceIsGone)
{
    JobQueue jobs;
    QObject here;
    bool holds = true;
    std::vector<int> delivered;
    const JobTag tag{.key = {}, .title = {}, .holds = [&] { return holds; }};
    const auto keep = [&](int value) { delivered.push_back(value); };
    jobs.run(
        tag, &here, [](const Work&) { return 1; }, keep
    );
    jobs.finish();
    jobs.run(
        tag, &here, [](const Work&) { return 2; }, keep
    );
    holds = false;
    jobs.finish();
    EXPECT_EQ(delivered, std::vector{1});
}

TEST(JobQueue, QuickWorkNeverWaitsForLongWork)
{
    JobQueue jobs;
    QObject here;
    std::atomic<bool> isQuickDone{false};
    // Each long job ends only once the quick one was done.
    for (int i = 0; i < 4; ++i) {
        jobs.run(
            {.key = {}, .title = {}},
            &here,
            [&](const Work& work) {
                while (!isQuickDone && !work.stopped()) {
                    std::this_thread::yield();
                }
                return 0;
            },
            [](int) {}
        );
    }
    jobs.run(
        {.key = {}, .title = {}, .holds = {}, .isQuick = true},
        &here,
        [&](const Work&) { return isQuickDone = true; },
        [](bool) {}
    );
    jobs.finish();
    EXPECT_TRUE(isQuickDone);
}

TEST(NumberField, IsTypedDraggedWheeledAndPutBack)
{
    NumberField field(
        QStringLiteral("Length"), {QStringLiteral("ms"), 1, 0.0, 50.0, 5.0, 0.1, 48000.0}, true
    );
    field.resize(200, 40);
    field.show();
    QSignalSpy finished(&field, &NumberField::finished);

    QTest::mousePress(&field, Qt::LeftButton, Qt::NoModifier, QPoint(20, 8));
    QMouseEvent move(
        QEvent::MouseMove,
        QPointF(20, -42),
        field.mapToGlobal(QPointF(20, -42)),
        Qt::NoButton,
        Qt::LeftButton,
        Qt::NoModifier
    );
    QApplication::sendEvent(&field, &move);
    QTest::mouseRelease(&field, Qt::LeftButton, Qt::NoModifier, QPoint(20, -42));
    EXPECT_NEAR(field.value(), 10.0, 1e-9);

    QTest::keyClick(&field, Qt::Key_Up, Qt::ShiftModifier);
    EXPECT_NEAR(field.value(), 10.1, 1e-9);
    QWheelEvent wheel(
        QPointF(20, 8),
        field.mapToGlobal(QPointF(20, 8)),
        {},
        QPoint(0, -120),
        Qt::NoButton,
        Qt::NoModifier,
        Qt::NoScrollPhase,
        false
    );
    QApplication::sendEvent(&field, &wheel);
    EXPECT_NEAR(field.value(), 9.1, 1e-9);
    // Delete is the stage's, but for a field whose text is selected.
    QTest::keyClick(&field, Qt::Key_Delete);
    EXPECT_NEAR(field.value(), 9.1, 1e-9);
    QTest::keyClick(&field, Qt::Key_Return);
    QTest::keyClick(field.findChild<QLineEdit*>(), Qt::Key_Delete);
    EXPECT_EQ(field.value(), 5.0);
    EXPECT_EQ(finished.count(), 4);

    field.setValue(999.0);
    EXPECT_EQ(field.value(), 50.0);
    QTest::mouseClick(&field, Qt::LeftButton, Qt::NoModifier, QPoint(100, 31));
    EXPECT_NEAR(field.value(), 25.0, 1.0);
}

TEST(PlaceText, NamesTheNearestBeatAndTheDistanceFromIt)
{
    Song song;
    song.tempo = *TempoMap::steady(120.0, {4, 4}, Seconds(1.0));
    const auto at = [&](double seconds) {
        return placeText(song, toFrames(Seconds(seconds), song.rate));
    };

    EXPECT_EQ(at(1.0).place, QStringLiteral("1 · 1"));
    EXPECT_EQ(at(1.0).off, QStringLiteral("+0 ms"));
    EXPECT_EQ(at(3.512).place, QStringLiteral("2 · 2"));
    EXPECT_EQ(at(3.512).off, QStringLiteral("+12 ms"));
    EXPECT_EQ(at(2.98).place, QStringLiteral("2 · 1"));
    EXPECT_EQ(at(2.98).off, QStringLiteral("−20 ms"));
}

TEST(StageRail, IsWalkedWithTheArrowKeysPastStagesThatAreOff)
{
    StageRail rail(
        {{QStringLiteral("a"), true}, {QStringLiteral("b"), false}, {QStringLiteral("c"), true}}
    );
    QSignalSpy chosen(&rail, &StageRail::chosen);

    QTest::keyClick(&rail, Qt::Key_Down);

    ASSERT_EQ(chosen.count(), 1);
    EXPECT_EQ(chosen.first().first().toInt(), 2);
    QTest::mouseClick(&rail, Qt::LeftButton, Qt::NoModifier, QPoint(40, 70));
    EXPECT_EQ(chosen.last().first().toInt(), 2) << "those that are off take no room";
}

}  // namespace
}  // namespace orthochron::app
