#pragma once

#include <QObject>
#include <QTimer>

#include "app/document/JobQueue.h"
#include "engine/playback/Player.h"

#include <functional>
#include <memory>

namespace orthochron::app {

// What the song is heard on: which device is chosen, whether it is still there, and what becomes
// of playing when it goes and comes.
class SoundCard final : public QObject {
    Q_OBJECT

public:
    // `player` plays on the device that was opened for choice() at the start.
    SoundCard(engine::Player& player, JobQueue& jobs, QObject* parent = nullptr);

    // As it is remembered between runs.
    [[nodiscard]] static engine::DeviceChoice choice();
    // Goes over to another device, playing on; remembered. When it cannot be had that is said, and
    // the one in use stays.
    void choose(const engine::DeviceChoice& choice);
    // Looks for the devices there are; found() brings them.
    void look();

    // "JACK: system, 48000 Hz, 5.3 ms to the ear"
    [[nodiscard]] QString description() const;
    // Looks at once whether the device is still there, and tries to have it back when it was lost.
    void watch();
    [[nodiscard]] bool isLost() const { return isLost_; }

Q_SIGNALS:
    void found(const std::vector<engine::DeviceFacts>& devices);
    void changed();
    void said(const QString& sentence);     // news
    void failed(const QString& sentence);   // something to do something about
    void settled(const QString& sentence);  // what failed() said is so no more

private:
    struct Opened {
        std::shared_ptr<std::unique_ptr<engine::AudioDevice>> device;
    };
    void open(
        const engine::DeviceChoice& wanted,
        std::unique_ptr<engine::AudioDevice> before,
        std::function<void(Opened)> opened
    );
    [[nodiscard]] bool start(Opened opened);
    static void remember(const engine::DeviceChoice& choice);
    void lose();
    void takeBack();
    void drop(std::unique_ptr<engine::AudioDevice> device);

    engine::Player& player_;
    JobQueue& jobs_;
    QTimer watch_;
    bool isLost_ = false;
    bool isTrying_ = false;
    QString lostName_;
    QString lostSentence_;
    int rounds_ = 0;  // of the watch, since it was tried last to have it back
};

}  // namespace orthochron::app
