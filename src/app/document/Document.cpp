#include "app/document/Document.h"

#include <QDir>
#include <QSettings>
#include <QStandardPaths>

#include <fmt/format.h>

#include "core/audio/ResampledSource.h"
#include "core/audio/SoundFile.h"
#include "core/base/Hash.h"

namespace orthochron::app {

namespace {

constexpr int kAutosaveDelayMs = 1000;  // well within the two seconds promised

std::filesystem::path unsavedAutosave()
{
    const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation);
    QDir().mkpath(folder);
    return std::filesystem::path(folder.toStdString()) / "unsaved.orthochron-autosave";
}

std::filesystem::path autosaveOf(const QString& path)
{
    return path.isEmpty() ? unsavedAutosave() : autosavePath(path.toStdString());
}

}  // namespace

Document::Document(JobQueue& jobs, QObject* parent)
    : QObject(parent),
      jobs_(jobs),
      state_{History(Song{}), {}},
      sources_(std::make_shared<Sources>())
{
    autosaveTimer_.setSingleShot(true);
    autosaveTimer_.setInterval(kAutosaveDelayMs);
    connect(&autosaveTimer_, &QTimer::timeout, this, &Document::autosave);
}

std::filesystem::path Document::songFolder() const
{
    return path_.isEmpty() ? std::filesystem::path()
                           : std::filesystem::path(path_.toStdString()).parent_path();
}

bool Document::apply(Result<Song> edited, const QString& name)
{
    if (!edited) {
        if (edited.error().kind != ErrorKind::Cancelled) {
            Q_EMIT failed(QString::fromStdString(edited.error().message));
        }
        return false;
    }
    const bool hasNewTakes = edited->takes.size() != song()->takes.size();
    state_.history.add(std::move(*edited), name.toStdString());
    if (hasNewTakes) {
        refreshSources();
    }
    touched();
    return true;
}

void Document::undo()
{
    if (state_.history.canUndo()) {
        state_.history.undo();
        refreshSources();
        touched();
    }
}

void Document::redo()
{
    if (state_.history.canRedo()) {
        state_.history.redo();
        refreshSources();
        touched();
    }
}

void Document::touched()
{
    isChanged_ = true;
    autosaveTimer_.start();
    Q_EMIT songChanged();
    Q_EMIT stateChanged();
}

// Opens the takes that are not open yet. Those in trouble read as silence and are listed.
void Document::refreshSources()
{
    auto sources = std::make_shared<Sources>();
    troubles_ = verifyTakes(*song(), songFolder(), false);
    for (const Take& take : song()->takes) {
        auto reader = SoundFileReader::open(pathOf(take, songFolder()));
        if (reader) {
            sources->put(take.id, atRate(std::move(*reader), song()->rate));
        } else if (std::ranges::find(troubles_, take.id, &TakeTrouble::take) == troubles_.end()) {
            troubles_.push_back({take.id, false, reader.error().message});
        }
    }
    sources_ = std::move(sources);
}

void Document::adopt(SongDocument state, const QString& path)
{
    state_ = std::move(state);
    path_ = path;
    isChanged_ = false;
    autosaveTimer_.stop();
    refreshSources();
    Q_EMIT opened();
    Q_EMIT songChanged();
    Q_EMIT stateChanged();
}

void Document::startNew()
{
    lock_ = SongLock();
    adopt({History(Song{}), {}}, QString());
}

Result<Document::Opening> Document::open(const QString& path)
{
    const std::filesystem::path file(path.toStdString());
    auto lock = path == path_ ? Result<SongLock>(SongLock()) : SongLock::acquire(file);
    if (!lock) {
        return tl::unexpected(lock.error());
    }
    auto loaded = loadSong(file);
    Opening opening;
    std::error_code error;
    if (std::filesystem::exists(autosaveOf(path), error)) {
        // An autosave outlives its song only when the program did not end well.
        if (auto kept = loadSong(autosaveOf(path))) {
            loaded = std::move(kept);
            opening.isRecovered = true;
        }
    }
    if (!loaded) {
        return tl::unexpected(loaded.error());
    }
    if (path != path_) {
        lock_ = std::move(*lock);
    }
    adopt(std::move(*loaded), path);
    isChanged_ = opening.isRecovered;
    remember(path);
    Q_EMIT stateChanged();
    return opening;
}

