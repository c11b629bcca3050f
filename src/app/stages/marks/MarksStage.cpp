#include "app/stages/marks/MarksStage.h"

#include <QButtonGroup>
#include <QGridLayout>
#include <QMouseEvent>
#include <QPainter>
#include <QStackedWidget>

#include "app/stages/Bench.h"
#include "app/stages/marks/StrengthCurve.h"
#include "app/theme/Theme.h"

namespace orthochron::app {

MarksStage::MarksStage(Session& session, LanesView& lanes, QObject* parent)
    : Stage(session, lanes, parent)
{
    bench_ = new QWidget;
    auto* page = new QWidget(bench_);
    auto* layout = new QGridLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setHorizontalSpacing(32);
    layout->setVerticalSpacing(6);
    detection_ = new Detection(session_, page);
    layout->addWidget(detection_, 0, 0, 6, 2);
    thisMark_ = new ThisMark(session_, page);
    layout->addWidget(thisMark_, 0, 2, 5, 1);
    microphones_ = new Microphones(session_, page);
    layout->addWidget(microphones_, 0, 3, 6, 1);
    connect(microphones_, &Microphones::measured, this, [this] { lanes_.update(); });
    layout->setRowStretch(5, 1);
    for (int column = 0; column < 4; ++column) {
        layout->setColumnStretch(column, column == 3 ? 5 : 4);
    }
    review_ = new DoubtReview(session_, this);
    addPages(page);
    connect(detection_, &Detection::findAsked, this, &MarksStage::mainAction);
    connect(detection_, &Detection::tried, this, [this] { lanes_.update(); });
    connect(&session_.document, &Document::songChanged, this, &MarksStage::fill);
    connect(&session_.choice, &Choice::changed, this, &MarksStage::fill);
    fill();
}

// Which page is looked at is chosen at the head of the bench.
void MarksStage::addPages(QWidget* finding)
{
    auto* layout = new QVBoxLayout(bench_);
    layout->setContentsMargins(20, 8, 20, 10);
    layout->setSpacing(4);
    auto* head = new QHBoxLayout;
    ways_ = new QButtonGroup(this);
    for (const auto& [text, name] :
         {std::pair{tr("Find"), "wayFind"}, std::pair{tr("Doubtful"), "wayDoubtful"}}) {
        ways_->addButton(
            benchWay(text, QLatin1String(name), bench_), static_cast<int>(ways_->buttons().size())
        );
        head->addWidget(ways_->buttons().back());
    }
    ways_->button(0)->setChecked(true);
    head->addStretch();
    layout->addLayout(head);
    pages_ = new QStackedWidget(bench_);
    pages_->addWidget(finding);
    doubts_ = new DoubtBench(session_, *review_, pages_);
    pages_->addWidget(doubts_);
    layout->addWidget(pages_, 1);
    connect(ways_, &QButtonGroup::idClicked, this, [this](int way) { lookAtDoubtful(way == 1); });
    connect(review_, &DoubtReview::changed, this, [this] {
        fill();
        lanes_.update();
    });
}

void MarksStage::lookAtDoubtful(bool isOn)
{
    ways_->button(isOn ? 1 : 0)->setChecked(true);
    pages_->setCurrentIndex(isOn ? 1 : 0);
    lanes_.update();
}

bool MarksStage::isDoubting() const
{
    return pages_->currentIndex() == 1;
}

bool MarksStage::isWorkedOn() const
{
    return std::ranges::any_of(session_.song().tracks, [](const auto& track) {
        return !track->marks.empty();
    });
}

QString MarksStage::status() const
{
    QStringList parts;
    for (const auto& track : session_.song().tracks) {
        if (session_.song().isLead(*track) && !track->marks.empty()) {
            const auto on = std::ranges::count_if(track->marks, &Mark::isOn);
            parts << tr("%1: %2 marks").arg(QString::fromStdString(track->name)).arg(on);
        }
    }
    if (parts.isEmpty()) {
        return tr("No hits yet");
    }
    const auto& doubts = review_->doubts();
    const auto missing = std::ranges::count_if(doubts, &DoubtfulHit::isMissing);
    parts << tr("%1 doubtful").arg(static_cast<std::int64_t>(doubts.size()) - missing);
    if (missing > 0) {
        parts << tr("%1 possibly missed").arg(missing);
    }
    return parts.join(QStringLiteral(" · "));
}

void MarksStage::fill()
{
    const auto doubtful = review_->doubts().size();
    ways_->button(1)->setText(doubtful == 0 ? tr("Doubtful") : tr("Doubtful (%1)").arg(doubtful));
}

void MarksStage::paintLane(QPainter& painter, const Lane& lane)
{
    const auto track = session_.song().track(lane.track);
    const Palette& colours = Theme::palette();
    if (!session_.song().isLead(*track)) {
        // What this microphone hears and no lead does: a diamond.
        for (const UnheardHit& hit : microphones_->unheard()) {
            const double x = lanes_.xOf(session_.review.heardAt(hit.at));
            if (hit.track == lane.track && x > lane.area.left() && x < lane.area.right()) {
                painter.setPen(QPen(colours.finding, 1.2));
                painter.setBrush(colours.lane);
                const double y = lane.area.bottom() - 6.0;
                painter.drawPolygon(QPolygonF(
                    {QPointF(x - 3, y), QPointF(x, y - 4), QPointF(x + 3, y), QPointF(x, y + 4)}
                ));
            }
        }
        return;
    }
    if (lane.track == session_.choice.track()) {
        paintStrengthCurve(
            painter, lane, lanes_, session_, detection_->trying().value_or(track->detection)
        );
    }
    const double top = lane.area.top() + 3.0;
    const double bottom = lane.area.bottom() - 4.0;
    if (detection_->trying() && lane.track == session_.choice.track() &&
        session_.hits.analysis() != nullptr) {
        // While a slider is held: what would be marked.
        if (const auto onsets = pickOnsets(
                session_.hits.analysis()->at(lane.track).candidates,
                session_.song().rate,
                *detection_->trying()
            )) {
            painter.setPen(QPen(colours.ink, 1.2));
            for (const Onset& onset : *onsets) {
                if (const auto at = session_.hits.heardOn(lane.track, onset.at)) {
                    const double x = lanes_.xOf(*at);
                    painter.drawLine(QPointF(x, top), QPointF(x, bottom));
                }
            }
        }
        return;
    }
    if (isDoubting()) {
        paintMissing(painter, lane);
    }
    for (const HeardMark& heard : session_.hits.marksOf(lane.track)) {
        const Mark& mark = *heard.mark;
        Frames at = heard.at;
        if (dragged_ && dragged_->first == mark.id && !isBeatPoint_) {
            at = dragged_->second;
        }
        const double x = lanes_.xOf(at);
        if (x < lane.area.left() - 10 || x > lane.area.right() + 10) {
            continue;
        }
        const bool isChosen = mark.id == session_.choice.mark();
        if (isChosen) {
            QColor straw = colours.straw;
            straw.setAlpha(170);
            painter.fillRect(QRectF(x - 5, lane.area.top(), 10, lane.area.height()), straw);
        }
        // Weight by strength; off is a broken line; by hand has a full foot.
        const double weight = 0.35 + 0.65 * std::sqrt(mark.strength);
        const bool isDoubtful = mark.isOn && !mark.byHand && mark.confidence < kSureOfHit;
        const QColor colour = isDoubtful  ? colours.finding
                              : mark.isOn ? colours.ink
                                          : colours.secondInk;
        painter.setPen(QPen(
            colour,
            isChosen ? 2.0 : 1.3,
            isDoubtful  ? Qt::DashLine
            : mark.isOn ? Qt::SolidLine
                        : Qt::DotLine
        ));
        painter.drawLine(QPointF(x, bottom), QPointF(x, bottom - weight * (bottom - top)));
        painter.setBrush(mark.byHand ? colour : colours.lane);
        painter.setPen(QPen(colour, 1.3));
        painter.drawEllipse(QPointF(x, bottom), 2.8, 2.8);
        if (mark.beatPoint != mark.at || (isChosen && isBeatPoint_ && dragged_)) {
            // The beat point is a flag of its own, tied to the start by a hair.
            const Frames beat =
                isChosen && isBeatPoint_ && dragged_ ? dragged_->second : heard.beatPoint;
            const double flag = lanes_.xOf(beat);
            painter.setPen(QPen(colour, 1.0, Qt::DashLine));
            painter.drawLine(QPointF(lanes_.xOf(heard.at), bottom), QPointF(flag, top + 6));
            painter.setPen(QPen(colour, 1.4));
            painter.drawLine(QPointF(flag, bottom), QPointF(flag, top));
            painter.drawLine(QPointF(flag, top), QPointF(flag + 6, top + 3));
            painter.drawLine(QPointF(flag + 6, top + 3), QPointF(flag, top + 6));
        }
    }
}

// Where a hit may be missing: hollow and broken.
void MarksStage::paintMissing(QPainter& painter, const Lane& lane) const
{
    const Palette& colours = Theme::palette();
    for (std::size_t i = 0; i < review_->doubts().size(); ++i) {
        const DoubtfulHit& doubt = review_->doubts()[i];
        if (doubt.track != lane.track || !doubt.isMissing()) {
            continue;
        }
        const double x = lanes_.xOf(review_->heardAt(i));
        if (x < lane.area.left() - 10 || x > lane.area.right() + 10) {
            continue;
        }
        const double bottom = lane.area.bottom() - 4.0;
        const bool isChosen = i == review_->place();
        painter.setPen(QPen(colours.finding, isChosen ? 1.6 : 1.0, Qt::DotLine));
        painter.drawLine(QPointF(x, bottom), QPointF(x, lane.area.center().y()));
        painter.setPen(QPen(colours.finding, 1.2));
        painter.setBrush(colours.lane);
        painter.drawEllipse(QPointF(x, bottom), 2.8, 2.8);
    }
}

bool MarksStage::isOnThreshold(const Lane& lane, QPoint place) const
{
    const SetAnalysis* analyses = session_.hits.analysis();
    const auto track = session_.song().track(lane.track);
    return lane.track == session_.choice.track() && session_.song().isLead(*track) &&
           analyses != nullptr && analyses->contains(lane.track) &&
           std::abs(place.y() - heightOfStrength(lane, thresholdOf(track->detection))) <= 4.0;
}

const Mark* MarksStage::markAt(const Lane& lane, double x) const
{
    const Mark* best = nullptr;
    double least = 6.0;
    for (const HeardMark& heard : session_.hits.marksOf(lane.track)) {
        const double away = std::abs(lanes_.xOf(heard.at) - x);
        if (away < least) {
            least = away;
            best = heard.mark;
        }
    }
    return best;
}

bool MarksStage::press(const Lane& lane, QMouseEvent& event)
{
    const Mark* mark = markAt(lane, event.position().x());
    if (mark == nullptr && isOnThreshold(lane, event.pos())) {
        thresholdLane_ = lane;
        return true;
    }
    if (mark == nullptr) {
        return false;
    }
    draggedTrack_ = lane.track;
    isBeatPoint_ = (event.modifiers() & Qt::ShiftModifier) != 0;
    pressedAt_ = lanes_.timeAt(event.position().x());
    session_.choice.setMark(lane.track, mark->id);
    return true;
}

void MarksStage::move(QMouseEvent& event)
{
    if (thresholdLane_) {
        const double decibels = decibelsAtHeight(*thresholdLane_, event.position().y());
        detection_->tryThreshold(decibels);
        lanes_.setReadout(
            tr("%1 dB, %2").arg(decibels, 0, 'f', 1).arg(detection_->countText()), event.pos()
        );
        return;
    }
    const Mark* mark = thisMark_->chosen();
    if (mark == nullptr) {
        return;
    }
    const Frames at = lanes_.timeAt(event.position().x());
    // Of the places where it is heard, the one that was taken.
    Frames from = pressedAt_;
    for (const HeardMark& heard : session_.hits.marksOf(draggedTrack_)) {
        if (heard.mark->id == mark->id &&
            (from == pressedAt_ ||
             std::abs((heard.at - pressedAt_).count()) < std::abs((from - pressedAt_).count()))) {
            from = heard.at;
        }
    }
    if (!dragged_ && std::abs(lanes_.xOf(at) - lanes_.xOf(from)) < 3.0) {
        return;
    }
    dragged_ = {mark->id, at};
    const Frames by = at - from;
    lanes_.setReadout(
        tr("%1 ms, %2 samples")
            .arg(inMilliseconds(toSeconds(by, session_.song().rate)), 0, 'f', 2)
            .arg(by.count()),
        event.pos()
    );
}

void MarksStage::release(QMouseEvent&)
{
    if (thresholdLane_) {
        thresholdLane_.reset();
        detection_->settle();
        return;
    }
    if (!dragged_) {
        return;
    }
    const auto [mark, at] = *dragged_;
    dragged_.reset();
    const bool isBeatPoint = std::exchange(isBeatPoint_, false);
    const auto takeTime = session_.hits.takeTimeAt(draggedTrack_, at);
    if (!takeTime) {
        session_.say(tr("No clip of this track plays there"));
        return;
    }
    if (isBeatPoint) {
        session_.document.apply(
            setBeatPoint(session_.song(), draggedTrack_, mark, *takeTime), tr("Move beat point")
        );
        return;
    }
    session_.document.apply(
        moveMark(session_.song(), draggedTrack_, mark, *takeTime), tr("Move mark")
    );
}

bool MarksStage::doubleClick(const Lane& lane, QMouseEvent& event)
{
    const auto track = session_.song().track(lane.track);
    if (!session_.song().isLead(*track) || markAt(lane, event.position().x()) != nullptr) {
        return false;
    }
    addMarkAt(lane.track, lanes_.timeAt(event.position().x()));
    return true;
}

std::pair<QString, Qt::CursorShape> MarksStage::hintAt(const Lane& lane, QPoint place) const
{
    if (markAt(lane, place.x()) != nullptr) {
        return {
            tr("Drag to the attack's start. Shift: beat point. Delete: delete."),
            Qt::SizeHorCursor};
    }
    if (isOnThreshold(lane, place)) {
        return {tr("Drag the threshold; attacks above it become marks."), Qt::SizeVerCursor};
    }
    const auto track = session_.song().track(lane.track);
    return {
        session_.song().isLead(*track)
            ? tr("Double-click to add a mark.")
            : tr("Not a lead. Click to select the track; make it a lead below."),
        Qt::ArrowCursor};
}

void MarksStage::step(int by)
{
    if (isDoubting()) {
        doubts_->step(by);
        return;
    }
    if (session_.hits.marksOf(session_.choice.track()).empty()) {
        const auto lead = std::ranges::find_if(session_.song().tracks, [this](const auto& t) {
            return session_.song().isLead(*t) && !session_.hits.marksOf(t->id).empty();
        });
        if (lead == session_.song().tracks.end()) {
            session_.say(tr("No marks; find hits first"));
            return;
        }
        session_.choice.setTrack((*lead)->id);
    }
    const auto& marks = session_.hits.marksOf(session_.choice.track());
    // The chosen one's place next to the playhead, where it is heard several times.
    const Frames now = session_.player.position();
    auto place = static_cast<std::ptrdiff_t>(marks.size());
    for (std::size_t i = 0; i < marks.size(); ++i) {
        const bool isIt = marks[i].mark->id == session_.choice.mark();
        const auto away = [&](std::size_t of) { return std::abs((marks[of].at - now).count()); };
        if (isIt && (place == static_cast<std::ptrdiff_t>(marks.size()) ||
                     away(i) < away(static_cast<std::size_t>(place)))) {
            place = static_cast<std::ptrdiff_t>(i);
        }
    }
    const auto count = static_cast<std::ptrdiff_t>(marks.size());
    if (place == count) {
        // None chosen yet: the one next to the playhead.
        place = std::ranges::lower_bound(marks, now, {}, &HeardMark::at) - marks.begin();
        place = by > 0 ? place : place - 1;
    } else {
        place += by;
    }
    const HeardMark heard =
        marks[static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(place, 0, count - 1))];
    session_.choice.setMark(session_.choice.track(), heard.mark->id);
    session_.player.seek(heard.at);
    if (session_.shown.scale().framesPerPixel < 16.0) {
        zoomToMark();
    }
    session_.shown.reveal(heard.at);
    if (thisMark_->hearsEach()) {
        hear();
    }
}

