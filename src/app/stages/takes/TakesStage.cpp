#include "app/stages/takes/TakesStage.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QInputDialog>
#include <QTableWidget>

#include "app/controls/Counted.h"
#include "app/controls/Question.h"
#include "app/document/Errors.h"
#include "app/document/FileNames.h"
#include "app/stages/Bench.h"
#include "app/theme/Theme.h"

namespace orthochron::app {

namespace {

namespace fs = std::filesystem;

const QStringList kEndings{
    QStringLiteral("wav"),
    QStringLiteral("flac"),
    QStringLiteral("aif"),
    QStringLiteral("aiff"),
    QStringLiteral("ogg"),
    QStringLiteral("w64"),
    QStringLiteral("rf64"),
    QStringLiteral("caf"),
    QStringLiteral("au"),
    QStringLiteral("mp3")};

// Folders are looked through for sound files; files are taken as they are named.
QStringList filesIn(const QStringList& paths, const Work& work)
{
    QStringList files;
    for (const QString& path : paths) {
        std::error_code error;
        if (!fs::is_directory(fileOf(path), error)) {
            files << path;
            continue;
        }
        QStringList found;
        using Walk = fs::recursive_directory_iterator;
        for (Walk each(fileOf(path), fs::directory_options::skip_permission_denied, error), end;
             !error && each != end && !work.stopped();
             each.increment(error)) {
            const QString ending = nameOf(each->path().extension()).mid(1).toLower();
            std::error_code unknown;
            if (kEndings.contains(ending) && each->is_regular_file(unknown)) {
                found << nameOf(each->path());
            }
        }
        found.sort(Qt::CaseInsensitive);
        files << found;
    }
    return files;
}

}  // namespace

TakesStage::TakesStage(Session& session, LanesView& lanes, QObject* parent)
    : Stage(session, lanes, parent)
{
    bench_ = new QWidget;
    auto* layout = new QHBoxLayout(bench_);
    layout->setContentsMargins(20, 14, 20, 14);
    layout->setSpacing(24);
    auto* left = new QVBoxLayout;
    left->setSpacing(6);
    title_ = benchTitle(QString(), bench_);
    left->addWidget(title_);
    auto* bringIn = benchButton(tr("Import takes…"), QStringLiteral("importTakes"), true, bench_);
    makeSet_ = benchButton(tr("Make mic set"), QStringLiteral("makeSet"), false, bench_);
    openSet_ = benchButton(tr("Ungroup mic set"), QStringLiteral("openSet"), false, bench_);
    makeSet_->setToolTip(tr("From the selected takes, or from all ungrouped tracks."));
    fold_ = benchButton(tr("Collapse mic set"), QStringLiteral("foldSet"), false, bench_);
    fold_->setCheckable(true);
    for (QPushButton* button : {bringIn, makeSet_, openSet_, fold_}) {
        left->addWidget(button);
    }
    left->addStretch();
    left->addWidget(
        benchNote(tr("Drop files or folders anywhere. Takes are never changed."), bench_)
    );
    layout->addLayout(left, 1);
    table_ = new QTableWidget(0, 6, bench_);
    table_->setObjectName(QStringLiteral("takesTable"));
    table_->setAccessibleName(tr("Takes"));
    table_->setHorizontalHeaderLabels(
        {tr("Take"), tr("Length"), tr("Rate"), tr("Format"), tr("Peak"), tr("File")}
    );
    table_->verticalHeader()->hide();
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->verticalHeader()->setDefaultSectionSize(22);
    table_->setShowGrid(false);
    table_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    table_->setFrameShape(QFrame::NoFrame);
    layout->addWidget(table_, 4);
    connect(bringIn, &QPushButton::clicked, this, &TakesStage::askForFiles);
    connect(makeSet_, &QPushButton::clicked, this, &TakesStage::makeSet);
    connect(openSet_, &QPushButton::clicked, this, &TakesStage::openSet);
    connect(fold_, &QPushButton::clicked, this, [this](bool folded) {
        if (const MicSet* set = session_.choice.set(); set != nullptr && !set->isLone()) {
            session_.document.apply(
                foldSet(session_.song(), set->id, folded),
                folded ? tr("Collapse mic set") : tr("Expand mic set")
            );
        }
    });
    connect(&session_.document, &Document::songChanged, this, &TakesStage::fillTable);
    connect(&session_.waves, &WaveCache::peaksChanged, this, &TakesStage::fillTable);
    connect(&session_.document, &Document::opened, this, [this] {
        waiting_.clear();
        isImporting_ = false;  // what was being imported was for the song before
    });
    bench_->installEventFilter(this);
    fillTable();
}

QString TakesStage::status() const
{
    const Song& song = session_.song();
    if (song.takes.empty()) {
        return tr("No takes yet");
    }
    const int missing = static_cast<int>(session_.document.troubles().size());
    const QString facts = tr("%1 takes · %2 s at %3 kHz")
                              .arg(song.takes.size())
                              .arg(toSeconds(song.length(), song.rate).count(), 0, 'f', 1)
                              .arg(song.rate.count() / 1000.0);
    return missing == 0 ? facts : facts + tr(" · %1 missing or changed").arg(missing);
}

// Filled anew when it is looked at and what it shows is other than it was.
void TakesStage::fillTable()
{
    if (!table_->isVisible()) {
        isFilled_ = false;
        return;
    }
    isFilled_ = true;
    const Song& song = session_.song();
    const MicSet* set = session_.choice.set();
    const bool isKit = set != nullptr && !set->isLone();
    title_->setText(
        isKit ? tr("%1: %2 microphones")
                    .arg(QString::fromStdString(set->name))
                    .arg(set->tracks.size())
              : counted(std::ssize(song.tracks), tr("track"), tr("tracks"))
    );
    makeSet_->setEnabled(tracksForSet().size() > 1);
    openSet_->setEnabled(isKit);
    fold_->setEnabled(isKit);
    fold_->setChecked(isKit && set->isFolded);
    table_->setRowCount(static_cast<int>(song.takes.size()));
    for (std::size_t i = 0; i < song.takes.size(); ++i) {
        const Take& take = song.takes[i];
        const int row = static_cast<int>(i);
        const double seconds = toSeconds(take.frames, song.rate).count();
        const Peaks* peaks = session_.waves.peaks(take.id);
        const auto trouble =
            std::ranges::find(session_.document.troubles(), take.id, &TakeTrouble::take);
        const bool isFine = trouble == session_.document.troubles().end();
        const QStringList cells{
            QString::fromStdString(take.name),
            QStringLiteral("%1:%2")
                .arg(static_cast<int>(seconds) / 60)
                .arg(std::fmod(seconds, 60.0), 6, 'f', 3, QLatin1Char('0')),
            tr("%1 kHz").arg(take.rate.count() / 1000.0),
            QString::fromStdString(take.format) +
                (take.channels > 1 ? tr(", %1 channels").arg(take.channels) : QString()),
            peaks != nullptr ? tr("%1 dB")
                                   .arg(toDecibels(peaks->loudest()), 0, 'f', 1)
                                   .replace(QLatin1Char('-'), QChar(0x2212))
                             : QStringLiteral("…"),
            isFine ? QString::fromStdString(take.path) : QString::fromStdString(trouble->sentence)};
        for (int column = 0; column < cells.size(); ++column) {
            auto* item = new QTableWidgetItem(cells[column]);
            if (!isFine) {
                item->setForeground(Theme::palette().finding);
            }
            table_->setItem(row, column, item);
        }
    }
    table_->resizeColumnsToContents();
    for (int column = 0; column < table_->columnCount(); ++column) {
        table_->setColumnWidth(column, table_->columnWidth(column) + 20);
    }
    table_->horizontalHeader()->setStretchLastSection(true);
}

bool TakesStage::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == bench_ && event->type() == QEvent::Show && !isFilled_) {
        fillTable();
    }
    return Stage::eventFilter(watched, event);
}

