#include "app/stages/marks/MarksStage.h"

#include <QCheckBox>
#include <QGridLayout>
#include <QMouseEvent>
#include <QPainter>

#include "app/stages/Bench.h"
#include "app/theme/Theme.h"

namespace orthochron::app {

MarksStage::MarksStage(Session& session, LanesView& lanes, QObject* parent)
    : Stage(session, lanes, parent)
{
    bench_ = new QWidget;
    auto* layout = new QGridLayout(bench_);
    layout->setContentsMargins(20, 14, 20, 14);
    layout->setHorizontalSpacing(32);
    layout->setVerticalSpacing(6);
    title_ = benchTitle(QString(), bench_);
    layout->addWidget(title_, 0, 0);
    lead_ = new QCheckBox(tr("is a lead: its hits decide where the set is cut"), bench_);
    lead_->setObjectName(QStringLiteral("isLead"));
    layout->addWidget(lead_, 1, 0);
    auto* find =
        benchButton(tr("Find hits on all leads"), QStringLiteral("findHits"), true, bench_);
    layout->addWidget(find, 2, 0);
    layout->addWidget(
        benchNote(
            tr("Bleed of drums that other microphones hear better is left out by itself. Too few "
               "marks is bearable, far too many is the ruin."),
            bench_
        ),
        3,
        0
    );
    sensitivity_ =
        new NumberField(tr("Sensitivity"), {QString(), 0, 0.0, 100.0, 50.0, 0.2}, true, bench_);
    sensitivity_->setObjectName(QStringLiteral("sensitivity"));
    threshold_ = new NumberField(
        tr("Threshold"), {QStringLiteral("dB"), 1, -60.0, 0.0, -30.0, 0.1}, true, bench_
    );
    threshold_->setObjectName(QStringLiteral("threshold"));
    gap_ = new NumberField(
        tr("Smallest gap"), {QStringLiteral("ms"), 0, 0.0, 500.0, 20.0, 0.2}, false, bench_
    );
    gap_->setObjectName(QStringLiteral("smallestGap"));
    count_ = benchTitle(QString(), bench_);
    count_->setObjectName(QStringLiteral("markCount"));
    layout->addWidget(count_, 0, 1);
    layout->addWidget(sensitivity_, 1, 1);
    layout->addWidget(threshold_, 2, 1);
    layout->addWidget(gap_, 3, 1, Qt::AlignTop);
    layout->addWidget(benchTitle(tr("This mark"), bench_), 0, 2);
    about_ = benchNote(QString(), bench_);
    about_->setObjectName(QStringLiteral("aboutMark"));
    layout->addWidget(about_, 1, 2, 2, 1);
    auto* row = new QHBoxLayout;
    switch_ = benchButton(tr("Switch off"), QStringLiteral("switchMark"), false, bench_);
    confirm_ = benchButton(tr("Confirm"), QStringLiteral("confirmMark"), false, bench_);
    row->addWidget(switch_);
    row->addWidget(confirm_);
    layout->addLayout(row, 3, 2, Qt::AlignTop);
    layout->setRowStretch(4, 1);
    for (int column = 0; column < 3; ++column) {
        layout->setColumnStretch(column, 1);
    }
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
    connect(find, &QPushButton::clicked, this, &MarksStage::mainAction);
    connect(sensitivity_, &NumberField::changed, this, [this](double value) {
        threshold_->setValue(toDecibels(thresholdOf({value, milliseconds(20.0), std::nullopt})));
        tune(false);
    });
    connect(threshold_, &NumberField::changed, this, [this] { tune(false); });
    connect(gap_, &NumberField::changed, this, [this] { tune(false); });
    for (NumberField* field : {sensitivity_, threshold_, gap_}) {
        connect(field, &NumberField::finished, this, [this] { tune(true); });
    }
    connect(switch_, &QPushButton::clicked, this, [this] {
        if (const Mark* mark = chosen()) {
            session_.document.apply(
                switchMark(session_.song(), session_.track(), mark->id, !mark->isOn),
                mark->isOn ? tr("Switch mark off") : tr("Switch mark on")
            );
        }
    });
    connect(confirm_, &QPushButton::clicked, this, [this] {
        if (const Mark* mark = chosen()) {
            session_.document.apply(
                confirmMark(session_.song(), session_.track(), mark->id), tr("Confirm mark")
            );
        }
    });
    connect(&session_.document, &Document::songChanged, this, &MarksStage::fill);
    connect(&session_, &Session::choiceChanged, this, &MarksStage::fill);
    fill();
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
        if (track->isLead) {
            const auto on = std::ranges::count_if(track->marks, &Mark::isOn);
            parts << tr("%1: %2 marks").arg(QString::fromStdString(track->name)).arg(on);
        }
    }
    return parts.isEmpty() ? tr("No lead chosen") : parts.join(QStringLiteral(" · "));
}

