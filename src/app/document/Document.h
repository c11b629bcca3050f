#pragma once

#include <QObject>
#include <QString>

#include "app/document/Autosave.h"
#include "app/document/UnsavedSongs.h"
#include "core/files/TakeCheck.h"
#include "core/render/Sources.h"

#include <memory>

namespace orthochron::app {

// The open song: its history, its file, its takes. Says "the song is now this one"; edits nothing
// by itself. The one owner of the song's file and its autosave. Every edit reaches the autosave
// within two seconds of the first that was not written.
class Document final : public QObject {
    Q_OBJECT

public:
    explicit Document(QObject* parent = nullptr);

    [[nodiscard]] const std::shared_ptr<const Song>& song() const { return state_.history.song(); }
    [[nodiscard]] const History& history() const { return state_.history; }
    // Another number for each song that was opened or begun.
    // For what a job computes: holds until another song is opened, or until this one is edited.
    [[nodiscard]] std::function<bool()> whileOpen() const;
    [[nodiscard]] std::function<bool()> whileUnedited() const;
    // See SongDocument::guessedClips.
    [[nodiscard]] int guessedClips() const { return state_.guessedClips; }
    [[nodiscard]] const std::shared_ptr<const Sources>& sources() const { return sources_; }
    [[nodiscard]] const QString& path() const { return path_; }
    [[nodiscard]] std::filesystem::path songFolder() const;
    [[nodiscard]] bool isChanged() const { return isChanged_; }
    [[nodiscard]] const std::vector<TakeTrouble>& troubles() const { return troubles_; }
    // Takes found to be in trouble by reading them: they are silent from now on.
    void silence(const std::vector<TakeTrouble>& troubles);

    // A new version, or the error said to the user. True when the song changed.
    bool apply(Result<Song> edited, const QString& name);
    void undo();
    void redo();

    void startNew();
    // Opens a song; when an autosave of it is newer, `recovered` says so and it is what is open.
    struct Opening {
        bool isRecovered = false;
    };
    [[nodiscard]] Result<Opening> open(const QString& path);
    // Returns when it is on the disk; meanwhile the window is drawn, but takes no input.
    [[nodiscard]] Result<void> save(const QString& path);
    // Opens a song that was never named, from what was kept of it; it stays kept there until it is
    // saved or discarded.
    [[nodiscard]] Result<void> openUnsaved(const std::filesystem::path& file);
    // Writes the autosave now, and waits for it.
    void autosave();
    // Drops the autosave: what was not saved is not wanted.
    void discard();
    // Goes back to what the song's file holds.
    [[nodiscard]] Result<void> revert();
    // Points a missing take to where it is now. `hash` is that file's content (hashOfFile, which takes its time on a
    // long one and is no work for the GUI thread); it must be the take's.
    [[nodiscard]] Result<void> relocate(TakeId take, const QString& path, const std::string& hash);

    // Songs opened or saved lately, newest first.
    [[nodiscard]] static QStringList recent();

Q_SIGNALS:
    void opened();  // another song stands here; comes before its songChanged
    void songChanged();
    void stateChanged();  // name, path, saved or not
    void failed(const orthochron::Error& error);

private:
    void adopt(SongDocument state, const QString& path);
    void refreshSources();
    [[nodiscard]] bool isOpen(const Take& take) const;
    void openTake(const Take& take, Sources& sources);
    void touched();
    [[nodiscard]] std::function<void(Take&)> namedFrom(const std::filesystem::path& song) const;
    [[nodiscard]] static Result<void>
    writeAside(const SongDocument& document, const std::filesystem::path& file);
    // Where what is not saved is kept. A song without a name gets a place of its own.
    [[nodiscard]] std::filesystem::path autosaveFile();
    void removeAutosave();
    [[nodiscard]] std::uint64_t nextGeneration();
    static void remember(const QString& path);

    SongDocument state_;
    std::uint64_t opening_ = 0;
    std::shared_ptr<const Sources> sources_;
    QString path_;
    SongLock lock_;
    std::optional<UnsavedPlace> unsaved_;
    bool isChanged_ = false;
    std::vector<TakeTrouble> troubles_;
    Autosave autosave_;  // last: written out first when the program ends
};

}  // namespace orthochron::app