void TakesStage::askForFiles()
{
    const QStringList files = app::askForFiles(
        bench_,
        tr("Import takes"),
        tr("Sound files (*.%1)").arg(kEndings.join(QStringLiteral(" *.")))
    );
    if (!files.isEmpty()) {
        import(files);
    }
}

// One after the other: the first take sets the song's rate, and each asks about its own tracks.
void TakesStage::import(const QStringList& paths)
{
    waiting_.push_back(paths);
    if (!isImporting_) {
        importNext();
    }
}

void TakesStage::importNext()
{
    isImporting_ = !waiting_.empty();
    if (!isImporting_) {
        return;
    }
    struct Read {
        std::vector<ImportedTake> takes;
        Hertz rate{0.0};
        QStringList troubles;
        bool isEmpty = false;  // there was no sound file in what was named
        bool isStopped = false;
    };
    const QStringList paths = waiting_.front();
    waiting_.pop_front();
    const bool isFirst = session_.song().takes.empty();
    session_.jobs.run(
        {.key = {}, .title = tr("Importing"), .holds = session_.document.whileOpen()},
        this,
        [paths, isFirst, rate = session_.song().rate, folder = session_.document.songFolder()](
            const Work& work
        ) {
            Read read;
            read.rate = rate;
            const QStringList files = filesIn(paths, work);
            read.isEmpty = files.isEmpty();
            for (int i = 0; i < files.size() && !work.stopped(); ++i) {
                // The song takes the rate of its first take.
                if (isFirst && read.takes.empty()) {
                    if (const auto first = takeFromFile(fileOf(files[i]), rate, folder)) {
                        read.rate = first->rate;
                    }
                }
                auto take = takeFromFile(fileOf(files[i]), read.rate, folder);
                if (take) {
                    read.takes.push_back({std::move(*take), false});
                } else {
                    read.troubles << QString::fromStdString(take.error().message);
                }
                work.report(static_cast<double>(i + 1) / static_cast<double>(files.size()));
            }
            read.isStopped = work.stopped();
            return read;
        },
        [this, isFirst, paths](Read read) {
            if (read.isStopped) {
                waiting_.clear();
                session_.say(tr("Stopped; nothing imported"));
            } else if (read.isEmpty) {
                Q_EMIT session_.failed(refusal(tr("No sound files in what was dropped")));
            } else if (isFirst && !session_.song().takes.empty() && read.rate != session_.song().rate) {
                // Takes came from elsewhere meanwhile: these are counted again, at the rate the song has now.
                waiting_.push_front(paths);
            } else {
                land(std::move(read.takes), read.rate, read.troubles);
            }
            importNext();
        }
    );
}

