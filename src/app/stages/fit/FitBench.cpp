#include "app/stages/fit/FitBench.h"

#include <QButtonGroup>
#include <QComboBox>
#include <QVBoxLayout>

#include "app/controls/Counted.h"
#include "app/stages/Bench.h"
#include "app/stages/fit/FitFocus.h"
#include "app/stages/fit/GrooveChoice.h"

namespace orthochron::app {

namespace {

struct NamedGrid {
    const char* text = nullptr;
    GridSettings grid;
};

const std::array<NamedGrid, 7>& grids()
{
    static const std::array<NamedGrid, 7> kGrids{{
        {QT_TRANSLATE_NOOP("FitBench", "quarters"), {4, false}},
        {QT_TRANSLATE_NOOP("FitBench", "eighths"), {8, false}},
        {QT_TRANSLATE_NOOP("FitBench", "sixteenths"), {16, false}},
        {QT_TRANSLATE_NOOP("FitBench", "thirty-seconds"), {32, false}},
        {QT_TRANSLATE_NOOP("FitBench", "quarter triplets"), {4, true}},
        {QT_TRANSLATE_NOOP("FitBench", "eighth triplets"), {8, true}},
        {QT_TRANSLATE_NOOP("FitBench", "sixteenth triplets"), {16, true}},
    }};
    return kGrids;
}

constexpr std::array kShapes{FadeShape::Matched, FadeShape::EqualPower, FadeShape::EqualGain};

// An attack that rises less is lost in what rings before it, and a cut there is heard.
constexpr double kClearRise = 12.0;  // dB

}  // namespace

FitBench::FitBench(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(2);
    focus_ = new FitFocus(session_, this);
    layout->addWidget(focus_);
    connect(focus_, &FitFocus::chosen, this, &FitBench::fillAmounts);
    addAmounts(*layout);
    addTimes(*layout);
    addChoices(*layout);
    addMaterials(*layout);
    addButtons(*layout);
    layout->addStretch();
    connect(&session_.document, &Document::opened, this, [this] {
        filledFrom_ = guessedFor_ = SetId();
        guess_.reset();
    });
    showWay();
}

void FitBench::setMethod(FitMethod method)
{
    if (session_.fitting.request.way.method == method) {
        return;
    }
    session_.fitting.request.way.method = method;
    showWay();
    guessMaterial();
    session_.fitting.requestChanged();
}

void FitBench::showWay()
{
    const FitWay& way = session_.fitting.request.way;
    const bool isCut = way.method == FitMethod::Cut;
    for (QWidget* ofCutting : std::initializer_list<QWidget*>{leadIn_, crossfade_, shape_}) {
        ofCutting->setVisible(isCut);
    }
    treatedAs_->setVisible(!isCut);
    materials_->button(static_cast<int>(way.material))->setChecked(true);
}

// Listens to the lead that rules, once for each set, and proposes what it is best stretched as.
void FitBench::guessMaterial()
{
    const MicSet* set = session_.choice.set();
    if (set == nullptr || session_.fitting.request.way.method != FitMethod::Stretch ||
        guessedFor_ == set->id || set->recipe) {
        return;
    }
    guessedFor_ = set->id;
    const Song& song = session_.song();
    const auto lead =
        std::ranges::find_if(set->tracks, [&](TrackId id) { return song.isLead(*song.track(id)); });
    const auto take = recordedTake(song, lead == set->tracks.end() ? set->tracks.front() : *lead);
    if (!take) {
        return;
    }
    session_.jobs.run(
        {.key = QStringLiteral("guess material"),
         .title = tr("Detect material"),
         .holds = session_.document.whileOpen()},
        this,
        [sources = session_.document.sources(), take = *take, rate = song.rate](const Work& work) {
            return orthochron::guessMaterial(sources->channel(take.take, take.channel), rate, work);
        },
        [this, id = set->id](const Result<MaterialGuess>& guess) {
            const MicSet* chosen = session_.choice.set();
            if (!guess || chosen == nullptr || chosen->id != id || chosen->recipe) {
                return;
            }
            guess_ = *guess;
            session_.fitting.request.way.material = guess->material;
            showWay();
            session_.fitting.requestChanged();
        }
    );
}

NumberField*
FitBench::field(const QString& label, const char* name, const NumberStyle& style, bool withSlider)
{
    auto* made = new NumberField(label, style, withSlider, this);
    made->setObjectName(QLatin1String(name));
    connect(made, &NumberField::changed, this, &FitBench::changed);
    return made;
}

QComboBox* FitBench::list(const QString& label, const char* name, const QStringList& items)
{
    auto* made = new QComboBox(this);
    made->setObjectName(QLatin1String(name));
    made->setAccessibleName(label);
    made->addItems(items);
    connect(made, &QComboBox::activated, this, &FitBench::changed);
    return made;
}

void FitBench::addAmounts(QBoxLayout& layout)
{
    const auto amount = [&](const QString& label, const char* name, double usual) {
        auto* made = field(label, name, {QStringLiteral("%"), 0, 0.0, 100.0, usual, 0.5}, true);
        layout.addWidget(made);
        return made;
    };
    drift_ = amount(tr("Correct drift"), "drift", 100.0);
    feel_ = amount(tr("Correct feel"), "feel", 0.0);
    stray_ = amount(tr("Correct strays"), "stray", 80.0);
    drift_->setMeaning(tr("Drift: slowly running ahead of or behind the grid."));
    feel_->setMeaning(tr("Feel: what the player does at the same place of every bar."));
    stray_->setMeaning(tr("Strays: single hits off their usual place."));
}

void FitBench::addTimes(QBoxLayout& layout)
{
    const double rate = session_.song().rate.count();
    const auto time =
        [&](const QString& label, const char* name, double usual, double most, int decimals) {
            return field(
                label, name, {QStringLiteral("ms"), decimals, 0.0, most, usual, 0.1, rate}, false
            );
        };
    tolerance_ = time(tr("Ignore below"), "leaveWithin", 0.0, 100.0, 1);
    furthest_ = time(tr("Maximum move"), "furthest", 120.0, 2000.0, 0);
    humanise_ = time(tr("Humanise"), "humanise", 0.0, 30.0, 1);
    leadIn_ = time(tr("Lead-in"), "leadIn", 4.0, 100.0, 1);
    crossfade_ = time(tr("Crossfade"), "crossfade", 5.0, 500.0, 1);
    crossfade_->setToolTip(
        tr("At the default 5 ms, crossfades extend to 15 where a low ring would click.")
    );
    seed_ = field(tr("Seed"), "seed", {QString(), 0, 1.0, 9999.0, 1.0, 0.1}, false);
    seed_->setToolTip(tr("Each seed gives a repeatable variation."));
    swing_ = field(tr("Swing"), "swing", {QStringLiteral("%"), 0, 50.0, 75.0, 50.0, 0.1}, false);
    grooveAmount_ = field(
        tr("Groove"), "grooveAmount", {QStringLiteral("%"), 0, 0.0, 100.0, 100.0, 0.5}, false
    );
    auto* columns = new QHBoxLayout;
    columns->setSpacing(14);
    const std::array<std::array<NumberField*, 4>, 2> fields{{
        {tolerance_, furthest_, humanise_, seed_},
        {leadIn_, crossfade_, swing_, grooveAmount_},
    }};
    for (const auto& column : fields) {
        auto* stacked = new QVBoxLayout;
        stacked->setSpacing(0);
        for (NumberField* each : column) {
            stacked->addWidget(each);
        }
        stacked->addStretch();
        columns->addLayout(stacked);
    }
    layout.addLayout(columns);
}

void FitBench::addChoices(QBoxLayout& layout)
{
    QStringList gridNames;
    for (const NamedGrid& named : grids()) {
        gridNames << tr(named.text);
    }
    grid_ = list(tr("Grid"), "grid", gridNames);
    grid_->setCurrentIndex(2);
    connect(grid_, &QComboBox::activated, &session_.fitting, &Fitting::keepGrid);
    connect(swing_, &NumberField::finished, &session_.fitting, &Fitting::keepGrid);
    pieces_ =
        list(tr("Move as"), "pieces", {tr("single hits"), tr("whole beats"), tr("whole bars")});
    pieces_->setToolTip(
        tr("With beats or bars only drift is corrected; hits inside keep their spacing.")
    );
    shape_ =
        list(tr("Crossfade shape"), "shape", {tr("matched"), tr("equal power"), tr("equal gain")});
    auto* first = new QHBoxLayout;
    first->addWidget(grid_, 1);
    first->addWidget(pieces_, 1);
    auto* second = new QHBoxLayout;
    second->addWidget(new GrooveChoice(session_, this), 1);
    second->addWidget(shape_, 1);
    layout.addLayout(first);
    layout.addLayout(second);
}

void FitBench::addMaterials(QBoxLayout& layout)
{
    treatedAs_ = new QWidget(this);
    auto* row = new QHBoxLayout(treatedAs_);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(4);
    row->addWidget(new QLabel(tr("Material"), treatedAs_));
    row->addStretch();
    materials_ = new QButtonGroup(this);
    for (const auto& [material, text, why] :
         {std::tuple{
              Material::Hits,
              tr("hits"),
              tr("Drums, picking: attacks stay intact; audio between them is stretched.")},
          std::tuple{
              Material::Line,
              tr("single notes"),
              tr("Voice, bass, strings, winds: one note at a time.")},
          std::tuple{
              Material::Blend, tr("chords"), tr("Chords and full mixes; slowest to process.")},
          std::tuple{
              Material::Tape,
              tr("tape"),
              tr("Pitch follows speed; for loops and clips, not for fitting.")}}) {
        auto* button = benchWay(
            text,
            QStringLiteral("material_") + QLatin1String(materialWord(material).data()),
            treatedAs_
        );
        button->setToolTip(why);
        button->setEnabled(material != Material::Tape);
        materials_->addButton(button, static_cast<int>(material));
        row->addWidget(button);
    }
    connect(materials_, &QButtonGroup::idClicked, this, [this](int material) {
        session_.fitting.request.way.material = static_cast<Material>(material);
        session_.fitting.requestChanged();
    });
    layout.addWidget(treatedAs_);
}

void FitBench::addButtons(QBoxLayout& layout)
{
    auto* buttons = new QHBoxLayout;
    apply_ = benchButton(tr("Cut and join"), QStringLiteral("cutAndJoin"), true, this);
    back_ = benchButton(tr("Reset fit"), QStringLiteral("asRecorded"), false, this);
    buttons->addWidget(apply_, 2);
    buttons->addWidget(back_, 1);
    layout.addSpacing(4);
    layout.addLayout(buttons);
    state_ = benchNote(QString(), this);
    state_->setObjectName(QStringLiteral("fitState"));
    layout.addWidget(state_);
    connect(apply_, &QPushButton::clicked, this, &FitBench::fitAsked);
    connect(back_, &QPushButton::clicked, this, &FitBench::undoAsked);
}

void FitBench::fillFromRecipe()
{
    const MicSet* set = session_.choice.set();
    if (set == nullptr || set->id == filledFrom_) {
        return;
    }
    filledFrom_ = set->id;
    if (set->recipe) {
        session_.fitting.request.fit = set->recipe->fit;
        session_.fitting.request.joins = set->recipe->joins;
        session_.fitting.request.way = set->recipe->way;
    }
    guess_.reset();
    guessMaterial();
    fillFields();
    showWay();
}

void FitBench::fillAmounts()
{
    const OwnAmounts amounts = session_.fitting.amounts();
    drift_->setValue(amounts.drift * 100.0);
    feel_->setValue(amounts.feel * 100.0);
    stray_->setValue(amounts.stray * 100.0);
}

void FitBench::fillFields()
{
    const FitRequest& wanted = session_.fitting.request;
    fillAmounts();
    tolerance_->setValue(inMilliseconds(wanted.fit.leaveWithin));
    furthest_->setValue(inMilliseconds(wanted.fit.furthest));
    humanise_->setValue(inMilliseconds(wanted.fit.humanise));
    seed_->setValue(static_cast<double>(wanted.fit.seed));
    seed_->setVisible(wanted.fit.humanise > Seconds(0.0));  // of nothing there is no other way
    leadIn_->setValue(inMilliseconds(wanted.joins.leadIn));
    crossfade_->setValue(inMilliseconds(wanted.joins.crossfade));
    fillGrid();
    grooveAmount_->setValue(wanted.fit.grooveAmount * 100.0);
    pieces_->setCurrentIndex(static_cast<int>(wanted.fit.pieces));
    const auto shape = std::ranges::find(kShapes, wanted.joins.shape);
    shape_->setCurrentIndex(static_cast<int>(shape - kShapes.begin()));
}

void FitBench::fillGrid()
{
    const GridSettings& wanted = session_.fitting.request.grid;
    swing_->setValue(wanted.swing);
    for (std::size_t i = 0; i < grids().size(); ++i) {
        if (grids()[i].grid.division == wanted.division &&
            grids()[i].grid.triplet == wanted.triplet) {
            grid_->setCurrentIndex(static_cast<int>(i));
        }
    }
}

GridSettings FitBench::typedGrid() const
{
    GridSettings typed = grids()[static_cast<std::size_t>(grid_->currentIndex())].grid;
    typed.swing = swing_->value();
    return typed;
}

void FitBench::changed()
{
    FitRequest& wanted = session_.fitting.request;
    session_.fitting.setAmounts(
        drift_->value() / 100.0, feel_->value() / 100.0, stray_->value() / 100.0
    );
    wanted.fit.pieces = static_cast<FitPieces>(pieces_->currentIndex());
    wanted.fit.leaveWithin = milliseconds(tolerance_->value());
    wanted.fit.furthest = milliseconds(furthest_->value());
    wanted.fit.humanise = milliseconds(humanise_->value());
    wanted.fit.seed = static_cast<std::uint64_t>(seed_->value());
    seed_->setVisible(humanise_->value() > 0.0);
    wanted.fit.grooveAmount = grooveAmount_->value() / 100.0;
    wanted.joins.leadIn = milliseconds(leadIn_->value());
    wanted.joins.crossfade = milliseconds(crossfade_->value());
    wanted.joins.shape = kShapes[static_cast<std::size_t>(shape_->currentIndex())];
    session_.fitting.lookAtGrid(typedGrid());
}

// How to go about it, with the reason.
QString FitBench::advice() const
{
    const MicSet* set = session_.choice.set();
    if (session_.fitting.request.way.method == FitMethod::Stretch) {
        if (!guess_) {
            return {};
        }
        switch (guess_->material) {
        case Material::Line:
            return tr("Suggested: single notes (clear pitch in %1 %)")
                .arg(100.0 * guess_->pitched, 0, 'f', 0);
        case Material::Hits:
            return tr("Suggested: hits (%1 sharp attacks a second, no clear pitch)")
                .arg(guess_->struck, 0, 'f', 1);
        default: return tr("Suggested: chords (no single pitch, few sharp attacks)");
        }
    }
    if (set == nullptr || session_.hits.analysis() == nullptr) {
        return {};
    }
    std::vector<double> rises;
    for (const auto& [track, analysis] : *session_.hits.analysis()) {
        for (const OnsetCandidate& candidate : analysis.candidates) {
            if (candidate.onset.confidence > 0.9 && candidate.onset.strength > 0.3) {
                rises.push_back(candidate.riseDecibels);
            }
        }
    }
    if (rises.size() < 8) {
        return {};
    }
    const auto middle = rises.begin() + static_cast<std::ptrdiff_t>(rises.size() / 2);
    std::ranges::nth_element(rises, middle);
    const QString reason =
        tr("attacks rise %1 dB, %2")
            .arg(*middle, 0, 'f', 0)
            .arg(counted(std::ssize(set->tracks), tr("microphone"), tr("microphones")));
    return *middle >= kClearRise
               ? tr("Suggested: cut (%1)").arg(reason)
               : tr("Weak attacks for cutting (%1); check every join").arg(reason);
}

QString FitBench::state(int hits) const
{
    const MicSet* set = session_.choice.set();
    if (set == nullptr || hits == 0) {
        return tr("No hits yet; find hits in Marks.");
    }
    const QString fitted = isOutOfDate(session_.song(), *set)
                               ? tr("Out of date: marks or grid changed.")
                           : set->recipe ? tr("Fitted; fitting again starts from the takes.")
                                         : advice();
    if (set->variants.empty()) {
        return fitted;
    }
    return tr("Version %1 of %2. %3")
        .arg(QString::fromStdString(set->variantName))
        .arg(set->variants.size() + 1)
        .arg(fitted);
}

QString FitBench::actionName() const
{
    return apply_->text();
}

void FitBench::fill()
{
    fillFromRecipe();
    if (session_.fitting.request.grid != typedGrid()) {
        fillGrid();  // the song's grid was changed elsewhere, or undone
    }
    const MicSet* set = session_.choice.set();
    const auto& bars = session_.fitting.request.bars;
    const auto hits = static_cast<int>(std::ranges::count_if(
        session_.fitting.preview().performance.hits,
        [&](const JudgedHit& hit) {
            return !bars || (hit.line.bar >= bars->first && hit.line.bar <= bars->last);
        }
    ));
    const bool isFitted = set != nullptr && set->recipe;
    apply_->setEnabled(hits > 0);
    const bool isCut = session_.fitting.request.way.method == FitMethod::Cut;
    const bool isSameWay =
        isFitted && set->recipe->way.method == session_.fitting.request.way.method;
    apply_->setText(
        hits == 0   ? (isCut ? tr("Cut and join") : tr("Stretch"))
        : isSameWay ? tr("Fit again, %1 hits").arg(hits)
        : isCut     ? tr("Cut and join %1 hits").arg(hits)
                    : tr("Stretch to %1 pins").arg(hits)
    );
    back_->setEnabled(isFitted);
    state_->setText(state(hits));
}

}  // namespace orthochron::app