// Where the chosen mark is heard; of several places the one next to the playhead.
std::optional<Frames> MarksStage::placeOfChosen() const
{
    std::optional<Frames> place;
    const Frames now = session_.player.position();
    for (const HeardMark& heard : session_.hits.marksOf(session_.choice.track())) {
        if (heard.mark->id == session_.choice.mark() &&
            (!place || std::abs((heard.at - now).count()) < std::abs((*place - now).count()))) {
            place = heard.at;
        }
    }
    return place;
}

void MarksStage::zoomToMark()
{
    if (const auto at = placeOfChosen()) {
        TimeScale scale = session_.shown.scale();
        scale.framesPerPixel = std::min(scale.framesPerPixel, 1.0);
        scale.left =
            static_cast<double>(at->count()) - 0.4 * lanes_.sheet().width() * scale.framesPerPixel;
        session_.shown.setScale(scale);
    }
}

void MarksStage::hear()
{
    if (isDoubting()) {
        review_->hear();
        return;
    }
    if (const auto at = placeOfChosen()) {
        const Hertz rate = session_.song().rate;
        session_.player.playRange(
            std::max(Frames(0), *at - toFrames(milliseconds(30.0), rate)),
            *at + toFrames(milliseconds(270.0), rate)
        );
    }
}

void MarksStage::mainAction()
{
    session_.hits.detect([this] {
        review_->refresh();
        microphones_->measure();
    });
}

