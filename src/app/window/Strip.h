#pragma once

#include <QWidget>

#include "app/window/RateButton.h"

class QLabel;
class QToolButton;
class QPushButton;

namespace orthochron::app {

// The level of what is played, with the device's name under it.
class LevelMeter final : public QWidget {
    Q_OBJECT

public:
    explicit LevelMeter(Session& session, QWidget* parent = nullptr);
    void tick();
    [[nodiscard]] QSize sizeHint() const override { return {170, 34}; }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    Session& session_;
    std::array<double, 2> level_{-90.0, -90.0};
    double held_ = -90.0;
};

// The top of the window: song, Recorded/Edited, playing, place, tempo, click, level and device.
class Strip final : public QWidget {
    Q_OBJECT

public:
    explicit Strip(Session& session, QWidget* parent = nullptr);
    void tick();  // some thirty times a second while the window is open
    void togglePlay();
    void toggleSide();
    void toggleLoop();
    void toggleClick();
    [[nodiscard]] RateButton& rate() { return *rate_; }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    void fill();
    void showTempo();

    Session& session_;
    QLabel* song_ = nullptr;
    QLabel* state_ = nullptr;
    QPushButton* recorded_ = nullptr;
    QPushButton* edited_ = nullptr;
    QToolButton* play_ = nullptr;
    QToolButton* loop_ = nullptr;
    QLabel* place_ = nullptr;
    QLabel* off_ = nullptr;
    QLabel* clock_ = nullptr;
    QLabel* tempo_ = nullptr;
    QLabel* meter_ = nullptr;
    QPushButton* click_ = nullptr;
    QLabel* clickAbout_ = nullptr;
    RateButton* rate_ = nullptr;
    LevelMeter* levels_ = nullptr;
    bool showsStop_ = false;
};

}  // namespace orthochron::app
