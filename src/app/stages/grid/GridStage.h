#pragma once

#include "app/stages/Stage.h"
#include "app/stages/grid/follow/Following.h"
#include "app/stages/grid/heads/BarHeads.h"
#include "app/stages/grid/heads/GridFoot.h"
#include "app/stages/grid/loop/LoopEdges.h"

class QButtonGroup;
class QStackedWidget;

namespace orthochron::app {

class FollowBench;
class SteadyBench;

// Where bars fall: one tempo throughout, or a grid that follows a player. In both, bar lines are taken by their
// heads and brought to where they belong. And what shall go round: a loop taken out of a recording.
class GridStage final : public Stage {
    Q_OBJECT

public:
    GridStage(Session& session, LanesView& lanes, QObject* parent);

    [[nodiscard]] QString name() const override { return tr("Grid"); }
    [[nodiscard]] QWidget* bench() override { return bench_; }
    [[nodiscard]] bool isWorkedOn() const override;
    [[nodiscard]] QString status() const override;
    void paintOver(QPainter& painter) override;
    [[nodiscard]] int footHeight() const override;
    void paintFoot(QPainter& painter, QRect area) override;
    bool pressFoot(QMouseEvent& event) override { return foot_->press(event); }
    [[nodiscard]] std::pair<QString, Qt::CursorShape> hintInFoot(QPoint place) const override
    {
        return foot_->hintAt(place);
    }
    bool press(const Lane& lane, QMouseEvent& event) override;
    bool pressRuler(QMouseEvent& event) override;
    void move(QMouseEvent& event) override;
    void release(QMouseEvent& event) override;
    [[nodiscard]] std::pair<QString, Qt::CursorShape>
    hintAt(const Lane& lane, QPoint place) const override;
    [[nodiscard]] std::pair<QString, Qt::CursorShape> hintInRuler(QPoint place) const override;
    void nudge(Seconds by) override;
    void step(int by) override;
    void hear() override;
    void accept() override;
    void remove() override;
    [[nodiscard]] bool canRemove() const override;

    bool run(Command command) override;
    // The main action: what the take's tempo is and then the song's, or a draft of its bars.
    void mainAction() override;
    [[nodiscard]] QString mainActionName() const override;

    enum class Page { Steady, Follow, Loop };
    void show(Page page);

private:
    [[nodiscard]] Page page() const;
    [[nodiscard]] bool isFollowing() const { return page() == Page::Follow; }
    [[nodiscard]] bool isLooping() const { return page() == Page::Loop; }

    QWidget* bench_ = nullptr;
    QButtonGroup* ways_ = nullptr;
    QStackedWidget* pages_ = nullptr;
    Following* following_ = nullptr;
    SteadyBench* steady_ = nullptr;
    FollowBench* follow_ = nullptr;
    LoopCutting* loop_ = nullptr;
    std::unique_ptr<BarHeads> heads_;
    std::unique_ptr<LoopEdges> edges_;
    std::unique_ptr<GridFoot> foot_;
};

}  // namespace orthochron::app
