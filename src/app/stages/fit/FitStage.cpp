#include "app/stages/fit/FitStage.h"

#include <QButtonGroup>
#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QMessageBox>
#include <QPainter>
#include <QPushButton>
#include <QStackedWidget>

#include "app/stages/Bench.h"
#include "app/theme/Theme.h"
#include "core/edits/GrooveEdits.h"
#include "core/edits/SectionEdits.h"
#include "core/edits/VariantEdits.h"
#include "core/files/GrooveFile.h"

namespace orthochron::app {

namespace {

struct NamedGrid {
    const char* text = nullptr;
    GridSettings grid;
};

const std::array<NamedGrid, 7>& grids()
{
    static const std::array<NamedGrid, 7> kGrids{{
        {QT_TRANSLATE_NOOP("FitStage", "quarters"), {4, false}},
        {QT_TRANSLATE_NOOP("FitStage", "eighths"), {8, false}},
        {QT_TRANSLATE_NOOP("FitStage", "sixteenths"), {16, false}},
        {QT_TRANSLATE_NOOP("FitStage", "thirty-seconds"), {32, false}},
        {QT_TRANSLATE_NOOP("FitStage", "quarter triplets"), {4, true}},
        {QT_TRANSLATE_NOOP("FitStage", "eighth triplets"), {8, true}},
        {QT_TRANSLATE_NOOP("FitStage", "sixteenth triplets"), {16, true}},
    }};
    return kGrids;
}

QString arrow(const PartFigures& part)
{
    return QStringLiteral("%1 → %2")
        .arg(inMilliseconds(part.before), 0, 'f', 1)
        .arg(inMilliseconds(part.after), 0, 'f', 1);
}

}  // namespace

FitStage::FitStage(Session& session, LanesView& lanes, QObject* parent)
    : Stage(session, lanes, parent)
{
    bench_ = new QWidget;
    auto* layout = new QHBoxLayout(bench_);
    layout->setContentsMargins(18, 10, 16, 10);
    layout->setSpacing(18);
    auto* left = new QVBoxLayout;
    left->setSpacing(2);
    auto* head = new QHBoxLayout;
    scope_ = benchTitle(QString(), bench_);
    scope_->setObjectName(QStringLiteral("fitScope"));
    head->addWidget(scope_);
    head->addStretch();
    ways_ = new QButtonGroup(this);
    for (const auto& [text, name, why] :
         {std::tuple{
              tr("Cut"),
              "wayCut",
              tr("Cut and crossfade: no artefacts, for drums and clean picking")},
          std::tuple{tr("Stretch"), "wayStretch", tr("Stretching is not here yet")},
          std::tuple{
              tr("By hand"), "wayByHand", tr("Take hold of clips: split, trim, slip, move")}}) {
        auto* way = new QPushButton(text, bench_);
        way->setObjectName(QLatin1String(name));
        way->setCheckable(true);
        way->setFlat(true);
        way->setToolTip(why);
        way->setStyleSheet(QStringLiteral("QPushButton{border:0;padding:2px 6px}"
                                          "QPushButton:checked{font-weight:600;"
                                          "text-decoration:underline}"));
        ways_->addButton(way, static_cast<int>(ways_->buttons().size()));
        head->addWidget(way);
    }
    ways_->button(0)->setChecked(true);
    ways_->button(1)->setEnabled(false);
    left->addLayout(head);
    stack_ = new QStackedWidget(bench_);
    stack_->addWidget(makeCutBench());
    hands_ = new ClipHands(session_, lanes_, this);
    stack_->addWidget(new HandBench(session_, *hands_, stack_));
    left->addWidget(stack_, 1);
    layout->addLayout(left, 10);
    chart_ = new TimingChart(session_, bench_);
    layout->addWidget(chart_, 20);
    dial_ = new FeelDial(session_, bench_);
    layout->addWidget(dial_, 7);
    connect(chart_, &TimingChart::hint, this, &FitStage::hint);
    connect(dial_, &FeelDial::hint, this, &FitStage::hint);
    connect(apply_, &QPushButton::clicked, this, &FitStage::mainAction);
    connect(back_, &QPushButton::clicked, this, [this] {
        if (const MicSet* set = session_.set()) {
            session_.document.apply(undoFit(session_.song(), set->id), tr("Back to as recorded"));
        }
    });
    connect(ways_, &QButtonGroup::idClicked, this, [this](int way) {
        stack_->setCurrentIndex(way == 2 ? 1 : 0);
        lanes_.update();
    });
    connect(&session_, &Session::prescaleChanged, this, &FitStage::fill);
    connect(&session_, &Session::choiceChanged, this, &FitStage::fill);
    fill();
}

QWidget* FitStage::makeCutBench()
{
    auto* page = new QWidget(stack_);
    auto* left = new QVBoxLayout(page);
    left->setContentsMargins(0, 0, 0, 0);
    left->setSpacing(2);
    auto* focus = new QHBoxLayout;
    section_ = new QComboBox(bench_);
    section_->setObjectName(QStringLiteral("focusSection"));
    section_->setAccessibleName(tr("Section"));
    lead_ = new QComboBox(bench_);
    lead_->setObjectName(QStringLiteral("focusLead"));
    lead_->setAccessibleName(tr("Lead"));
    focus->addWidget(section_, 1);
    focus->addWidget(lead_, 1);
    left->addLayout(focus);
    connect(section_, &QComboBox::activated, this, &FitStage::chooseFocus);
    connect(lead_, &QComboBox::activated, this, &FitStage::chooseFocus);
    const auto part = [&](const QString& label, const char* name, double usual) {
        auto* field =
            new NumberField(label, {QStringLiteral("%"), 0, 0.0, 100.0, usual, 0.5}, true, bench_);
        field->setObjectName(QLatin1String(name));
        left->addWidget(field);
        connect(field, &NumberField::changed, this, &FitStage::changed);
        return field;
    };
    drift_ = part(tr("Drift taken out"), "drift", 100.0);
    feel_ = part(tr("Feel taken out"), "feel", 0.0);
    stray_ = part(tr("Strays taken out"), "stray", 80.0);
    const auto time = [&](QBoxLayout* into,
                          const QString& label,
                          const char* name,
                          double usual,
                          double most,
                          int decimals) {
        auto* field = new NumberField(
            label,
            {QStringLiteral("ms"), decimals, 0.0, most, usual, 0.1, session_.song().rate.count()},
            false,
            bench_
        );
        field->setObjectName(QLatin1String(name));
        into->addWidget(field);
        connect(field, &NumberField::changed, this, &FitStage::changed);
        return field;
    };
    auto* fields = new QHBoxLayout;
    fields->setSpacing(14);
    auto* first = new QVBoxLayout;
    auto* second = new QVBoxLayout;
    first->setSpacing(0);
    second->setSpacing(0);
    tolerance_ = time(first, tr("Leave within"), "leaveWithin", 0.0, 100.0, 1);
    furthest_ = time(first, tr("Furthest move"), "furthest", 120.0, 2000.0, 0);
    humanise_ = time(first, tr("Humanise"), "humanise", 0.0, 30.0, 1);
    leadIn_ = time(second, tr("Lead-in"), "leadIn", 4.0, 100.0, 1);
    crossfade_ = time(second, tr("Crossfade"), "crossfade", 5.0, 500.0, 1);
    swing_ = new NumberField(
        tr("Swing"), {QStringLiteral("%"), 0, 50.0, 75.0, 50.0, 0.1}, false, bench_
    );
    swing_->setObjectName(QStringLiteral("swing"));
    connect(swing_, &NumberField::changed, this, &FitStage::changed);
    second->addWidget(swing_);
    fields->addLayout(first);
    fields->addLayout(second);
    left->addLayout(fields);
    auto* choices = new QHBoxLayout;
    grid_ = new QComboBox(bench_);
    grid_->setObjectName(QStringLiteral("grid"));
    grid_->setAccessibleName(tr("Grid"));
    for (const NamedGrid& named : grids()) {
        grid_->addItem(tr(named.text));
    }
    grid_->setCurrentIndex(2);
    shape_ = new QComboBox(bench_);
    shape_->setObjectName(QStringLiteral("shape"));
    shape_->setAccessibleName(tr("Crossfade shape"));
    shape_->addItems({tr("matched"), tr("equal power"), tr("equal gain")});
    pieces_ = new QComboBox(bench_);
    pieces_->setObjectName(QStringLiteral("pieces"));
    pieces_->setAccessibleName(tr("What moves as one"));
    pieces_->addItems({tr("hit by hit"), tr("whole beats"), tr("whole bars")});
    pieces_->setToolTip(tr("Whole beats and bars: only drift is taken out, their inside stays"));
    connect(pieces_, &QComboBox::activated, this, &FitStage::changed);
    choices->addWidget(grid_, 3);
    choices->addWidget(pieces_, 2);
    choices->addWidget(shape_, 2);
    left->addLayout(choices);
    auto* grooves = new QHBoxLayout;
    groove_ = new QComboBox(bench_);
    groove_->setObjectName(QStringLiteral("groove"));
    groove_->setAccessibleName(tr("Groove"));
    grooveAmount_ = new NumberField(
        tr("Groove"), {QStringLiteral("%"), 0, 0.0, 100.0, 100.0, 0.5}, false, bench_
    );
    grooveAmount_->setObjectName(QStringLiteral("grooveAmount"));
    grooves->addWidget(groove_, 3);
    grooves->addWidget(grooveAmount_, 2);
    left->addLayout(grooves);
    connect(groove_, &QComboBox::activated, this, &FitStage::chooseGroove);
    connect(grooveAmount_, &NumberField::changed, this, &FitStage::changed);
    connect(&session_.document, &Document::songChanged, this, &FitStage::fillGrooves);
    connect(&session_.document, &Document::songChanged, this, &FitStage::fillFocus);
    fillGrooves();
    fillFocus();
    connect(grid_, &QComboBox::activated, this, &FitStage::changed);
    connect(shape_, &QComboBox::activated, this, &FitStage::changed);
    auto* buttons = new QHBoxLayout;
    apply_ = benchButton(tr("Cut and join"), QStringLiteral("cutAndJoin"), true, bench_);
    back_ = benchButton(tr("As recorded"), QStringLiteral("asRecorded"), false, bench_);
    buttons->addWidget(apply_, 2);
    buttons->addWidget(back_, 1);
    left->addSpacing(4);
    left->addLayout(buttons);
    state_ = benchNote(QString(), bench_);
    state_->setObjectName(QStringLiteral("fitState"));
    left->addWidget(state_);
    left->addStretch();
    return page;
}

bool FitStage::isByHand() const
{
    return ways_->checkedId() == 2;
}

bool FitStage::isWorkedOn() const
{
    return std::ranges::any_of(session_.song().sets, [](const MicSet& set) {
        return set.recipe != nullptr;
    });
}

// A set that was fitted before opens with the values it was fitted with.
void FitStage::fillFromRecipe()
{
    const MicSet* set = session_.set();
    if (set == nullptr || set->id == filledFrom_) {
        return;
    }
    filledFrom_ = set->id;
    if (set->recipe) {
        session_.request.fit = set->recipe->fit;
        session_.request.joins = set->recipe->joins;
        session_.request.grid = set->recipe->grid;
    }
    const FitRequest& wanted = session_.request;
    const OwnAmounts amounts = session_.amounts();
    drift_->setValue(amounts.drift * 100.0);
    feel_->setValue(amounts.feel * 100.0);
    stray_->setValue(amounts.stray * 100.0);
    pieces_->setCurrentIndex(static_cast<int>(wanted.fit.pieces));
    tolerance_->setValue(inMilliseconds(wanted.fit.leaveWithin));
    furthest_->setValue(inMilliseconds(wanted.fit.furthest));
    humanise_->setValue(inMilliseconds(wanted.fit.humanise));
    leadIn_->setValue(inMilliseconds(wanted.joins.leadIn));
    crossfade_->setValue(inMilliseconds(wanted.joins.crossfade));
    swing_->setValue(wanted.grid.swing);
    for (std::size_t i = 0; i < grids().size(); ++i) {
        if (grids()[i].grid.division == wanted.grid.division &&
            grids()[i].grid.triplet == wanted.grid.triplet) {
            grid_->setCurrentIndex(static_cast<int>(i));
        }
    }
    shape_->setCurrentIndex(
        wanted.joins.shape == FadeShape::Matched      ? 0
        : wanted.joins.shape == FadeShape::EqualPower ? 1
                                                      : 2
    );
}

namespace {

// What stands behind the grooves of the song in their list.
enum class GrooveAction { Keep, Import, Export };

}  // namespace

// The sections of the song and the leads of the set, with what is chosen of them.
void FitStage::fillFocus()
{
    const Song& song = session_.song();
    section_->clear();
    section_->addItem(tr("whole song"), 0U);
    for (const Section& section : song.sections) {
        section_->addItem(
            tr("%1, bars %2 to %3")
                .arg(QString::fromStdString(section.name))
                .arg(section.bars.first)
                .arg(section.bars.last),
            section.id.value
        );
    }
    section_->insertSeparator(section_->count());
    section_->addItem(tr("Make a section of the chosen range…"), -1);
    if (session_.focusSection().isValid()) {
        section_->addItem(tr("Remove this section"), -2);
    }
    lead_->clear();
    lead_->addItem(tr("all leads"), 0U);
    if (const MicSet* set = session_.set()) {
        for (const TrackId id : set->tracks) {
            const auto track = song.track(id);
            if (track->isLead) {
                lead_->addItem(QString::fromStdString(track->name), id.value);
            }
        }
    }
    section_->setCurrentIndex(std::max(0, section_->findData(session_.focusSection().value)));
    lead_->setCurrentIndex(std::max(0, lead_->findData(session_.focusLead().value)));
}

void FitStage::chooseFocus()
{
    const int action = section_->currentData().toInt();
    if (action == -1) {
        addSectionFromRange();
    } else if (action == -2) {
        const SectionId gone = session_.focusSection();
        session_.setFocus(session_.focusLead(), {});
        session_.document.apply(removeSection(session_.song(), gone), tr("Remove section"));
    } else {
        session_.setFocus(
            TrackId{lead_->currentData().toUInt()}, SectionId{section_->currentData().toUInt()}
        );
    }
    fillFocus();
    const OwnAmounts amounts = session_.amounts();
    drift_->setValue(amounts.drift * 100.0);
    feel_->setValue(amounts.feel * 100.0);
    stray_->setValue(amounts.stray * 100.0);
}

void FitStage::addSectionFromRange()
{
    if (!session_.request.bars) {
        session_.say(tr("Choose a range of time first: a section is the bars it touches"));
        return;
    }
    const BarRange bars = *session_.request.bars;
    bool isGiven = false;
    const QString name = QInputDialog::getText(
        bench_,
        tr("New section"),
        tr("Name of bars %1 to %2").arg(bars.first).arg(bars.last),
        QLineEdit::Normal,
        tr("verse"),
        &isGiven
    );
    if (isGiven && session_.document.apply(
                       addSection(session_.song(), name.toStdString(), bars), tr("Make section")
                   )) {
        for (const Section& section : session_.song().sections) {
            if (section.bars == bars) {
                session_.setFocus(session_.focusLead(), section.id);
            }
        }
    }
}

void FitStage::fillGrooves()
{
    groove_->clear();
    groove_->addItem(tr("own feel"));
    int chosen = 0;
    for (const Groove& groove : session_.song().grooves) {
        groove_->addItem(QString::fromStdString(groove.name));
        if (groove == session_.request.fit.groove) {
            chosen = groove_->count() - 1;
        }
    }
    groove_->insertSeparator(groove_->count());
    groove_->addItem(tr("Keep this feel as a groove"), static_cast<int>(GrooveAction::Keep));
    groove_->addItem(tr("Import a groove…"), static_cast<int>(GrooveAction::Import));
    groove_->addItem(tr("Export this groove…"), static_cast<int>(GrooveAction::Export));
    groove_->setCurrentIndex(chosen);
}

void FitStage::chooseGroove(int index)
{
    const Song& song = session_.song();
    const int known = static_cast<int>(song.grooves.size());
    const QVariant action = groove_->itemData(index);
    if (!action.isValid()) {
        session_.request.fit.groove = index > 0 && index <= known
                                          ? song.grooves[static_cast<std::size_t>(index - 1)]
                                          : Groove{};
        session_.requestChanged();
        return;
    }
    const Grid grid(song.tempo, session_.request.grid);
    switch (static_cast<GrooveAction>(action.toInt())) {
    case GrooveAction::Keep: {
        const MicSet* set = session_.set();
        session_.document.apply(
            addGroove(
                song,
                grooveOf(
                    session_.preview().performance, grid, set != nullptr ? set->name : std::string()
                )
            ),
            tr("Keep groove")
        );
        break;
    }
    case GrooveAction::Import: {
        const QString path = QFileDialog::getOpenFileName(
            bench_, tr("Import a groove"), QString(), tr("Grooves (*.mid *.json)")
        );
        if (!path.isEmpty()) {
            auto groove =
                readGroove(path.toStdString(), song.tempo.meterOfBar(1), session_.request.grid);
            session_.document.apply(
                groove ? addGroove(song, *groove) : Result<Song>(tl::unexpected(groove.error())),
                tr("Import groove")
            );
        }
        break;
    }
    case GrooveAction::Export: {
        const Groove chosen = session_.request.fit.groove.isEmpty()
                                  ? grooveOf(session_.preview().performance, grid, song.name)
                                  : session_.request.fit.groove;
        const QString path = QFileDialog::getSaveFileName(
            bench_, tr("Export the groove"), QString(), tr("Grooves (*.mid *.json)")
        );
        if (!path.isEmpty()) {
            if (const auto written = writeGroove(chosen, path.toStdString()); !written) {
                Q_EMIT session_.failed(QString::fromStdString(written.error().message));
            }
        }
        break;
    }
    }
    fillGrooves();
}

// How to go about it, with the reason.
QString FitStage::advice() const
{
    const MicSet* set = session_.set();
    if (set == nullptr || session_.analysis() == nullptr) {
        return {};
    }
    std::vector<double> rises;
    for (const auto& [track, analysis] : *session_.analysis()) {
        for (const OnsetCandidate& candidate : analysis.candidates) {
            if (!candidate.isBleed && candidate.onset.strength > 0.3) {
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
        tr("attacks rise %1 dB, %2 microphones").arg(*middle, 0, 'f', 0).arg(set->tracks.size());
    return *middle >= 12.0 ? tr("Cutting suits it: %1.").arg(reason)
                           : tr("Weak attacks for cutting: %1; listen to every join.").arg(reason);
}

void FitStage::changed()
{
    FitRequest& wanted = session_.request;
    session_.setAmounts(drift_->value() / 100.0, feel_->value() / 100.0, stray_->value() / 100.0);
    wanted.fit.pieces = static_cast<FitPieces>(pieces_->currentIndex());
    wanted.fit.leaveWithin = milliseconds(tolerance_->value());
    wanted.fit.furthest = milliseconds(furthest_->value());
    wanted.fit.humanise = milliseconds(humanise_->value());
    wanted.joins.leadIn = milliseconds(leadIn_->value());
    wanted.joins.crossfade = milliseconds(crossfade_->value());
    wanted.joins.shape = std::array{
        FadeShape::Matched,
        FadeShape::EqualPower,
        FadeShape::EqualGain}[static_cast<std::size_t>(shape_->currentIndex())];
    wanted.fit.grooveAmount = grooveAmount_->value() / 100.0;
    wanted.grid = grids()[static_cast<std::size_t>(grid_->currentIndex())].grid;
    wanted.grid.swing = swing_->value();
    session_.requestChanged();
}

void FitStage::fill()
{
    fillFromRecipe();
    const Song& song = session_.song();
    const MicSet* set = session_.set();
    const int lastBar = song.tempo.barAt(song.tempo.beatsAt(toSeconds(
        session_.preview().performance.hits.empty()
            ? song.length()
            : session_.preview().performance.hits.back().played.start,
        song.rate
    )));
    const QString name = set != nullptr ? QString::fromStdString(set->name) : tr("No mic set");
    // Choosing a range of time narrows the fit to its bars.
    std::optional<BarRange> bars;
    if (const auto& range = session_.range()) {
        const int first = song.tempo.barAt(song.tempo.beatsAt(toSeconds(range->from, song.rate)));
        const int last =
            song.tempo.barAt(song.tempo.beatsAt(toSeconds(range->to - Frames(1), song.rate)));
        bars = BarRange{first, std::max(first, last)};
    }
    session_.request.bars = bars;
    scope_->setText(tr("%1, bars %2 to %3")
                        .arg(name)
                        .arg(bars ? bars->first : 1)
                        .arg(bars ? bars->last : lastBar));
    const int hits = static_cast<int>(std::ranges::count_if(
        session_.preview().performance.hits,
        [&](const JudgedHit& hit) {
            return !bars || (hit.line.bar >= bars->first && hit.line.bar <= bars->last);
        }
    ));
    const bool isFitted = set != nullptr && set->recipe;
    const bool isStale = set != nullptr && isOutOfDate(song, *set);
    apply_->setEnabled(hits > 0);
    apply_->setText(
        hits == 0  ? tr("Cut and join")
        : isFitted ? tr("Fit again, %1 hits").arg(hits)
                   : tr("Cut and join %1 hits").arg(hits)
    );
    back_->setEnabled(isFitted);
    state_->setText(
        hits == 0  ? tr("No hits yet: choose leads and find hits in Marks.")
        : isStale  ? tr("Out of date: marks or grid changed after this fit.")
        : isFitted ? tr("Fitted. Fitting again starts from the recorded takes.")
                   : advice()
    );
    if (set != nullptr && !set->variants.empty()) {
        state_->setText(tr("Heard: %1 of %2 ways. %3")
                            .arg(QString::fromStdString(set->variantName))
                            .arg(set->variants.size() + 1)
                            .arg(state_->text()));
    }
}

QString FitStage::status() const
{
    const FitFigures& figures = session_.preview().moves.figures;
    if (figures.mains == 0) {
        return tr("No hits to fit yet");
    }
    const MicSet* set = session_.set();
    const bool keepsFeel = session_.request.fit.feel == 0.0;
    return tr("%1 · %2 hits · drift %3 ms · %4 · strays %5 ms · furthest move %6 ms")
        .arg(set != nullptr ? QString::fromStdString(set->name) : QString())
        .arg(figures.hits)
        .arg(
            arrow(figures.drift),
            keepsFeel ? tr("feel kept") : tr("feel %1 ms").arg(arrow(figures.feel)),
            arrow(figures.stray)
        )
        .arg(inMilliseconds(figures.furthestMove), 0, 'f', 0);
}

void FitStage::paintLane(QPainter& painter, const Lane& lane)
{
    const MicSet* set = session_.set();
    paintStrokes(
        painter,
        lane,
        std::max(1.0, inMilliseconds(session_.request.fit.leaveWithin)),
        set != nullptr && set->recipe
    );
    if (isByHand()) {
        hands_->paintLane(painter, lane);
        return;
    }
    // Where each hit of this lane would come to, as a small tick over its foot.
    const auto& preview = session_.preview();
    const auto found = std::ranges::find(preview.origin.leads, lane.track);
    if (found == preview.origin.leads.end() || session_.scale().framesPerPixel > 120.0) {
        return;
    }
    painter.setPen(QPen(Theme::palette().ink, 1.2));
    for (std::size_t i = 0; i < preview.performance.hits.size(); ++i) {
        if (preview.performance.hits[i].played.lead !=
            static_cast<int>(found - preview.origin.leads.begin())) {
            continue;
        }
        const double x = lanes_.xOf(preview.moves.hits[i].target);
        if (x > lane.area.left() && x < lane.area.right()) {
            painter.drawLine(
                QPointF(x, lane.area.bottom() - 12), QPointF(x, lane.area.bottom() - 6)
            );
        }
    }
}

std::pair<QString, Qt::CursorShape> FitStage::hintAt(const Lane& lane, QPoint place) const
{
    if (isByHand()) {
        return hands_->hintAt(lane, place);
    }
    if (headAt(lane, place)) {
        return {tr("Drag the head to the grid line this hit was played for"), Qt::SizeHorCursor};
    }
    const auto& preview = session_.preview();
    const auto found = std::ranges::find(preview.origin.leads, lane.track);
    if (found == preview.origin.leads.end()) {
        return {};
    }
    for (std::size_t i = 0; i < preview.performance.hits.size(); ++i) {
        const JudgedHit& hit = preview.performance.hits[i];
        if (hit.played.lead == static_cast<int>(found - preview.origin.leads.begin()) &&
            std::abs(lanes_.xOf(session_.heardAt(hit.played.beatPoint)) - place.x()) < 6.0) {
            const QString role = hit.role == HitRole::Main
                                     ? tr("main hit")
                                     : tr("attached: it keeps its distance to its main hit");
            return {
                tr("Bar %1, step %2, %3: drift %4, feel %5, stray %6 ms; would move %7 ms")
                    .arg(hit.line.bar)
                    .arg(hit.line.step + 1)
                    .arg(role)
                    .arg(inMilliseconds(hit.drift), 0, 'f', 1)
                    .arg(inMilliseconds(hit.feel), 0, 'f', 1)
                    .arg(inMilliseconds(hit.stray), 0, 'f', 1)
                    .arg(
                        inMilliseconds(toSeconds(preview.moves.hits[i].move, session_.song().rate)),
                        0,
                        'f',
                        1
                    ),
                Qt::ArrowCursor};
        }
    }
    return {};
}

std::optional<std::size_t> FitStage::headAt(const Lane& lane, QPoint place) const
{
    const auto& preview = session_.preview();
    const Hertz rate = session_.song().rate;
    if (place.y() > lane.area.top() + 14) {
        return std::nullopt;
    }
    for (std::size_t i = 0; i < preview.performance.hits.size(); ++i) {
        const JudgedHit& hit = preview.performance.hits[i];
        const auto lead = static_cast<std::size_t>(hit.played.lead);
        if (hit.role != HitRole::Main || preview.origin.leads[lead] != lane.track) {
            continue;
        }
        const Frames now = session_.heardAt(hit.played.beatPoint);
        const double offMs = inMilliseconds(toSeconds(now, rate) - hit.line.time);
        const double least = Theme::kLeanPerMs * std::abs(offMs);
        const double straight = lanes_.xOf(toFrames(hit.line.time, rate)) - lanes_.xOf(now);
        const double lean = std::abs(straight) >= least ? straight : (offMs > 0.0 ? -least : least);
        if (std::abs(lanes_.xOf(now) + lean - place.x()) <= 5.0) {
            return i;
        }
    }
    return std::nullopt;
}

bool FitStage::press(const Lane& lane, QMouseEvent& event)
{
    if (isByHand()) {
        return hands_->press(lane, event);
    }
    headHeld_ = headAt(lane, event.pos());
    headTo_ = event.pos();
    return headHeld_.has_value();
}

void FitStage::move(QMouseEvent& event)
{
    if (headHeld_) {
        headTo_ = event.pos();
        const Grid grid(session_.song().tempo, session_.request.grid);
        const Hertz rate = session_.song().rate;
        const GridLine line = grid.nearest(toSeconds(lanes_.timeAt(event.position().x()), rate));
        lanes_.setReadout(tr("bar %1, step %2").arg(line.bar).arg(line.step + 1), event.pos());
        return;
    }
    hands_->move(event);
}

void FitStage::release(QMouseEvent&)
{
    if (const auto held = std::exchange(headHeld_, std::nullopt)) {
        const Grid grid(session_.song().tempo, session_.request.grid);
        const Seconds at = toSeconds(lanes_.timeAt(headTo_.x()), session_.song().rate);
        const HitOrigin origin = session_.preview().origin.origins[*held];
        if (grid.nearest(at).index != session_.preview().performance.hits[*held].line.index) {
            session_.document.apply(
                setMarkLine(session_.song(), origin.track, origin.mark, grid.nearest(at).index),
                tr("Give a hit its line")
            );
        }
        return;
    }
    hands_->release();
}

bool FitStage::doubleClick(const Lane& lane, QMouseEvent& event)
{
    return isByHand() && hands_->doubleClick(lane, event);
}

void FitStage::hover(const Lane* lane, QPoint place, Qt::KeyboardModifiers modifiers)
{
    if (isByHand()) {
        hands_->hover(lane, place, modifiers);
    }
}

void FitStage::remove()
{
    if (isByHand()) {
        hands_->remove();
    }
}

void FitStage::nudge(Seconds by)
{
    if (isByHand()) {
        hands_->nudge(by);
    }
}

// A fit made again keeps what was changed by hand, unless the user says otherwise.
void FitStage::mainAction()
{
    const MicSet* set = session_.set();
    const HandChanges changes = set != nullptr ? handChanges(session_.song(), *set) : HandChanges{};
    session_.request.replacesHand = false;
    if (changes.isEmpty() || set == nullptr || !set->recipe) {
        session_.applyFit();
        return;
    }
    QStringList places;
    for (const Frames at : changes.clips) {
        if (places.size() < 6) {
            places << placeText(session_.song(), at).place;
        }
    }
    QStringList what;
    if (!changes.clips.empty()) {
        what << tr("%1 clips (at %2%3)")
                    .arg(changes.clips.size())
                    .arg(
                        places.join(QStringLiteral(", ")),
                        changes.clips.size() > 6 ? QStringLiteral(", …") : QString()
                    );
    }
    if (changes.hits > 0) {
        what << tr("%1 hits given a place").arg(changes.hits);
    }
    QMessageBox question(bench_);
    question.setObjectName(QStringLiteral("handChanges"));
    question.setText(tr("Changed by hand since the last fit: %1.").arg(what.join(tr(" and "))));
    question.setInformativeText(tr("Fit around them, or fit them like all others?"));
    auto* keep = question.addButton(tr("Keep them"), QMessageBox::AcceptRole);
    auto* replace = question.addButton(tr("Fit them too"), QMessageBox::DestructiveRole);
    question.addButton(QMessageBox::Cancel);
    question.setDefaultButton(keep);
    question.exec();
    if (question.clickedButton() == keep || question.clickedButton() == replace) {
        session_.request.replacesHand = question.clickedButton() == replace;
        session_.applyFit();
        session_.request.replacesHand = false;
    }
}

void FitStage::keepWay()
{
    if (const MicSet* set = session_.set()) {
        if (session_.document.apply(
                keepVariant(session_.song(), set->id, session_.request.bars), tr("Keep this way")
            )) {
            session_.say(tr("Kept as %1; what you do now is %2. One key switches between them")
                             .arg(
                                 QString::fromStdString(session_.set()->variants.back()->name),
                                 QString::fromStdString(session_.set()->variantName)
                             ));
        }
    }
}

void FitStage::otherWay()
{
    if (const MicSet* set = session_.set()) {
        if (session_.document.apply(
                nextVariant(session_.song(), set->id, *session_.document.sources()),
                tr("Hear the other way")
            )) {
            session_.say(
                tr("Now heard: %1").arg(QString::fromStdString(session_.set()->variantName))
            );
        }
    }
}

void FitStage::dropWays()
{
    if (const MicSet* set = session_.set()) {
        session_.document.apply(dropVariants(session_.song(), set->id), tr("Keep only this way"));
    }
}

void FitStage::step(int by)
{
    if (isByHand()) {
        hands_->step(by);
        return;
    }
    // From stray to stray: the next main hit that is more than 10 ms off its line.
    const auto& hits = session_.preview().performance.hits;
    const Frames now = session_.player.position();
    const Hertz rate = session_.song().rate;
    std::optional<Frames> best;
    for (const JudgedHit& hit : hits) {
        const Frames at = session_.heardAt(hit.played.beatPoint);
        const bool isOff = std::abs((toSeconds(at, rate) - hit.line.time).count()) > 0.010;
        const bool isBeyond = by > 0 ? at > now + Frames(64) : at < now - Frames(64);
        if (hit.role == HitRole::Main && isOff && isBeyond &&
            (!best || (by > 0 ? at < *best : at > *best))) {
            best = at;
        }
    }
    if (best) {
        session_.player.seek(*best);
        session_.reveal(*best);
        lanes_.update();
    }
}

}  // namespace orthochron::app
