#include "app/stages/grid/follow/FollowBench.h"

#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <QPainter>

#include "app/controls/Materials.h"
#include "app/stages/Bench.h"
#include "app/stages/grid/follow/TempoChart.h"
#include "app/theme/Theme.h"
#include "core/time/MapKnots.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr int kFrameHeight = 78;

}  // namespace

// ---- the sheet

DoubtfulBarsSheet::DoubtfulBarsSheet(Session& session, Following& following, QWidget* parent)
    : FrameSheet(kFrameHeight, parent), session_(session), following_(following)
{
    setObjectName(QStringLiteral("doubtfulBars"));
    setAccessibleName(tr("Doubtful bars, worst first"));
    connect(&following_, &Following::changed, this, [this] { update(); });
}

QString DoubtfulBarsSheet::emptyText() const
{
    return session_.song().tempo.tempi().size() > 1
               ? tr("No doubtful bars")
               : tr("Draft bars to list doubtful bars here, or drag bar lines in the ruler to "
                    "their attacks.");
}

void DoubtfulBarsSheet::paintFrame(QPainter& painter, QRect frame, std::size_t place)
{
    const Palette& colours = Theme::palette();
    const DoubtfulBar& bar = following_.doubtful()[place];
    const TempoMap& map = session_.song().tempo;
    paintHead(
        painter,
        frame,
        place == following_.place(),
        false,
        tr("bar %1").arg(bar.bar),
        tr("confidence %1").arg(bar.sureness, 0, 'f', 2)
    );
    const QRectF wave = QRectF(frame).adjusted(5, 22, -5, -18);
    if (const BarPicture* picture = following_.picture(place)) {
        float highest = 1e-3F;
        for (const float sample : picture->samples) {
            highest = std::max(highest, std::abs(sample));
        }
        painter.setPen(QPen(colours.wave, 1.0));
        paintSamples(
            painter, picture->samples, wave, wave.height() / 2.0 / static_cast<double>(highest)
        );
        const double part = static_cast<double>(picture->before.count()) /
                            static_cast<double>(picture->samples.size());
        const double x = wave.left() + part * wave.width();
        painter.setPen(QPen(colours.finding, 1.5, Qt::DashLine));
        painter.drawLine(QPointF(x, wave.top()), QPointF(x, wave.bottom()));
    }
    // What its tempo is beside that of the bar before it.
    const double bpm = map.bpmAt(bar.place);
    const double before = map.bpmAt(map.startOfBar(bar.bar - 1));
    const double change = 100.0 * (bpm / before - 1.0);
    painter.setPen(colours.finding);
    painter.setFont(Theme::label(8.5, QFont::DemiBold));
    painter.drawText(
        frame.adjusted(7, 0, -7, -3),
        Qt::AlignLeft | Qt::AlignBottom,
        std::abs(change) < 0.5 ? tr("%1 bpm").arg(bpm, 0, 'f', 1)
        : change < 0.0 ? tr("%1 bpm, slowing %2 %").arg(bpm, 0, 'f', 1).arg(-change, 0, 'f', 0)
                       : tr("%1 bpm, speeding up %2 %").arg(bpm, 0, 'f', 1).arg(change, 0, 'f', 0)
    );
}

// ---- the bench

FollowBench::FollowBench(Session& session, Following& following, QWidget* parent)
    : QWidget(parent), session_(session), following_(following)
{
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(24);
    row->addWidget(makeDraft());
    row->addWidget(makeLine());
    row->addWidget(makeDoubtful(), 3);
    auto* right = new QVBoxLayout;
    right->setSpacing(6);
    right->addWidget(benchTitle(tr("Tempo by bar"), this));
    right->addWidget(new TempoChart(session_, following_, this), 1);
    row->addLayout(right, 4);
    connect(&following_, &Following::changed, this, &FollowBench::fill);
    connect(&session_.choice, &Choice::changed, this, &FollowBench::fill);
    fill();
}

