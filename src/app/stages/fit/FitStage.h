#pragma once

#include "app/stages/Stage.h"
#include "app/stages/fit/FitBench.h"
#include "app/stages/fit/PinGrips.h"
#include "app/stages/hand/ClipGrips.h"
#include "app/stages/hand/ClipHands.h"
#include "app/stages/hand/HandBench.h"
#include "app/views/FeelDial.h"
#include "app/views/StrainChart.h"
#include "app/views/TimingChart.h"

class QBoxLayout;
class QButtonGroup;
class QLabel;
class QStackedWidget;

namespace orthochron::app {

// Moves a performance to the grid, by cutting, by stretching or by hand, with everything shown before it is
// done.
class FitStage final : public Stage {
    Q_OBJECT

public:
    FitStage(Session& session, LanesView& lanes, QObject* parent);

    [[nodiscard]] QString name() const override { return tr("Fit"); }
    [[nodiscard]] QString mainActionName() const override;
    [[nodiscard]] QWidget* bench() override { return bench_; }
    [[nodiscard]] bool isWorkedOn() const override;
    [[nodiscard]] QString status() const override;
    void paintLane(QPainter& painter, const Lane& lane) override;
    [[nodiscard]] std::pair<QString, Qt::CursorShape>
    hintAt(const Lane& lane, QPoint place) const override;
    bool press(const Lane& lane, QMouseEvent& event) override;
    void move(QMouseEvent& event) override;
    void release(QMouseEvent& event) override;
    bool doubleClick(const Lane& lane, QMouseEvent& event) override;
    void hover(const Lane* lane, QPoint place, Qt::KeyboardModifiers modifiers) override;
    void step(int by) override;
    bool run(Command command) override;
    void mainAction() override;
    void remove() override;
    [[nodiscard]] bool canRemove() const override;
    void nudge(Seconds by) override;

    [[nodiscard]] ClipHands& hands() { return *hands_; }
    void keepWay();   // keeps the present way of fitting beside what is tried next
    void otherWay();  // hears the next one kept
    void dropWays();

Q_SIGNALS:
    void hint(const QString& text);

private:
    void fill();
    void addWays(QBoxLayout& head);
    [[nodiscard]] bool isByHand() const;
    [[nodiscard]] bool isStretch() const;
    void chooseWay(int way);
    // The hit whose leaning stroke has its head under the pointer; none elsewhere.
    [[nodiscard]] std::optional<std::size_t> headAt(const Lane& lane, QPoint place) const;

    QWidget* bench_ = nullptr;
    ClipHands* hands_ = nullptr;
    std::unique_ptr<ClipGrips> grips_;
    std::unique_ptr<PinGrips> pins_;
    QButtonGroup* ways_ = nullptr;
    QStackedWidget* stack_ = nullptr;
    QLabel* scope_ = nullptr;
    FitBench* fit_ = nullptr;
    TimingChart* chart_ = nullptr;
    StrainChart* strain_ = nullptr;
    FeelDial* dial_ = nullptr;
    std::optional<std::size_t> headHeld_;  // its line is being changed
    QPoint headTo_;
};

}  // namespace orthochron::app
