#include "app/stages/marks/Microphones.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QTableWidget>
#include <QVBoxLayout>

#include "app/stages/Bench.h"

namespace orthochron::app {

namespace {

constexpr double kSure = 0.3;  // below this likeness a time says nothing

struct Measured {
    Result<std::vector<SetArrival>> arrivals;
    Result<std::vector<UnheardHit>> unheard;
};

}  // namespace

Microphones::Microphones(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    title_ = benchTitle(QString(), this);
    title_->setObjectName(QStringLiteral("hearsFirst"));
    layout->addWidget(title_);
    table_ = new QTableWidget(0, 4, this);
    table_->setObjectName(QStringLiteral("arrivals"));
    table_->setAccessibleName(tr("Delay of each microphone"));
    table_->setHorizontalHeaderLabels({tr("microphone"), tr("delay"), tr("polarity"), tr("level")});
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(19);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionMode(QAbstractItemView::NoSelection);
    table_->setFocusPolicy(Qt::NoFocus);
    table_->setShowGrid(false);
    layout->addWidget(table_, 1);
    auto* row = new QHBoxLayout;
    auto* measure = benchButton(tr("Measure"), QStringLiteral("measureSet"), false, this);
    propose_ = benchButton(tr("Use earliest mic"), QStringLiteral("proposeLeads"), false, this);
    next_ = benchButton(tr("Next unmarked hit"), QStringLiteral("nextUnheard"), false, this);
    for (QPushButton* button : {measure, propose_, next_}) {
        button->setStyleSheet(QStringLiteral("padding-left:8px;padding-right:8px"));
        row->addWidget(button);
    }
    layout->addLayout(row);
    connect(measure, &QPushButton::clicked, this, &Microphones::measure);
    connect(propose_, &QPushButton::clicked, this, &Microphones::propose);
    connect(next_, &QPushButton::clicked, this, &Microphones::stepUnheard);
    connect(&session_.choice, &Choice::changed, this, &Microphones::fill);
    fill();
}

std::vector<UnheardHit> Microphones::unheard() const
{
    const MicSet* set = session_.song().set(set_);
    std::vector<UnheardHit> left;
    if (set == nullptr) {
        return left;
    }
    const SetHits hits = hitsOf(session_.song(), *set);
    const Frames apart = toFrames(milliseconds(30.0), session_.song().rate);
    for (const UnheardHit& hit : unheard_) {
        const auto near =
            std::ranges::lower_bound(hits.hits, hit.at - apart, {}, &PlayedHit::start);
        if (near == hits.hits.end() || near->start > hit.at + apart) {
            left.push_back(hit);
        }
    }
    return left;
}

void Microphones::measure()
{
    const MicSet* set = session_.choice.set();
    if (set == nullptr) {
        return;
    }
    session_.jobs.run(
        {.key = QStringLiteral("arrivals"),
         .title = tr("Measuring every microphone"),
         .holds = session_.document.whileOpen()},
        this,
        [song = session_.document.song(),
         sources = session_.document.sources(),
         id = set->id](const Work& work) {
            return Measured{
                arrivalsOf(*song, id, *sources, work), findUnheard(*song, id, *sources, work)};
        },
        [this, id = set->id](Measured done) {
            if (!done.arrivals || !done.unheard) {
                const Error& error = done.arrivals ? done.unheard.error() : done.arrivals.error();
                if (error.kind != ErrorKind::Cancelled) {
                    Q_EMIT session_.failed(error);
                }
                return;
            }
            set_ = id;
            arrivals_ = std::move(*done.arrivals);
            unheard_ = std::move(*done.unheard);
            fill();
            const MicSet* measuredSet = session_.song().set(id);
            if (measuredSet != nullptr && hitsOf(session_.song(), *measuredSet).hits.empty()) {
                session_.say(tr("No hits yet; find hits first, then measure"));
            }
            Q_EMIT measured();
        }
    );
}

void Microphones::propose()
{
    const MicSet* set = session_.choice.set();
    const auto leads = proposedLeads(arrivals_);
    if (set == nullptr || leads.empty()) {
        return;
    }
    Song song = session_.song();
    for (const TrackId id : set->tracks) {
        const bool isLead = std::ranges::find(leads, id) != leads.end();
        auto changed = setLead(song, id, isLead);
        if (changed && song.track(id)->isLead != isLead) {
            song = std::move(*changed);
        }
    }
    if (session_.document.apply(song, tr("Use earliest mics as leads"))) {
        session_.hits.detect([this] { measure(); });
    }
}

void Microphones::stepUnheard()
{
    for (const UnheardHit& hit : unheard()) {
        const Frames at = session_.review.heardAt(hit.at);
        if (at > session_.player.position() + Frames(64)) {
            session_.choice.setTrack(hit.track);
            session_.shown.reveal(at);
            session_.player.seek(at);
            return;
        }
    }
    session_.say(tr("No further unmarked hits"));
}

void Microphones::fill()
{
    const auto track = session_.song().track(session_.choice.track());
    const QString name = track ? QString::fromStdString(track->name) : QString();
    const auto of = [&](TrackId lead) {
        return std::ranges::count(arrivals_, lead, &SetArrival::lead) > 0;
    };
    const bool isKnown = track && of(track->id);
    title_->setText(
        isKnown             ? tr("Delay from %1").arg(name)
        : arrivals_.empty() ? tr("Microphone delay")
                            : tr("Select a lead to see the delays")
    );
    table_->setRowCount(0);
    for (const SetArrival& each : arrivals_) {
        const auto microphone = session_.song().track(each.track);
        if (!isKnown || each.lead != track->id || !microphone) {
            continue;
        }
        const int row = table_->rowCount();
        table_->insertRow(row);
        const Arrival& arrival = each.arrival;
        const double ms = inMilliseconds(arrival.after);
        const bool isSure = arrival.likeness >= kSure;
        const int level = static_cast<int>(std::lround(arrival.decibels));
        const QStringList cells{
            QString::fromStdString(microphone->name),
            !isSure     ? tr("uncertain")
            : ms == 0.0 ? tr("0 ms")
                        : QStringLiteral("%1%2 ms")
                              .arg(ms > 0.0 ? QStringLiteral("+") : QStringLiteral("−"))
                              .arg(std::abs(ms), 0, 'f', 2),
            !isSure              ? QString()
            : arrival.isInverted ? tr("inverted")
                                 : tr("normal"),
            tr("%1%2 dB").arg(level < 0 ? QStringLiteral("−") : QString()).arg(std::abs(level))};
        for (int column = 0; column < cells.size(); ++column) {
            table_->setItem(row, column, new QTableWidgetItem(cells[column]));
        }
    }
    propose_->setEnabled(!proposedLeads(arrivals_).empty());
    const auto left = unheard().size();
    next_->setEnabled(left > 0);
    next_->setText(left > 0 ? tr("Next of %1").arg(left) : tr("Next unmarked hit"));
}

}  // namespace orthochron::app