QWidget* FollowBench::makeDraft()
{
    constexpr int kWidth = 232;
    auto* draft = new QWidget(this);
    draft->setFixedWidth(kWidth);
    auto* layout = new QGridLayout(draft);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setVerticalSpacing(6);
    of_ = benchTitle(QString(), draft);
    of_->setObjectName(QStringLiteral("followOf"));
    layout->addWidget(of_, 0, 0, 1, 2);
    auto* bars = benchButton(tr("Draft bars"), QStringLiteral("draftBars"), true, draft);
    bars->setToolTip(tr("Draft: bars found from the performance, to confirm or move."));
    auto* beats = benchButton(tr("Draft beats"), QStringLiteral("draftBeats"), false, draft);
    layout->addWidget(bars, 1, 0);
    layout->addWidget(beats, 1, 1);
    barOne_ = new QCheckBox(tr("Keep bar 1"), draft);
    barOne_->setObjectName(QStringLiteral("keepBarOne"));
    barOne_->setToolTip(tr("Off: the first downbeat is estimated."));
    layout->addWidget(barOne_, 2, 0, 1, 2);
    hint_ = new NumberField(
        tr("Approximate tempo"), {QStringLiteral("bpm"), 1, 0.0, 400.0, 0.0, 0.5}, false, draft
    );
    hint_->setObjectName(QStringLiteral("bpmHint"));
    hint_->setToolTip(tr("Approximate tempo; 0 = detect"));
    layout->addWidget(hint_, 3, 0, 1, 2);
    within_ = new NumberField(
        tr("Tolerance"), {QStringLiteral("ms"), 1, 0.0, 200.0, 4.0, 0.1}, false, draft
    );
    within_->setObjectName(QStringLiteral("simplifyWithin"));
    within_->setValue(4.0);
    layout->addWidget(within_, 4, 0);
    auto* simplify = benchButton(tr("Simplify map"), QStringLiteral("simplify"), false, draft);
    layout->addWidget(simplify, 4, 1);
    auto* read = benchButton(tr("Import map…"), QStringLiteral("readMap"), false, draft);
    auto* write = benchButton(tr("Export map…"), QStringLiteral("writeMap"), false, draft);
    read->setToolTip(tr("Reads tempo and meter from a MIDI file."));
    write->setToolTip(tr("MIDI with click, marks and guide; or a table of beats."));
    layout->addWidget(read, 5, 0);
    layout->addWidget(write, 5, 1);
    guide_ = benchButton(QString(), QStringLiteral("guide"), false, draft);
    guide_->setToolTip(tr("Shows a MIDI performance under the lanes; bar lines snap to its notes.")
    );
    markByGuide_ = benchButton(tr("Marks from guide"), QStringLiteral("markByGuide"), false, draft);
    markByGuide_->setToolTip(tr("Adds marks to the selected track at the guide's note starts."));
    layout->addWidget(guide_, 6, 0, 1, 2);
    layout->addWidget(markByGuide_, 7, 0, 1, 2);
    layout->setRowStretch(8, 1);
    connect(bars, &QPushButton::clicked, this, [this] { following_.draft(MapLevel::Bar); });
    connect(beats, &QPushButton::clicked, this, [this] { following_.draft(MapLevel::Beat); });
    connect(barOne_, &QCheckBox::toggled, this, [this](bool isOn) {
        following_.keepsBarOne = isOn;
    });
    connect(hint_, &NumberField::finished, this, [this](double bpm) { following_.bpmHint = bpm; });
    connect(simplify, &QPushButton::clicked, this, &FollowBench::simplify);
    connect(read, &QPushButton::clicked, this, [this] { following_.readFile(window()); });
    connect(write, &QPushButton::clicked, this, [this] { following_.writeFile(window()); });
    connect(guide_, &QPushButton::clicked, this, [this] {
        if (session_.song().guide) {
            following_.removeGuide();
        } else {
            following_.readGuide(window());
        }
    });
    connect(markByGuide_, &QPushButton::clicked, &following_, &Following::markFromGuide);
    return draft;
}

