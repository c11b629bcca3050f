#include "app/stages/grid/GridStage.h"

#include <QButtonGroup>
#include <QMouseEvent>
#include <QPainter>
#include <QStackedWidget>
#include <QVBoxLayout>

#include "app/stages/Bench.h"
#include "app/stages/grid/FollowBench.h"
#include "app/stages/grid/SteadyBench.h"
#include "app/theme/Theme.h"

namespace orthochron::app {

GridStage::GridStage(Session& session, LanesView& lanes, QObject* parent)
    : Stage(session, lanes, parent)
{
    bench_ = new QWidget;
    following_ = new Following(session_, this);
    heads_ = std::make_unique<BarHeads>(session_, lanes_, *following_);
    auto* layout = new QVBoxLayout(bench_);
    layout->setContentsMargins(20, 8, 20, 10);
    layout->setSpacing(4);
    auto* head = new QHBoxLayout;
    ways_ = new QButtonGroup(this);
    for (const auto& [text, name] :
         {std::pair{tr("One tempo"), "waySteady"}, std::pair{tr("Follow a player"), "wayFollow"}}) {
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
    layout->addWidget(pages_, 1);
    connect(ways_, &QButtonGroup::idClicked, this, [this](int way) { follow(way == 1); });
    connect(following_, &Following::changed, this, [this] { lanes_.update(); });
    // A song whose grid follows is opened where that is seen.
    connect(&session_.document, &Document::opened, this, [this] {
        follow(session_.song().tempo.tempi().size() > 1);
    });
}

void GridStage::follow(bool isOn)
{
    ways_->button(isOn ? 1 : 0)->setChecked(true);
    pages_->setCurrentIndex(isOn ? 1 : 0);
    lanes_.update();
}

bool GridStage::isFollowing() const
{
    return pages_->currentIndex() == 1;
}

void GridStage::mainAction()
{
    if (isFollowing()) {
        following_->draft(MapLevel::Bar);
    } else {
        steady_->mainAction();
    }
}

QString GridStage::mainActionName() const
{
    return isFollowing() ? tr("Draft the bars") : steady_->mainActionName();
}

void GridStage::step(int by)
{
    if (isFollowing()) {
        follow_->step(by);
    } else {
        steady_->step(by);
    }
}

void GridStage::hear()
{
    if (isFollowing()) {
        following_->hear();
    } else {
        steady_->hear();
    }
}

void GridStage::accept()
{
    following_->keep();
}

void GridStage::remove()
{
    following_->free();
}

void GridStage::nudge(Seconds by)
{
    following_->nudge(by);
}

bool GridStage::isWorkedOn() const
{
    return !(session_.song().tempo == TempoMap());
}

QString GridStage::status() const
{
    const TempoMap& map = session_.song().tempo;
    if (isFollowing() || map.tempi().size() > 1) {
        return following_->status();
    }
    return tr("%1 bpm · %2/%3 · bar 1 at %4 s")
        .arg(map.tempi().front().bpm)
        .arg(map.meterOfBar(1).numerator)
        .arg(map.meterOfBar(1).denominator)
        .arg(map.firstDownbeat().count(), 0, 'f', 4);
}

void GridStage::paintOver(QPainter& painter)
{
    heads_->paint(painter);
}

bool GridStage::press(const Lane&, QMouseEvent& event)
{
    return heads_->press(event);
}

bool GridStage::pressRuler(QMouseEvent& event)
{
    return heads_->press(event);
}

void GridStage::move(QMouseEvent& event)
{
    heads_->move(event);
}

void GridStage::release(QMouseEvent&)
{
    heads_->release();
}

std::pair<QString, Qt::CursorShape> GridStage::hintAt(const Lane&, QPoint place) const
{
    return heads_->hintAt(place);
}

std::pair<QString, Qt::CursorShape> GridStage::hintInRuler(QPoint place) const
{
    return heads_->hintAt(place);
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
