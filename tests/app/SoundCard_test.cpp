#include <QComboBox>
#include <QLabel>
#include <QSettings>
#include <QSignalSpy>

#include "WindowFixture.h"
#include "app/sound/SoundCardDialog.h"
#include "testkit/JackServer.h"

// What the song is heard on, chosen in the window.
namespace orthochron::app {
namespace {

using testkit::JackServer;

class SoundCardWindow : public testing::Test {
protected:
    SoundCardWindow() { QSettings().remove(QStringLiteral("sound")); }
    ~SoundCardWindow() override { QSettings().remove(QStringLiteral("sound")); }

    // Delivers what jobs bring until it is so.
    template<class Done>
    bool waitUntil(const Done& done)
    {
        for (int i = 0; i < 1000 && !done(); ++i) {
            jobs_.finish();
            QTest::qWait(10);
            card_.watch();
        }
        return done();
    }

    JobQueue jobs_;
    engine::Player player_{std::make_unique<engine::SimulatedDevice>()};
    SoundCard card_{player_, jobs_};
};

TEST_F(SoundCardWindow, OffersWhatThereIsAndRemembersWhatIsChosen)
{
    const JackServer server(44100, 256, 4);
    if (!server.isRunning()) {
        GTEST_SKIP() << "no JACK server can be started here";
    }
    auto song = std::make_shared<Song>();
    player_.setSong(song, std::make_shared<Sources>());
    SoundCardDialog dialog(card_);
    dialog.show();
    auto* device = dialog.findChild<QComboBox*>(QStringLiteral("soundDevice"));
    auto* outputs = dialog.findChild<QComboBox*>(QStringLiteral("soundOutputs"));
    auto* now = dialog.findChild<QLabel*>(QStringLiteral("soundNow"));
    ASSERT_TRUE(waitUntil([&] { return device->isEnabled(); }));
    const int jack = device->findText(QStringLiteral("JACK: system"));
    ASSERT_GE(jack, 0);
    EXPECT_GE(device->findText(QStringLiteral("Simulated sound card (silent)")), 0);

    device->setFocus();
    device->setCurrentIndex(jack);
    Q_EMIT device->activated(jack);
    ASSERT_TRUE(waitUntil([&] { return !player_.device().isSimulated(); }));
    EXPECT_TRUE(now->text().startsWith(QStringLiteral("JACK: system, 44100 Hz, ")))
        << now->text().toStdString();
    ASSERT_EQ(outputs->count(), 2);
    outputs->setCurrentIndex(1);
    Q_EMIT outputs->activated(1);
    ASSERT_TRUE(waitUntil([&] { return SoundCard::choice().firstChannel == 2; }));
    EXPECT_EQ(SoundCard::choice().system, "jack");
    EXPECT_EQ(outputs->currentText(), QStringLiteral("3, 4"));

    // What cannot be had changes nothing.
    QSignalSpy failures(&card_, &SoundCard::failed);
    card_.choose({"jack", "elsewhere", 0, 256});
    ASSERT_TRUE(waitUntil([&] { return failures.count() > 0; }));
    EXPECT_EQ(SoundCard::choice().device, "system");
    EXPECT_FALSE(player_.device().isSimulated());
}

TEST_F(SoundCardWindow, ADeviceThatIsGoneIsSaidAndTakenBackWhenItReturns)
{
    auto server = std::make_unique<JackServer>(48000);
    if (!server->isRunning()) {
        GTEST_SKIP() << "no JACK server can be started here";
    }
    auto song = std::make_shared<Song>();
    player_.setSong(song, std::make_shared<Sources>());
    card_.choose({"jack", "", 0, 256});
    ASSERT_TRUE(waitUntil([&] { return !player_.device().isSimulated(); }));

    QSignalSpy failures(&card_, &SoundCard::failed);
    QSignalSpy said(&card_, &SoundCard::said);
    QSignalSpy settled(&card_, &SoundCard::settled);
    server->kill();
    ASSERT_TRUE(waitUntil([&] { return card_.isLost(); }));
    EXPECT_TRUE(player_.device().isSimulated());
    ASSERT_EQ(failures.count(), 1);
    EXPECT_TRUE(failures[0][0].toString().startsWith(QStringLiteral("JACK: system disconnected")));

    // It comes back at another rate.
    server = nullptr;
    server = std::make_unique<JackServer>(44100);
    ASSERT_TRUE(server->isRunning());
    ASSERT_TRUE(waitUntil([&] { return !card_.isLost(); }));
    EXPECT_FALSE(player_.device().isSimulated());
    EXPECT_EQ(player_.device().rate(), Hertz(44100.0));
    ASSERT_EQ(settled.count(), 1);
    EXPECT_EQ(settled[0][0].toString(), failures[0][0].toString());
    EXPECT_TRUE(said.last()[0].toString().startsWith(QStringLiteral("JACK: system reconnected")));
}

}  // namespace
}  // namespace orthochron::app
