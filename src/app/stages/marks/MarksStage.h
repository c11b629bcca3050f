#pragma once

#include "app/stages/Stage.h"
#include "app/stages/marks/Detection.h"
#include "app/stages/marks/DoubtBench.h"
#include "app/stages/marks/Microphones.h"
#include "app/stages/marks/ThisMark.h"

class QButtonGroup;
class QStackedWidget;

namespace orthochron::app {

// Finds the hits of the leads and lets each be looked at, moved, added and taken away.
class MarksStage final : public Stage {
    Q_OBJECT

public:
    MarksStage(Session& session, LanesView& lanes, QObject* parent);

    [[nodiscard]] QString name() const override { return tr("Marks"); }
    [[nodiscard]] QString mainActionName() const override { return tr("Find hits"); }
    [[nodiscard]] QWidget* bench() override { return bench_; }
    [[nodiscard]] bool isWorkedOn() const override;
    [[nodiscard]] QString status() const override;
    void entered() override { fill(); }
    void paintLane(QPainter& painter, const Lane& lane) override;
    bool press(const Lane& lane, QMouseEvent& event) override;
    void move(QMouseEvent& event) override;
    void release(QMouseEvent& event) override;
    bool doubleClick(const Lane& lane, QMouseEvent& event) override;
    [[nodiscard]] std::pair<QString, Qt::CursorShape>
    hintAt(const Lane& lane, QPoint place) const override;
    void step(int by) override;
    void hear() override;
    bool run(Command command) override;
    void mainAction() override;
    void remove() override;
    [[nodiscard]] bool canRemove() const override;
    void accept() override;
    void lookAtDoubtful(bool isOn);  // the page that is shown
    void nudge(Seconds by) override;
    void addAtPlayhead();
    [[nodiscard]] std::optional<Frames> placeOfChosen() const;
    void addMarkAt(TrackId track, Frames songTime);
    void zoomToMark();

private:
    [[nodiscard]] const Mark* markAt(const Lane& lane, double x) const;
    void fill();
    void addPages(QWidget* finding);
    [[nodiscard]] bool isDoubting() const;
    void paintMissing(QPainter& painter, const Lane& lane) const;
    [[nodiscard]] bool isOnThreshold(const Lane& lane, QPoint place) const;

    QWidget* bench_ = nullptr;
    QStackedWidget* pages_ = nullptr;  // finding, and the doubtful ones
    QButtonGroup* ways_ = nullptr;
    DoubtReview* review_ = nullptr;
    DoubtBench* doubts_ = nullptr;
    Detection* detection_ = nullptr;
    ThisMark* thisMark_ = nullptr;
    std::optional<std::pair<MarkId, Frames>> dragged_;
    TrackId draggedTrack_;
    Frames pressedAt_;
    bool isBeatPoint_ = false;           // it is the beat point that is dragged
    std::optional<Lane> thresholdLane_;  // while the threshold's line is dragged
    Microphones* microphones_ = nullptr;
};

}  // namespace orthochron::app
