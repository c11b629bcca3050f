#pragma once

#include <QWidget>

#include "app/controls/NumberField.h"
#include "app/stages/shape/SpeedHands.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QPushButton;

namespace orthochron::app {

// Spins of the chosen clips by fields, and their speed being drawn.
class SpeedBench final : public QWidget {
    Q_OBJECT

public:
    SpeedBench(Session& session, SpeedHands& hands, QWidget* parent);

private:
    void fill();
    void spin(bool isDown);
    void takeAway();
    // Where what the length field says leads from a place, `way` 1 on or -1 back; and has it say so.
    [[nodiscard]] Seconds typedFrom(Seconds place, double way) const;
    void sayFrom(Seconds from, Seconds to);

    Session& session_;
    SpeedHands& hands_;
    QLabel* spinOf_ = nullptr;
    NumberField* spinBeats_ = nullptr;
    NumberField* spinSpeed_ = nullptr;
    NumberField* pointPitch_ = nullptr;  // in its place, at a point of a pitch line
    QCheckBox* spinLevel_ = nullptr;
    QPushButton* unspin_ = nullptr;
    QPushButton* drawSpeed_ = nullptr;
    QComboBox* speedKeeps_ = nullptr;
    NumberField* pitchRange_ = nullptr;
    bool isFilling_ = false;
};

}  // namespace orthochron::app
