#include "app/document/Document.h"

#include <QDateTime>
#include <QSettings>

#include <fmt/format.h>

#include "core/audio/ResampledSource.h"
#include "core/audio/SoundFile.h"
#include "core/base/Hash.h"

namespace orthochron::app {

namespace {

constexpr std::chrono::milliseconds kAutosaveDelay{1000};  // well within the two seconds promised

}  // namespace

Document::Document(QObject* parent)
    : QObject(parent),
      state_{History(Song{}), {}},
      sources_(std::make_shared<Sources>()),
      autosave_(kAutosaveDelay, [this](const std::string& sentence) {
          QMetaObject::invokeMethod(
              this,
              [this, sentence] {
                  Q_EMIT failed(tr("The autosave failed: %1").arg(QString::fromStdString(sentence))
                  );
              },
              Qt::QueuedConnection
          );
      })
{}

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
    // Versions are shared values: the lane writes them while the window goes on.
    state_.generation = nextGeneration();
    autosave_.changed(state_, autosaveFile());
    Q_EMIT songChanged();
    Q_EMIT stateChanged();
}

// Counted by the clock, so that what is saved later wins over any older autosave of that name, be
// it of another song that stood there.
std::uint64_t Document::nextGeneration()
{
    const auto now = static_cast<std::uint64_t>(QDateTime::currentMSecsSinceEpoch());
    return std::max(state_.generation + 1, now);
}

std::filesystem::path Document::autosaveFile()
{
    if (!path_.isEmpty()) {
        return autosavePath(path_.toStdString());
    }
    if (!unsaved_) {
        unsaved_ = UnsavedPlace::make();
    }
    return unsaved_->file();
}

void Document::removeAutosave()
{
    autosave_.drop();
    std::error_code ignored;
    if (unsaved_) {
        std::filesystem::remove(unsaved_->file(), ignored);
        unsaved_.reset();
    }
    if (!path_.isEmpty()) {
        std::filesystem::remove(autosavePath(path_.toStdString()), ignored);
    }
}

// Opens the takes that are not open yet. Those in trouble read as silence and are listed.
void Document::refreshSources()
{
    auto sources = std::make_shared<Sources>();
    troubles_ = verifyTakes(*song(), songFolder(), false);
    for (const Take& take : song()->takes) {
        const auto path = pathOf(take, songFolder());
        auto reader = SoundFileReader::open(path);
        if (reader) {
            sources->put(take.id, atRate(std::move(*reader), song()->rate), path);
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
    refreshSources();
    Q_EMIT opened();
    Q_EMIT songChanged();
    Q_EMIT stateChanged();
}

void Document::startNew()
{
    autosave_.flush();
    lock_ = SongLock();
    unsaved_.reset();
    adopt({History(Song{}), {}}, QString());
}

Result<Document::Opening> Document::open(const QString& path)
{
    const std::filesystem::path file(path.toStdString());
    auto lock = path == path_ ? Result<SongLock>(SongLock()) : SongLock::acquire(file);
    if (!lock) {
        return tl::unexpected(lock.error());
    }
    // What waits belongs to the song that is left.
    autosave_.flush();
    auto loaded = loadSong(file);
    Opening opening;
    std::error_code error;
    if (std::filesystem::exists(autosavePath(file), error)) {
        // An autosave outlives its song only when the program did not end well.
        auto kept = loadSong(autosavePath(file));
        if (kept && (!loaded || kept->generation > loaded->generation || kept->generation == 0)) {
            loaded = std::move(kept);
            opening.isRecovered = true;
        }
    }
    if (!loaded) {
        return tl::unexpected(loaded.error());
    }
    if (path != path_) {
        lock_ = std::move(*lock);
        unsaved_.reset();
    }
    adopt(std::move(*loaded), path);
    isChanged_ = opening.isRecovered;
    remember(path);
    Q_EMIT stateChanged();
    return opening;
}

Result<void> Document::openUnsaved(const std::filesystem::path& file)
{
    auto place = UnsavedPlace::take(file);
    if (!place) {
        return tl::unexpected(place.error());
    }
    auto loaded = loadSong(file);
    if (!loaded) {
        return tl::unexpected(loaded.error());
    }
    autosave_.flush();
    lock_ = SongLock();
    unsaved_ = std::move(*place);
    adopt(std::move(*loaded), QString());
    isChanged_ = true;
    Q_EMIT stateChanged();
    return {};
}

Result<void> Document::save(const QString& path)
{
    // Nothing older may land after it; what waits is written now, or waits again.
    autosave_.drop();
    const auto notSaved = [this](const Error& error) {
        if (isChanged_) {
            autosave_.changed(state_, autosaveFile());
        }
        return tl::unexpected(error);
    };
    const std::filesystem::path file(path.toStdString());
    if (path != path_) {
        auto lock = SongLock::acquire(file);
        if (!lock) {
            return notSaved(lock.error());
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
        moved.generation = nextGeneration();
        if (auto saved = saveSong(moved, file); !saved) {
            return notSaved(saved.error());
        }
        removeAutosave();
        lock_ = std::move(*lock);
        state_ = std::move(moved);
        path_ = path;
        Q_EMIT songChanged();
    } else {
        state_.generation = nextGeneration();
        if (auto saved = saveSong(state_, file); !saved) {
            return notSaved(saved.error());
        }
    }
    isChanged_ = false;
    removeAutosave();
    remember(path);
    Q_EMIT stateChanged();
    return {};
}

void Document::autosave()
{
    autosave_.flush();
}

void Document::discard()
{
    isChanged_ = false;
    removeAutosave();
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
