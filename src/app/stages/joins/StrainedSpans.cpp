#include "app/stages/joins/StrainedSpans.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>

#include "app/stages/Bench.h"
#include "app/views/JoinViews.h"
#include "app/views/StrainChart.h"
#include "core/audit/SongAudit.h"

#include <algorithm>

namespace orthochron::app {

StrainedSpans::StrainedSpans(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    about_ = benchNote(QString(), this);
    about_->setObjectName(QStringLiteral("aboutStrain"));
    row->addWidget(about_, 1);
    auto* next = benchButton(tr("Next"), QStringLiteral("nextStrain"), false, this);
    next->setToolTip(tr("Goes to the next strained span."));
    auto* accept = benchButton(tr("Accept"), QStringLiteral("acceptStrain"), false, this);
    accept->setToolTip(tr("Accept; stop reporting"));
    for (QPushButton* button : {next, accept}) {
        button->setStyleSheet(QStringLiteral("padding-left:8px;padding-right:8px"));
        row->addWidget(button);
    }
    connect(next, &QPushButton::clicked, this, &StrainedSpans::showNext);
    connect(accept, &QPushButton::clicked, this, &StrainedSpans::accept);
    connect(&session_.review, &JoinReview::changed, this, &StrainedSpans::fill);
    fill();
}

std::vector<Finding> StrainedSpans::found() const
{
    std::vector<Finding> strained;
    std::ranges::copy_if(
        session_.review.findings(),
        std::back_inserter(strained),
        [](const Finding& finding) { return finding.kind == FindingKind::Strain; }
    );
    std::ranges::sort(strained, {}, &Finding::at);
    return strained;
}

void StrainedSpans::fill()
{
    const auto strained = found();
    setVisible(!strained.empty());
    const MicSet* set = session_.choice.set();
    if (strained.empty() || set == nullptr) {
        looked_.reset();
        return;
    }
    auto at = std::ranges::find(strained, looked_.value_or(Frames(-1)), &Finding::at);
    if (at == strained.end()) {
        at = strained.begin();
        looked_ = at->at;
    }
    const auto relief = reliefAt(session_.song(), *set, *at);
    const PlaceText place = placeText(session_.song(), at->at);
    about_->setText(tr("%1 of %2 · %3 %4 · %5%6")
                        .arg(at - strained.begin() + 1)
                        .arg(strained.size())
                        .arg(place.place, place.off, findingText(*at))
                        .arg(relief ? tr(": %1").arg(reliefText(*relief)) : QString()));
}

void StrainedSpans::showNext()
{
    const auto strained = found();
    if (strained.empty()) {
        return;
    }
    const auto next =
        std::ranges::upper_bound(strained, looked_.value_or(Frames(-1)), {}, &Finding::at);
    looked_ = next == strained.end() ? strained.front().at : next->at;
    session_.player.seek(*looked_);
    session_.shown.reveal(*looked_);
    fill();
}

void StrainedSpans::accept()
{
    const auto strained = found();
    const auto at = std::ranges::find(strained, looked_.value_or(Frames(-1)), &Finding::at);
    if (at != strained.end()) {
        session_.document.apply(acceptFinding(session_.song(), *at), tr("Accept strain"));
    }
}

}  // namespace orthochron::app
