#include "app/stages/grid/loop/LoopBench.h"

#include <QHBoxLayout>

#include "app/stages/Bench.h"
#include "app/stages/grid/loop/SeamView.h"

#include <cmath>

namespace orthochron::app {

LoopBench::LoopBench(Session& session, LoopCutting& loop, QWidget* parent)
    : QWidget(parent), session_(session), loop_(loop)
{
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(32);
    row->addWidget(makeFields());
    row->addWidget(makeSeam(), 1);
    connect(&loop_, &LoopCutting::changed, this, &LoopBench::fill);
    fill();
}

QWidget* LoopBench::makeFields()
{
    constexpr int kWidth = 280;
    auto* fields = new QWidget(this);
    fields->setFixedWidth(kWidth);
    auto* column = benchColumn(fields);
    of_ = benchTitle(QString(), fields);
    of_->setObjectName(QStringLiteral("loopOf"));
    column->addWidget(of_);
    const auto field = [&](const QString& label, const char* name, const NumberStyle& style) {
        auto* made = new NumberField(label, style, false, fields);
        made->setObjectName(QLatin1String(name));
        column->addWidget(made);
        return made;
    };
    from_ = field(tr("From"), "loopFrom", {QStringLiteral("s"), 4, 0.0, 360000.0, 0.0, 0.001});
    to_ = field(tr("To"), "loopTo", {QStringLiteral("s"), 4, 0.0, 360000.0, 0.0, 0.001});
    beats_ = field(tr("Length"), "loopBeats", {tr("beats"), 2, 0.0, 100000.0, 0.0, 0.05});
    bars_ = field(tr("Bars"), "loopBars", {tr("bars"), 3, 0.0, 50000.0, 0.0, 0.05});
    bpm_ = field(tr("Tempo"), "loopBpm", {QStringLiteral("bpm"), 3, 0.0, 1000.0, 0.0, 0.01});
    times_ = field(tr("Repeats"), "loopTimes", {QStringLiteral("×"), 0, 1.0, 1000.0, 1.0, 0.05});
    seam_ =
        field(tr("Loop crossfade"), "loopSeam", {QStringLiteral("ms"), 1, 0.0, 100.0, 5.0, 0.1});
    column->addStretch(1);
    const auto edge = [this](LoopEdge which) {
        return [this, which](double seconds) {
            loop_.move(which, toFrames(Seconds(seconds), session_.song().rate));
        };
    };
    connect(from_, &NumberField::changed, this, edge(LoopEdge::Beginning));
    connect(to_, &NumberField::changed, this, edge(LoopEdge::End));
    connect(beats_, &NumberField::finished, &loop_, &LoopCutting::setBeats);
    connect(bars_, &NumberField::finished, this, [this](double bars) {
        loop_.setBeats(bars * session_.song().tempo.meterOfBar(1).barLength().count());
    });
    connect(bpm_, &NumberField::finished, &loop_, &LoopCutting::setBpm);
    connect(times_, &NumberField::finished, this, [this](double times) {
        loop_.times = static_cast<int>(std::lround(times));
    });
    connect(seam_, &NumberField::finished, this, [this](double ms) {
        loop_.fade = milliseconds(ms);
    });
    return fields;
}

QWidget* LoopBench::makeSeam()
{
    auto* right = new QWidget(this);
    auto* column = new QVBoxLayout(right);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(8);
    column->addWidget(new SeamView(session_, loop_, right), 1);
    auto* ends = new QHBoxLayout;
    hear_ = benchButton(QString(), QStringLiteral("hearLoop"), false, right);
    hear_->setToolTip(tr("Plays the track alone; edges can be moved meanwhile."));
    close_ = benchButton(tr("Match loop end"), QStringLiteral("closeSeam"), false, right);
    close_->setToolTip(tr("Moves the end by up to 25 ms to best match the beginning."));
    take_ = benchButton(tr("Extract loop"), QStringLiteral("takeLoop"), true, right);
    take_->setToolTip(tr("Places the loop on a new track or mic set below; the original stays."));
    ends->addWidget(hear_);
    ends->addWidget(close_);
    ends->addStretch(1);
    ends->addWidget(take_);
    column->addLayout(ends);
    connect(hear_, &QPushButton::clicked, &loop_, &LoopCutting::hear);
    connect(close_, &QPushButton::clicked, &loop_, &LoopCutting::closeSeam);
    connect(take_, &QPushButton::clicked, &loop_, &LoopCutting::takeOut);
    return right;
}

void LoopBench::fill()
{
    const auto track = loop_.track();
    const bool isReady = track && loop_.span();
    of_->setText(
        track ? tr("Loop of %1").arg(QString::fromStdString(track->name)) : tr("Loop of a take")
    );
    const auto secondsAt = [this](LoopEdge edge) {
        return toSeconds(loop_.at(edge), session_.song().rate).count();
    };
    from_->setValue(secondsAt(LoopEdge::Beginning));
    to_->setValue(secondsAt(LoopEdge::End));
    beats_->setValue(loop_.beats());
    bars_->setValue(loop_.beats() / session_.song().tempo.meterOfBar(1).barLength().count());
    bpm_->setValue(loop_.bpm());
    times_->setValue(loop_.times);
    seam_->setValue(inMilliseconds(loop_.fade));
    hear_->setText(loop_.isHeard() ? tr("Stop") : tr("Play loop"));
    for (QWidget* one :
         std::initializer_list<QWidget*>{from_, to_, beats_, bars_, bpm_, hear_, close_, take_}) {
        one->setEnabled(isReady);
    }
}

}  // namespace orthochron::app
