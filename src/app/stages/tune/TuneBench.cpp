#include "app/stages/tune/TuneBench.h"

#include <QComboBox>
#include <QHBoxLayout>

#include "app/controls/Counted.h"
#include "app/stages/Bench.h"
#include "app/stages/tune/OffList.h"
#include "core/tune/KeyGuess.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr std::array kScaleNames{
    "chromatic",
    "major",
    "minor",
    "harmonic",
    "melodic",
    "dorian",
    "phrygian",
    "lydian",
    "mixolydian",
    "pentatonic",
    "minor-pentatonic",
    "blues",
    "whole-tone"};
constexpr std::size_t kLikely = 3;  // keys that are offered

}  // namespace

TuneBench::TuneBench(Session& session, TuneHands& hands, Ladder& ladder)
    : session_(session), hands_(hands), ladder_(ladder)
{
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(20, 8, 20, 8);
    row->setSpacing(28);
    row->addWidget(makeWhole(), 5);
    row->addWidget(makeChosen(), 5);
    row->addWidget(makeFurthest(), 7);
    connect(&hands_, &TuneHands::changed, this, &TuneBench::fill);
    fill();
}

NumberField* TuneBench::field(
    QVBoxLayout& column, const QString& label, const char* name, const NumberStyle& style
)
{
    auto* made = new NumberField(label, style, false, this);
    made->setObjectName(QLatin1String(name));
    column.addWidget(made);
    return made;
}

QWidget* TuneBench::makeWhole()
{
    auto* whole = new QWidget(this);
    auto* column = benchColumn(whole);
    of_ = benchTitle(QString(), whole);
    of_->setObjectName(QStringLiteral("notesOf"));
    column->addWidget(of_);
    figures_ = benchNote(QString(), whole);
    figures_->setObjectName(QStringLiteral("tuneFigures"));
    column->addWidget(figures_);
    auto* key = new QHBoxLayout;
    tonic_ = new QComboBox(whole);
    tonic_->setObjectName(QStringLiteral("tonic"));
    tonic_->setAccessibleName(tr("Key"));
    for (int semitone = 0; semitone < 12; ++semitone) {
        tonic_->addItem(QString::fromStdString(semitoneName(semitone)));
    }
    scale_ = new QComboBox(whole);
    scale_->setObjectName(QStringLiteral("scale"));
    scale_->setAccessibleName(tr("Scale"));
    for (const char* name : kScaleNames) {
        scale_->addItem(QLatin1String(name));
    }
    scale_->addItem(tr("own"));
    key->addWidget(tonic_);
    key->addWidget(scale_, 1);
    column->addLayout(key);
    auto* likely = new QHBoxLayout;
    for (std::size_t i = 0; i < kLikely; ++i) {
        likely_.push_back(benchButton(QString(), QStringLiteral("likelyKey%1").arg(i), false, whole)
        );
        likely_.back()->setStyleSheet(QStringLiteral("padding:3px 6px"));
        likely->addWidget(likely_.back());
    }
    column->addLayout(likely);
    span_ = field(*column, tr("Semitones seen"), "ladderSpan", {QString(), 0, 0.0, 96.0, 0.0, 0.1});
    span_->setToolTip(tr("0 for as many as the take needs"));
    auto* actions = new QHBoxLayout;
    gently_ = benchButton(tr("Put right gently"), QStringLiteral("gently"), true, whole);
    gently_->setToolTip(tr("Takes out what is beyond 10 cents and leaves the rest"));
    reset_ = benchButton(tr("As sung"), QStringLiteral("asSung"), false, whole);
    actions->addWidget(gently_, 1);
    actions->addWidget(reset_);
    column->addLayout(actions);
    column->addStretch(1);
    connect(tonic_, &QComboBox::activated, this, &TuneBench::applyKey);
    connect(scale_, &QComboBox::activated, this, &TuneBench::applyKey);
    connect(span_, &NumberField::changed, this, [this](double semitones) {
        ladder_.setSpan(semitones);
        Q_EMIT looked();
    });
    connect(gently_, &QPushButton::clicked, &hands_, &TuneHands::putRightGently);
    connect(reset_, &QPushButton::clicked, &hands_, &TuneHands::reset);
    for (std::size_t i = 0; i < kLikely; ++i) {
        connect(likely_[i], &QPushButton::clicked, this, [this, i] {
            const Sung* sung = hands_.sung();
            if (sung == nullptr || sung->notes.empty()) {
                return;
            }
            const KeyReading reading = keysOf(sung->notes)[i];
            if (auto scale =
                    parseScale(semitoneName(reading.tonic), reading.isMinor ? "minor" : "major")) {
                hands_.setKey(*scale);
            }
        });
    }
    return whole;
}

