#include "app/stages/fit/FitFocus.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QInputDialog>

#include "core/edits/SectionEdits.h"

namespace orthochron::app {

namespace {

// What stands behind the sections in their list.
constexpr int kMake = -1;
constexpr int kRename = -2;
constexpr int kRemove = -3;

}  // namespace

FitFocus::FitFocus(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    section_ = new QComboBox(this);
    section_->setObjectName(QStringLiteral("focusSection"));
    section_->setAccessibleName(tr("Section"));
    lead_ = new QComboBox(this);
    lead_->setObjectName(QStringLiteral("focusLead"));
    lead_->setAccessibleName(tr("Lead"));
    row->addWidget(section_, 1);
    row->addWidget(lead_, 1);
    connect(section_, &QComboBox::activated, this, &FitFocus::choose);
    connect(lead_, &QComboBox::activated, this, &FitFocus::choose);
    connect(&session_.document, &Document::songChanged, this, &FitFocus::fill);
    connect(&session_.choice, &Choice::changed, this, &FitFocus::fill);
    fill();
}

void FitFocus::fill()
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
    section_->addItem(tr("New section…"), kMake);
    if (session_.fitting.focusSection().isValid()) {
        section_->addItem(tr("Rename section…"), kRename);
        section_->addItem(tr("Delete section"), kRemove);
    }
    lead_->clear();
    lead_->addItem(tr("all leads"), 0U);
    if (const MicSet* set = session_.choice.set()) {
        for (const TrackId id : set->tracks) {
            const auto track = song.track(id);
            if (song.isLead(*track)) {
                lead_->addItem(QString::fromStdString(track->name), id.value);
            }
        }
    }
    section_->setCurrentIndex(std::max(0, section_->findData(session_.fitting.focusSection().value))
    );
    lead_->setCurrentIndex(std::max(0, lead_->findData(session_.fitting.focusLead().value)));
}

void FitFocus::choose()
{
    switch (section_->currentData().toInt()) {
    case kMake: addSection(); break;
    case kRename: renameSection(); break;
    case kRemove: removeSection(); break;
    default:
        session_.fitting.setFocus(
            TrackId{lead_->currentData().toUInt()}, SectionId{section_->currentData().toUInt()}
        );
    }
    fill();
    Q_EMIT chosen();
}

QString FitFocus::askName(const QString& title, const QString& what, const QString& usual)
{
    bool isGiven = false;
    const QString name =
        QInputDialog::getText(window(), title, what, QLineEdit::Normal, usual, &isGiven);
    return isGiven ? name.trimmed() : QString();
}

void FitFocus::addSection()
{
    if (!session_.fitting.request.bars) {
        session_.say(tr("Select a range first; the section covers its bars"));
        return;
    }
    const BarRange bars = *session_.fitting.request.bars;
    const QString name = askName(
        tr("New section"), tr("Name (bars %1 to %2)").arg(bars.first).arg(bars.last), tr("verse")
    );
    if (name.isEmpty() ||
        !session_.document.apply(
            orthochron::addSection(session_.song(), name.toStdString(), bars), tr("Add section")
        )) {
        return;
    }
    for (const Section& section : session_.song().sections) {
        if (section.bars == bars) {
            session_.fitting.setFocus(session_.fitting.focusLead(), section.id);
        }
    }
}

void FitFocus::renameSection()
{
    const auto& sections = session_.song().sections;
    const auto section = std::ranges::find(sections, session_.fitting.focusSection(), &Section::id);
    if (section == sections.end()) {
        session_.say(tr("Select a section in Fit first"));
        return;
    }
    const Section was = *section;
    const QString name =
        askName(tr("Rename section"), tr("New name"), QString::fromStdString(was.name));
    if (!name.isEmpty()) {
        session_.document.apply(
            changeSection(session_.song(), was.id, name.toStdString(), was.bars),
            tr("Rename section")
        );
    }
}

void FitFocus::removeSection()
{
    const SectionId gone = session_.fitting.focusSection();
    if (!gone.isValid()) {
        session_.say(tr("Select a section in Fit first"));
        return;
    }
    session_.fitting.setFocus(session_.fitting.focusLead(), {});
    session_.document.apply(orthochron::removeSection(session_.song(), gone), tr("Delete section"));
}

}  // namespace orthochron::app
