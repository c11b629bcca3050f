#include "app/document/Document.h"

#include <QDateTime>
#include <QEventLoop>
#include <QSettings>

#include <fmt/format.h>

#include "app/document/Errors.h"
#include "app/document/FileNames.h"
#include "core/audio/ResampledSource.h"
#include "core/audio/SoundFile.h"

#include <thread>

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
                  Q_EMIT failed(
                      failure(tr("Autosave failed: %1").arg(QString::fromStdString(sentence)))
                  );
              },
              Qt::QueuedConnection
          );
      })
{}

std::filesystem::path Document::songFolder() const
{
    return path_.isEmpty() ? std::filesystem::path() : fileOf(path_).parent_path();
}

std::function<bool()> Document::whileOpen() const
{
    return [this, opening = opening_] { return opening == opening_; };
}

std::function<bool()> Document::whileUnedited() const
{
    return [this, from = song()] { return from == song(); };
}

bool Document::apply(Result<Song> edited, const QString& name)
{
    if (!edited) {
        if (edited.error().kind != ErrorKind::Cancelled) {
            Q_EMIT failed(edited.error());
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
        return autosavePath(fileOf(path_));
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
        std::filesystem::remove(autosavePath(fileOf(path_)), ignored);
    }
}

// Opens the takes that are not open yet. Those in trouble read as silence and are listed; of these,
// the missing ones are looked for again. Where all are open already the sources stay, and with them all that was
// measured and stretched; takes that an undone edit brought in stay open too.
void Document::refreshSources()
{
    std::erase_if(troubles_, [this](const TakeTrouble& trouble) {
        return song()->take(trouble.take) == nullptr;
    });
    std::shared_ptr<Sources> others;
    for (const Take& take : song()->takes) {
        if (!isOpen(take)) {
            if (!others) {
                others = std::make_shared<Sources>(*sources_);
            }
            openTake(take, *others);
        }
    }
    if (others) {
        sources_ = std::move(others);
    }
}

// Or is known to be of no use, as it was when it was looked at last.
bool Document::isOpen(const Take& take) const
{
    const auto path = pathOf(take, songFolder());
    if (sources_->file(take.id) != path) {
        return false;
    }
    const auto trouble = std::ranges::find(troubles_, take.id, &TakeTrouble::take);
    if (trouble == troubles_.end()) {
        return sources_->has(take.id);
    }
    std::error_code unknown;
    return !trouble->isMissing || !std::filesystem::exists(path, unknown);
}

void Document::openTake(const Take& take, Sources& sources)
{
    const auto path = pathOf(take, songFolder());
    std::erase_if(troubles_, [&](const TakeTrouble& trouble) { return trouble.take == take.id; });
    auto trouble = glanceAtTake(take, songFolder(), KnownHashes::ofUser());
    auto reader = SoundFileReader::open(path);
    if (!trouble && !reader) {
        trouble = TakeTrouble{take.id, false, reader.error().message};
    }
    if (trouble) {
        troubles_.push_back(std::move(*trouble));
        sources.silence(take.id, path);
    } else {
        sources.put(take.id, atRate(std::move(*reader), song()->rate), path);
    }
}

void Document::silence(const std::vector<TakeTrouble>& troubles)
{
    auto sources = std::make_shared<Sources>(*sources_);
    for (const TakeTrouble& trouble : troubles) {
        std::erase_if(troubles_, [&](const TakeTrouble& known) {
            return known.take == trouble.take;
        });
        troubles_.push_back(trouble);
        sources->silence(trouble.take, sources->file(trouble.take));
    }
    sources_ = std::move(sources);
    Q_EMIT songChanged();
    Q_EMIT stateChanged();
}

void Document::adopt(SongDocument state, const QString& path)
{
    state_ = std::move(state);
    ++opening_;
    path_ = path;
    isChanged_ = false;
    // Another song's takes may have the same numbers.
    sources_ = std::make_shared<Sources>();
    troubles_.clear();
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
    const std::filesystem::path file = fileOf(path);
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
    const std::filesystem::path file = fileOf(path);
    const bool isElsewhere = path != path_;
    Result<SongLock> lock = SongLock();
    state_.generation = nextGeneration();
    SongDocument written = state_;
    if (isElsewhere) {
        lock = SongLock::acquire(file);
        if (!lock) {
            return notSaved(lock.error());
        }
        written.history.changeTakes(namedFrom(file));
    }
    if (auto saved = writeAside(written, file); !saved) {
        return notSaved(saved.error());
    }
    // A job may have changed the song while it was written.
    const auto serialOf = [](const History& history) { return history.serial(history.current()); };
    const bool isStillTheSame = serialOf(state_.history) == serialOf(written.history);
    if (isElsewhere) {
        removeAutosave();
        state_.history.changeTakes(namedFrom(file));
        lock_ = std::move(*lock);
        path_ = path;
    }
    isChanged_ = !isStillTheSame;
    if (isStillTheSame) {
        removeAutosave();
    } else {
        state_.generation = nextGeneration();
        autosave_.changed(state_, autosaveFile());
    }
    remember(path);
    if (isElsewhere) {
        Q_EMIT songChanged();
    }
    Q_EMIT stateChanged();
    return {};
}

// Names takes below the folder of a song relative to it; all others keep being found.
std::function<void(Take&)> Document::namedFrom(const std::filesystem::path& song) const
{
    std::error_code ignored;
    const auto target = std::filesystem::absolute(song, ignored).parent_path();
    return [target, before = songFolder()](Take& take) {
        std::error_code error;
        const auto absolute = std::filesystem::absolute(pathOf(take, before), error);
        const auto relative = absolute.lexically_relative(target);
        const bool isBelow = !relative.empty() && *relative.begin() != "..";
        take.path = isBelow ? relative.string() : absolute.string();
    };
}

// Writes on another thread while the window goes on being drawn; keys and clicks wait.
Result<void> Document::writeAside(const SongDocument& document, const std::filesystem::path& file)
{
    QEventLoop waiting;
    Result<void> saved;
    std::jthread writer([&] {
        try {
            saved = saveSong(document, file);
        } catch (const std::exception& error) {
            saved = orthochron::failed(fmt::format("{}: {}", file.string(), error.what()));
        }
        QMetaObject::invokeMethod(&waiting, &QEventLoop::quit, Qt::QueuedConnection);
    });
    waiting.exec(QEventLoop::ExcludeUserInputEvents);
    writer.join();
    return saved;
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
    auto loaded = loadSong(fileOf(path_));
    if (!loaded) {
        return tl::unexpected(loaded.error());
    }
    discard();
    adopt(std::move(*loaded), path_);
    return {};
}

Result<void> Document::relocate(TakeId id, const QString& path, const std::string& hash)
{
    const Take* take = song()->take(id);
    if (take == nullptr) {
        return badArgument("the take is not in the song");
    }
    if (hash != take->hash) {
        return badInput(fmt::format(
            "{}: this is a different recording than {}; import it as a new take",
            fileOf(path).string(),
            take->name
        ));
    }
    Song next = *song();
    const std::string name = take->name;
    std::ranges::find(next.takes, id, &Take::id)->path = fileOf(path).string();
    state_.history.add(std::move(next), fmt::format("Find {}", name));
    refreshSources();
    touched();
    return {};
}

QStringList Document::recent()
{
    QStringList names;
    for (const QString& kept : QSettings().value(QStringLiteral("recent")).toStringList()) {
        names << nameOfArgument(kept.toUtf8().constData());
    }
    return names;
}

void Document::remember(const QString& path)
{
    QStringList all = recent();
    all.removeAll(path);
    all.prepend(path);
    QStringList kept;
    for (const QString& each : all.mid(0, 10)) {
        kept << addressOf(each);
    }
    QSettings().setValue(QStringLiteral("recent"), kept);
}

}  // namespace orthochron::app