QWidget* TuneBench::makeChosen()
{
    auto* chosen = new QWidget(this);
    auto* column = benchColumn(chosen);
    scope_ = benchTitle(QString(), chosen);
    scope_->setObjectName(QStringLiteral("tuneScope"));
    column->addWidget(scope_);
    const QString percent = QStringLiteral("%");
    shift_ = field(
        *column,
        tr("Moved by"),
        "noteShift",
        {tr("semitones"), 2, -kMostSemitones, kMostSemitones, 0.0, 0.01}
    );
    offset_ =
        field(*column, tr("Offset taken out"), "noteOffset", {percent, 0, 0.0, 100.0, 0.0, 0.5});
    wander_ =
        field(*column, tr("Wander taken out"), "noteWander", {percent, 0, 0.0, 100.0, 0.0, 0.5});
    vibrato_ =
        field(*column, tr("Vibrato left"), "noteVibrato", {percent, 0, 0.0, 200.0, 100.0, 0.5});
    formants_ = new QComboBox(chosen);
    formants_->setObjectName(QStringLiteral("noteFormants"));
    formants_->setAccessibleName(tr("Formants"));
    formants_->addItems({tr("formants stay"), tr("formants go along")});
    column->addWidget(formants_);
    auto* octaves = new QHBoxLayout;
    auto* up = benchButton(tr("Octave up"), QStringLiteral("octaveUp"), false, chosen);
    auto* down = benchButton(tr("Octave down"), QStringLiteral("octaveDown"), false, chosen);
    octaves->addWidget(up);
    octaves->addWidget(down);
    column->addLayout(octaves);
    column->addStretch(1);
    connect(up, &QPushButton::clicked, this, [this] { hands_.shift(12.0); });
    connect(down, &QPushButton::clicked, this, [this] { hands_.shift(-12.0); });
    connect(shift_, &NumberField::finished, this, [this](double semitones) {
        hands_.change(
            [&](const SungNote&, NoteTuning& asked) { asked.shift = semitones; },
            tr("Move in pitch")
        );
    });
    connect(offset_, &NumberField::finished, this, [this](double part) {
        hands_.change(
            [&](const SungNote& note, NoteTuning& asked) {
                asked.shift = -0.01 * part * note.offset();
            },
            tr("Offset")
        );
    });
    connect(wander_, &NumberField::finished, this, [this](double part) {
        hands_.change(
            [&](const SungNote&, NoteTuning& asked) { asked.wander = 0.01 * part; }, tr("Wander")
        );
    });
    connect(vibrato_, &NumberField::finished, this, [this](double part) {
        hands_.change(
            [&](const SungNote&, NoteTuning& asked) { asked.vibrato = 0.01 * part; }, tr("Vibrato")
        );
    });
    connect(formants_, &QComboBox::activated, this, [this](int way) {
        hands_.change(
            [&](const SungNote&, NoteTuning& asked) { asked.movesFormants = way == 1; },
            tr("Formants")
        );
    });
    return chosen;
}

QWidget* TuneBench::makeFurthest()
{
    auto* furthest = new QWidget(this);
    auto* column = benchColumn(furthest);
    column->addWidget(benchTitle(tr("Furthest off their rungs"), furthest));
    furthest_ = new OffList(session_, hands_, furthest);
    column->addWidget(furthest_, 1);
    return furthest;
}

