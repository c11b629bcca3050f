#include "app/stages/tune/TuneBench.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QMenu>
#include <QRegularExpression>

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
constexpr std::array kTemperamentNames{"equal", "just", "pythagorean", "meantone"};
constexpr std::size_t kLikely = 3;  // keys that are offered

}  // namespace

TuneBench::TuneBench(Session& session, TuneHands& hands, NoteHands& notes, Ladder& ladder)
    : session_(session), hands_(hands), notes_(notes), ladder_(ladder)
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
    addKey(*column);
    auto* actions = new QHBoxLayout;
    gently_ = benchButton(tr("Correct gently"), QStringLiteral("gently"), true, whole);
    gently_->setToolTip(tr("Corrects what is beyond 10 cents and keeps the rest."));
    reset_ = benchButton(tr("Reset tuning"), QStringLiteral("asSung"), false, whole);
    auto* inTime = benchButton(tr("Fit timing"), QStringLiteral("intoTime"), false, whole);
    inTime->setToolTip(tr("Moves selected notes, or all, to grid lines by Fit's amounts."));
    actions->addWidget(gently_, 1);
    actions->addWidget(inTime);
    actions->addWidget(reset_);
    column->addLayout(actions);
    addFollowing(*column);
    column->addStretch(1);
    connect(gently_, &QPushButton::clicked, &hands_, &TuneHands::putRightGently);
    connect(inTime, &QPushButton::clicked, &hands_, &TuneHands::fitInTime);
    connect(reset_, &QPushButton::clicked, &hands_, &TuneHands::reset);
    return whole;
}

// The key and where its rungs lie.
void TuneBench::addKey(QVBoxLayout& column)
{
    auto* key = new QHBoxLayout;
    const auto box = [&](const char* name, const QString& what, QHBoxLayout& row, int stretch) {
        auto* made = new QComboBox(this);
        made->setObjectName(QLatin1String(name));
        made->setAccessibleName(what);
        row.addWidget(made, stretch);
        return made;
    };
    keyFor_ = box("keyFor", tr("Key of"), *key, 2);
    tonic_ = box("tonic", tr("Key"), *key, 0);
    for (int semitone = 0; semitone < 12; ++semitone) {
        tonic_->addItem(QString::fromStdString(semitoneName(semitone)));
    }
    scale_ = box("scale", tr("Scale"), *key, 3);
    for (const char* name : kScaleNames) {
        scale_->addItem(QLatin1String(name));
    }
    scale_->addItem(tr("custom"));
    column.addLayout(key);
    auto* likely = new QHBoxLayout;
    for (std::size_t i = 0; i < kLikely; ++i) {
        likely_.push_back(benchButton(QString(), QStringLiteral("likelyKey%1").arg(i), false, this)
        );
        likely_.back()->setStyleSheet(QStringLiteral("padding:3px 6px"));
        likely->addWidget(likely_.back());
        connect(likely_.back(), &QPushButton::clicked, this, [this, i] {
            const Sung* sung = hands_.sung();
            if (sung == nullptr || sung->notes.empty()) {
                return;
            }
            const KeyReading reading = keysOf(sung->notes, session_.song().temperament.a4)[i];
            if (auto scale =
                    parseScale(semitoneName(reading.tonic), reading.isMinor ? "minor" : "major")) {
                hands_.setKey(*scale, keyOf());
            }
        });
    }
    column.addLayout(likely);
    auto* height = new QHBoxLayout;
    a4_ =
        new NumberField(tr("A4"), {QStringLiteral("Hz"), 1, 220.0, 880.0, 440.0, 0.1}, false, this);
    a4_->setObjectName(QStringLiteral("a4"));
    height->addWidget(a4_, 1);
    temperament_ = box("temperament", tr("Temperament"), *height, 1);
    for (const char* name : kTemperamentNames) {
        temperament_->addItem(QLatin1String(name));
    }
    temperament_->addItem(tr("custom…"));
    span_ = new NumberField(tr("Range shown"), {tr("st"), 0, 0.0, 96.0, 0.0, 0.1}, false, this);
    span_->setObjectName(QStringLiteral("ladderSpan"));
    span_->setToolTip(tr("Semitones shown; 0 fits the take."));
    height->addWidget(span_, 1);
    column.addLayout(height);
    connect(tonic_, &QComboBox::activated, this, &TuneBench::applyKey);
    connect(scale_, &QComboBox::activated, this, &TuneBench::applyKey);
    connect(keyFor_, &QComboBox::activated, this, &TuneBench::fillKey);
    connect(a4_, &NumberField::finished, this, &TuneBench::applyTemperament);
    connect(temperament_, &QComboBox::activated, this, [this](int index) {
        if (static_cast<std::size_t>(index) < kTemperamentNames.size()) {
            applyTemperament();
        } else {
            askForCents();
        }
    });
    connect(span_, &NumberField::changed, this, [this](double semitones) {
        ladder_.setSpan(semitones);
        Q_EMIT looked();
    });
}

