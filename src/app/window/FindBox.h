#pragma once

#include <QDialog>

#include "app/session/Session.h"

class QLineEdit;
class QListWidget;

namespace orthochron::app {

class LanesView;

// Something of the song, or a command, that can be gone to.
struct FindEntry {
    QString kind;  // "Track", "Clip", ...
    QString name;
    std::function<void()> go;
};

// A field and what matches it: type, Enter goes there.
class FindBox final : public QDialog {
    Q_OBJECT

public:
    FindBox(std::vector<FindEntry> entries, QWidget* parent);
    // What was picked, to be gone to once the box is closed; null for nothing.
    [[nodiscard]] const FindEntry* picked() const;

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void list();

    std::vector<FindEntry> entries_;
    QLineEdit* words_ = nullptr;
    QListWidget* matches_ = nullptr;
};

// The tracks, sections, clips and marks of the song, and its bars; each with how one goes there.
[[nodiscard]] std::vector<FindEntry>
findableIn(Session& session, const std::function<void()>& showMarks);

}  // namespace orthochron::app
