#pragma once

#include "app/controls/NumberField.h"
#include "app/stages/grid/follow/Following.h"
#include "app/views/FrameSheet.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QPushButton;

namespace orthochron::app {

// Every doubtful bar as a small frame: the chosen track around its line.
class DoubtfulBarsSheet final : public FrameSheet {
    Q_OBJECT

public:
    DoubtfulBarsSheet(Session& session, Following& following, QWidget* parent);

protected:
    [[nodiscard]] std::size_t count() const override { return following_.doubtful().size(); }
    [[nodiscard]] std::size_t chosenPlace() const override { return following_.place(); }
    void choose(std::size_t place) override { following_.choose(place); }
    void paintFrame(QPainter& painter, QRect frame, std::size_t place) override;
    [[nodiscard]] QString emptyText() const override;

private:
    Session& session_;
    Following& following_;
};

// Drafting a map from a player, what is doubtful in it, and the tempo of every bar.
class FollowBench final : public QWidget {
    Q_OBJECT

public:
    FollowBench(Session& session, Following& following, QWidget* parent);
    void step(int by) { sheet_->step(by); }

private:
    [[nodiscard]] QWidget* makeDraft();
    [[nodiscard]] QWidget* makeDoubtful();
    [[nodiscard]] QWidget* makeLine();
    void fill();
    void simplify();

    Session& session_;
    Following& following_;
    DoubtfulBarsSheet* sheet_ = nullptr;
    QLabel* of_ = nullptr;
    QLabel* count_ = nullptr;
    QLabel* line_ = nullptr;
    QCheckBox* barOne_ = nullptr;
    NumberField* hint_ = nullptr;
    NumberField* within_ = nullptr;
    NumberField* steadyBpm_ = nullptr;
    double offeredBpm_ =
        0.0;  // what it was filled with; what is typed stays until the map is another
    QPushButton* steady_ = nullptr;
    QComboBox* steadyWay_ = nullptr;
    QPushButton* ramp_ = nullptr;
    QComboBox* meter_ = nullptr;
    QPushButton* keep_ = nullptr;
    QPushButton* guide_ = nullptr;
    QPushButton* markByGuide_ = nullptr;
    QPushButton* free_ = nullptr;
    QPushButton* countFrom_ = nullptr;
};

}  // namespace orthochron::app
