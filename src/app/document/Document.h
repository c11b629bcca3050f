#pragma once

#include <QObject>
#include <QString>
#include <QTimer>

#include "app/document/JobQueue.h"
#include "core/files/SongFile.h"
#include "core/render/Sources.h"

#include <memory>
#include <mutex>

namespace orthochron::app {

// The open song: its history, its file, its takes. Says "the song is now this one"; edits nothing
// by itself. Every edit reaches the autosave within two seconds.
class Document final : public QObject {
    Q_OBJECT

public:
    explicit Document(JobQueue& jobs, QObject* parent = nullptr);

    [[nodiscard]] const std::shared_ptr<const Song>& song() const { return state_.history.song(); }
    [[nodiscard]] const History& history() const { return state_.history; }
    [[nodiscard]] const std::shared_ptr<const Sources>& sources() const { return sources_; }
    [[nodiscard]] const QString& path() const { return path_; }
    [[nodiscard]] std::filesystem::path songFolder() const;
    [[nodiscard]] bool isChanged() const { return isChanged_; }
    [[nodiscard]] const std::vector<TakeTrouble>& troubles() const { return troubles_; }

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
    [[nodiscard]] Result<void> save(const QString& path);
    // Writes the autosave now.
    void autosave();
    // Drops the autosave: what was not saved is not wanted.
    void discard();
    // Goes back to what the song's file holds.
    [[nodiscard]] Result<void> revert();
    // Points a missing take to where it is now; its content must be the same.
    [[nodiscard]] Result<void> relocate(TakeId take, const QString& path);

    // Songs opened or saved lately, newest first.
    [[nodiscard]] static QStringList recent();

Q_SIGNALS:
    void opened();  // another song stands here; comes before its songChanged
    void songChanged();
    void stateChanged();  // name, path, saved or not
    void failed(const QString& sentence);

private:
    void adopt(SongDocument state, const QString& path);
    void refreshSources();
    void touched();
    static void remember(const QString& path);

    JobQueue& jobs_;
    SongDocument state_;
    std::shared_ptr<const Sources> sources_;
    QString path_;
    SongLock lock_;
    bool isChanged_ = false;
    std::vector<TakeTrouble> troubles_;
    QTimer autosaveTimer_;
    // Two workers may write autosaves at once; the older state must not end on top.
    struct AutosaveOrder {
        std::mutex mutex;
        std::uint64_t written = 0;
    };
    std::shared_ptr<AutosaveOrder> autosaveOrder_ = std::make_shared<AutosaveOrder>();
    std::uint64_t autosaves_ = 0;
};

}  // namespace orthochron::app
