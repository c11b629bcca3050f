#include <QAbstractButton>
#include <QApplication>
#include <QComboBox>
#include <QCommandLineParser>
#include <QPixmap>
#include <QSettings>
#include <QTextStream>

#include "app/controls/NumberField.h"
#include "app/theme/Theme.h"
#include "app/window/MainWindow.h"
#include "core/edits/GrooveEdits.h"

#include <algorithm>
#include <cstdio>

// The thin start of the window. With --screenshot it does what a hand would do (open, find hits,
// fit when a stage after it is asked for) and leaves a picture; the pictures in docs are made so.
namespace orthochron::app {
namespace {

struct Shot {
    QString file;
    QString stage = QStringLiteral("takes");
    double seconds = -1.0;  // what is looked at, from its left edge
    double bars = 4.0;
    bool isSample = false;
    bool isByHand = false;
    bool isFitted = false;
    bool hasGroove = false;
};

int stageNamed(const QString& name)
{
    const QStringList names{
        QStringLiteral("takes"),
        QStringLiteral("grid"),
        QStringLiteral("marks"),
        QStringLiteral("fit"),
        QStringLiteral("joins"),
        QStringLiteral("tune"),
        QStringLiteral("shape"),
        QStringLiteral("sounds"),
        QStringLiteral("print")};
    return static_cast<int>(std::max<qsizetype>(0, names.indexOf(name.toLower())));
}

void settle(Session& session)
{
    for (int i = 0; i < 4; ++i) {
        session.jobs.finish();
        QCoreApplication::processEvents();
    }
}

void takeShot(MainWindow& window, Session& session, const Shot& shot)
{
    Document& document = session.document;
    settle(session);
    const int stage = stageNamed(shot.stage);
    if (stage >= 2 && session.preview().performance.hits.empty()) {
        session.detect();
        settle(session);
    }
    if ((stage >= 4 || shot.isFitted) && session.joins().empty()) {
        session.applyFit();
        settle(session);
    }
    window.showStage(stage);
    if (stage == 2) {
        window.action(Command::MainAction)->trigger();
        settle(session);
    }
    if (shot.seconds >= 0.0) {
        const Song& song = session.song();
        const Frames from = toFrames(Seconds(shot.seconds), song.rate);
        const double length =
            shot.isSample ? 0.02 : shot.bars * 240.0 / song.tempo.tempi().front().bpm;
        session.zoomTo({from, from + toFrames(Seconds(length), song.rate)});
        session.player.seek(from + toFrames(Seconds(length * 0.38), song.rate));
    }
    if (shot.isSample) {
        window.action(Command::Next)->trigger();
        window.action(Command::ZoomToMark)->trigger();
    }
    if (shot.hasGroove) {
        const Grid grid(session.song().tempo, session.request.grid);
        const Groove groove = grooveOf(session.preview().performance, grid, "Kit, verse");
        document.apply(addGroove(session.song(), groove), QStringLiteral("Keep groove"));
        auto* list = window.findChild<QComboBox*>(QStringLiteral("groove"));
        list->setCurrentIndex(1);
        Q_EMIT list->activated(1);
        window.findChild<NumberField*>(QStringLiteral("feel"))->setValue(100.0);
        Q_EMIT window.findChild<NumberField*>(QStringLiteral("feel"))->changed(100.0);
        settle(session);
    }
    if (shot.isByHand) {
        window.findChild<QAbstractButton*>(QStringLiteral("wayByHand"))->click();
        window.action(Command::Next)->trigger();
        window.action(Command::Next)->trigger();
    }
    if (stage == 4 && !session.joinsWorstFirst().empty()) {
        session.setJoin(session.joinsWorstFirst().front());
    }
    settle(session);
    window.grab();
    settle(session);
    window.tick();
    window.grab().save(shot.file);
}

}  // namespace
}  // namespace orthochron::app

int main(int argc, char** argv)
{
    using namespace orthochron::app;  // NOLINT(google-build-using-namespace): the program is this
    // File dialogs are the desktop's own where it offers them.
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORMTHEME") &&
        !qEnvironmentVariableIsEmpty("DBUS_SESSION_BUS_ADDRESS")) {
        qputenv("QT_QPA_PLATFORMTHEME", "xdgdesktopportal");
    }
    QApplication application(argc, argv);
    QApplication::setOrganizationName(QStringLiteral("Orthochron"));
    QApplication::setApplicationName(QStringLiteral("orthochron"));
    QApplication::setApplicationVersion(QStringLiteral("0.1.0"));
    QCommandLineParser parser;
    parser.setApplicationDescription(QStringLiteral("Fits recorded takes to the song's grid."));
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument(
        QStringLiteral("files"),
        QStringLiteral("A song to open, or sound files and folders to import"),
        QStringLiteral("[files...]")
    );
    parser.addOptions(
        {{QStringLiteral("screenshot"),
          QStringLiteral("Save a picture of the window and end."),
          QStringLiteral("file")},
         {QStringLiteral("stage"), QStringLiteral("Which stage to show."), QStringLiteral("stage")},
         {QStringLiteral("at"),
          QStringLiteral("Look at this second of the song."),
          QStringLiteral("seconds")},
         {QStringLiteral("bars"), QStringLiteral("How many bars to show."), QStringLiteral("bars")},
         {QStringLiteral("samples"), QStringLiteral("Look closely enough to see samples.")},
         {QStringLiteral("fitted"), QStringLiteral("Fit first.")},
         {QStringLiteral("groove"), QStringLiteral("Fit to a groove.")},
         {QStringLiteral("by-hand"), QStringLiteral("Take hold of clips in Fit.")},
         {QStringLiteral("night"), QStringLiteral("Use the night sheet.")},
         {QStringLiteral("list-shortcuts"), QStringLiteral("Print docs/shortcuts.md and end.")}}
    );
    parser.process(application);
    if (parser.isSet(QStringLiteral("list-shortcuts"))) {
        QTextStream(stdout) << shortcutsDocument();
        return 0;
    }
    Theme::install();
    if (parser.isSet(QStringLiteral("night")) ||
        QSettings().value(QStringLiteral("night")).toBool()) {
        Theme::setSheet(Sheet::Night);
    }
    JobQueue jobs;
    Document document;
    orthochron::engine::Player player(orthochron::engine::openDevice(SoundCard::choice()));
    Session session(jobs, document, player);
    MainWindow window(session);
    window.show();
    const QStringList paths = parser.positionalArguments();
    window.openFiles(paths);
    const bool isImporting = std::ranges::any_of(paths, [](const QString& path) {
        return !path.endsWith(QStringLiteral(".orthochron"));
    });
    if (!parser.isSet(QStringLiteral("screenshot")) && !isImporting) {
        window.offerUnsaved();
    }
    if (parser.isSet(QStringLiteral("screenshot"))) {
        Shot shot;
        shot.file = parser.value(QStringLiteral("screenshot"));
        shot.stage = parser.value(QStringLiteral("stage"));
        shot.isFitted = parser.isSet(QStringLiteral("fitted"));
        shot.hasGroove = parser.isSet(QStringLiteral("groove"));
        shot.isByHand = parser.isSet(QStringLiteral("by-hand"));
        shot.isSample = parser.isSet(QStringLiteral("samples"));
        if (parser.isSet(QStringLiteral("at"))) {
            shot.seconds = parser.value(QStringLiteral("at")).toDouble();
        }
        if (parser.isSet(QStringLiteral("bars"))) {
            shot.bars = parser.value(QStringLiteral("bars")).toDouble();
        }
        takeShot(window, session, shot);
        document.discard();
        return 0;
    }
    return QApplication::exec();
}