QWidget* FollowBench::makeLine()
{
    constexpr int kWidth = 168;
    auto* line = new QWidget(this);
    line->setFixedWidth(kWidth);
    auto* layout = new QVBoxLayout(line);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    line_ = benchTitle(QString(), line);
    line_->setObjectName(QStringLiteral("chosenLine"));
    layout->addWidget(line_);
    keep_ = benchButton(tr("Confirm bar line"), QStringLiteral("keepLine"), false, line);
    free_ = benchButton(tr("Delete pin"), QStringLiteral("freeLine"), false, line);
    free_->setToolTip(tr("Pin: holds a bar line at its time."));
    countFrom_ = benchButton(tr("Start bar 1 here"), QStringLiteral("countFrom"), false, line);
    meter_ = new QComboBox(line);
    meter_->setObjectName(QStringLiteral("meterFrom"));
    meter_->setAccessibleName(tr("Meter from here"));
    meter_->setToolTip(tr("Meter from this bar on"));
    meter_->setEditable(true);
    for (const char* meter : {"4/4", "3/4", "6/8", "2/4", "5/4", "7/8", "12/8"}) {
        meter_->addItem(QLatin1String(meter));
    }
    ramp_ = benchButton(QString(), QStringLiteral("rampUpTo"), false, line);
    ramp_->setToolTip(tr("Tempo changes evenly from the previous pin to the tempo that follows."));
    for (QWidget* part : std::initializer_list<QWidget*>{keep_, free_, countFrom_}) {
        layout->addWidget(part);
    }
    auto* change = new QHBoxLayout;
    change->addWidget(meter_, 1);
    change->addWidget(ramp_);
    layout->addLayout(change);
    connect(ramp_, &QPushButton::clicked, &following_, &Following::turnRamp);
    steadyBpm_ = new NumberField(
        tr("Steady tempo"), {QStringLiteral("bpm"), 1, 20.0, 400.0, 120.0, 0.1}, false, line
    );
    steadyBpm_->setObjectName(QStringLiteral("steadyBpm"));
    steady_ = benchButton(tr("Make steady"), QStringLiteral("makeSteady"), false, line);
    steady_->setToolTip(
        tr("Moves every bar to this tempo, on all tracks, by cutting bars or stretching.")
    );
    steadyWay_ = new QComboBox(line);
    steadyWay_->setObjectName(QStringLiteral("steadyWay"));
    steadyWay_->setAccessibleName(tr("How bars are moved"));
    steadyWay_->addItem(tr("cut bars"), QVariant::fromValue(-1));
    for (const Material material : {Material::Hits, Material::Line, Material::Blend}) {
        steadyWay_->addItem(
            tr("stretch as %1").arg(materialText(material)),
            QVariant::fromValue(static_cast<int>(material))
        );
    }
    layout->addWidget(steadyBpm_);
    layout->addWidget(steadyWay_);
    layout->addWidget(steady_);
    connect(steady_, &QPushButton::clicked, this, [this] {
        const int material = steadyWay_->currentData().toInt();
        following_.makeSteady(
            steadyBpm_->value(),
            material < 0 ? FitWay{} : FitWay{FitMethod::Stretch, static_cast<Material>(material)}
        );
    });
    layout->addStretch(1);
    connect(keep_, &QPushButton::clicked, &following_, &Following::keep);
    connect(free_, &QPushButton::clicked, &following_, &Following::free);
    connect(countFrom_, &QPushButton::clicked, &following_, &Following::countFrom);
    connect(meter_, &QComboBox::textActivated, this, [this](const QString& text) {
        const TempoMap& map = session_.song().tempo;
        const int bar = map.barAt(following_.line());
        const auto meter = parseMeter(text.toStdString());
        const bool isSame = meter && *meter == map.meterOfBar(bar);
        if (!isSame && !session_.document.apply(
                           meter ? setMeterFrom(session_.song(), bar, *meter)
                                 : Result<Song>(tl::unexpected(meter.error())),
                           tr("Set meter from bar %1").arg(bar)
                       )) {
            fill();
        }
    });
    return line;
}