void TuneBench::applyKey()
{
    const int scale = scale_->currentIndex();
    if (scale < 0 || static_cast<std::size_t>(scale) >= kScaleNames.size()) {
        return;
    }
    const auto key = parseScale(
        semitoneName(tonic_->currentIndex()), kScaleNames[static_cast<std::size_t>(scale)]
    );
    if (key) {
        hands_.setKey(*key);
    }
}

void TuneBench::fill()
{
    const Sung* sung = hands_.sung();
    of_->setText(tr("Notes of %1").arg(hands_.trackName()));
    if (sung == nullptr || hands_.trouble()) {
        figures_->setText(hands_.isListening() ? tr("Listening…") : QString());
    } else {
        const auto [before, after] = hands_.meanOff();
        figures_->setText(tr("%1, %2 cents off as sung, %3 now")
                              .arg(counted(std::ssize(sung->notes), tr("note"), tr("notes")))
                              .arg(before, 0, 'f', 0)
                              .arg(after, 0, 'f', 0));
    }
    fillKey();
    fillChosen();
    furthest_->fill();
}

void TuneBench::fillKey()
{
    const Scale& key = session_.song().key;
    tonic_->setCurrentIndex(key.tonic);
    int known = static_cast<int>(kScaleNames.size());
    for (std::size_t i = 0; i < kScaleNames.size(); ++i) {
        const auto scale = parseScale(semitoneName(key.tonic), kScaleNames[i]);
        if (scale && *scale == key) {
            known = static_cast<int>(i);
            break;
        }
    }
    scale_->setCurrentIndex(known);
    const Sung* sung = hands_.sung();
    const auto keys = sung != nullptr ? keysOf(sung->notes) : std::vector<KeyReading>();
    for (std::size_t i = 0; i < likely_.size(); ++i) {
        likely_[i]->setVisible(i < keys.size());
        if (i < keys.size()) {
            likely_[i]->setText(tr("%1 %2 %")
                                    .arg(QString::fromStdString(keyName(keys[i])))
                                    .arg(100.0 * keys[i].score, 0, 'f', 0));
        }
    }
}

void TuneBench::fillChosen()
{
    const Sung* sung = hands_.sung();
    const auto notes = hands_.meant();
    const bool isThere = sung != nullptr && !hands_.trouble() && !notes.empty();
    for (QWidget* part : std::initializer_list<QWidget*>{
             shift_, offset_, wander_, vibrato_, formants_, gently_, reset_}) {
        part->setEnabled(isThere);
    }
    scope_->setText(
        hands_.chosen().empty()       ? tr("All notes")
        : hands_.chosen().size() == 1 ? tr("The chosen note")
                                      : tr("%1 chosen notes").arg(hands_.chosen().size())
    );
    if (!isThere) {
        return;
    }
    // Several different values show a dash.
    const auto show = [&](NumberField* field, const auto& valueOf) {
        const double first = valueOf(*notes.begin());
        field->setValue(first);
        field->setMixed(std::ranges::any_of(notes, [&](std::size_t i) {
            return std::abs(valueOf(i) - first) > 5e-3;
        }));
    };
    const auto& asked = hands_.asked();
    show(shift_, [&](std::size_t i) { return asked[i].shift; });
    show(offset_, [&](std::size_t i) {
        const double off = sung->notes[i].offset();
        return std::abs(off) < 1e-3
                   ? 0.0
                   : std::round(std::clamp(-100.0 * asked[i].shift / off, 0.0, 100.0));
    });
    show(wander_, [&](std::size_t i) { return 100.0 * asked[i].wander; });
    show(vibrato_, [&](std::size_t i) { return 100.0 * asked[i].vibrato; });
    formants_->setCurrentIndex(asked[*notes.begin()].movesFormants ? 1 : 0);
}

}  // namespace orthochron::app
