#include "app/stages/grid/GridStage.h"

#include <QComboBox>
#include <QGridLayout>
#include <QMouseEvent>
#include <QPainter>

#include "app/stages/Bench.h"
#include "app/theme/Theme.h"
#include "core/edits/GridEdits.h"

namespace orthochron::app {

GridStage::GridStage(Session& session, LanesView& lanes, QObject* parent)
    : Stage(session, lanes, parent)
{
    bench_ = new QWidget;
    auto* layout = new QGridLayout(bench_);
    layout->setContentsMargins(20, 14, 20, 14);
    layout->setHorizontalSpacing(32);
    layout->addWidget(benchTitle(tr("Tempo known"), bench_), 0, 0);
    bpm_ = new NumberField(
        tr("Tempo"), {QStringLiteral("bpm"), 2, 20.0, 400.0, 120.0, 0.05}, false, bench_
    );
    bpm_->setObjectName(QStringLiteral("bpm"));
    layout->addWidget(bpm_, 1, 0);
    auto* meterRow = new QHBoxLayout;
    meterRow->addWidget(new QLabel(tr("Meter"), bench_));
    meter_ = new QComboBox(bench_);
    meter_->setObjectName(QStringLiteral("meter"));
    meter_->setAccessibleName(tr("Meter"));
    meter_->setEditable(true);
    meter_->addItems(
        {QStringLiteral("4/4"),
         QStringLiteral("3/4"),
         QStringLiteral("6/8"),
         QStringLiteral("2/4"),
         QStringLiteral("5/4"),
         QStringLiteral("7/8"),
         QStringLiteral("12/8")}
    );
    meterRow->addWidget(meter_);
    layout->addLayout(meterRow, 2, 0);
    first_ = new NumberField(
        tr("First downbeat"), {QStringLiteral("s"), 4, -10.0, 36000.0, 0.0, 0.001}, false, bench_
    );
    first_->setObjectName(QStringLiteral("firstDownbeat"));
    layout->addWidget(first_, 3, 0);
    layout->addWidget(benchTitle(tr("By hand"), bench_), 0, 1);
    auto* here =
        benchButton(tr("Bar 1 at the playhead"), QStringLiteral("downbeatHere"), false, bench_);
    layout->addWidget(here, 1, 1);
    auto* half = benchButton(tr("Half time"), QStringLiteral("halfTime"), false, bench_);
    auto* twice = benchButton(tr("Double time"), QStringLiteral("doubleTime"), false, bench_);
    auto* pair = new QHBoxLayout;
    pair->addWidget(half);
    pair->addWidget(twice);
    layout->addLayout(pair, 2, 1);
    layout->addWidget(
        benchNote(
            tr("Drag bar 1 in the lanes onto the first downbeat; it catches on marks, and is free "
               "with Ctrl. Arrow keys move it by a sample, with Shift by 0.1 ms, with Ctrl by 1 "
               "ms. The audio does not move."),
            bench_
        ),
        1,
        2,
        3,
        1
    );
    layout->setColumnStretch(0, 2);
    layout->setColumnStretch(1, 2);
    layout->setColumnStretch(2, 3);
    layout->setRowStretch(4, 1);
    connect(bpm_, &NumberField::finished, this, &GridStage::apply);
    connect(first_, &NumberField::finished, this, [this](double seconds) {
        session_.document.apply(
            setFirstDownbeat(session_.song(), Seconds(seconds)), tr("Move bar 1")
        );
    });
    connect(meter_, &QComboBox::textActivated, this, &GridStage::apply);
    connect(here, &QPushButton::clicked, this, [this] {
        const Seconds at = toSeconds(session_.player.position(), session_.song().rate);
        session_.document.apply(setFirstDownbeat(session_.song(), at), tr("Move bar 1"));
    });
    const auto scaled = [this](double factor) {
        const Song& song = session_.song();
        session_.document.apply(
            setTempo(song, song.tempo.tempi().front().bpm * factor, song.tempo.meterOfBar(1)),
            factor < 1.0 ? tr("Half time") : tr("Double time")
        );
    };
    connect(half, &QPushButton::clicked, this, [scaled] { scaled(0.5); });
    connect(twice, &QPushButton::clicked, this, [scaled] { scaled(2.0); });
    connect(&session_.document, &Document::songChanged, this, &GridStage::fill);
    fill();
}

bool GridStage::isWorkedOn() const
{
    return !(session_.song().tempo == TempoMap());
}

QString GridStage::status() const
{
    const TempoMap& map = session_.song().tempo;
    return tr("%1 bpm · %2/%3 · bar 1 at %4 s")
        .arg(map.tempi().front().bpm)
        .arg(map.meterOfBar(1).numerator)
        .arg(map.meterOfBar(1).denominator)
        .arg(map.firstDownbeat().count(), 0, 'f', 4);
}

void GridStage::fill()
{
    const TempoMap& map = session_.song().tempo;
    bpm_->setValue(map.tempi().front().bpm);
    first_->setValue(map.firstDownbeat().count());
    meter_->setCurrentText(
        QStringLiteral("%1/%2").arg(map.meterOfBar(1).numerator).arg(map.meterOfBar(1).denominator)
    );
}

void GridStage::apply()
{
    const QStringList parts = meter_->currentText().split(QLatin1Char('/'));
    const Meter meter{parts.value(0).toInt(), parts.value(1).toInt()};
    const TempoMap& map = session_.song().tempo;
    if (bpm_->value() == map.tempi().front().bpm && meter == map.meterOfBar(1)) {
        return;
    }
    if (!session_.document.apply(
            setTempo(session_.song(), bpm_->value(), meter), tr("Set the tempo")
        )) {
        fill();
    }
}

Frames GridStage::firstDownbeat() const
{
    return toFrames(session_.song().tempo.firstDownbeat(), session_.song().rate);
}

void GridStage::paintOver(QPainter& painter)
{
    const Palette& colours = Theme::palette();
    const double x = lanes_.xOf(dragged_.value_or(firstDownbeat()));
    const QRect sheet = lanes_.sheet();
    painter.setPen(QPen(colours.ink, 2.0));
    painter.drawLine(QPointF(x, sheet.top()), QPointF(x, sheet.bottom()));
    painter.setFont(Theme::label(9, QFont::DemiBold));
    const QRectF tag(x, sheet.top() + 2, 44, 18);
    painter.fillRect(tag, colours.ink);
    painter.setPen(colours.paper);
    painter.drawText(tag, Qt::AlignCenter, tr("bar 1"));
}

Frames GridStage::caught(Frames songTime, bool isFree) const
{
    if (isFree) {
        return songTime;
    }
    Frames best = songTime;
    double least = 8.0;
    for (const PlayedHit& hit : session_.fitting.preview().origin.hits) {
        const double away = std::abs(lanes_.xOf(hit.start) - lanes_.xOf(songTime));
        if (away < least) {
            least = away;
            best = hit.start;
        }
    }
    return best;
}

bool GridStage::press(const Lane&, QMouseEvent& event)
{
    if (std::abs(event.position().x() - lanes_.xOf(firstDownbeat())) > 7.0) {
        return false;
    }
    dragged_ = firstDownbeat();
    return true;
}

void GridStage::move(QMouseEvent& event)
{
    dragged_ =
        caught(lanes_.timeAt(event.position().x()), (event.modifiers() & Qt::ControlModifier) != 0);
    lanes_.setReadout(
        tr("bar 1 at %1 s").arg(toSeconds(*dragged_, session_.song().rate).count(), 0, 'f', 4),
        event.pos()
    );
}

void GridStage::release(QMouseEvent&)
{
    if (dragged_ && *dragged_ != firstDownbeat()) {
        session_.document.apply(
            setFirstDownbeat(session_.song(), toSeconds(*dragged_, session_.song().rate)),
            tr("Move bar 1")
        );
    }
    dragged_.reset();
    lanes_.update();
}

std::pair<QString, Qt::CursorShape> GridStage::hintAt(const Lane&, QPoint place) const
{
    if (std::abs(place.x() - lanes_.xOf(firstDownbeat())) <= 7.0) {
        return {
            tr("Drag bar 1 onto the first downbeat; with Ctrl it does not catch on marks"),
            Qt::SizeHorCursor};
    }
    return {};
}

void GridStage::nudge(Seconds by)
{
    session_.document.apply(
        setFirstDownbeat(session_.song(), session_.song().tempo.firstDownbeat() + by),
        tr("Move bar 1")
    );
}

}  // namespace orthochron::app