void MarksStage::accept()
{
    if (isDoubting()) {
        review_->keep(false);
    } else if (const Mark* mark = thisMark_->chosen(); mark != nullptr && !mark->byHand) {
        session_.document.apply(
            confirmMark(session_.song(), session_.choice.track(), mark->id), tr("Confirm mark")
        );
    }
}

bool MarksStage::canRemove() const
{
    return isDoubting() ? review_->chosen() != nullptr : thisMark_->chosen() != nullptr;
}

void MarksStage::remove()
{
    if (isDoubting()) {
        review_->dismiss(false);
        return;
    }
    if (const Mark* mark = thisMark_->chosen()) {
        const TrackId track = session_.choice.track();
        const MarkId id = mark->id;
        step(1);
        session_.document.apply(deleteMarks(session_.song(), track, {id}), tr("Delete mark"));
    }
}

void MarksStage::nudge(Seconds by)
{
    if (const Mark* mark = thisMark_->chosen()) {
        const Frames at = mark->at + toFrames(by, session_.song().rate);
        session_.document.apply(
            moveMark(session_.song(), session_.choice.track(), mark->id, at), tr("Move mark")
        );
    }
}

void MarksStage::addMarkAt(TrackId track, Frames songTime)
{
    const auto takeTime = session_.hits.takeTimeAt(track, songTime);
    if (!takeTime) {
        session_.say(tr("No clip of this track plays there"));
        return;
    }
    if (session_.document.apply(addMark(session_.song(), track, *takeTime), tr("Add mark"))) {
        const auto& marks = session_.song().track(track)->marks;
        session_.choice.setMark(track, std::ranges::find(marks, *takeTime, &Mark::at)->id);
    }
}

void MarksStage::addAtPlayhead()
{
    const auto track = session_.song().track(session_.choice.track());
    if (!track || !session_.song().isLead(*track)) {
        session_.say(tr("Select a lead first; marks belong to leads"));
        return;
    }
    addMarkAt(track->id, session_.player.position());
}

bool MarksStage::run(Command command)
{
    switch (command) {
    case Command::AddMark: addAtPlayhead(); return true;
    case Command::ZoomToMark: zoomToMark(); return true;
    default: return false;
    }
}

}  // namespace orthochron::app
