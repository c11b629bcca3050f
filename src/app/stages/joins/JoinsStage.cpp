#include "app/stages/joins/JoinsStage.h"

#include <QCheckBox>
#include <QComboBox>

#include "app/document/FileNames.h"
#include "app/stages/Bench.h"
#include "app/stages/joins/StrainedSpans.h"
#include "core/audit/Report.h"

namespace orthochron::app {

namespace {

constexpr std::array kShapes{FadeShape::Matched, FadeShape::EqualPower, FadeShape::EqualGain};

}  // namespace

JoinsStage::JoinsStage(Session& session, LanesView& lanes, QObject* parent)
    : Stage(session, lanes, parent)
{
    grips_ = new JoinGrips(session_, lanes_, this);
    bench_ = new QWidget;
    pictures_ = new JoinPictures(session_, bench_);
    auto* layout = new QHBoxLayout(bench_);
    layout->setContentsMargins(18, 10, 16, 10);
    layout->setSpacing(18);
    auto* left = new QVBoxLayout;
    title_ = benchTitle(QString(), bench_);
    left->addWidget(title_);
    left->addWidget(new StrainedSpans(session_, bench_));
    sheet_ = new ContactSheet(session_, *pictures_, bench_);
    left->addWidget(sheet_, 1);
    layout->addLayout(left, 5);
    auto* right = new QVBoxLayout;
    right->setSpacing(4);
    about_ = benchTitle(QString(), bench_);
    about_->setObjectName(QStringLiteral("aboutJoin"));
    right->addWidget(about_);
    loupe_ = new Loupe(session_, *pictures_, bench_);
    right->addWidget(loupe_, 1);
    addValues(*right);
    auto* buttons = new QHBoxLayout;
    mend_ = benchButton(tr("Mend"), QStringLiteral("mend"), true, bench_);
    mend_->setToolTip(tr("Mend: tries other places, lengths and shapes, keeps the best."));
    accept_ = benchButton(tr("Accept"), QStringLiteral("accept"), false, bench_);
    auto* hear = benchButton(tr("Play"), QStringLiteral("hearJoin"), false, bench_);
    lock_ = benchButton(tr("Lock"), QStringLiteral("lockJoin"), false, bench_);
    lockAll_ = benchButton(tr("Lock all"), QStringLiteral("lockAll"), false, bench_);
    for (QPushButton* button : {mend_, accept_, hear, lock_, lockAll_}) {
        button->setStyleSheet(QStringLiteral("padding-left:8px;padding-right:8px"));
        buttons->addWidget(button);
    }
    right->addLayout(buttons);
    addHearing(*right);
    layout->addLayout(right, 3);
    connect(grips_, &JoinGrips::dragged, this, &JoinsStage::changeDragged);
    connect(loupe_, &Loupe::bent, this, [this](float middle) {
        change({.middle = middle}, tr("Crossfade curve"));
    });
    connect(sheet_, &ContactSheet::chosen, this, [this] { this->hear(); });
    connect(mend_, &QPushButton::clicked, this, &JoinsStage::mend);
    connect(accept_, &QPushButton::clicked, this, &JoinsStage::accept);
    connect(hear, &QPushButton::clicked, this, &JoinsStage::hear);
    connect(lock_, &QPushButton::clicked, this, &JoinsStage::toggleLock);
    connect(lockAll_, &QPushButton::clicked, this, [this] {
        if (const MicSet* set = session_.choice.set()) {
            const bool anyFree =
                std::ranges::any_of(session_.review.joins(), [](const SetJoin& join) {
                    return !join.isLocked;
                });
            session_.document.apply(
                orthochron::lockAll(session_.song(), set->id, anyFree),
                anyFree ? tr("Lock all joins") : tr("Unlock all joins")
            );
        }
    });
    connect(scope_, &QComboBox::activated, this, &JoinsStage::fill);
    connect(&session_.choice, &Choice::changed, this, &JoinsStage::fill);
    connect(&session_.review, &JoinReview::changed, this, &JoinsStage::fill);
    fill();
}

const SetJoin* JoinsStage::chosen() const
{
    return session_.review.join() < session_.review.joins().size()
               ? &session_.review.joins()[session_.review.join()]
               : nullptr;
}

QString JoinsStage::status() const
{
    const auto& joins = session_.review.joins();
    if (joins.empty()) {
        return tr("No joins yet");
    }
    std::size_t troubled = 0;
    for (std::size_t i = 0; i < joins.size(); ++i) {
        troubled += session_.review.worstOf(i) != nullptr ? 1U : 0U;
    }
    const auto locked = std::ranges::count_if(joins, &SetJoin::isLocked);
    const QString locks = locked == 0 ? tr("all unlocked") : tr("%1 locked").arg(locked);
    return tr("%1 joins · %2 clean · %3 to check · %4")
        .arg(joins.size())
        .arg(joins.size() - troubled)
        .arg(troubled)
        .arg(locks);
}

void JoinsStage::fill()
{
    title_->setText(tr("Joins, worst first"));
    const SetJoin* join = chosen();
    for (QWidget* widget : std::initializer_list<QWidget*>{
             shape_, length_, before_, middle_, mend_, lock_, lockAll_}) {
        widget->setEnabled(join != nullptr);
    }
    accept_->setEnabled(
        join != nullptr && session_.review.worstOf(session_.review.join()) != nullptr
    );
    if (join == nullptr) {
        about_->setText(tr("Detail"));
        return;
    }
    const PlaceText place = placeText(session_.song(), join->middle());
    about_->setText(tr("%1 %2 · %3").arg(place.place, place.off, findingText()));
    shape_->setCurrentIndex(
        static_cast<int>(std::ranges::find(kShapes, join->shape) - kShapes.begin())
    );
    length_->setValue(inMilliseconds(toSeconds(join->length, session_.song().rate)));
    middle_->setValue(static_cast<double>(join->fadeMiddle) * 100.0);
    const bool isBatch = scope_->currentIndex() != 0;
    const auto differs = [&](auto member) {
        return isBatch && std::ranges::any_of(session_.review.joins(), [&](const SetJoin& each) {
                   return each.*member != join->*member;
               });
    };
    length_->setMixed(differs(&SetJoin::length));
    middle_->setMixed(differs(&SetJoin::fadeMiddle));
    for (const PlayedHit& hit : session_.fitting.preview().origin.hits) {
        const Frames at = session_.review.heardAt(hit.start);
        if (at >= join->at) {
            before_->setValue(
                inMilliseconds(toSeconds(at - join->at - join->length, session_.song().rate))
            );
            break;
        }
    }
    lock_->setText(join->isLocked ? tr("Unlock") : tr("Lock"));
    const bool anyFree = std::ranges::any_of(session_.review.joins(), [](const SetJoin& each) {
        return !each.isLocked;
    });
    lockAll_->setText(anyFree ? tr("Lock all") : tr("Unlock all"));
}

void JoinsStage::addValues(QLayout& layout)
{
    auto* right = qobject_cast<QBoxLayout*>(&layout);
    auto* shapeRow = new QHBoxLayout;
    shape_ = new QComboBox(bench_);
    shape_->setObjectName(QStringLiteral("joinShape"));
    shape_->setAccessibleName(tr("Shape"));
    shape_->addItems({tr("matched"), tr("equal power"), tr("equal gain")});
    shapeRow->addWidget(shape_, 1);
    scope_ = new QComboBox(bench_);
    scope_->setObjectName(QStringLiteral("joinScope"));
    scope_->setAccessibleName(tr("Apply to"));
    scope_->addItems({tr("this join"), tr("joins in range"), tr("all joins")});
    scope_->setToolTip(tr("Which joins values and drags apply to; locked joins stay."));
    shapeRow->addWidget(scope_, 1);
    right->addLayout(shapeRow);
    const double rate = session_.song().rate.count();
    const QString ms = QStringLiteral("ms");
    auto* numbers = new QHBoxLayout;
    length_ = new NumberField(tr("Length"), {ms, 1, 0.0, 500.0, 5.0, 0.1, rate}, false, bench_);
    length_->setObjectName(QStringLiteral("joinLength"));
    length_->setToolTip(tr("0 resets to a hard cut."));
    before_ =
        new NumberField(tr("Before hit"), {ms, 1, -500.0, 2000.0, 4.0, 0.1, rate}, false, bench_);
    before_->setObjectName(QStringLiteral("joinBefore"));
    middle_ = new NumberField(
        tr("Midpoint"), {QStringLiteral("%"), 0, 10.0, 90.0, 50.0, 0.3}, false, bench_
    );
    middle_->setObjectName(QStringLiteral("joinMiddle"));
    middle_->setToolTip(tr("Where both clips are equally loud, along the crossfade."));
    numbers->addWidget(length_);
    numbers->addWidget(before_);
    numbers->addWidget(middle_);
    right->addLayout(numbers);
    connect(shape_, &QComboBox::activated, this, [this](int index) {
        change({.shape = kShapes[static_cast<std::size_t>(index)]}, tr("Crossfade shape"));
    });
    connect(length_, &NumberField::finished, this, [this](double value) {
        change(
            {.length = toFrames(milliseconds(value), session_.song().rate)}, tr("Crossfade length")
        );
    });
    connect(before_, &NumberField::finished, this, [this](double value) {
        change({.beforeHit = toFrames(milliseconds(value), session_.song().rate)}, tr("Move join"));
    });
    connect(middle_, &NumberField::finished, this, [this](double value) {
        change({.middle = static_cast<float>(value / 100.0)}, tr("Crossfade curve"));
    });
}

void JoinsStage::addHearing(QLayout& layout)
{
    auto* row = new QHBoxLayout;
    squeeze_ = new QCheckBox(tr("compressed"), bench_);
    squeeze_->setObjectName(QStringLiteral("hearSqueezed"));
    squeeze_->setToolTip(tr("Plays through heavy compression, so that quiet clicks stand out."));
    alone_ = new QCheckBox(tr("solo set"), bench_);
    alone_->setObjectName(QStringLiteral("hearAlone"));
    alone_->setToolTip(tr("Plays this take or mic set without the rest of the song."));
    auto* turn = benchButton(tr("Play all"), QStringLiteral("hearInTurn"), false, bench_);
    turn->setCheckable(true);
    auto* report = benchButton(tr("Report…"), QStringLiteral("joinReport"), false, bench_);
    for (QPushButton* button : {turn, report}) {
        button->setStyleSheet(QStringLiteral("padding-left:8px;padding-right:8px"));
    }
    row->addWidget(squeeze_);
    row->addWidget(alone_);
    row->addStretch();
    row->addWidget(turn);
    row->addWidget(report);
    qobject_cast<QBoxLayout*>(&layout)->addLayout(row);
    connect(squeeze_, &QCheckBox::toggled, this, [this](bool isOn) {
        session_.player.setSqueezed(isOn);
    });
    connect(alone_, &QCheckBox::toggled, this, [this](bool isOn) {
        const MicSet* set = session_.choice.set();
        session_.player.setAlone(isOn && set != nullptr ? set->tracks : std::vector<TrackId>{});
    });
    connect(turn, &QPushButton::toggled, this, &JoinsStage::hearInTurn);
    connect(report, &QPushButton::clicked, this, &JoinsStage::exportReport);
    turn_.setInterval(60);
    connect(&turn_, &QTimer::timeout, this, [this, turn] {
        // One that is asked for and not yet to be heard is not over.
        if (session_.player.isPlaying() || session_.player.isWanted()) {
            return;
        }
        const auto& order = session_.review.joinsWorstFirst();
        if (order.empty() || session_.review.join() == order.back()) {
            turn->setChecked(false);
            return;
        }
        sheet_->step(1);
    });
}

// Hears each join from the chosen one on, worst first, until it is stopped.
void JoinsStage::hearInTurn(bool isOn)
{
    inTurn_ = isOn;
    if (isOn) {
        hear();
        turn_.start();
        return;
    }
    turn_.stop();
    session_.player.stop();
}

void JoinsStage::exportReport()
{
    if (session_.choice.set() == nullptr) {
        return;
    }
    const SetId id = session_.choice.set()->id;
    const std::string name =
        session_.song().name + " " + session_.song().nameOf(*session_.choice.set());
    const QString path = askForNewFile(
        bench_,
        tr("Export report"),
        QString::fromStdString(name + ".html"),
        tr("Page with pictures (*.html);;Table (*.csv);;Data (*.json)")
    );
    if (path.isEmpty()) {
        return;
    }
    session_.jobs.run(
        {.key = QStringLiteral("report"), .title = tr("Writing the report")},
        this,
        [song = session_.document.song(),
         sources = session_.document.sources(),
         id,
         file = fileOf(path)](const Work& work) -> Result<void> {
            const auto report = reportOf(*song, id, *sources, work);
            return report ? writeReport(*report, file) : tl::unexpected(report.error());
        },
        [this, path](const Result<void>& done) {
            if (done) {
                session_.say(tr("Report exported to %1").arg(path));
            } else if (done.error().kind != ErrorKind::Cancelled) {
                Q_EMIT session_.failed(done.error());
            }
        }
    );
}

std::vector<PartId> JoinsStage::meant() const
{
    std::vector<PartId> joins;
    const auto& range = session_.choice.range();
    for (std::size_t i = 0; i < session_.review.joins().size(); ++i) {
        const SetJoin& join = session_.review.joins()[i];
        const bool isInRange = range && join.at >= range->from && join.at < range->to;
        if (scope_->currentIndex() == 2 || (scope_->currentIndex() == 1 && isInRange) ||
            (scope_->currentIndex() == 0 && i == session_.review.join())) {
            joins.push_back(join.id);
        }
    }
    return joins;
}

void JoinsStage::change(const JoinChange& what, const QString& name)
{
    const MicSet* set = session_.choice.set();
    const SetJoin* join = chosen();
    if (set == nullptr || join == nullptr) {
        return;
    }
    if (scope_->currentIndex() != 0) {
        changeMeant(what, name);
        return;
    }
    session_.document.apply(changeJoin(session_.song(), set->id, join->id, what), name);
}

void JoinsStage::changeDragged(const JoinChange& own, const JoinChange& along, const QString& name)
{
    if (scope_->currentIndex() == 0) {
        change(own, name);
    } else {
        changeMeant(along, name);
    }
}

void JoinsStage::changeMeant(const JoinChange& what, const QString& name)
{
    const auto joins = meant();
    if (joins.empty()) {
        session_.say(tr("No joins in the selected range"));
        return;
    }
    session_.document.apply(
        changeJoins(session_.song(), session_.choice.set()->id, joins, what),
        tr("%1 of %2 joins").arg(name).arg(joins.size())
    );
}

// The worst that was found at the chosen join, with how loud it is.
QString JoinsStage::findingText() const
{
    const Finding* worst = session_.review.worstOf(session_.review.join());
    if (worst == nullptr) {
        return tr("clean");
    }
    return tr("%1, %2 dB relative to the music")
        .arg(app::findingText(*worst))
        .arg(worst->loudness, 0, 'f', 0)
        .replace(QLatin1Char('-'), QStringLiteral("−"));
}

void JoinsStage::hear()
{
    if (const SetJoin* join = chosen()) {
        const Frames around = toFrames(milliseconds(450.0), session_.song().rate);
        session_.player.playRange(
            std::max(Frames(0), join->at - around), join->at + join->length + around
        );
    }
}

void JoinsStage::nudge(Seconds by)
{
    if (const SetJoin* join = chosen()) {
        const Frames at = join->at + toFrames(by, session_.song().rate);
        change({std::nullopt, std::nullopt, at}, tr("Move join"));
    }
}

void JoinsStage::mend()
{
    const MicSet* set = session_.choice.set();
    if (set == nullptr || chosen() == nullptr) {
        return;
    }
    session_.jobs.run(
        {.key = QStringLiteral("mend"), .title = tr("Mending the join")},
        this,
        [song = session_.document.song(),
         sources = session_.document.sources(),
         id = set->id,
         join = chosen()->id](const Work&) {
            return std::pair{song, mendJoin(*song, id, join, *sources)};
        },
        [this](std::pair<std::shared_ptr<const Song>, Result<Song>> done) {
            if (done.first != session_.document.song()) {
                session_.say(tr("The song changed meanwhile; mend again"));
                return;
            }
            if (session_.document.apply(std::move(done.second), tr("Mend join"))) {
                session_.say(tr("Mended with the best place, length and shape tried"));
            }
        }
    );
}

void JoinsStage::accept()
{
    Song song = session_.song();
    bool isAny = false;
    for (const Finding& finding : session_.review.findings()) {
        if (finding.join == session_.review.join()) {
            song = acceptFinding(song, finding);
            isAny = true;
        }
    }
    if (isAny) {
        session_.document.apply(song, tr("Accept join"));
        sheet_->step(0);
    }
}

void JoinsStage::toggleLock()
{
    const MicSet* set = session_.choice.set();
    if (const SetJoin* join = chosen(); join != nullptr && set != nullptr) {
        session_.document.apply(
            orthochron::lockJoin(session_.song(), set->id, join->id, !join->isLocked),
            join->isLocked ? tr("Unlock join") : tr("Lock join")
        );
    }
}

bool JoinsStage::run(Command command)
{
    switch (command) {
    case Command::Mend: mend(); return true;
    case Command::LockJoin: toggleLock(); return true;
    default: return false;
    }
}

}  // namespace orthochron::app