// After a guide, or onto the grid.
void TuneBench::addFollowing(QVBoxLayout& column)
{
    auto* whom = new QHBoxLayout;
    guide_ = new QComboBox(this);
    guide_->setObjectName(QStringLiteral("guide"));
    guide_->setAccessibleName(tr("Guide"));
    whom->addWidget(guide_, 1);
    follow_ = benchButton(tr("Follow"), QStringLiteral("follow"), false, this);
    follow_->setToolTip(tr("Moves notes towards the guide in pitch and time by these amounts."));
    whom->addWidget(follow_);
    column.addLayout(whom);
    auto* amounts = new QHBoxLayout;
    const auto amount = [&](const QString& label, const char* name) {
        auto* made =
            new NumberField(label, {QStringLiteral("%"), 0, 0.0, 100.0, 80.0, 0.5}, false, this);
        made->setObjectName(QLatin1String(name));
        made->setValue(80.0);
        amounts->addWidget(made, 1);
        return made;
    };
    towardsPitch_ = amount(tr("Pitch"), "towardsPitch");
    towardsTime_ = amount(tr("Time"), "towardsTime");
    column.addLayout(amounts);
    beside_ = benchButton(QString(), QStringLiteral("beside"), false, this);
    beside_->setToolTip(tr("Shows other voices here as outlines; click one to edit it."));
    column.addWidget(beside_);
    connect(beside_, &QPushButton::clicked, this, &TuneBench::askBeside);
    connect(guide_, &QComboBox::activated, this, [this](int index) {
        hands_.setGuide(TrackId{guide_->itemData(index).toUInt()});
    });
    connect(follow_, &QPushButton::clicked, this, [this] {
        hands_.follow({0.01 * towardsPitch_->value(), 0.01 * towardsTime_->value()});
    });
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
        tr("Transpose"),
        "noteShift",
        {tr("semitones"), 2, -kMostSemitones, kMostSemitones, 0.0, 0.01}
    );
    offset_ =
        field(*column, tr("Correct offset"), "noteOffset", {percent, 0, 0.0, 100.0, 0.0, 0.5});
    wander_ =
        field(*column, tr("Correct pitch drift"), "noteWander", {percent, 0, 0.0, 100.0, 0.0, 0.5});
    vibrato_ = field(*column, tr("Vibrato"), "noteVibrato", {percent, 0, 0.0, 200.0, 100.0, 0.5});
    glide_ =
        field(*column, tr("Glide (0: original)"), "glide", {tr("ms"), 0, 0.0, 2000.0, 0.0, 1.0});
    glide_->setToolTip(tr("Pitch transition time between notes, for the whole take."));
    formants_ = new QComboBox(chosen);
    formants_->setObjectName(QStringLiteral("noteFormants"));
    formants_->setAccessibleName(tr("Formants"));
    formants_->addItems({tr("keep formants"), tr("shift formants")});
    auto* ways = new QHBoxLayout;
    ways->addWidget(formants_, 1);
    auto* hearing = new QComboBox(chosen);
    hearing->setObjectName(QStringLiteral("hearing"));
    hearing->setAccessibleName(tr("Play notes with"));
    hearing->setToolTip(tr("What H plays with the selected notes"));
    hearing->addItems(
        {tr("H: in the song"), tr("H: alone"), tr("H: with tone"), tr("H: with chord")}
    );
    ways->addWidget(hearing, 1);
    column->addLayout(ways);
    connect(hearing, &QComboBox::activated, this, [this](int index) {
        hands_.setHearing(static_cast<TuneHands::Hearing>(index));
    });
    addNotes(*column);
    column->addStretch(1);
    connect(shift_, &NumberField::finished, this, [this](double semitones) {
        hands_.change(
            [&](const SungNote&, NoteTuning& asked) { asked.shift = semitones; }, tr("Transpose")
        );
    });
    connect(offset_, &NumberField::finished, this, [this](double part) {
        hands_.change(
            [&](const SungNote& note, NoteTuning& asked) {
                asked.shift = -0.01 * part * note.offset();
            },
            tr("Correct offset")
        );
    });
    connect(wander_, &NumberField::finished, this, [this](double part) {
        hands_.change(
            [&](const SungNote&, NoteTuning& asked) { asked.wander = 0.01 * part; },
            tr("Correct pitch drift")
        );
    });
    connect(vibrato_, &NumberField::finished, this, [this](double part) {
        hands_.change(
            [&](const SungNote&, NoteTuning& asked) { asked.vibrato = 0.01 * part; },
            tr("Set vibrato")
        );
    });
    connect(glide_, &NumberField::finished, this, [this](double ms) {
        hands_.setGlide(ms > 0.0 ? std::optional(milliseconds(ms)) : std::nullopt);
    });
    connect(formants_, &QComboBox::activated, this, [this](int way) {
        hands_.change(
            [&](const SungNote&, NoteTuning& asked) { asked.movesFormants = way == 1; },
            tr("Formants")
        );
    });
    return chosen;
}

