#include "app/document/UnsavedSongs.h"

#include <QDateTime>
#include <QDir>
#include <QFile>
#include <QStandardPaths>

#include "app/document/FileNames.h"

#include <algorithm>
#include <utility>

namespace orthochron::app {

namespace {

const QString kEnding = QStringLiteral(".orthochron-autosave");

QDir folder()
{
    const QDir data(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation));
    data.mkpath(QStringLiteral("unsaved"));
    const QDir all(data.filePath(QStringLiteral("unsaved")));
    // Where the first version kept its only one.
    QFile::rename(
        data.filePath(QStringLiteral("unsaved") + kEnding),
        all.filePath(QStringLiteral("earlier") + kEnding)
    );
    return all;
}

}  // namespace

UnsavedPlace::UnsavedPlace(std::filesystem::path file, SongLock lock)
    : file_(std::move(file)), lock_(std::move(lock))
{}

UnsavedPlace UnsavedPlace::make()
{
    const QDir all = folder();
    const QString time = QDateTime::currentDateTime().toString(QStringLiteral("yyyyMMdd-hhmmss"));
    for (int number = 1;; ++number) {
        const auto file =
            fileOf(all.filePath(QStringLiteral("%1-%2%3").arg(time).arg(number).arg(kEnding)));
        std::error_code error;
        if (std::filesystem::exists(file, error)) {
            continue;
        }
        if (auto lock = SongLock::acquire(file)) {
            return {file, std::move(*lock)};
        }
    }
}

Result<UnsavedPlace> UnsavedPlace::take(const std::filesystem::path& file)
{
    auto lock = SongLock::acquire(file);
    if (!lock) {
        return tl::unexpected(lock.error());
    }
    return UnsavedPlace(file, std::move(*lock));
}

std::vector<UnsavedSong> unsavedSongs()
{
    const QDir all = folder();
    std::vector<UnsavedSong> songs;
    // Hidden files are those being written, and locks.
    for (const QFileInfo& info :
         all.entryInfoList({QStringLiteral("*") + kEnding}, QDir::Files, QDir::Time)) {
        const auto file = fileOf(info.filePath());
        if (!UnsavedPlace::take(file)) {
            continue;
        }
        if (auto document = loadSong(file)) {
            songs.push_back({file, info.lastModified().toSecsSinceEpoch(), document->history.song()}
            );
        }
    }
    return songs;
}

}  // namespace orthochron::app
