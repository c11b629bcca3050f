#include "app/stages/grid/tempo/SteadyBench.h"

#include <QComboBox>
#include <QGridLayout>

#include "app/controls/Materials.h"
#include "app/stages/Bench.h"
#include "app/stages/grid/tempo/ReadingsSheet.h"
#include "core/edits/GridEdits.h"
#include "core/edits/MapEdits.h"

namespace orthochron::app {

SteadyBench::SteadyBench(Session& session, QWidget* parent)
    : QWidget(parent), session_(session), search_(session, this)
{
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(32);
    row->addWidget(makeKnown());
    row->addWidget(makeFound(), 1);
    connect(&session_.document, &Document::songChanged, this, &SteadyBench::fill);
    connect(&search_, &TempoSearch::changed, this, &SteadyBench::fillFound);
    fill();
}

QWidget* SteadyBench::makeKnown()
{
    constexpr int kWidth = 280;
    auto* known = new QWidget(this);
    known->setFixedWidth(kWidth);
    auto* layout = new QGridLayout(known);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setVerticalSpacing(8);
    layout->addWidget(benchTitle(tr("Song tempo"), known), 0, 0, 1, 2);
    bpm_ = new NumberField(
        tr("Tempo"), {QStringLiteral("bpm"), 2, 20.0, 400.0, 120.0, 0.05}, false, known
    );
    bpm_->setObjectName(QStringLiteral("bpm"));
    layout->addWidget(bpm_, 1, 0, 1, 2);
    layout->addWidget(new QLabel(tr("Meter"), known), 2, 0);
    meter_ = new QComboBox(known);
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
    layout->addWidget(meter_, 2, 1);
    first_ = new NumberField(
        tr("First downbeat"), {QStringLiteral("s"), 4, -10.0, 36000.0, 0.0, 0.001}, false, known
    );
    first_->setObjectName(QStringLiteral("firstDownbeat"));
    layout->addWidget(first_, 3, 0, 1, 2);
    auto* half = benchButton(tr("Half time"), QStringLiteral("halfTime"), false, known);
    auto* twice = benchButton(tr("Double time"), QStringLiteral("doubleTime"), false, known);
    layout->addWidget(half, 4, 0);
    layout->addWidget(twice, 4, 1);
    auto* here = benchButton(tr("Bar 1 here"), QStringLiteral("downbeatHere"), false, known);
    here->setToolTip(tr("Or drag bar 1 onto the first downbeat; Ctrl: no snap."));
    layout->addWidget(here, 5, 0, 1, 2);
    layout->setRowStretch(6, 1);
    connect(bpm_, &NumberField::finished, this, &SteadyBench::applyTempo);
    connect(first_, &NumberField::finished, this, [this](double seconds) {
        session_.document.apply(
            setFirstDownbeat(session_.song(), Seconds(seconds)), tr("Move bar 1")
        );
    });
    connect(meter_, &QComboBox::textActivated, this, &SteadyBench::applyMeter);
    connect(here, &QPushButton::clicked, this, [this] {
        const Seconds at = toSeconds(session_.player.position(), session_.song().rate);
        session_.document.apply(setFirstDownbeat(session_.song(), at), tr("Move bar 1"));
    });
    const auto scaled = [this](double factor) {
        session_.document.apply(
            scaleTempo(session_.song(), factor), factor < 1.0 ? tr("Half time") : tr("Double time")
        );
    };
    connect(half, &QPushButton::clicked, this, [scaled] { scaled(0.5); });
    connect(twice, &QPushButton::clicked, this, [scaled] { scaled(2.0); });
    return known;
}

QWidget* SteadyBench::makeFound()
{
    auto* found = new QWidget(this);
    auto* column = new QVBoxLayout(found);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(8);
    auto* head = new QHBoxLayout;
    head->setSpacing(12);
    of_ = benchTitle(QString(), found);
    of_->setObjectName(QStringLiteral("tempoOf"));
    head->addWidget(of_);
    head->addStretch(1);
    auto* least = new NumberField(
        tr("from"), {QStringLiteral("bpm"), 0, 20.0, 399.0, 60.0, 0.5}, false, found
    );
    least->setObjectName(QStringLiteral("leastBpm"));
    auto* most = new NumberField(
        tr("to"), {QStringLiteral("bpm"), 0, 21.0, 400.0, 200.0, 0.5}, false, found
    );
    most->setObjectName(QStringLiteral("mostBpm"));
    least->setValue(search_.range.least);
    most->setValue(search_.range.most);
    auto* find = benchButton(tr("Find tempo"), QStringLiteral("findTempo"), false, found);
    head->addWidget(least);
    head->addWidget(most);
    head->addWidget(find);
    column->addLayout(head);

    auto* sentence = new QHBoxLayout;
    sentence->setSpacing(12);
    beats_ = new NumberField(tr("Length"), {tr("beats"), 2, 0.0, 100000.0, 0.0, 0.1}, false, found);
    beats_->setObjectName(QStringLiteral("lastsBeats"));
    bars_ = new NumberField(tr("Bars"), {tr("bars"), 2, 0.0, 50000.0, 0.0, 0.1}, false, found);
    bars_->setObjectName(QStringLiteral("lastsBars"));
    takeBpm_ = new NumberField(
        tr("Tempo"), {QStringLiteral("bpm"), 3, 0.0, 400.0, 0.0, 0.01}, false, found
    );
    takeBpm_->setObjectName(QStringLiteral("takeBpm"));
    wholeBars_ = benchButton(QString(), QStringLiteral("wholeBars"), false, found);
    inName_ = benchButton(QString(), QStringLiteral("tempoInName"), false, found);
    round_ = benchButton(QString(), QStringLiteral("roundTempo"), false, found);
    give_ = benchButton(QString(), QStringLiteral("giveToSong"), true, found);
    auto* tapping = benchButton(tr("Tap"), QStringLiteral("tap"), false, found);
    tapping->setToolTip(tr("Tap the beat here or with the key while it plays."));
    connect(tapping, &QPushButton::pressed, this, &SteadyBench::tap);
    for (QWidget* part : std::initializer_list<QWidget*>{
             beats_, bars_, takeBpm_, tapping, wholeBars_, inName_, round_}) {
        sentence->addWidget(part);
    }
    sentence->addStretch(1);
    stretch_ = benchButton(QString(), QStringLiteral("stretchToSong"), false, found);
    stretch_->setToolTip(tr("Stretch take to song tempo; align first beat."));
    column->addLayout(sentence);
    auto* wanted = new QHBoxLayout;
    wanted->setSpacing(12);
    wantedBeats_ = new NumberField(
        tr("Target length"), {tr("beats"), 2, 0.0, 100000.0, 0.0, 0.1}, false, found
    );
    wantedBeats_->setToolTip(tr("Length in the song after stretching."));
    wantedBeats_->setObjectName(QStringLiteral("wantedBeats"));
    wantedBars_ =
        new NumberField(tr("Bars"), {tr("bars"), 2, 0.0, 50000.0, 0.0, 0.1}, false, found);
    wantedBars_->setObjectName(QStringLiteral("wantedBars"));
    level_ = benchButton(tr("Match level"), QStringLiteral("matchLevel"), false, found);
    level_->setToolTip(tr("Sets clip gain to match the loudness of the rest of the song."));
    // The two lines stand under each other.
    constexpr int kBeatsWide = 190;
    constexpr int kBarsWide = 148;
    for (NumberField* field : {beats_, wantedBeats_}) {
        field->setMinimumWidth(kBeatsWide);
    }
    for (NumberField* field : {bars_, wantedBars_}) {
        field->setMinimumWidth(kBarsWide);
    }
    wanted->addWidget(wantedBeats_);
    wanted->addWidget(wantedBars_);
    wanted->addStretch(1);
    wanted->addWidget(level_);
    column->addLayout(wanted);
    material_ = new QComboBox(found);
    material_->setObjectName(QStringLiteral("loopMaterial"));
    material_->setAccessibleName(tr("Material"));
    material_->setToolTip(tr("Material; change it while playing to compare."));
    material_->addItem(tr("detect"), QVariant::fromValue(-1));
    for (const Material each : {Material::Hits, Material::Line, Material::Blend, Material::Tape}) {
        material_->addItem(
            tr("as %1").arg(materialText(each)), QVariant::fromValue(static_cast<int>(each))
        );
    }
    readings_ = new ReadingsSheet(search_, found);
    column->addWidget(readings_, 1);
    auto* ends = new QHBoxLayout;
    hear_ = benchButton(QString(), QStringLiteral("hearTempo"), false, found);
    hear_->setToolTip(tr("Plays the take alone with a click on each beat."));
    ends->addWidget(hear_);
    ends->addStretch(1);
    try_ = benchButton(QString(), QStringLiteral("hearStretched"), false, found);
    try_->setToolTip(tr("Plays the song with the take stretched."));
    ends->addWidget(material_);
    ends->addWidget(try_);
    ends->addWidget(stretch_);
    ends->addWidget(give_);
    column->addLayout(ends);

    connect(least, &NumberField::finished, this, [this](double bpm) { search_.range.least = bpm; });
    connect(most, &NumberField::finished, this, [this](double bpm) { search_.range.most = bpm; });
    connect(find, &QPushButton::clicked, &search_, &TempoSearch::search);
    connect(beats_, &NumberField::finished, &search_, &TempoSearch::setBeats);
    connect(bars_, &NumberField::finished, this, [this](double bars) {
        search_.setBeats(bars * session_.song().tempo.meterOfBar(1).barLength().count());
    });
    connect(takeBpm_, &NumberField::finished, &search_, &TempoSearch::setBpm);
    connect(wantedBeats_, &NumberField::finished, &search_, &TempoSearch::setWantedBeats);
    connect(wantedBars_, &NumberField::finished, this, [this](double bars) {
        search_.setWantedBeats(bars * session_.song().tempo.meterOfBar(1).barLength().count());
    });
    connect(level_, &QPushButton::clicked, &search_, &TempoSearch::matchLevel);
    connect(material_, &QComboBox::activated, this, [this] {
        const int chosen = material_->currentData().toInt();
        search_.setMaterial(
            chosen < 0 ? std::nullopt : std::optional(static_cast<Material>(chosen))
        );
    });
    connect(wholeBars_, &QPushButton::clicked, this, [this] {
        search_.setBeats(search_.wholeBars().value_or(search_.beats()));
    });
    connect(inName_, &QPushButton::clicked, this, [this] {
        search_.setBpm(search_.inName().value_or(search_.bpm()));
    });
    connect(round_, &QPushButton::clicked, this, [this] {
        search_.setBpm(search_.roundValue().value_or(search_.bpm()));
    });
    connect(hear_, &QPushButton::clicked, &search_, &TempoSearch::hear);
    connect(&search_, &TempoSearch::hearingChanged, this, &SteadyBench::fillFound);
    connect(give_, &QPushButton::clicked, &search_, &TempoSearch::giveToSong);
    connect(try_, &QPushButton::clicked, &search_, &TempoSearch::hearStretched);
    connect(stretch_, &QPushButton::clicked, &search_, &TempoSearch::stretchToSong);
    return found;
}

void SteadyBench::mainAction()
{
    if (search_.bpm() > 0.0) {
        search_.giveToSong();
    } else {
        search_.search();
    }
}

QString SteadyBench::mainActionName() const
{
    return search_.bpm() > 0.0 ? give_->text() : tr("Find tempo");
}

void SteadyBench::step(int by)
{
    readings_->step(by);
}

void SteadyBench::fill()
{
    const TempoMap& map = session_.song().tempo;
    bpm_->setValue(map.bpmAt(Beats(0.0)));
    first_->setValue(map.firstDownbeat().count());
    meter_->setCurrentText(
        QStringLiteral("%1/%2").arg(map.meterOfBar(1).numerator).arg(map.meterOfBar(1).denominator)
    );
    fillFound();
}

void SteadyBench::fillFound()
{
    const auto track = search_.track();
    const double bpm = search_.bpm();
    of_->setText(
        track ? tr("Tempo of %1").arg(QString::fromStdString(track->name)) : tr("Tempo of a take")
    );
    beats_->setValue(search_.beats());
    const double bar = session_.song().tempo.meterOfBar(1).barLength().count();
    bars_->setValue(search_.beats() / bar);
    wantedBeats_->setValue(search_.wantedBeats());
    wantedBars_->setValue(search_.wantedBeats() / bar);
    const auto whole = search_.wholeBars();
    wholeBars_->setVisible(whole.has_value());
    wholeBars_->setText(tr("Set %1 bars").arg(whole.value_or(0.0) / bar));
    level_->setEnabled(track != nullptr);
    takeBpm_->setValue(bpm);
    const auto offer =
        [bpm](QPushButton& button, const QString& text, std::optional<double> value) {
            button.setVisible(value && std::abs(*value - bpm) > 1e-6);
            button.setText(text.arg(value.value_or(0.0)));
        };
    offer(*inName_, tr("Named %1"), search_.inName());
    offer(*round_, tr("Round to %1"), search_.roundValue());
    give_->setText(bpm > 0.0 ? tr("Use %1 bpm").arg(bpm, 0, 'f', 2) : tr("Set song tempo"));
    give_->setEnabled(bpm >= 20.0 && bpm <= 400.0);
    hear_->setText(search_.isHeard() ? tr("Stop") : tr("Play with click"));
    hear_->setEnabled(bpm >= 20.0 && bpm <= 400.0);
    stretch_->setText(tr("Stretch to %1").arg(session_.song().tempo.bpmAt(Beats(0.0)), 0, 'f', 1));
    stretch_->setEnabled(bpm >= 20.0 && bpm <= 400.0);
    try_->setText(search_.isStretchedHeard() ? tr("Stop") : tr("Preview"));
    try_->setEnabled(bpm >= 20.0 && bpm <= 400.0);
}

void SteadyBench::tap()
{
    if (!clock_.isValid()) {
        clock_.start();
    }
    const auto bpm = taps_.tap(Seconds(static_cast<double>(clock_.nsecsElapsed()) * 1e-9));
    if (!bpm) {
        session_.say(tr("Keep tapping"));
        return;
    }
    search_.setBpm(*bpm);
    session_.say(tr("%1 bpm tapped").arg(*bpm, 0, 'f', 1));
}

void SteadyBench::applyTempo()
{
    const TempoMap& map = session_.song().tempo;
    if (bpm_->value() != map.bpmAt(Beats(0.0)) &&
        !session_.document.apply(
            setTempo(session_.song(), bpm_->value(), map.meterOfBar(1)), tr("Set tempo")
        )) {
        fill();
    }
}

void SteadyBench::applyMeter()
{
    const auto meter = parseMeter(meter_->currentText().toStdString());
    const bool isSame = meter && *meter == session_.song().tempo.meterOfBar(1);
    if (!isSame && !session_.document.apply(
                       meter ? setMeterFrom(session_.song(), 1, *meter)
                             : Result<Song>(tl::unexpected(meter.error())),
                       tr("Set meter")
                   )) {
        fill();
    }
}

}  // namespace orthochron::app