OnsetSettings MarksStage::settings() const
{
    return {sensitivity_->value(), milliseconds(gap_->value()), fromDecibels(threshold_->value())};
}

void MarksStage::fill()
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
    }
    if (!trying_) {
        const auto on = track ? std::ranges::count_if(track->marks, &Mark::isOn) : 0;
        count_->setText(isTunable ? tr("%1 marks").arg(on) : tr("Marks"));
    }
    const Mark* mark = chosen();
    switch_->setEnabled(mark != nullptr);
    confirm_->setEnabled(mark != nullptr && !mark->byHand);
    switch_->setText(mark != nullptr && !mark->isOn ? tr("Switch on") : tr("Switch off"));
    if (mark == nullptr) {
        about_->setText(tr("Click a mark, or step to it. Double-click a lead's lane to add one; "
                           "Delete takes it away."));
        return;
    }
    QString why =
        mark->byHand ? tr("set or confirmed by hand; no detection moves it") : tr("found");
    if (session_.analysis() != nullptr && session_.analysis()->contains(session_.track())) {
        for (const OnsetCandidate& candidate :
             session_.analysis()->at(session_.track()).candidates) {
            if (candidate.onset.at == mark->at) {
                why = tr("rises %1 dB, %2 dB clearer here than bleed would be")
                          .arg(candidate.riseDecibels, 0, 'f', 0)
                          .arg(std::min(candidate.ownDecibels, 60.0), 0, 'f', 0);
            }
        }
    }
    about_->setText(tr("At %1 s, strength %2 dB: %3")
                        .arg(toSeconds(mark->at, session_.song().rate).count(), 0, 'f', 5)
                        .arg(toDecibels(mark->strength), 0, 'f', 1)
                        .arg(why));
}

void MarksStage::tune(bool isFinal)
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
    lanes_.update();
    if (isFinal) {
        trying_.reset();
        session_.document.apply(
            placeMarks(session_.song(), set->id, *session_.analysis(), {{id, wanted}}),
            tr("Set the sensitivity")
        );
    }
}

Frames MarksStage::heard(TrackId track, Frames takeTime) const
{
    const auto take = recordedTake(session_.song(), track);
    return session_.heardAt(takeTime + (take ? take->offset : Frames(0)));
}

// The moment of the take that is heard at a song time.
Frames MarksStage::takeTimeAt(TrackId id, Frames songTime) const
{
    const auto track = session_.song().track(id);
    for (const Clip& clip : track->clips) {
        if (songTime >= clip.at && songTime < clip.end()) {
            return songTime - clip.offset();
        }
    }
    const auto take = recordedTake(session_.song(), id);
    return songTime - (take ? take->offset : Frames(0));
}

