#pragma once

#include <QObject>

#include "app/session/Session.h"

class QMenu;
class QWidget;

namespace orthochron::app {

// Opens, saves and closes songs, and asks what has to be asked on the way: where, whether to keep
// what was not saved, where a missing take is.
class SongDesk final : public QObject {
    Q_OBJECT

public:
    SongDesk(Session& session, QWidget* window);

    // Offers to save first; false when the user would rather stay.
    [[nodiscard]] bool mayClose();
    bool save(bool askWhere);
    // Every way out of a song asks first: these do.
    void askAndOpen();
    void askAndOpen(const QString& path);
    bool startNew();
    // Shows the songs that were left without a name, to open or discard.
    void offerUnsaved();
    void offerUnsavedAtStart();
    // Opens without asking: at the start, when nothing can be lost.
    void open(const QString& path);
    void openDemo();
    // Copies the song, as it was saved last, and its takes into a folder that is asked for.
    void collect();
    void fillRecent(QMenu& menu);

private:
    void afterOpening();
    void offer(std::vector<UnsavedSong> songs);
    void findMissing(TakeId after = {});
    void useFor(TakeId take, const QString& path);
    void checkTakes();

    Session& session_;
    QWidget* window_;
};

}  // namespace orthochron::app
