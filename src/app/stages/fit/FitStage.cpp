#include "app/stages/fit/FitStage.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QMessageBox>
#include <QPainter>
#include <QPushButton>
#include <QStackedWidget>

#include "app/stages/Bench.h"
#include "app/theme/Theme.h"
#include "core/edits/VariantEdits.h"

namespace orthochron::app {

namespace {

constexpr double kFineStep = 0.05;  // semitones

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
    addWays(*head);
    left->addLayout(head);
    stack_ = new QStackedWidget(bench_);
    fit_ = new FitBench(session_, stack_);
    stack_->addWidget(fit_);
    hands_ = new ClipHands(session_, this);
    grips_ = std::make_unique<ClipGrips>(session_, lanes_, *hands_);
    pins_ = std::make_unique<PinGrips>(session_, lanes_);
    stack_->addWidget(new HandBench(session_, *hands_, stack_));
    left->addWidget(stack_, 1);
    layout->addLayout(left, 10);
    chart_ = new TimingChart(session_, bench_);
    strain_ = new StrainChart(session_, bench_);
    strain_->setVisible(false);
    auto* charts = new QVBoxLayout;
    charts->setSpacing(6);
    charts->addWidget(chart_, 5);
    charts->addWidget(strain_, 4);
    layout->addLayout(charts, 20);
    dial_ = new FeelDial(session_, bench_);
    layout->addWidget(dial_, 7);
    connect(chart_, &TimingChart::hint, this, &FitStage::hint);
    connect(dial_, &FeelDial::hint, this, &FitStage::hint);
    connect(fit_, &FitBench::fitAsked, this, &FitStage::mainAction);
    connect(fit_, &FitBench::undoAsked, this, [this] {
        if (const MicSet* set = session_.choice.set()) {
            session_.document.apply(undoFit(session_.song(), set->id), tr("Reset fit"));
        }
    });
    connect(strain_, &StrainChart::hint, this, &FitStage::hint);
    connect(ways_, &QButtonGroup::idClicked, this, &FitStage::chooseWay);
    connect(&session_.fitting, &Fitting::changed, this, &FitStage::fill);
    connect(&session_.choice, &Choice::changed, this, &FitStage::fill);
    fill();
}

void FitStage::addWays(QBoxLayout& head)
{
    ways_ = new QButtonGroup(this);
    for (const auto& [text, name, why] :
         {std::tuple{
              tr("Cut"),
              "wayCut",
              tr("Cut and crossfade; no artefacts, for drums and clean picking.")},
          std::tuple{
              tr("Stretch"),
              "wayStretch",
              tr("Stretch audio between hits; for sustained sounds or few strays.")},
          std::tuple{
              tr("By hand"), "wayByHand", tr("Edit clips directly: split, trim, slip, move.")}}) {
        auto* way = benchWay(text, QLatin1String(name), bench_);
        way->setToolTip(why);
        ways_->addButton(way, static_cast<int>(ways_->buttons().size()));
        head.addWidget(way);
    }
    ways_->button(0)->setChecked(true);
}

void FitStage::chooseWay(int way)
{
    stack_->setCurrentIndex(way == 2 ? 1 : 0);
    strain_->setVisible(way == 1);
    if (way != 2) {
        fit_->setMethod(way == 1 ? FitMethod::Stretch : FitMethod::Cut);
    }
    lanes_.update();
}

bool FitStage::isStretch() const
{
    return ways_->checkedId() == 1;
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

void FitStage::fill()
{
    const Song& song = session_.song();
    const MicSet* set = session_.choice.set();
    const int lastBar = song.tempo.barAt(song.tempo.beatsAt(toSeconds(
        session_.fitting.preview().performance.hits.empty()
            ? song.length()
            : session_.fitting.preview().performance.hits.back().played.start,
        song.rate
    )));
    const QString name =
        set != nullptr ? QString::fromStdString(song.nameOf(*set)) : tr("No takes yet");
    // Choosing a range of time narrows the fit to its bars.
    std::optional<BarRange> bars;
    if (const auto& range = session_.choice.range()) {
        // Half a frame on: a bar that begins between two frames begins with the earlier one.
        const auto barOf = [&](Frames at) {
            const Seconds half(0.5 / song.rate.count());
            return song.tempo.barAt(song.tempo.beatsAt(toSeconds(at, song.rate) + half));
        };
        const int first = barOf(range->from);
        const int last = barOf(range->to - Frames(1));
        bars = BarRange{first, std::max(first, last)};
    }
    session_.fitting.request.bars = bars;
    scope_->setText(tr("%1, bars %2 to %3")
                        .arg(name)
                        .arg(bars ? bars->first : 1)
                        .arg(bars ? bars->last : lastBar));
    fit_->fill();
    // A set that was fitted before is looked at the way it was fitted.
    const int way = session_.fitting.request.way.method == FitMethod::Stretch ? 1 : 0;
    if (!isByHand() && ways_->checkedId() != way) {
        ways_->button(way)->setChecked(true);
        strain_->setVisible(way == 1);
    }
}

QString FitStage::status() const
{
    const FitFigures& figures = session_.fitting.preview().moves.figures;
    if (figures.mains == 0) {
        return tr("No hits to fit yet");
    }
    const Song& song = session_.song();
    const MicSet* set = session_.choice.set();
    const bool keepsFeel = session_.fitting.request.fit.feel == 0.0;
    const QString parts =
        tr("drift %1 ms · %2 · strays %3 ms")
            .arg(
                arrow(figures.drift),
                keepsFeel ? tr("feel kept") : tr("feel %1 ms").arg(arrow(figures.feel)),
                arrow(figures.stray)
            );
    const QString name = set != nullptr ? QString::fromStdString(song.nameOf(*set)) : QString();
    if (const auto most = strain_->worst(); isStretch() && most) {
        const QString relief = strain_->worstRelief();
        return tr("%1 · %2 hits pinned · %3 · strongest strain ×%4 at %5%6")
            .arg(name)
            .arg(figures.hits)
            .arg(parts)
            .arg(most->ratio, 0, 'f', 2)
            .arg(
                placeText(song, most->from).place, relief.isEmpty() ? QString() : tr(": ") + relief
            );
    }
    return tr("%1 · %2 hits · %3 · largest move %4 ms")
        .arg(name)
        .arg(figures.hits)
        .arg(parts)
        .arg(inMilliseconds(figures.furthestMove), 0, 'f', 0);
}

void FitStage::paintLane(QPainter& painter, const Lane& lane)
{
    const MicSet* set = session_.choice.set();
    paintStrokes(
        painter,
        lane,
        std::max(1.0, inMilliseconds(session_.fitting.request.fit.leaveWithin)),
        set != nullptr && set->recipe
    );
    if (isByHand()) {
        grips_->paintLane(painter, lane);
        return;
    }
    if (isStretch()) {
        pins_->paintLane(painter, lane);
        return;
    }
    // Where each hit of this lane would come to, as a small tick over its foot.
    const auto& preview = session_.fitting.preview();
    const auto found = std::ranges::find(preview.origin.leads, lane.track);
    if (found == preview.origin.leads.end() || session_.shown.scale().framesPerPixel > 120.0) {
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
        return grips_->hintAt(lane, place);
    }
    if (isStretch()) {
        if (auto hint = pins_->hintAt(lane, place); !hint.first.isEmpty()) {
            return hint;
        }
    }
    if (headAt(lane, place)) {
        return {tr("Drag to the grid line this hit was played for"), Qt::SizeHorCursor};
    }
    const auto& preview = session_.fitting.preview();
    const auto found = std::ranges::find(preview.origin.leads, lane.track);
    if (found == preview.origin.leads.end()) {
        return {};
    }
    for (std::size_t i = 0; i < preview.performance.hits.size(); ++i) {
        const JudgedHit& hit = preview.performance.hits[i];
        if (hit.played.lead == static_cast<int>(found - preview.origin.leads.begin()) &&
            std::abs(lanes_.xOf(session_.review.heardAt(hit.played.beatPoint)) - place.x()) < 6.0) {
            const QString role =
                hit.role == HitRole::Main ? tr("main hit") : tr("attached to its main hit");
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
    const auto& preview = session_.fitting.preview();
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
        const Frames now = session_.review.heardAt(hit.played.beatPoint);
        const double offMs = inMilliseconds(toSeconds(now, rate) - hit.line.time);
        const double lean =
            Theme::leanOf(lanes_.xOf(now), lanes_.xOf(toFrames(hit.line.time, rate)), offMs);
        if (std::abs(lanes_.xOf(now) + lean - place.x()) <= 5.0) {
            return i;
        }
    }
    return std::nullopt;
}

bool FitStage::press(const Lane& lane, QMouseEvent& event)
{
    if (isByHand()) {
        return grips_->press(lane, event);
    }
    if (isStretch() && pins_->press(lane, event)) {
        return true;
    }
    headHeld_ = headAt(lane, event.pos());
    headTo_ = event.pos();
    return headHeld_.has_value();
}

void FitStage::move(QMouseEvent& event)
{
    if (headHeld_) {
        headTo_ = event.pos();
        const Grid grid(session_.song().tempo, session_.fitting.request.grid);
        const Hertz rate = session_.song().rate;
        const GridLine line = grid.nearest(toSeconds(lanes_.timeAt(event.position().x()), rate));
        lanes_.setReadout(tr("bar %1, step %2").arg(line.bar).arg(line.step + 1), event.pos());
        return;
    }
    if (isStretch()) {
        pins_->move(event);
    } else {
        grips_->move(event);
    }
}

void FitStage::release(QMouseEvent&)
{
    if (const auto held = std::exchange(headHeld_, std::nullopt)) {
        const Grid grid(session_.song().tempo, session_.fitting.request.grid);
        const Seconds at = toSeconds(lanes_.timeAt(headTo_.x()), session_.song().rate);
        const HitOrigin origin = session_.fitting.preview().origin.origins[*held];
        if (grid.nearest(at).index !=
            session_.fitting.preview().performance.hits[*held].line.index) {
            session_.document.apply(
                setMarkLine(session_.song(), origin.track, origin.mark, grid.nearest(at).index),
                tr("Assign hit to line")
            );
        }
        return;
    }
    if (isStretch()) {
        pins_->release();
    } else {
        grips_->release();
    }
}

bool FitStage::doubleClick(const Lane& lane, QMouseEvent& event)
{
    return isByHand() ? grips_->doubleClick(lane, event)
                      : isStretch() && pins_->doubleClick(lane, event);
}

void FitStage::hover(const Lane* lane, QPoint place, Qt::KeyboardModifiers modifiers)
{
    if (isByHand()) {
        grips_->hover(lane, place, modifiers);
    }
}

bool FitStage::canRemove() const
{
    return isByHand() ? !session_.choice.clips().empty() : isStretch() && pins_->canRemove();
}

void FitStage::remove()
{
    if (isByHand()) {
        hands_->remove();
    } else if (isStretch()) {
        pins_->remove();
    }
}

void FitStage::nudge(Seconds by)
{
    if (isByHand()) {
        hands_->nudge(by);
    } else if (isStretch()) {
        pins_->nudge(by);
    }
}

// A fit made again keeps what was changed by hand, unless the user says otherwise.
QString FitStage::mainActionName() const
{
    return fit_->actionName();
}

void FitStage::mainAction()
{
    const MicSet* set = session_.choice.set();
    const HandChanges changes = set != nullptr ? handChanges(session_.song(), *set) : HandChanges{};
    session_.fitting.request.replacesHand = false;
    if (changes.isEmpty() || set == nullptr || !set->recipe) {
        session_.fitting.apply();
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
        what << tr("%1 moved hits").arg(changes.hits);
    }
    QMessageBox question(bench_);
    question.setObjectName(QStringLiteral("handChanges"));
    question.setText(tr("Edited since the last fit: %1.").arg(what.join(tr(" and "))));
    question.setInformativeText(tr("Keep these edits, or fit them again?"));
    auto* keep = question.addButton(tr("Keep edits"), QMessageBox::AcceptRole);
    auto* replace = question.addButton(tr("Fit again"), QMessageBox::DestructiveRole);
    question.addButton(QMessageBox::Cancel);
    question.setDefaultButton(keep);
    question.exec();
    if (question.clickedButton() == keep || question.clickedButton() == replace) {
        session_.fitting.request.replacesHand = question.clickedButton() == replace;
        session_.fitting.apply();
        session_.fitting.request.replacesHand = false;
    }
}

void FitStage::keepWay()
{
    if (const MicSet* set = session_.choice.set()) {
        if (session_.document.apply(
                keepVariant(session_.song(), set->id, session_.fitting.request.bars),
                tr("Store version")
            )) {
            session_.say(tr("Stored as %1; you now edit %2")
                             .arg(
                                 QString::fromStdString(session_.choice.set()->variants.back()->name
                                 ),
                                 QString::fromStdString(session_.choice.set()->variantName)
                             ));
        }
    }
}

void FitStage::otherWay()
{
    if (const MicSet* set = session_.choice.set()) {
        if (session_.document.apply(nextVariant(session_.song(), set->id), tr("Switch version"))) {
            session_.say(
                tr("Playing %1").arg(QString::fromStdString(session_.choice.set()->variantName))
            );
        }
    }
}

void FitStage::dropWays()
{
    if (const MicSet* set = session_.choice.set()) {
        session_.document.apply(
            dropVariants(session_.song(), set->id), tr("Delete other versions")
        );
    }
}

void FitStage::step(int by)
{
    if (isByHand()) {
        hands_->step(by);
        return;
    }
    // From stray to stray: the next main hit that is more than 10 ms off its line.
    const auto& hits = session_.fitting.preview().performance.hits;
    const Frames now = session_.player.position();
    const Hertz rate = session_.song().rate;
    std::optional<Frames> best;
    for (const JudgedHit& hit : hits) {
        const Frames at = session_.review.heardAt(hit.played.beatPoint);
        const bool isOff = std::abs((toSeconds(at, rate) - hit.line.time).count()) > 0.010;
        const bool isBeyond = by > 0 ? at > now + Frames(64) : at < now - Frames(64);
        if (hit.role == HitRole::Main && isOff && isBeyond &&
            (!best || (by > 0 ? at < *best : at > *best))) {
            best = at;
        }
    }
    if (best) {
        session_.player.seek(*best);
        session_.shown.reveal(*best);
        lanes_.update();
    }
}

// By hand works in every stage.
bool FitStage::run(Command command)
{
    switch (command) {
    case Command::NewSection: fit_->focus().addSection(); return true;
    case Command::RenameSection: fit_->focus().renameSection(); return true;
    case Command::DeleteSection: fit_->focus().removeSection(); return true;
    case Command::NextVersion: otherWay(); return true;
    case Command::StoreVersion: keepWay(); return true;
    case Command::DropVersions: dropWays(); return true;
    case Command::SplitPlayhead: hands_->splitAtPlayhead(); return true;
    case Command::SplitMarks: hands_->splitAtMarks(); return true;
    case Command::SplitGrid: hands_->splitAtGrid(); return true;
    case Command::JoinClips: hands_->join(); return true;
    case Command::MuteClips: hands_->mute(); return true;
    case Command::ReverseClips: hands_->reverse(); return true;
    case Command::LockClips: hands_->lock(); return true;
    case Command::LockSet: hands_->lockSet(); return true;
    case Command::CopyClips: hands_->copy(); return true;
    case Command::CutClips: hands_->cut(); return true;
    case Command::PasteClips: hands_->paste(); return true;
    case Command::DuplicateClips: hands_->duplicate(1); return true;
    case Command::DeleteClips: hands_->remove(); return true;
    case Command::ClipsInRange: hands_->chooseRange(); return true;
    case Command::ClipUp: hands_->toTrack(-1); return true;
    case Command::ClipDown: hands_->toTrack(1); return true;
    case Command::SlipBack: hands_->slip(milliseconds(-1.0)); return true;
    case Command::SlipOn: hands_->slip(milliseconds(1.0)); return true;
    case Command::NoteUp: hands_->shift(1.0); return true;
    case Command::NoteDown: hands_->shift(-1.0); return true;
    case Command::NoteUpFine: hands_->shift(kFineStep); return true;
    case Command::NoteDownFine: hands_->shift(-kFineStep); return true;
    case Command::OctaveUp: hands_->shift(12.0); return true;
    case Command::OctaveDown: hands_->shift(-12.0); return true;
    default: return false;
    }
}

}  // namespace orthochron::app