void TakesStage::land(std::vector<ImportedTake> takes, Hertz rate, const QStringList& troubles)
{
    if (!troubles.isEmpty()) {
        Q_EMIT session_.failed(failure(troubles.join(QLatin1Char('\n'))));
    }
    if (takes.empty()) {
        return;
    }
    if (rate != session_.song().rate) {
        Song song = session_.song();
        song.rate = rate;
        session_.document.apply(song, tr("Song at %1 kHz").arg(rate.count() / 1000.0));
    }
    add(std::move(takes));
    Q_EMIT imported();
}

void TakesStage::add(std::vector<ImportedTake> takes)
{
    for (ImportedTake& imported : takes) {
        if (imported.take.channels > 2) {
            imported.splitChannels = askYes(
                bench_,
                tr("Many channels"),
                tr("%1 has %2 channels. Place each on its own track, as one mic set?")
                    .arg(QString::fromStdString(imported.take.name))
                    .arg(imported.take.channels)
            );
        }
    }
    const std::size_t before = session_.song().tracks.size();
    const auto count = std::ssize(takes);
    const QString name = tr("Import %1").arg(counted(count, tr("take"), tr("takes")));
    if (!session_.document.apply(addTakes(session_.song(), std::move(takes)), name)) {
        return;
    }
    session_.shown.zoomToAll();
    std::vector<TrackId> added;
    for (std::size_t t = before; t < session_.song().tracks.size(); ++t) {
        added.push_back(session_.song().tracks[t]->id);
    }
    session_.say(tr("Imported %1 on %2")
                     .arg(counted(count, tr("take"), tr("takes")))
                     .arg(counted(std::ssize(added), tr("track"), tr("tracks"))));
    if (added.size() < 2) {
        return;
    }
    const bool isSet = askYes(
        bench_,
        tr("Recorded together?"),
        tr("%1 tracks start together. Group them, so that every edit applies to all at the same "
           "sample?")
            .arg(added.size())
    );
    if (isSet) {
        session_.document.apply(
            orthochron::makeSet(session_.song(), added, "Kit"), tr("Make mic set")
        );
    }
}

