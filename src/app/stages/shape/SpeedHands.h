#pragma once

#include <QObject>

#include "app/session/HeardWhileDragged.h"
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
    // Of their speed lines too.
    void spinLevel(bool followsLevel);

    // Speed lines of clips, as long as they are drawn.
    [[nodiscard]] bool drawsSpeed() const { return drawsSpeed_; }
    void setDrawsSpeed(bool isOn);
    SpeedKeeps speedKeeps = SpeedKeeps::Length;
    // Semitones from a lane's middle to its edge where the pitch alone is drawn.
    [[nodiscard]] double pitchRange() const { return pitchRange_; }
    void setPitchRange(double semitones);
    // Whether what is drawn in a clip moves its pitch alone.
    [[nodiscard]] bool drawsPitch(const Clip& clip) const;
    struct SpeedPointOf {
        ClipId clip;
        std::size_t index = 0;
    };
    [[nodiscard]] std::optional<SpeedPointOf> speedPoint() const;  // that is chosen
    void chooseSpeedPoint(std::optional<SpeedPointOf> point);
    // The line of a clip, or of all that are chosen with it. Points are counted from its start.
    bool setSpeedLine(ClipId clip, const std::vector<SpeedPoint>& points, const QString& name);
    void setPointSpeed(double speed);
    // Where the chosen point is, from its clip's start; its neighbours stay before and after it.
    [[nodiscard]] Beats pointPlace() const;
    void setPointPlace(Beats place);
    // Plays on with a line that is still being dragged, a few times a second; and no longer.
    void hearDragged(ClipId clip, const std::vector<SpeedPoint>& points);
    void endDragging() { heard_.end(); }
    // What is kept from now on, and of a clip that has a line or spins at once.
    void keepSpeed(SpeedKeeps keeps);
    void removeSpeedPoint();

Q_SIGNALS:
    void changed();

private:
    [[nodiscard]] Result<Song> withSpeedLine(
        ClipId clip, const std::vector<SpeedPoint>& points, std::optional<bool> followsLevel = {}
    ) const;

    Session& session_;
    bool drawsSpeed_ = false;
    double pitchRange_ = kMostPitch;
    std::optional<SpeedPointOf> speedPoint_;
    HeardWhileDragged heard_;
    // What a line was whose standstill its pitch alone cannot have: it comes back with the speed.
    struct Slowed {
        ClipId clip;
        std::vector<SpeedPoint> were;
        std::vector<SpeedPoint> became;
    };
    std::optional<Slowed> slowed_;
};

}  // namespace orthochron::app
