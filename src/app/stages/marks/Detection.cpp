#include "app/stages/marks/Detection.h"

#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>

#include "app/stages/Bench.h"
#include "core/onset/BandPass.h"

namespace orthochron::app {

namespace {

// The list of bands: all, the named ones, and the user's own last.
constexpr int kOwnBand = static_cast<int>(kNamedBands.size()) + 1;

}  // namespace

Detection::Detection(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    auto* layout = new QGridLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setHorizontalSpacing(32);
    layout->setVerticalSpacing(6);
    title_ = benchTitle(QString(), this);
    layout->addWidget(title_, 0, 0);
    lead_ = new QCheckBox(tr("Lead"), this);
    lead_->setObjectName(QStringLiteral("isLead"));
    lead_->setToolTip(tr("Lead: its hits decide where the mic set is cut."));
    layout->addWidget(lead_, 1, 0);
    auto* find = benchButton(tr("Find hits"), QStringLiteral("findHits"), true, this);
    layout->addWidget(find, 2, 0);
    addListening(*layout);
    sensitivity_ =
        new NumberField(tr("Sensitivity"), {QString(), 0, 0.0, 100.0, 50.0, 0.2}, true, this);
    sensitivity_->setObjectName(QStringLiteral("sensitivity"));
    threshold_ = new NumberField(
        tr("Threshold"), {QStringLiteral("dB"), 1, -60.0, 0.0, -30.0, 0.1}, true, this
    );
    threshold_->setObjectName(QStringLiteral("threshold"));
    gap_ = new NumberField(
        tr("Minimum gap"), {QStringLiteral("ms"), 0, 0.0, 500.0, 20.0, 0.2}, false, this
    );
    gap_->setObjectName(QStringLiteral("smallestGap"));
    count_ = benchTitle(QString(), this);
    count_->setObjectName(QStringLiteral("markCount"));
    layout->addWidget(count_, 0, 1);
    layout->addWidget(sensitivity_, 1, 1);
    layout->addWidget(threshold_, 2, 1);
    layout->addWidget(gap_, 3, 1, Qt::AlignTop);
    layout->setRowStretch(5, 1);
    layout->setColumnStretch(0, 1);
    layout->setColumnStretch(1, 1);
    connect(lead_, &QCheckBox::clicked, this, [this](bool isLead) {
        const auto track = session_.song().track(session_.choice.track());
        if (track) {
            session_.document.apply(
                setLead(session_.song(), track->id, isLead),
                (isLead ? tr("Make %1 a lead") : tr("Make %1 no lead"))
                    .arg(QString::fromStdString(track->name))
            );
        }
    });
    connect(find, &QPushButton::clicked, this, &Detection::findAsked);
    connect(sensitivity_, &NumberField::changed, this, [this](double value) {
        threshold_->setValue(toDecibels(thresholdOf({value, milliseconds(20.0), std::nullopt})));
        tune(false);
    });
    connect(threshold_, &NumberField::changed, this, [this] { tune(false); });
    connect(gap_, &NumberField::changed, this, [this] { tune(false); });
    for (NumberField* field : {sensitivity_, threshold_, gap_}) {
        connect(field, &NumberField::finished, this, [this] { tune(true); });
    }
    connect(&session_.document, &Document::songChanged, this, &Detection::fill);
    connect(&session_.choice, &Choice::changed, this, &Detection::fill);
    fill();
}

// How hits are looked for: in which way, in which band.
void Detection::addListening(QGridLayout& layout)
{
    auto* row = new QHBoxLayout;
    way_ = new QComboBox(this);
    way_->setObjectName(QStringLiteral("onsetWay"));
    way_->setAccessibleName(tr("Attacks"));
    way_->addItems({tr("sharp"), tr("soft (bowed, sung)")});
    band_ = new QComboBox(this);
    band_->setObjectName(QStringLiteral("onsetBand"));
    band_->setAccessibleName(tr("Band"));
    band_->addItems({tr("full range"), tr("lows"), tr("mids"), tr("highs"), tr("custom band")});
    row->addWidget(way_);
    row->addWidget(band_);
    layout.addLayout(row, 3, 0);
    auto* ends = new QHBoxLayout;
    const QString hertz = QStringLiteral("Hz");
    low_ = new NumberField(tr("From"), {hertz, 0, 20.0, 20000.0, 200.0, 5.0}, false, this);
    low_->setObjectName(QStringLiteral("bandLow"));
    high_ = new NumberField(tr("To"), {hertz, 0, 20.0, 20000.0, 5000.0, 5.0}, false, this);
    high_->setObjectName(QStringLiteral("bandHigh"));
    ends->addWidget(low_);
    ends->addWidget(high_);
    layout.addLayout(ends, 4, 0);
    connect(way_, &QComboBox::activated, this, &Detection::changeListening);
    connect(band_, &QComboBox::activated, this, &Detection::changeListening);
    connect(low_, &NumberField::finished, this, &Detection::changeListening);
    connect(high_, &NumberField::finished, this, &Detection::changeListening);
}

void Detection::changeListening()
{
    const auto track = session_.song().track(session_.choice.track());
    if (!track) {
        return;
    }
    OnsetSettings wanted = track->detection;
    wanted.way = way_->currentIndex() == 1 ? OnsetWay::Weak : OnsetWay::Struck;
    const int index = band_->currentIndex();
    wanted.band.reset();
    if (index == kOwnBand) {
        wanted.band = FrequencyBand{Hertz(low_->value()), Hertz(high_->value())};
    } else if (index > 0) {
        wanted.band = kNamedBands[static_cast<std::size_t>(index) - 1].band;
    }
    if (session_.document.apply(
            setDetection(session_.song(), track->id, wanted), tr("Change detection band")
        ) &&
        session_.song().isLead(*track)) {
        session_.hits.detect();
    }
}

OnsetSettings Detection::settings() const
{
    const auto track = session_.song().track(session_.choice.track());
    OnsetSettings wanted = track ? track->detection : OnsetSettings{};
    wanted.sensitivity = sensitivity_->value();
    wanted.minGap = milliseconds(gap_->value());
    wanted.threshold = fromDecibels(threshold_->value());
    return wanted;
}

void Detection::fill()
{
    const auto track = session_.song().track(session_.choice.track());
    title_->setText(track ? QString::fromStdString(track->name) : tr("No track selected"));
    // A track by itself is its own lead.
    const MicSet* set = track ? session_.song().setOf(track->id) : nullptr;
    const bool isTunable = track && session_.song().isLead(*track);
    lead_->setChecked(isTunable);
    lead_->setEnabled(track && (set == nullptr || !set->isLone()));
    for (NumberField* field : {sensitivity_, threshold_, gap_}) {
        field->setEnabled(isTunable);
    }
    if (track && !trying_) {
        sensitivity_->setValue(track->detection.sensitivity);
        threshold_->setValue(toDecibels(thresholdOf(track->detection)));
        gap_->setValue(inMilliseconds(track->detection.minGap));
        way_->setCurrentIndex(track->detection.way == OnsetWay::Weak ? 1 : 0);
        int place = 0;
        if (track->detection.band) {
            const auto named =
                std::ranges::find(kNamedBands, *track->detection.band, &NamedBand::band);
            place = static_cast<int>(named - kNamedBands.begin()) + 1;
            // A band of one's own begins as the one that was heard before.
            if (band_->currentIndex() == kOwnBand && track->id == filledFor_) {
                place = kOwnBand;
            }
        }
        band_->setCurrentIndex(place);
        filledFor_ = track->id;
        if (track->detection.band) {
            low_->setValue(track->detection.band->low.count());
            high_->setValue(track->detection.band->high.count());
        }
    }
    const bool isOwnBand = band_->currentIndex() == kOwnBand;
    low_->setEnabled(isOwnBand);
    high_->setEnabled(isOwnBand);
    if (!trying_) {
        const auto on = track ? std::ranges::count_if(track->marks, &Mark::isOn) : 0;
        count_->setText(isTunable ? tr("%1 marks").arg(on) : tr("Marks"));
    }
}

QString Detection::countText() const
{
    return count_->text();
}

void Detection::tryThreshold(double decibels)
{
    threshold_->setValue(decibels);
    tune(false);
}

void Detection::tune(bool isFinal)
{
    const TrackId id = session_.choice.track();
    const MicSet* set = session_.choice.set();
    if (session_.hits.analysis() == nullptr || !session_.hits.analysis()->contains(id) ||
        set == nullptr) {
        if (isFinal) {
            // Meanwhile another track may be chosen: what was let go of is meant for this one.
            session_.hits.detect([this, id, wanted = settings()] { place(id, wanted); });
        }
        return;
    }
    const OnsetSettings wanted = settings();
    count_->setText(
        tr("%1 marks")
            .arg(countMarks(session_.hits.analysis()->at(id), session_.song().rate, wanted))
    );
    trying_ = wanted;
    Q_EMIT tried();
    if (isFinal) {
        place(id, wanted);
    }
}

void Detection::place(TrackId id, const OnsetSettings& wanted)
{
    trying_.reset();
    const MicSet* set = session_.song().setOf(id);
    if (set == nullptr || session_.hits.analysis() == nullptr ||
        !session_.hits.analysis()->contains(id)) {
        fill();
        return;
    }
    session_.document.apply(
        placeMarks(session_.song(), set->id, *session_.hits.analysis(), {{id, wanted}}),
        tr("Set sensitivity")
    );
}

}  // namespace orthochron::app