void MarksStage::paintLane(QPainter& painter, const Lane& lane)
{
    const auto track = session_.song().track(lane.track);
    if (!track->isLead) {
        return;
    }
    const Palette& colours = Theme::palette();
    const double top = lane.area.top() + 3.0;
    const double bottom = lane.area.bottom() - 4.0;
    if (trying_ && lane.track == session_.track() && session_.analysis() != nullptr) {
        // While a slider is held: what would be marked.
        if (const auto onsets = pickOnsets(
                session_.analysis()->at(lane.track).candidates, session_.song().rate, *trying_
            )) {
            painter.setPen(QPen(colours.ink, 1.2));
            for (const Onset& onset : *onsets) {
                const double x = lanes_.xOf(heard(lane.track, onset.at));
                painter.drawLine(QPointF(x, top), QPointF(x, bottom));
            }
        }
        return;
    }
    for (const Mark& mark : track->marks) {
        Frames at = heard(lane.track, mark.at);
        if (dragged_ && dragged_->first == mark.id) {
            at = dragged_->second;
        }
        const double x = lanes_.xOf(at);
        if (x < lane.area.left() - 10 || x > lane.area.right() + 10) {
            continue;
        }
        const bool isChosen = mark.id == session_.mark();
        if (isChosen) {
            QColor straw = colours.straw;
            straw.setAlpha(170);
            painter.fillRect(QRectF(x - 5, lane.area.top(), 10, lane.area.height()), straw);
        }
        // Weight by strength; off is a broken line; by hand has a full foot.
        const double weight = 0.35 + 0.65 * std::sqrt(mark.strength);
        const QColor colour = mark.isOn ? colours.ink : colours.secondInk;
        painter.setPen(QPen(colour, isChosen ? 2.0 : 1.3, mark.isOn ? Qt::SolidLine : Qt::DotLine));
        painter.drawLine(QPointF(x, bottom), QPointF(x, bottom - weight * (bottom - top)));
        painter.setBrush(mark.byHand ? colour : colours.lane);
        painter.setPen(QPen(colour, 1.3));
        painter.drawEllipse(QPointF(x, bottom), 2.8, 2.8);
    }
}

const Mark* MarksStage::markAt(const Lane& lane, double x) const
{
    const auto track = session_.song().track(lane.track);
    const Mark* best = nullptr;
    double least = 6.0;
    for (const Mark& mark : track->marks) {
        const double away = std::abs(lanes_.xOf(heard(lane.track, mark.at)) - x);
        if (away < least) {
            least = away;
            best = &mark;
        }
    }
    return best;
}

const Mark* MarksStage::chosen() const
{
    const auto track = session_.song().track(session_.track());
    if (!track) {
        return nullptr;
    }
    const auto found = std::ranges::find(track->marks, session_.mark(), &Mark::id);
    return found == track->marks.end() ? nullptr : &*found;
}

bool MarksStage::press(const Lane& lane, QMouseEvent& event)
{
    const Mark* mark = markAt(lane, event.position().x());
    if (mark == nullptr) {
        return false;
    }
    draggedTrack_ = lane.track;
    session_.setMark(lane.track, mark->id);
    return true;
}

void MarksStage::move(QMouseEvent& event)
{
    const Mark* mark = chosen();
    if (mark == nullptr) {
        return;
    }
    const Frames at = lanes_.timeAt(event.position().x());
    const Frames from = heard(draggedTrack_, mark->at);
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
    if (!dragged_) {
        return;
    }
    const auto [mark, at] = *dragged_;
    dragged_.reset();
    const Frames takeTime = takeTimeAt(draggedTrack_, at);
    session_.document.apply(
        moveMark(session_.song(), draggedTrack_, mark, takeTime), tr("Move mark")
    );
}

bool MarksStage::doubleClick(const Lane& lane, QMouseEvent& event)
{
    const auto track = session_.song().track(lane.track);
    if (!track->isLead || markAt(lane, event.position().x()) != nullptr) {
        return false;
    }
    const Frames takeTime = takeTimeAt(lane.track, lanes_.timeAt(event.position().x()));
    if (session_.document.apply(addMark(session_.song(), lane.track, takeTime), tr("Add mark"))) {
        const auto marks = session_.song().track(lane.track)->marks;
        session_.setMark(lane.track, std::ranges::find(marks, takeTime, &Mark::at)->id);
    }
    return true;
}