// What notes there are.
void TuneBench::addNotes(QVBoxLayout& column)
{
    struct Action {
        QString text;
        const char* name;
        QString help;
        std::function<void()> act;
    };
    const auto addRow = [&](const std::vector<Action>& actions) {
        auto* row = new QHBoxLayout;
        row->setSpacing(4);
        for (const Action& action : actions) {
            auto* button = benchButton(action.text, QLatin1String(action.name), false, this);
            button->setStyleSheet(QStringLiteral("padding:3px 4px"));
            button->setToolTip(action.help);
            row->addWidget(button, 1);
            connect(button, &QPushButton::clicked, this, action.act);
        }
        column.addLayout(row);
    };
    addRow(
        {{tr("Split"),
          "splitNote",
          tr("Splits at the playhead; or double-click the note."),
          [this] { notes_.splitAtPlayhead(); }},
         {tr("Merge"),
          "mergeNotes",
          tr("Merges the selected notes into one."),
          [this] { notes_.merge(); }},
         {tr("Not a note"),
          "noNote",
          tr("Marks the selected notes as breath or noise; they are not tuned."),
          [this] { notes_.drop(); }},
         {tr("Reset notes"),
          "asFound",
          tr("Resets splits, merges, drawn notes and octave corrections."),
          [this] { notes_.asFound(); }}}
    );
    addRow(
        {{tr("Octave up"),
          "readUp",
          tr("Corrects octave detection upwards; audio unchanged."),
          [this] { notes_.readOctave(1); }},
         {tr("Octave down"),
          "readDown",
          tr("Corrects octave detection downwards; audio unchanged."),
          [this] { notes_.readOctave(-1); }},
         {tr("Add marks"),
          "markStarts",
          tr("Adds marks at all note starts, for use in Fit."),
          [this] { hands_.markStarts(); }}}
    );
    octaves_ = benchButton(QString(), QStringLiteral("octavesRight"), false, this);
    octaves_->setToolTip(tr("These notes leap an octave and back, as detection errors do."));
    column.addWidget(octaves_);
    connect(octaves_, &QPushButton::clicked, this, [this] { notes_.putOctavesRight(); });
}

QWidget* TuneBench::makeFurthest()
{
    auto* furthest = new QWidget(this);
    auto* column = benchColumn(furthest);
    column->addWidget(benchTitle(tr("Most out of tune"), furthest));
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
        hands_.setKey(*key, keyOf());
    }
}

std::optional<SectionId> TuneBench::keyOf() const
{
    const int index = keyFor_->currentIndex();
    return index > 0 ? std::optional(SectionId{keyFor_->itemData(index).toUInt()}) : std::nullopt;
}

void TuneBench::applyTemperament()
{
    Temperament next = session_.song().temperament;
    next.a4 = Hertz(a4_->value());
    const int index = temperament_->currentIndex();
    if (index >= 0 && static_cast<std::size_t>(index) < kTemperamentNames.size()) {
        const char* name = kTemperamentNames[static_cast<std::size_t>(index)];
        next.cents = parseTemperament(name, session_.song().key.tonic).value_or(next.cents);
    }
    if (!(next == session_.song().temperament)) {
        hands_.setTemperament(next);
    }
}