// The tracks that are in no set yet; of these, those whose takes are chosen in the table when
// there are several.
std::vector<TrackId> TakesStage::tracksForSet() const
{
    const Song& song = session_.song();
    std::vector<TrackId> free;
    std::vector<TrackId> chosen;
    for (const auto& track : song.tracks) {
        const MicSet* set = song.setOf(track->id);
        if ((set != nullptr && !set->isLone()) || track->isHidden) {
            continue;
        }
        free.push_back(track->id);
        const auto recorded = recordedTake(song, track->id);
        const auto take =
            recorded ? std::ranges::find(song.takes, recorded->take, &Take::id) : song.takes.end();
        const auto row = static_cast<int>(take - song.takes.begin());
        if (take != song.takes.end() && row < table_->rowCount() &&
            table_->selectionModel()->isRowSelected(row)) {
            chosen.push_back(track->id);
        }
    }
    return chosen.size() > 1 ? chosen : free;
}

void TakesStage::makeSet()
{
    const auto kits = std::ranges::count_if(session_.song().sets, [](const MicSet& set) {
        return !set.isLone();
    });
    const auto name = kits == 0 ? tr("Kit") : tr("Set %1").arg(kits + 1);
    session_.document.apply(
        orthochron::makeSet(session_.song(), tracksForSet(), name.toStdString()), tr("Make mic set")
    );
}

void TakesStage::openSet()
{
    if (const MicSet* set = session_.choice.set()) {
        session_.document.apply(
            orthochron::openSet(session_.song(), set->id), tr("Ungroup mic set")
        );
    }
}

void TakesStage::renameTrack(TrackId id)
{
    const auto track = session_.song().track(id);
    if (!track) {
        return;
    }
    bool isAccepted = false;
    const QString name = QInputDialog::getText(
        bench_,
        tr("Rename track"),
        tr("Name"),
        QLineEdit::Normal,
        QString::fromStdString(track->name),
        &isAccepted
    );
    if (isAccepted && name != QString::fromStdString(track->name)) {
        session_.document.apply(
            orthochron::renameTrack(session_.song(), id, name.trimmed().toStdString()),
            tr("Rename track")
        );
    }
}

void TakesStage::removeTrack(TrackId id)
{
    const auto track = session_.song().track(id);
    if (track) {
        session_.document.apply(
            orthochron::removeTrack(session_.song(), id),
            tr("Delete %1").arg(QString::fromStdString(track->name))
        );
    }
}

void TakesStage::moveTrack(TrackId id, int by)
{
    session_.document.apply(orthochron::moveTrack(session_.song(), id, by), tr("Move track"));
}

bool TakesStage::run(Command command)
{
    Document& document = session_.document;
    const Song& song = session_.song();
    const auto chosen = song.track(session_.choice.track());
    switch (command) {
    case Command::Import: askForFiles(); return true;
    case Command::MakeSet: makeSet(); return true;
    case Command::UngroupSet: openSet(); return true;
    case Command::CollapseSet:
        if (const MicSet* set = session_.choice.set(); set != nullptr && !set->isLone()) {
            document.apply(
                foldSet(song, set->id, !set->isFolded),
                set->isFolded ? tr("Expand mic set") : tr("Collapse mic set")
            );
        }
        return true;
    case Command::RenameTrack: renameTrack(session_.choice.track()); return true;
    case Command::RemoveTrack: removeTrack(session_.choice.track()); return true;
    case Command::HideTrack:
        document.apply(hideTrack(song, session_.choice.track(), true), tr("Hide track"));
        return true;
    case Command::ShowAll: {
        Song next = song;
        for (const auto& track : song.tracks) {
            if (auto shown = hideTrack(next, track->id, false)) {
                next = std::move(*shown);
            }
        }
        document.apply(next, tr("Show hidden tracks"));
        return true;
    }
    case Command::TrackUp: moveTrack(session_.choice.track(), -1); return true;
    case Command::TrackDown: moveTrack(session_.choice.track(), 1); return true;
    case Command::Mute:
        if (chosen) {
            session_.document.apply(
                changeMix(session_.song(), chosen->id, {.muted = !chosen->isMuted}),
                chosen->isMuted ? tr("Unmute track") : tr("Mute track")
            );
        }
        return true;
    case Command::Solo:
        if (chosen) {
            session_.document.apply(
                changeMix(session_.song(), chosen->id, {.soloed = !chosen->isSoloed}),
                chosen->isSoloed ? tr("End solo") : tr("Solo track")
            );
        }
        return true;
    default: return false;
    }
}

}  // namespace orthochron::app
