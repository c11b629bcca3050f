#include <QAbstractButton>
#include <QApplication>
#include <QComboBox>
#include <QCommandLineParser>
#include <QKeyEvent>

#include "app/controls/NumberField.h"
#include "app/stages/Stages.h"
#include "app/theme/Theme.h"
#include "app/window/Picture.h"
#include "core/edits/GrooveEdits.h"
#include "core/edits/SpeedEdits.h"

// Makes one of the pictures in docs/screenshots; docs/make-screenshots.sh asks for them all.
namespace orthochron::app {
namespace {

// The bass as if a turntable were stopped by hand and let go again.
void stopAndLetGo(Session& session)
{
    using namespace orthochron;
    const Song& song = session.song();
    const ClipId bass = song.tracks.back()->clips.back().id;
    const auto at = [&](double beats) {
        const Seconds time = song.tempo.timeAt(song.tempo.startOfBar(12) + Beats(beats));
        return toFrames(time, song.rate) - clipOf(song, bass)->clip.at;
    };
    session.document.apply(
        setSpeed(
            song,
            {bass},
            {.points = {{at(0.0), 1.0, 0.4}, {at(2.0), 0.2}, {at(4.0), 0.2, -0.5}, {at(8.0), 1.0}}}
        ),
        QString()
    );
}

void fitToAGroove(MainWindow& window, Session& session)
{
    const Grid grid(session.song().tempo, session.fitting.request.grid);
    const Groove groove = grooveOf(session.fitting.preview().performance, grid, "Kit, verse");
    session.document.apply(addGroove(session.song(), groove), QStringLiteral("Save groove"));
    auto* list = window.findChild<QComboBox*>(QStringLiteral("groove"));
    list->setCurrentIndex(1);
    Q_EMIT list->activated(1);
    auto* feel = window.findChild<NumberField*>(QStringLiteral("feel"));
    feel->setValue(100.0);
    Q_EMIT feel->changed(100.0);
    settle(session);
}

void lookAt(Session& session, double seconds, double length)
{
    const Song& song = session.song();
    const Frames from = toFrames(Seconds(seconds), song.rate);
    session.shown.zoomTo({from, from + toFrames(Seconds(length), song.rate)});
    session.player.seek(from + toFrames(Seconds(length * 0.38), song.rate));
}

// Two bars from this one on, cut a little late.
void chooseLoop(MainWindow& window, Session& session, int bar)
{
    window.findChild<QAbstractButton*>(QStringLiteral("wayLoop"))->click();
    const Song& song = session.song();
    const auto lineAt = [&song](int number) {
        return toFrames(song.tempo.timeAt(song.tempo.startOfBar(number)), song.rate);
    };
    const Frames late = toFrames(milliseconds(4.0), song.rate);
    session.choice.setRange(TimeRange{lineAt(bar), lineAt(bar + 2) + late});
    settle(session);
}

}  // namespace
}  // namespace orthochron::app