// Twelve numbers, typed.
void TuneBench::askForCents()
{
    Temperament next = session_.song().temperament;
    QStringList present;
    for (const double cents : next.cents) {
        present << QString::number(cents, 'g', 5);
    }
    bool isMeant = false;
    const QString typed = QInputDialog::getText(
        this,
        tr("Temperament"),
        tr("Cents from equal temperament for C to B, twelve numbers:"),
        QLineEdit::Normal,
        present.join(QLatin1Char(' ')),
        &isMeant
    );
    const QStringList numbers =
        typed.split(QRegularExpression(QStringLiteral("[\\s;]+")), Qt::SkipEmptyParts);
    bool areNumbers = numbers.size() == 12;
    for (qsizetype i = 0; areNumbers && i < numbers.size(); ++i) {
        next.cents[static_cast<std::size_t>(i)] = numbers[i].toDouble(&areNumbers);
    }
    if (isMeant && !areNumbers) {
        session_.say(tr("A temperament needs twelve numbers, one per semitone from C"));
    } else if (isMeant) {
        hands_.setTemperament(next);
    }
    fillKey();
}

void TuneBench::fill()
{
    const Sung* sung = hands_.sung();
    of_->setText(tr("Notes of %1").arg(hands_.trackName()));
    if (sung == nullptr || hands_.trouble()) {
        figures_->setText(hands_.isListening() ? tr("Analysing…") : QString());
    } else {
        const auto [before, after] = hands_.meanOff();
        figures_->setText(tr("%1, off by %2 cents, now %3")
                              .arg(counted(std::ssize(sung->notes), tr("note"), tr("notes")))
                              .arg(before, 0, 'f', 0)
                              .arg(after, 0, 'f', 0));
    }
    fillKey();
    fillChosen();
    fillGuide();
    furthest_->fill();
}

// A menu of all tracks, those beside it ticked.
void TuneBench::askBeside()
{
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (const auto& track : session_.song().tracks) {
        const TrackId id = track->id;
        if (id == hands_.track()) {
            continue;
        }
        auto* action = menu->addAction(
            QString::fromStdString(track->name).replace(QLatin1Char('&'), QStringLiteral("&&"))
        );
        action->setCheckable(true);
        action->setChecked(hands_.isBeside(id));
        action->setEnabled(id != hands_.guide());
        connect(action, &QAction::triggered, this, [this, id](bool isShown) {
            hands_.setBeside(id, isShown);
        });
    }
    menu->popup(beside_->mapToGlobal(beside_->rect().topLeft()));
}

void TuneBench::fillGuide()
{
    const Song& song = session_.song();
    QStringList names;
    for (const auto& track : song.tracks) {
        if (hands_.isBeside(track->id)) {
            names << QString::fromStdString(track->name);
        }
    }
    beside_->setText(
        names.isEmpty() ? tr("Show other voices…")
                        : tr("Shown: %1…").arg(names.join(QStringLiteral(", ")))
    );
    beside_->setEnabled(song.tracks.size() > 1);
    guide_->clear();
    guide_->addItem(tr("guide: none"), 0U);
    for (const auto& track : song.tracks) {
        if (track->id != hands_.track()) {
            guide_->addItem(
                tr("guide: %1").arg(QString::fromStdString(track->name)), track->id.value
            );
            if (track->id == hands_.guide()) {
                guide_->setCurrentIndex(guide_->count() - 1);
            }
        }
    }
    follow_->setEnabled(guide_->currentIndex() > 0);
    const auto track = song.track(hands_.track());
    glide_->setValue(track && track->glide ? inMilliseconds(*track->glide) : 0.0);
    const auto doubts = notes_.octaveDoubts();
    octaves_->setVisible(!doubts.empty());
    octaves_->setText(tr("Correct octaves (%1)").arg(doubts.size()));
}

void TuneBench::fillKey()
{
    // The song's sections are asked for when they change; the one that was chosen stays.
    const Song& song = session_.song();
    const auto chosen = keyOf();
    keyFor_->clear();
    keyFor_->addItem(tr("song"));
    Scale key = song.key;
    for (const Section& section : song.sections) {
        keyFor_->addItem(QString::fromStdString(section.name), section.id.value);
        if (chosen == section.id) {
            keyFor_->setCurrentIndex(keyFor_->count() - 1);
            key = section.key.value_or(song.key);
        }
    }
    keyFor_->setVisible(!song.sections.empty());
    a4_->setValue(song.temperament.a4.count());
    std::size_t tempered = 0;
    while (tempered < kTemperamentNames.size() &&
           parseTemperament(kTemperamentNames[tempered], song.key.tonic).value() !=
               song.temperament.cents) {
        ++tempered;
    }
    temperament_->setCurrentIndex(static_cast<int>(tempered));
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
    const auto keys =
        sung != nullptr ? keysOf(sung->notes, song.temperament.a4) : std::vector<KeyReading>();
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
        : hands_.chosen().size() == 1 ? tr("Selected note")
                                      : tr("%1 selected notes").arg(hands_.chosen().size())
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
