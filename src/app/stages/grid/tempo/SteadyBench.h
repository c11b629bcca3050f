#pragma once

#include <QElapsedTimer>

#include "app/controls/NumberField.h"
#include "app/stages/grid/tempo/TempoSearch.h"
#include "core/tempo/Taps.h"

class QComboBox;
class QLabel;
class QPushButton;

namespace orthochron::app {

class FrameSheet;

// One tempo and meter, and where bar 1 begins: typed, or taken from a take whose tempo is found.
class SteadyBench final : public QWidget {
    Q_OBJECT

public:
    SteadyBench(Session& session, QWidget* parent);

    void mainAction();
    [[nodiscard]] QString mainActionName() const;
    void step(int by);
    void hear() { search_.hear(); }
    void tap();  // the tempo of the take, or the song's where there is none

private:
    [[nodiscard]] QWidget* makeKnown();
    [[nodiscard]] QWidget* makeFound();
    void fill();
    void fillFound();
    void applyTempo();
    void applyMeter();

    Session& session_;
    NumberField* bpm_ = nullptr;
    NumberField* first_ = nullptr;
    QComboBox* meter_ = nullptr;
    TempoSearch search_;
    FrameSheet* readings_ = nullptr;
    NumberField* beats_ = nullptr;
    NumberField* bars_ = nullptr;
    NumberField* takeBpm_ = nullptr;
    NumberField* wantedBeats_ = nullptr;
    NumberField* wantedBars_ = nullptr;
    QPushButton* level_ = nullptr;
    QComboBox* material_ = nullptr;
    QPushButton* wholeBars_ = nullptr;
    QLabel* of_ = nullptr;
    QPushButton* inName_ = nullptr;
    QPushButton* round_ = nullptr;
    QPushButton* give_ = nullptr;
    QPushButton* stretch_ = nullptr;
    QPushButton* try_ = nullptr;
    QPushButton* hear_ = nullptr;
    Taps taps_;
    QElapsedTimer clock_;  // of the taps
};

}  // namespace orthochron::app