int main(int argc, char** argv)
{
    using namespace orthochron::app;  // NOLINT(google-build-using-namespace): the program is this
    QApplication application(argc, argv);
    QApplication::setOrganizationName(QStringLiteral("Orthochron"));
    QApplication::setApplicationName(QStringLiteral("orthochron"));
    QCommandLineParser parser;
    parser.addPositionalArgument(QStringLiteral("song"), QStringLiteral("The song"));
    parser.addPositionalArgument(QStringLiteral("picture"), QStringLiteral("The file to write"));
    const auto value = [&](const char* name) { return parser.value(QLatin1String(name)); };
    const auto has = [&](const char* name) { return parser.isSet(QLatin1String(name)); };
    for (const char* name : {"stage", "at", "bars", "track", "loop"}) {
        parser.addOption(QCommandLineOption(QLatin1String(name), QString(), QLatin1String(name)));
    }
    for (const char* name :
         {"samples",
          "fitted",
          "groove",
          "by-hand",
          "trying",
          "speed",
          "doubtful",
          "tempo",
          "follow",
          "night",
          "stretch",
          "stretched",
          "shaped"}) {
        parser.addOption(QCommandLineOption(QLatin1String(name)));
    }
    parser.process(application);
    if (parser.positionalArguments().size() != 2) {
        parser.showHelp(2);
    }
    Theme::install();
    Theme::setSheet(has("night") ? Sheet::Night : Sheet::Day);
    JobQueue jobs;
    Document document;
    orthochron::engine::Player player(orthochron::engine::openDevice(SoundCard::choice()));
    Session session(jobs, document, player);
    MainWindow window(session);
    window.show();
    window.openFiles({parser.positionalArguments().at(0)});
    if (has("fitted")) {
        workUpTo(window, session, stageNamed(QStringLiteral("Joins")).value());
    }
    const int stage = stageNamed(value("stage")).value();
    workUpTo(window, session, stage);
    for (const auto& track : session.song().tracks) {
        if (value("track") == QString::fromStdString(track->name)) {
            session.choice.setTrack(track->id);
            settle(session);
        }
    }
    if (has("at")) {
        const double bars = has("bars") ? value("bars").toDouble() : 4.0;
        const double bar = 240.0 / session.song().tempo.tempi().front().bpm;
        lookAt(session, value("at").toDouble(), has("samples") ? 0.02 : bars * bar);
    }
    if (has("samples")) {
        window.action(Command::Next)->trigger();
        window.action(Command::ZoomToMark)->trigger();
    }
    if (has("groove")) {
        fitToAGroove(window, session);
    }
    if (has("by-hand")) {
        window.findChild<QAbstractButton*>(QStringLiteral("wayByHand"))->click();
        window.action(Command::Next)->trigger();
        window.action(Command::Next)->trigger();
    }
    if (has("trying")) {
        auto* keys = window.findChild<QWidget*>(QStringLiteral("pitchKeys"));
        QApplication::setActiveWindow(&window);
        keys->setFocus();
        settle(session);
        QKeyEvent held(QEvent::KeyPress, Qt::Key_F, Qt::NoModifier);
        QApplication::sendEvent(keys, &held);
    }
    if (has("stretch")) {
        window.findChild<QAbstractButton*>(QStringLiteral("wayStretch"))->click();
        settle(session);
    }
    if (has("stretched")) {
        window.action(Command::MainAction)->trigger();
        settle(session);
    }
    if (has("tempo")) {
        window.findChild<QAbstractButton*>(QStringLiteral("findTempo"))->click();
        settle(session);
    }
    if (has("follow")) {
        window.findChild<QAbstractButton*>(QStringLiteral("wayFollow"))->click();
        window.findChild<QAbstractButton*>(QStringLiteral("draftBars"))->click();
        settle(session);
        window.action(Command::Next)->trigger();
        window.action(Command::Previous)->trigger();
    }
    if (has("loop")) {
        chooseLoop(window, session, value("loop").toInt());
    }
    if (has("shaped")) {
        window.action(Command::Next)->trigger();
        window.action(Command::Next)->trigger();
        lookAt(session, value("at").toDouble(), value("bars").toDouble() * 240.0 / 92.0);
    }
    if (has("speed")) {
        stopAndLetGo(session);
        window.findChild<QAbstractButton*>(QStringLiteral("drawSpeed"))->click();
        settle(session);
    }
    if (has("doubtful")) {
        window.findChild<QAbstractButton*>(QStringLiteral("wayDoubtful"))->click();
        window.action(Command::Next)->trigger();
        window.action(Command::Previous)->trigger();
    }
    if (value("stage") == QLatin1String("joins") && !session.review.joinsWorstFirst().empty()) {
        session.review.setJoin(session.review.joinsWorstFirst().front());
    }
    savePicture(window, session, parser.positionalArguments().at(1));
    document.discard();
    return 0;
}