std::pair<QString, Qt::CursorShape> MarksStage::hintAt(const Lane& lane, QPoint place) const
{
    if (markAt(lane, place.x()) != nullptr) {
        return {
            tr("Drag the mark to the start of the attack; Delete takes it away"),
            Qt::SizeHorCursor};
    }
    const auto track = session_.song().track(lane.track);
    return {
        track->isLead ? tr("Double-click to add a mark")
                      : tr("Not a lead: click to choose the track, then make it one below"),
        Qt::ArrowCursor};
}

void MarksStage::step(int by)
{
    auto track = session_.song().track(session_.track());
    if (!track || !track->isLead || track->marks.empty()) {
        const auto lead = std::ranges::find_if(session_.song().tracks, [](const auto& t) {
            return t->isLead && !t->marks.empty();
        });
        if (lead == session_.song().tracks.end()) {
            session_.say(tr("There are no marks to step through: find hits first"));
            return;
        }
        session_.setTrack((*lead)->id);
        track = *lead;
    }
    const auto& marks = track->marks;
    auto place = std::ranges::find(marks, session_.mark(), &Mark::id) - marks.begin();
    const auto count = static_cast<std::ptrdiff_t>(marks.size());
    if (place == count) {
        // None chosen yet: the one next to the playhead.
        const Frames now = takeTimeAt(track->id, session_.player.position());
        place = std::ranges::lower_bound(marks, now, {}, &Mark::at) - marks.begin();
        place = by > 0 ? place : place - 1;
    } else {
        place += by;
    }
    const Mark& mark =
        marks[static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(place, 0, count - 1))];
    session_.setMark(track->id, mark.id);
    const Frames at = heard(track->id, mark.at);
    if (session_.scale().framesPerPixel < 16.0) {
        zoomToMark();
    }
    session_.reveal(at);
    session_.player.seek(at);
}

void MarksStage::zoomToMark()
{
    if (const Mark* mark = chosen()) {
        TimeScale scale = session_.scale();
        scale.framesPerPixel = std::min(scale.framesPerPixel, 1.0);
        scale.left = static_cast<double>(heard(session_.track(), mark->at).count()) -
                     0.4 * lanes_.sheet().width() * scale.framesPerPixel;
        session_.setScale(scale);
    }
}

void MarksStage::hear()
{
    if (const Mark* mark = chosen()) {
        const Frames at = heard(session_.track(), mark->at);
        const Hertz rate = session_.song().rate;
        session_.player.playRange(
            std::max(Frames(0), at - toFrames(milliseconds(30.0), rate)),
            at + toFrames(milliseconds(270.0), rate)
        );
    }
}

void MarksStage::mainAction()
{
    session_.detect();
}

void MarksStage::remove()
{
    if (const Mark* mark = chosen()) {
        const TrackId track = session_.track();
        const MarkId id = mark->id;
        step(1);
        session_.document.apply(deleteMarks(session_.song(), track, {id}), tr("Delete mark"));
    }
}

void MarksStage::nudge(Seconds by)
{
    if (const Mark* mark = chosen()) {
        const Hertz rate = session_.song().rate;
        // Nothing is smaller than a sample.
        Frames frames = toFrames(by, rate);
        if (frames == Frames(0)) {
            frames = Frames(by > Seconds(0.0) ? 1 : -1);
        }
        session_.document.apply(
            moveMark(session_.song(), session_.track(), mark->id, mark->at + frames),
            tr("Move mark")
        );
    }
}

void MarksStage::addAtPlayhead()
{
    const auto track = session_.song().track(session_.track());
    if (!track || !track->isLead) {
        session_.say(tr("Choose a lead first: marks are set on leads"));
        return;
    }
    const Frames takeTime = takeTimeAt(track->id, session_.player.position());
    session_.document.apply(addMark(session_.song(), track->id, takeTime), tr("Add mark"));
}

}  // namespace orthochron::app
