#include "app/stages/marks/Detection.h"

#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>

#include "app/stages/Bench.h"

namespace orthochron::app {

namespace {

struct NamedBand {
    const char* text = nullptr;
    double low = 0.0;
    double high = 0.0;
};

// The last is the user's own.
const std::array<NamedBand, 5>& bands()
{
    static const std::array<NamedBand, 5> kBandNames{{
        {QT_TRANSLATE_NOOP("Detection", "hear all of it"), 0.0, 0.0},
        {QT_TRANSLATE_NOOP("Detection", "hear the lows"), 20.0, 150.0},
        {QT_TRANSLATE_NOOP("Detection", "hear the middle"), 150.0, 2000.0},
        {QT_TRANSLATE_NOOP("Detection", "hear the highs"), 2000.0, 16000.0},
        {QT_TRANSLATE_NOOP("Detection", "hear a band"), 0.0, 0.0},
    }};
    return kBandNames;
}

}  // namespace

Detection::Detection(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    auto* layout = new QGridLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setHorizontalSpacing(32);
    layout->setVerticalSpacing(6);
    title_ = benchTitle(QString(), this);
    layout->addWidget(title_, 0, 0);
    lead_ = new QCheckBox(tr("is a lead: its hits decide where the set is cut"), this);
    lead_->setObjectName(QStringLiteral("isLead"));
    layout->addWidget(lead_, 1, 0);
    auto* find = benchButton(tr("Find hits on all leads"), QStringLiteral("findHits"), true, this);
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
        tr("Smallest gap"), {QStringLiteral("ms"), 0, 0.0, 500.0, 20.0, 0.2}, false, this
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
        const auto track = session_.song().track(session_.track());
        if (track) {
            session_.document.apply(
                setLead(session_.song(), track->id, isLead),
                (isLead ? tr("Make %1 a lead") : tr("%1 is no lead"))
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
    connect(&session_, &Session::choiceChanged, this, &Detection::fill);
    fill();
}

// How hits are looked for: in which way, in which band.
void Detection::addListening(QGridLayout& layout)
{
    auto* row = new QHBoxLayout;
    way_ = new QComboBox(this);
    way_->setObjectName(QStringLiteral("onsetWay"));
    way_->setAccessibleName(tr("Attacks"));
    way_->addItems({tr("struck"), tr("weak (bowed, sung)")});
    band_ = new QComboBox(this);
    band_->setObjectName(QStringLiteral("onsetBand"));
    band_->setAccessibleName(tr("Band"));
    for (const NamedBand& band : bands()) {
        band_->addItem(tr(band.text));
    }
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
    const auto track = session_.song().track(session_.track());
    if (!track) {
        return;
    }
    OnsetSettings wanted = track->detection;
    wanted.way = way_->currentIndex() == 1 ? OnsetWay::Weak : OnsetWay::Struck;
    const auto index = static_cast<std::size_t>(band_->currentIndex());
    const bool isOwn = index + 1 == bands().size();
    wanted.band.reset();
    if (isOwn) {
        wanted.band = FrequencyBand{Hertz(low_->value()), Hertz(high_->value())};
    } else if (index > 0) {
        wanted.band = FrequencyBand{Hertz(bands()[index].low), Hertz(bands()[index].high)};
    }
    if (session_.document.apply(
            setDetection(session_.song(), track->id, wanted), tr("Change what is listened to")
        ) &&
        track->isLead) {
        session_.detect();
    }
}

OnsetSettings Detection::settings() const
{
    const auto track = session_.song().track(session_.track());
    OnsetSettings wanted = track ? track->detection : OnsetSettings{};
    wanted.sensitivity = sensitivity_->value();
    wanted.minGap = milliseconds(gap_->value());
    wanted.threshold = fromDecibels(threshold_->value());
    return wanted;
}

void Detection::fill()
{
    const auto track = session_.song().track(session_.track());
    title_->setText(track ? QString::fromStdString(track->name) : tr("No track chosen"));
    lead_->setEnabled(track != nullptr);
    lead_->setChecked(track && track->isLead);
    const bool isTunable = track && track->isLead;
    for (NumberField* field : {sensitivity_, threshold_, gap_}) {
        field->setEnabled(isTunable);
    }
    if (track && !trying_) {
        sensitivity_->setValue(track->detection.sensitivity);
        threshold_->setValue(toDecibels(thresholdOf(track->detection)));
        gap_->setValue(inMilliseconds(track->detection.minGap));
        way_->setCurrentIndex(track->detection.way == OnsetWay::Weak ? 1 : 0);
        int place = track->detection.band ? static_cast<int>(bands().size()) - 1 : 0;
        for (std::size_t i = 1; track->detection.band && i + 1 < bands().size(); ++i) {
            const FrequencyBand named{Hertz(bands()[i].low), Hertz(bands()[i].high)};
            place = *track->detection.band == named ? static_cast<int>(i) : place;
        }
        band_->setCurrentIndex(place);
        if (track->detection.band) {
            low_->setValue(track->detection.band->low.count());
            high_->setValue(track->detection.band->high.count());
        }
    }
    const bool isOwnBand = band_->currentIndex() + 1 == static_cast<int>(bands().size());
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
    const TrackId id = session_.track();
    const MicSet* set = session_.set();
    if (session_.analysis() == nullptr || !session_.analysis()->contains(id) || set == nullptr) {
        if (isFinal) {
            session_.detect([this] { tune(true); });
        }
        return;
    }
    const OnsetSettings wanted = settings();
    count_->setText(
        tr("%1 marks").arg(countMarks(session_.analysis()->at(id), session_.song().rate, wanted))
    );
    trying_ = wanted;
    Q_EMIT tried();
    if (isFinal) {
        trying_.reset();
        session_.document.apply(
            placeMarks(session_.song(), set->id, *session_.analysis(), {{id, wanted}}),
            tr("Set the sensitivity")
        );
    }
}

}  // namespace orthochron::app
