#include "app/stages/grid/GridStage.h"

#include <QButtonGroup>
#include <QMouseEvent>
#include <QPainter>
#include <QStackedWidget>
#include <QVBoxLayout>

#include "app/stages/Bench.h"
#include "app/stages/grid/follow/FollowBench.h"
#include "app/stages/grid/loop/LoopBench.h"
#include "app/stages/grid/tempo/SteadyBench.h"
#include "app/theme/Theme.h"

namespace orthochron::app {

GridStage::GridStage(Session& session, LanesView& lanes, QObject* parent)
    : Stage(session, lanes, parent)
{
    bench_ = new QWidget;
    following_ = new Following(session_, this);
    loop_ = new LoopCutting(session_, this);
    heads_ = std::make_unique<BarHeads>(session_, lanes_, *following_);
    edges_ = std::make_unique<LoopEdges>(session_, lanes_, *loop_);
    foot_ = std::make_unique<GridFoot>(session_, lanes_, *following_);
    auto* layout = new QVBoxLayout(bench_);
    layout->setContentsMargins(20, 8, 20, 10);
    layout->setSpacing(4);
    auto* head = new QHBoxLayout;
    ways_ = new QButtonGroup(this);
    for (const auto& [text, name] :
         {std::pair{tr("One tempo"), "waySteady"},
          std::pair{tr("Follow performance"), "wayFollow"},
          std::pair{tr("Extract loop"), "wayLoop"}}) {
        ways_->addButton(
            benchWay(text, QLatin1String(name), bench_), static_cast<int>(ways_->buttons().size())
        );
        head->addWidget(ways_->buttons().back());
    }
    ways_->button(0)->setChecked(true);
    head->addStretch(1);
    layout->addLayout(head);
    pages_ = new QStackedWidget(bench_);
    steady_ = new SteadyBench(session_, pages_);
    follow_ = new FollowBench(session_, *following_, pages_);
    pages_->addWidget(steady_);
    pages_->addWidget(follow_);
    pages_->addWidget(new LoopBench(session_, *loop_, pages_));
    layout->addWidget(pages_, 1);
    connect(ways_, &QButtonGroup::idClicked, this, [this](int way) {
        show(static_cast<Page>(way));
    });
    connect(following_, &Following::changed, this, [this] {
        if (bench_->isVisible()) {
            lanes_.footChanged();
        }
    });
    connect(loop_, &LoopCutting::changed, this, [this] { lanes_.update(); });
    // A song whose grid follows is opened where that is seen.
    connect(&session_.document, &Document::opened, this, [this] {
        show(session_.song().tempo.tempi().size() > 1 ? Page::Follow : Page::Steady);
    });
}

void GridStage::show(Page page)
{
    ways_->button(static_cast<int>(page))->setChecked(true);
    pages_->setCurrentIndex(static_cast<int>(page));
    lanes_.footChanged();
}

GridStage::Page GridStage::page() const
{
    return static_cast<Page>(pages_->currentIndex());
}

void GridStage::mainAction()
{
    switch (page()) {
    case Page::Steady: steady_->mainAction(); break;
    case Page::Follow: following_->draft(MapLevel::Bar); break;
    case Page::Loop: loop_->takeOut(); break;
    }
}

QString GridStage::mainActionName() const
{
    switch (page()) {
    case Page::Steady: break;
    case Page::Follow: return tr("Draft bars");
    case Page::Loop: return tr("Extract loop");
    }
    return steady_->mainActionName();
}

void GridStage::step(int by)
{
    switch (page()) {
    case Page::Steady: steady_->step(by); break;
    case Page::Follow: follow_->step(by); break;
    case Page::Loop: loop_->choose(by < 0 ? LoopEdge::Beginning : LoopEdge::End); break;
    }
}

void GridStage::hear()
{
    switch (page()) {
    case Page::Steady: steady_->hear(); break;
    case Page::Follow: following_->hear(); break;
    case Page::Loop: loop_->hear(); break;
    }
}

void GridStage::accept()
{
    if (!isLooping()) {
        following_->keep();
    }
}

bool GridStage::canRemove() const
{
    return !isLooping() && following_->canFree();
}

void GridStage::remove()
{
    if (!isLooping()) {
        following_->free();
    }
}

void GridStage::nudge(Seconds by)
{
    if (isLooping()) {
        loop_->move(loop_->edge(), loop_->at(loop_->edge()) + toFrames(by, session_.song().rate));
    } else {
        following_->nudge(by);
    }
}

bool GridStage::isWorkedOn() const
{
    return !(session_.song().tempo == TempoMap());
}

QString GridStage::status() const
{
    const TempoMap& map = session_.song().tempo;
    if (isLooping() && loop_->span()) {
        return tr("%1 s selected: %2 beats at %3 bpm")
            .arg(loop_->length().count(), 0, 'f', 4)
            .arg(loop_->beats(), 0, 'g', 6)
            .arg(loop_->bpm(), 0, 'f', 2);
    }
    if (isFollowing() || map.tempi().size() > 1) {
        return following_->status();
    }
    return tr("%1 bpm · %2/%3 · bar 1 at %4 s")
        .arg(map.bpmAt(Beats(0.0)))
        .arg(map.meterOfBar(1).numerator)
        .arg(map.meterOfBar(1).denominator)
        .arg(map.firstDownbeat().count(), 0, 'f', 4);
}

void GridStage::paintOver(QPainter& painter)
{
    if (isLooping()) {
        edges_->paint(painter);
    } else {
        heads_->paint(painter);
    }
}

int GridStage::footHeight() const
{
    return isLooping() ? 0 : foot_->height(isFollowing());
}

void GridStage::paintFoot(QPainter& painter, QRect area)
{
    foot_->paint(painter, area, isFollowing());
}

bool GridStage::press(const Lane&, QMouseEvent& event)
{
    return pressRuler(event);
}

bool GridStage::pressRuler(QMouseEvent& event)
{
    return isLooping() ? edges_->press(event) : heads_->press(event);
}

void GridStage::move(QMouseEvent& event)
{
    if (foot_->isHeld()) {
        foot_->move(event);
    } else if (isLooping()) {
        edges_->move(event);
    } else {
        heads_->move(event);
    }
}

void GridStage::release(QMouseEvent&)
{
    edges_->release();
    heads_->release();
    foot_->release();
}

std::pair<QString, Qt::CursorShape> GridStage::hintAt(const Lane&, QPoint place) const
{
    return hintInRuler(place);
}

std::pair<QString, Qt::CursorShape> GridStage::hintInRuler(QPoint place) const
{
    return isLooping() ? edges_->hintAt(place) : heads_->hintAt(place);
}

bool GridStage::run(Command command)
{
    if (command != Command::TapTempo) {
        return false;
    }
    steady_->tap();
    return true;
}

}  // namespace orthochron::app
