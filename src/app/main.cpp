#include <QApplication>
#include <QCommandLineParser>
#include <QSettings>
#include <QTextStream>

#include "app/document/FileNames.h"
#include "app/stages/Stages.h"
#include "app/theme/Theme.h"
#include "app/window/Picture.h"
#include "core/base/FreedMemory.h"

#include <algorithm>
#include <array>
#include <cstdio>
#include <span>
#include <string_view>

namespace {

// Qt ends with an abort where it finds no display. What shows no window needs none.
bool isAbleToStart(std::span<char* const> arguments)
{
    const auto isSet = [](const char* variable) { return !qEnvironmentVariableIsEmpty(variable); };
    if (isSet("DISPLAY") || isSet("WAYLAND_DISPLAY") || isSet("QT_QPA_PLATFORM")) {
        return true;
    }
    constexpr std::array<std::string_view, 7> kWithoutWindow{
        "--help", "-h", "--help-all", "--version", "-v", "--list-shortcuts", "--screenshot"};
    const bool isWithoutWindow = std::ranges::any_of(arguments, [&](std::string_view argument) {
        return std::ranges::find(kWithoutWindow, argument.substr(0, argument.find('='))) !=
               kWithoutWindow.end();
    });
    if (isWithoutWindow) {
        qputenv("QT_QPA_PLATFORM", "offscreen");
    }
    return isWithoutWindow;
}

}  // namespace

// The thin start of the window. With --screenshot it does what a hand would do up to a stage and leaves
// a picture.
int main(int argc, char** argv)
{
    using namespace orthochron::app;  // NOLINT(google-build-using-namespace): the program is this
    orthochron::returnFreedBlocks();
    // File dialogs are the desktop's own where it offers them.
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORMTHEME") &&
        !qEnvironmentVariableIsEmpty("DBUS_SESSION_BUS_ADDRESS")) {
        qputenv("QT_QPA_PLATFORMTHEME", "xdgdesktopportal");
    }
    if (!isAbleToStart({argv, static_cast<std::size_t>(argc)})) {
        std::fputs("orthochron: no display found; orthochron-cli works without one\n", stderr);
        return 1;
    }
    QApplication application(argc, argv);
    QApplication::setOrganizationName(QStringLiteral("Orthochron"));
    QApplication::setApplicationName(QStringLiteral("orthochron"));
    QApplication::setApplicationVersion(QStringLiteral("0.1.0"));
    QCommandLineParser parser;
    parser.setApplicationDescription(QStringLiteral("Fits recorded performances to the song's grid."
    ));
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument(
        QStringLiteral("files"),
        QStringLiteral("A song to open, or sound files and folders to import"),
        QStringLiteral("[files...]")
    );
    parser.addOptions(
        {{QStringLiteral("screenshot"),
          QStringLiteral("Save a picture of the window and exit."),
          QStringLiteral("file")},
         {QStringLiteral("stage"),
          QStringLiteral("Stage to show, by name."),
          QStringLiteral("stage")},
         {QStringLiteral("list-shortcuts"), QStringLiteral("Print docs/shortcuts.md and exit.")}}
    );
    QStringList arguments;
    for (int i = 0; i < argc; ++i) {
        arguments << nameOfArgument(argv[i]);
    }
    parser.process(arguments);
    if (parser.isSet(QStringLiteral("list-shortcuts"))) {
        QTextStream(stdout) << shortcutsDocument();
        return 0;
    }
    const QString stageName = parser.value(QStringLiteral("stage"));
    const std::optional<int> stage = stageName.isEmpty() ? 0 : stageNamed(stageName);
    if (!stage) {
        QStringList names;
        for (const StagePlace& place : stageTable()) {
            if (place.make) {
                names << place.name.toLower();
            }
        }
        QTextStream(stderr) << QStringLiteral("orthochron: unknown stage '%1'; use %2\n")
                                   .arg(stageName, names.join(QStringLiteral(", ")));
        return 2;
    }
    Theme::install();
    Theme::restore();
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
    if (parser.isSet(QStringLiteral("stage"))) {
        window.showStage(*stage);
    }
    if (parser.isSet(QStringLiteral("screenshot"))) {
        workUpTo(window, session, *stage);
        savePicture(window, session, parser.value(QStringLiteral("screenshot")));
        document.discard();
        return 0;
    }
    return QApplication::exec();
}
