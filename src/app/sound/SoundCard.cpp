#include "app/sound/SoundCard.h"

#include <QSettings>

#include "engine/device/SimulatedDevice.h"

#include <chrono>
#include <thread>
#include <utility>

namespace orthochron::app {

namespace {

constexpr int kWatchMs = 250;
constexpr int kRoundsBetweenTries = 8;

QString nameOf(const engine::AudioDevice& device)
{
    return QString::fromStdString(device.name());
}

}  // namespace

SoundCard::SoundCard(engine::Player& player, JobQueue& jobs, QObject* parent)
    : QObject(parent), player_(player), jobs_(jobs)
{
    connect(&watch_, &QTimer::timeout, this, &SoundCard::watch);
    watch_.start(kWatchMs);
}

engine::DeviceChoice SoundCard::choice()
{
    const QSettings settings;
    const engine::DeviceChoice usual;
    engine::DeviceChoice choice;
    choice.system = settings.value(QStringLiteral("sound/system")).toString().toStdString();
    choice.device = settings.value(QStringLiteral("sound/device")).toString().toStdString();
    choice.firstChannel =
        std::clamp(settings.value(QStringLiteral("sound/firstChannel")).toInt(), 0, 1022);
    choice.blockFrames = std::clamp(
        settings.value(QStringLiteral("sound/blockFrames"), usual.blockFrames).toInt(), 16, 8192
    );
    return choice;
}

void SoundCard::open(
    const engine::DeviceChoice& wanted,
    std::unique_ptr<engine::AudioDevice> before,
    std::function<void(Opened)> opened
)
{
    // Looking for a server that is not there takes a moment, and so does letting a device go, which
    // comes first: many cannot be opened twice.
    jobs_.run(
        {.key = QStringLiteral("sound card"), .title = {}},
        this,
        [wanted,
         old = std::make_shared<std::unique_ptr<engine::AudioDevice>>(std::move(before)
         )](const Work&) {
            old->reset();
            return Opened{
                std::make_shared<std::unique_ptr<engine::AudioDevice>>(engine::openDevice(wanted))};
        },
        std::move(opened)
    );
}

bool SoundCard::start(Opened opened)
{
    drop(player_.exchangeDevice(std::move(*opened.device)));
    return player_.trouble().empty();
}

void SoundCard::choose(const engine::DeviceChoice& wanted)
{
    // Nothing is taken back meanwhile: of two jobs the newer would drop the older.
    isTrying_ = true;
    const QString before = nameOf(player_.device());
    open(
        wanted,
        player_.exchangeDevice(std::make_unique<engine::SimulatedDevice>()),
        [this, wanted, before](Opened opened) {
            const bool isMeant = wanted.system.empty() || wanted.system == "simulated";
            const bool isThere = isMeant || !(*opened.device)->isSimulated();
            if (isThere && start(std::move(opened))) {
                remember(wanted);
                isTrying_ = false;
                isLost_ = false;
                Q_EMIT said(tr("Playing on %1").arg(description()));
                Q_EMIT changed();
                return;
            }
            // Back to the one before.
            const QString why =
                isThere ? QString::fromStdString(player_.trouble())
                        : tr("%1 %2 not found")
                              .arg(
                                  QString::fromStdString(engine::systemName(wanted.system)),
                                  QString::fromStdString(wanted.device)
                              );
            open(
                choice(),
                player_.exchangeDevice(std::make_unique<engine::SimulatedDevice>()),
                [this, why, before](Opened old) {
                    isTrying_ = false;
                    (void)start(std::move(old));
                    Q_EMIT failed(tr("%1; still using %2").arg(why, before));
                    Q_EMIT changed();
                }
            );
        }
    );
}

void SoundCard::remember(const engine::DeviceChoice& choice)
{
    QSettings settings;
    settings.setValue(QStringLiteral("sound/system"), QString::fromStdString(choice.system));
    settings.setValue(QStringLiteral("sound/device"), QString::fromStdString(choice.device));
    settings.setValue(QStringLiteral("sound/firstChannel"), choice.firstChannel);
    settings.setValue(QStringLiteral("sound/blockFrames"), choice.blockFrames);
}

void SoundCard::look()
{
    jobs_.run(
        {.key = QStringLiteral("sound cards"), .title = {}},
        this,
        [](const Work&) { return engine::listDevices(); },
        [this](const std::vector<engine::DeviceFacts>& devices) { Q_EMIT found(devices); }
    );
}

QString SoundCard::description() const
{
    const engine::AudioDevice& device = player_.device();
    if (device.rate() <= Hertz(0.0)) {
        return nameOf(device);
    }
    return tr("%1, %2 Hz, latency %3 ms")
        .arg(nameOf(device))
        .arg(device.rate().count(), 0, 'f', 0)
        .arg(device.latency().count() * 1e3, 0, 'f', 1);
}

void SoundCard::watch()
{
    const bool isRunning = player_.device().rate() > Hertz(0.0);
    if (isRunning && !player_.device().isAlive()) {
        lose();
    } else if (isLost_ && ++rounds_ >= kRoundsBetweenTries) {
        takeBack();
    }
}

// Playing goes on where it is, on the simulated card; the device is asked for again from time to
// time.
void SoundCard::lose()
{
    lostName_ = nameOf(player_.device());
    drop(player_.exchangeDevice(std::make_unique<engine::SimulatedDevice>()));
    isLost_ = true;
    rounds_ = 0;
    lostSentence_ =
        tr("%1 disconnected: playback continues silently until it returns").arg(lostName_);
    Q_EMIT failed(lostSentence_);
    Q_EMIT changed();
}

void SoundCard::takeBack()
{
    rounds_ = 0;
    if (std::exchange(isTrying_, true)) {
        return;
    }
    open(choice(), nullptr, [this](Opened opened) {
        isTrying_ = false;
        if (!isLost_ || (*opened.device)->isSimulated()) {
            return;
        }
        if (!start(std::move(opened))) {
            drop(player_.exchangeDevice(std::make_unique<engine::SimulatedDevice>()));
            return;
        }
        isLost_ = false;
        Q_EMIT settled(lostSentence_);
        Q_EMIT said(tr("%1 reconnected: playing on %2").arg(lostName_, description()));
        Q_EMIT changed();
    });
}

// A device whose server died still closes itself on a thread of the library's own: it is let go
// after that, and nobody waits for it.
void SoundCard::drop(std::unique_ptr<engine::AudioDevice> device)
{
    constexpr auto kGrace = std::chrono::seconds(2);
    std::thread([device = std::move(device), kGrace]() mutable {
        if (!device->isSimulated()) {
            std::this_thread::sleep_for(kGrace);
        }
        device.reset();
    }).detach();
}

}  // namespace orthochron::app
