#include "app/stages/marks/ThisMark.h"

#include <QCheckBox>
#include <QVBoxLayout>

#include "app/stages/Bench.h"
#include "core/edits/MarkEdits.h"

#include <algorithm>

namespace orthochron::app {

ThisMark::ThisMark(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    column->addWidget(benchTitle(tr("This mark"), this));
    about_ = benchNote(QString(), this);
    about_->setObjectName(QStringLiteral("aboutMark"));
    about_->setAlignment(Qt::AlignLeft | Qt::AlignTop);
    column->addWidget(about_, 1);
    auto* row = new QHBoxLayout;
    switch_ = benchButton(tr("Turn off"), QStringLiteral("switchMark"), false, this);
    confirm_ = benchButton(tr("Confirm"), QStringLiteral("confirmMark"), false, this);
    row->addWidget(switch_);
    row->addWidget(confirm_);
    column->addLayout(row);
    auto* more = new QHBoxLayout;
    auto* beats =
        benchButton(tr("Find beat points"), QStringLiteral("findBeatPoints"), false, this);
    beats->setToolTip(tr("Puts a flam's main stroke, or a soft attack's swell, on the line."));
    hearEach_ = new QCheckBox(tr("play each"), this);
    hearEach_->setObjectName(QStringLiteral("hearEach"));
    hearEach_->setToolTip(tr("Plays around each mark when stepping."));
    more->addWidget(beats);
    more->addWidget(hearEach_);
    column->addLayout(more);
    connect(beats, &QPushButton::clicked, this, [this] {
        if (const MicSet* set = session_.choice.set()) {
            session_.document.apply(
                findBeatPoints(session_.song(), set->id, *session_.document.sources()),
                tr("Find beat points")
            );
        }
    });
    connect(switch_, &QPushButton::clicked, this, [this] {
        if (const Mark* mark = chosen()) {
            session_.document.apply(
                switchMark(session_.song(), session_.choice.track(), mark->id, !mark->isOn),
                mark->isOn ? tr("Turn mark off") : tr("Turn mark on")
            );
        }
    });
    connect(confirm_, &QPushButton::clicked, this, [this] {
        if (const Mark* mark = chosen()) {
            session_.document.apply(
                confirmMark(session_.song(), session_.choice.track(), mark->id), tr("Confirm mark")
            );
        }
    });
    connect(&session_.document, &Document::songChanged, this, &ThisMark::fill);
    connect(&session_.choice, &Choice::changed, this, &ThisMark::fill);
    fill();
}

const Mark* ThisMark::chosen() const
{
    const auto track = session_.song().track(session_.choice.track());
    if (!track) {
        return nullptr;
    }
    const auto found = std::ranges::find(track->marks, session_.choice.mark(), &Mark::id);
    return found == track->marks.end() ? nullptr : &*found;
}

bool ThisMark::hearsEach() const
{
    return hearEach_->isChecked();
}

QString ThisMark::reasonOf(const Mark& mark) const
{
    if (mark.byHand) {
        return tr("set or confirmed by hand");
    }
    QString why = tr("detected, confidence %1").arg(mark.confidence, 0, 'f', 2);
    const SetAnalysis* analyses = session_.hits.analysis();
    if (analyses == nullptr || !analyses->contains(session_.choice.track())) {
        return why;
    }
    for (const OnsetCandidate& candidate : analyses->at(session_.choice.track()).candidates) {
        if (candidate.onset.at != mark.at) {
            continue;
        }
        why += tr("; rises %1 dB").arg(candidate.riseDecibels, 0, 'f', 0);
        if (candidate.overBleedDecibels < 30.0) {
            why += tr(", %1 dB above bleed").arg(candidate.overBleedDecibels, 0, 'f', 0);
        }
    }
    return why;
}

void ThisMark::fill()
{
    const Mark* mark = chosen();
    switch_->setEnabled(mark != nullptr);
    confirm_->setEnabled(mark != nullptr && !mark->byHand);
    switch_->setText(mark != nullptr && !mark->isOn ? tr("Turn on") : tr("Turn off"));
    about_->setText(
        mark == nullptr ? tr("Click a mark or step to it. Double-click a lane to add one.")
                        : tr("%1 s, %2 dB: %3")
                              .arg(toSeconds(mark->at, session_.song().rate).count(), 0, 'f', 5)
                              .arg(toDecibels(mark->strength), 0, 'f', 1)
                              .arg(reasonOf(*mark))
    );
}

}  // namespace orthochron::app
