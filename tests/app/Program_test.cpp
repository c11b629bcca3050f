#include <gtest/gtest.h>

#include "testkit/Folder.h"

#include <filesystem>

// The real program, started where there is no display, as over a plain ssh.
namespace orthochron::app {
namespace {

struct Ended {
    int status = -1;
    QByteArray out;
    QByteArray error;
};

Ended startWithoutDisplay(const QStringList& arguments)
{
    QProcess program;
    auto environment = QProcessEnvironment::systemEnvironment();
    for (const char* variable : {"DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"}) {
        environment.remove(QString::fromLatin1(variable));
    }
    program.setProcessEnvironment(environment);
    program.start(QStringLiteral(ORTHOCHRON_PROGRAM), arguments);
    EXPECT_TRUE(program.waitForFinished(60'000));
    EXPECT_EQ(program.exitStatus(), QProcess::NormalExit);
    return {program.exitCode(), program.readAllStandardOutput(), program.readAllStandardError()};
}

TEST(Program, SaysWhatItIsWithoutADisplay)
{
    const Ended help = startWithoutDisplay({QStringLiteral("--help")});
    EXPECT_EQ(help.status, 0);
    EXPECT_TRUE(help.out.contains("Fits recorded performances to the song's grid."))
        << help.out.data();
    const Ended version = startWithoutDisplay({QStringLiteral("--version")});
    EXPECT_EQ(version.status, 0);
    EXPECT_TRUE(version.out.startsWith("orthochron ")) << version.out.data();
}

TEST(Program, WithoutADisplayAWindowIsRefusedInOneSentence)
{
    const Ended ended = startWithoutDisplay({});
    EXPECT_EQ(ended.status, 1);
    EXPECT_TRUE(ended.error.startsWith("orthochron: no display found")) << ended.error.data();
    EXPECT_EQ(ended.error.count('\n'), 1) << ended.error.data();
}

TEST(Program, RefusesAStageThatIsNone)
{
    const Ended ended =
        startWithoutDisplay({QStringLiteral("--screenshot=x.png"), QStringLiteral("--stage=print9")}
        );
    EXPECT_EQ(ended.status, 2);
    EXPECT_TRUE(ended.error.contains("unknown stage 'print9'; use takes, grid,"))
        << ended.error.data();
}

TEST(Program, MakesAPictureWithoutADisplay)
{
    const testkit::Folder folder;
    const auto file = folder / "window.png";
    const Ended ended = startWithoutDisplay(
        {QStringLiteral("--screenshot=") + QString::fromStdString(file.string())}
    );
    EXPECT_EQ(ended.status, 0);
    EXPECT_GE(QImage(QString::fromStdString(file.string())).width(), 800);
}

}  // namespace
}  // namespace orthochron::app