Result<void> Document::save(const QString& path)
{
    const std::filesystem::path file(path.toStdString());
    if (path != path_) {
        auto lock = SongLock::acquire(file);
        if (!lock) {
            return tl::unexpected(lock.error());
        }
        // Takes below the new folder are named relative to it; all others keep being found.
        SongDocument moved = state_;
        std::vector<History::Version> versions = state_.history.versions();
        std::error_code error;
        const auto target = std::filesystem::absolute(file, error).parent_path();
        for (auto& version : versions) {
            Song song = *version.song;
            for (Take& take : song.takes) {
                const auto absolute = std::filesystem::absolute(pathOf(take, songFolder()), error);
                const auto relative = absolute.lexically_relative(target);
                const bool isBelow = !relative.empty() && *relative.begin() != "..";
                take.path = isBelow ? relative.string() : absolute.string();
            }
            version.song = std::make_shared<const Song>(std::move(song));
        }
        moved.history = History(std::move(versions), state_.history.current());
        if (auto saved = saveSong(moved, file); !saved) {
            return saved;
        }
        std::filesystem::remove(autosaveOf(path_), error);
        lock_ = std::move(*lock);
        state_ = std::move(moved);
        path_ = path;
        Q_EMIT songChanged();
    } else if (auto saved = saveSong(state_, file); !saved) {
        return saved;
    }
    isChanged_ = false;
    autosaveTimer_.stop();
    std::error_code ignored;
    std::filesystem::remove(autosaveOf(path_), ignored);
    remember(path);
    Q_EMIT stateChanged();
    return {};
}

void Document::autosave()
{
    if (!isChanged_) {
        return;
    }
    // Versions are shared values: a worker writes them while the window goes on.
    jobs_.run(
        QStringLiteral("autosave"),
        false,
        this,
        [state = state_,
         path = autosaveOf(path_),
         order = autosaveOrder_,
         number = ++autosaves_](const Work&) -> Result<void> {
            const std::scoped_lock lock(order->mutex);
            if (number < order->written) {
                return {};
            }
            order->written = number;
            return saveSong(state, path);
        },
        [this](const Result<void>& saved) {
            if (!saved) {
                Q_EMIT failed(
                    tr("The autosave failed: %1").arg(QString::fromStdString(saved.error().message))
                );
            }
        }
    );
}

void Document::discard()
{
    autosaveTimer_.stop();
    isChanged_ = false;
    std::error_code ignored;
    std::filesystem::remove(autosaveOf(path_), ignored);
}

Result<void> Document::revert()
{
    auto loaded = loadSong(path_.toStdString());
    if (!loaded) {
        return tl::unexpected(loaded.error());
    }
    discard();
    adopt(std::move(*loaded), path_);
    return {};
}

Result<void> Document::relocate(TakeId id, const QString& path)
{
    const Take* take = song()->take(id);
    if (take == nullptr) {
        return badArgument("the take is not in the song");
    }
    const auto hash = hashOfFile(path.toStdString());
    if (!hash) {
        return tl::unexpected(hash.error());
    }
    if (*hash != take->hash) {
        return badInput(fmt::format(
            "{}: is another recording than {}; import it as a take of its own",
            path.toStdString(),
            take->name
        ));
    }
    Song next = *song();
    std::ranges::find(next.takes, id, &Take::id)->path = path.toStdString();
    state_.history.add(std::move(next), fmt::format("Find {}", take->name));
    refreshSources();
    touched();
    return {};
}

QStringList Document::recent()
{
    return QSettings().value(QStringLiteral("recent")).toStringList();
}

void Document::remember(const QString& path)
{
    QStringList all = recent();
    all.removeAll(path);
    all.prepend(path);
    QSettings().setValue(QStringLiteral("recent"), QStringList(all.mid(0, 10)));
}

}  // namespace orthochron::app
