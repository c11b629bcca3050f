#include "app/window/SongDesk.h"

#include <QMenu>
#include <QMessageBox>
#include <QPushButton>
#include <QStandardPaths>

#include <fmt/format.h>

#include "app/controls/Counted.h"
#include "app/controls/Question.h"
#include "app/document/FileNames.h"
#include "app/window/UnsavedDialog.h"
#include "core/base/Hash.h"
#include "core/demo/DemoSong.h"
#include "core/edits/TakeEdits.h"
#include "core/files/Collect.h"

namespace orthochron::app {

SongDesk::SongDesk(Session& session, QWidget* window)
    : QObject(window), session_(session), window_(window)
{}

void SongDesk::askAndOpen()
{
    if (!mayClose()) {
        return;
    }
    const QString path =
        askForFile(window_, tr("Open song"), tr("Orthochron songs (*.orthochron)"));
    if (!path.isEmpty()) {
        open(path);
    }
}

void SongDesk::askAndOpen(const QString& path)
{
    if (mayClose()) {
        open(path);
    }
}

bool SongDesk::startNew()
{
    if (!mayClose()) {
        return false;
    }
    session_.document.startNew();
    return true;
}

void SongDesk::offerUnsaved()
{
    if (auto songs = unsavedSongs(); !songs.empty()) {
        offer(std::move(songs));
    } else {
        session_.say(tr("No unsaved songs"));
    }
}

void SongDesk::offerUnsavedAtStart()
{
    auto songs = unsavedSongs();
    if (songs.empty()) {
        return;
    }
    if (session_.song().tracks.empty()) {
        offer(std::move(songs));
    } else {
        session_.say(tr("Unsaved songs were kept: Song › Unsaved songs…"));
    }
}

void SongDesk::offer(std::vector<UnsavedSong> songs)
{
    UnsavedDialog dialog(std::move(songs), window_);
    if (dialog.exec() != QDialog::Accepted || !mayClose()) {
        return;
    }
    if (const auto opened = session_.document.openUnsaved(dialog.chosen()); !opened) {
        Q_EMIT session_.failed(opened.error());
        return;
    }
    afterOpening();
}

void SongDesk::fillRecent(QMenu& menu)
{
    menu.clear();
    for (const QString& path : Document::recent()) {
        menu.addAction(
            QString(path).replace(QLatin1Char('&'), QStringLiteral("&&")),
            this,
            [this, path] { askAndOpen(path); }
        );
    }
    if (menu.isEmpty()) {
        menu.addAction(tr("None"))->setEnabled(false);
    }
}

bool SongDesk::mayClose()
{
    if (!session_.document.isChanged()) {
        return true;
    }
    QMessageBox box(
        QMessageBox::NoIcon,
        tr("Save changes?"),
        tr("The song has unsaved changes."),
        QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel,
        window_
    );
    box.setDefaultButton(QMessageBox::Save);
    switch (box.exec()) {
    case QMessageBox::Save: return save(false);
    case QMessageBox::Discard: session_.document.discard(); return true;
    default: return false;
    }
}

bool SongDesk::save(bool askWhere)
{
    QString path = session_.document.path();
    if (path.isEmpty() || askWhere) {
        path = askForNewFile(window_, tr("Save song"), path, tr("Orthochron songs (*.orthochron)"));
        if (path.isEmpty()) {
            return false;
        }
        if (!path.endsWith(QStringLiteral(".orthochron"))) {
            path += QStringLiteral(".orthochron");
        }
    }
    if (session_.song().name.empty()) {
        session_.document.apply(
            renameSong(session_.song(), fileOf(path).stem().string()), tr("Name the song")
        );
    }
    const auto saved = session_.document.save(path);
    if (!saved) {
        Q_EMIT session_.failed(saved.error());
        return false;
    }
    session_.say(tr("Saved to %1").arg(path));
    return true;
}

void SongDesk::open(const QString& path)
{
    const auto opened = session_.document.open(path);
    if (!opened) {
        Q_EMIT session_.failed(opened.error());
        return;
    }
    if (opened->isRecovered) {
        QMessageBox box(
            QMessageBox::NoIcon,
            tr("Recovered"),
            tr("Unsaved changes were recovered after a crash. Keep them, or reopen the saved "
               "version?"),
            QMessageBox::NoButton,
            window_
        );
        box.addButton(tr("Keep changes"), QMessageBox::AcceptRole);
        const auto* back = box.addButton(tr("Reopen saved version"), QMessageBox::DestructiveRole);
        box.exec();
        if (box.clickedButton() == back) {
            if (const auto reverted = session_.document.revert(); !reverted) {
                Q_EMIT session_.failed(reverted.error());
            }
        }
    }
    afterOpening();
}

void SongDesk::afterOpening()
{
    session_.shown.zoomToAll();
    if (const int guessed = session_.document.guessedClips(); guessed > 0) {
        session_.say(tr("This song is from an older version; grouping was estimated for %1. Check "
                        "the mic sets.")
                         .arg(counted(guessed, tr("clip"), tr("clips"))));
    }
    if (!session_.document.troubles().empty()) {
        Q_EMIT session_.failed({ErrorKind::BadInput, session_.document.troubles().front().sentence}
        );
        findMissing();
    }
    checkTakes();
}

// Sizes were compared on opening; what a file of the same size holds takes reading it.
void SongDesk::checkTakes()
{
    session_.jobs.run(
        {.key = QStringLiteral("check takes"), .title = {}, .holds = session_.document.whileOpen()},
        this,
        [song = session_.document.song(), folder = session_.document.songFolder()](const Work& work
        ) { return orthochron::checkTakes(*song, folder, KnownHashes::ofUser(), work); },
        [this, checked = session_.document.song()](const auto& troubles) {
            if (!troubles) {
                return;
            }
            auto fresh = *troubles;
            std::erase_if(fresh, [&](const TakeTrouble& trouble) {
                // The take may be found elsewhere by now.
                const Take* before = checked->take(trouble.take);
                const Take* now = session_.song().take(trouble.take);
                return now == nullptr || *now != *before ||
                       !session_.document.sources()->has(trouble.take);
            });
            if (!fresh.empty()) {
                session_.document.silence(fresh);
                Q_EMIT session_.failed({ErrorKind::BadInput, fresh.front().sentence});
            }
        }
    );
}

// Asks about one after the other; each file that is named is held against its take before the next is asked about.
void SongDesk::findMissing(TakeId after)
{
    auto troubles = session_.document.troubles();
    std::ranges::sort(troubles, {}, &TakeTrouble::take);
    for (const TakeTrouble& trouble : troubles) {
        const Take* lost = session_.song().take(trouble.take);
        if (!trouble.isMissing || lost == nullptr || trouble.take <= after) {
            continue;
        }
        const QString name = QString::fromStdString(lost->name);
        if (!askYes(
                window_,
                tr("A take is missing"),
                tr("%1\nLook for it?").arg(QString::fromStdString(trouble.sentence))
            )) {
            return;
        }
        const QString path = askForFile(window_, tr("Where is %1?").arg(name));
        if (!path.isEmpty()) {
            useFor(trouble.take, path);
        }
        return;
    }
}

void SongDesk::useFor(TakeId take, const QString& path)
{
    session_.jobs.run(
        {.key = QStringLiteral("find take"),
         .title = tr("Reading %1").arg(path),
         .holds = session_.document.whileOpen()},
        this,
        [file = fileOf(path)](const Work&) { return hashOfFile(file); },
        [this, take, path](const Result<std::string>& hash) {
            const auto found = hash ? session_.document.relocate(take, path, *hash)
                                    : Result<void>(tl::unexpected(hash.error()));
            if (!found) {
                Q_EMIT session_.failed(found.error());
                return;
            }
            findMissing(take);
        }
    );
}

void SongDesk::collect()
{
    const QString path = session_.document.path();
    if (path.isEmpty() || session_.document.isChanged()) {
        session_.say(tr("Save the song first, then collect it"));
        return;
    }
    const QString folder = askForFolder(window_, tr("Collect song into a new folder"), QString());
    if (folder.isEmpty()) {
        return;
    }
    session_.jobs.run(
        {.key = QStringLiteral("collect"), .title = tr("Collecting song")},
        this,
        [path = fileOf(path),
         folder = fileOf(folder)](const Work& work) -> Result<std::filesystem::path> {
            auto document = loadSong(path);
            if (!document) {
                return tl::unexpected(document.error());
            }
            return collectSong(std::move(*document), path.parent_path(), folder, work);
        },
        [this](const Result<std::filesystem::path>& song) {
            if (song) {
                session_.say(tr("Collected into %1").arg(nameOf(song->parent_path())));
            } else if (song.error().kind != ErrorKind::Cancelled) {
                Q_EMIT session_.failed(song.error());
            }
        }
    );
}

void SongDesk::openDemo()
{
    if (!mayClose()) {
        return;
    }
    const QString folder =
        QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + QStringLiteral("/demo");
    session_.jobs.run(
        {.key = QStringLiteral("demo"), .title = tr("Recording the demo song")},
        this,
        [folder = folder.toStdString()](const Work& work) -> Result<std::filesystem::path> {
            // One that was edited is the user's own: a fresh one goes beside it.
            constexpr int kMostDemos = 1000;
            auto written = demo::writeDemoSong(folder, work);
            for (int number = 2;
                 !written && written.error().kind == ErrorKind::BadArgument && number < kMostDemos;
                 ++number) {
                written = demo::writeDemoSong(fmt::format("{} {}", folder, number), work);
            }
            return written;
        },
        [this](const Result<std::filesystem::path>& path) {
            if (!path) {
                Q_EMIT session_.failed(path.error());
            } else if (mayClose(
                       )) {  // what was open may have been edited meanwhile, or be another song
                open(nameOf(*path));
            } else {
                session_.say(tr("The demo song is in %1").arg(nameOf(path->parent_path())));
            }
        }
    );
}

}  // namespace orthochron::app
