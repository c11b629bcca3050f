#pragma once

#include <QObject>

#include "app/session/Session.h"
#include "core/edits/SpeedEdits.h"

namespace orthochron::app {

// What is done to the speed of clips, each as one undo step: spins, and lines that are drawn.
class SpeedHands final : public QObject {
    Q_OBJECT

public:
    SpeedHands(Session& session, QObject* parent);

    // Spins of the chosen clips, or of the clip under the playhead on the chosen track.
    [[nodiscard]] ClipChoice spun() const;
    void spin(bool isDown, std::optional<Spin> spin);
    void spinLevel(bool followsLevel);

    // Speed lines of clips, as long as they are drawn.
    [[nodiscard]] bool drawsSpeed() const { return drawsSpeed_; }
    void setDrawsSpeed(bool isOn);
    SpeedKeeps speedKeeps = SpeedKeeps::Length;
    struct SpeedPointOf {
        ClipId clip;
        std::size_t index = 0;
    };
    [[nodiscard]] std::optional<SpeedPointOf> speedPoint() const;  // that is chosen
    void chooseSpeedPoint(std::optional<SpeedPointOf> point);
    // The line of a clip, or of all that are chosen with it. Points are counted from its start.
    bool setSpeedLine(ClipId clip, const std::vector<SpeedPoint>& points, const QString& name);
    void setPointSpeed(double speed);
    // What is kept from now on, and of a clip that has a line or spins at once.
    void keepSpeed(SpeedKeeps keeps);
    void removeSpeedPoint();

Q_SIGNALS:
    void changed();

private:
    Session& session_;
    bool drawsSpeed_ = false;
    std::optional<SpeedPointOf> speedPoint_;
};

}  // namespace orthochron::app
