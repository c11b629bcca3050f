#pragma once

#include "app/controls/NumberField.h"
#include "app/stages/grid/loop/LoopCutting.h"

class QLabel;
class QPushButton;

namespace orthochron::app {

// A loop taken out of a recording: where it begins and ends, what that makes of it, and how it goes round.
class LoopBench final : public QWidget {
    Q_OBJECT

public:
    LoopBench(Session& session, LoopCutting& loop, QWidget* parent);

private:
    [[nodiscard]] QWidget* makeFields();
    [[nodiscard]] QWidget* makeSeam();
    void fill();

    Session& session_;
    LoopCutting& loop_;
    QLabel* of_ = nullptr;
    NumberField* from_ = nullptr;
    NumberField* to_ = nullptr;
    NumberField* beats_ = nullptr;
    NumberField* bars_ = nullptr;
    NumberField* bpm_ = nullptr;
    NumberField* times_ = nullptr;
    NumberField* seam_ = nullptr;
    QPushButton* close_ = nullptr;
    QPushButton* hear_ = nullptr;
    QPushButton* take_ = nullptr;
};

}  // namespace orthochron::app
