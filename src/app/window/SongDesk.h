#pragma once

#include <QObject>

#include "app/views/Session.h"

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
    void open(const QString& path);
    void askAndOpen();
    void openDemo();
    void fillRecent(QMenu& menu);

private:
    void findMissing();

    Session& session_;
    QWidget* window_;
};

}  // namespace orthochron::app