QWidget* FollowBench::makeDoubtful()
{
    auto* doubtful = new QWidget(this);
    auto* layout = new QVBoxLayout(doubtful);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    auto* head = new QHBoxLayout;
    head->addWidget(benchTitle(tr("Doubtful bars"), doubtful));
    head->addStretch(1);
    count_ = benchNote(QString(), doubtful);
    count_->setObjectName(QStringLiteral("doubtfulCount"));
    count_->setWordWrap(false);
    head->addWidget(count_);
    layout->addLayout(head);
    sheet_ = new DoubtfulBarsSheet(session_, following_, doubtful);
    layout->addWidget(sheet_, 1);
    return doubtful;
}

void FollowBench::fill()
{
    const Song& song = session_.song();
    const auto track = song.track(session_.choice.track());
    const MicSet* set = track ? song.setOf(track->id) : nullptr;
    const QString name = !track           ? tr("take")
                         : set != nullptr ? QString::fromStdString(song.nameOf(*set))
                                          : QString::fromStdString(track->name);
    of_->setText(tr("Follow %1").arg(name));
    barOne_->setChecked(following_.keepsBarOne);
    hint_->setValue(following_.bpmHint);
    const std::size_t count = following_.doubtful().size();
    count_->setText(count == 0 ? QString() : tr("%1 of %2").arg(following_.place() + 1).arg(count));
    const Beats line = following_.line();
    const int bar = song.tempo.barAt(line);
    const QString text = following_.lineName(line);
    const bool isGuessed = line == Beats(0.0) && hasGuessedBarOne(song.tempo);
    line_->setText((isGuessed ? tr("%1, estimated: %2 s") : tr("%1 at %2 s"))
                       .arg(text.left(1).toUpper() + text.mid(1))
                       .arg(song.tempo.timeAt(line).count(), 0, 'f', 3));
    const Meter meter = song.tempo.meterOfBar(bar);
    meter_->setCurrentText(QStringLiteral("%1/%2").arg(meter.numerator).arg(meter.denominator));
    const bool isPinned = following_.isPinned(line);
    keep_->setEnabled(!isPinned && !song.tracks.empty());
    const bool follows = song.tempo.tempi().size() > 1;
    steady_->setEnabled(follows && !song.tracks.empty());
    const double mean = std::round(following_.meanTempo() * 10.0) / 10.0;
    if (mean != offeredBpm_) {
        offeredBpm_ = mean;
        steadyBpm_->setValue(mean);
    }
    free_->setEnabled(isPinned);
    countFrom_->setEnabled(line != Beats(0.0));
    ramp_->setEnabled(line > song.tempo.tempi().front().at);
    guide_->setText(song.guide ? tr("Delete guide") : tr("Import guide…"));
    guide_->setEnabled(!song.tracks.empty());
    markByGuide_->setEnabled(song.guide != nullptr && track != nullptr);
    ramp_->setText(isRampUpTo(song.tempo, line) ? tr("Delete ramp") : tr("Add ramp"));
}

void FollowBench::simplify()
{
    const MapKnots before = knotsOf(session_.song().tempo);
    if (!session_.document.apply(
            simplifyMap(session_.song(), milliseconds(within_->value())), tr("Simplify map")
        )) {
        return;
    }
    const TempoMap& map = session_.song().tempo;
    session_.say(tr("%1 of %2 points kept, at most %3 ms off")
                     .arg(map.tempi().size())
                     .arg(before.knots.size())
                     .arg(inMilliseconds(furthestApart(before, map)), 0, 'f', 2));
}

}  // namespace orthochron::app
