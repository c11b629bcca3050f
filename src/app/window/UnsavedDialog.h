#pragma once

#include <QDialog>

#include "app/document/UnsavedSongs.h"

class QListWidget;
class QPushButton;

namespace orthochron::app {

// Songs that were left without a name: a picture of what is in each, its name and time. One is
// opened, or discarded for good; whatever is not decided stays kept.
class UnsavedDialog final : public QDialog {
    Q_OBJECT

public:
    // `songs` is not empty.
    UnsavedDialog(std::vector<UnsavedSong> songs, QWidget* parent);

    // The one to open, once accepted.
    [[nodiscard]] std::filesystem::path chosen() const;

private:
    void discardChosen();
    void fill();

    std::vector<UnsavedSong> songs_;
    QListWidget* list_ = nullptr;
    QPushButton* open_ = nullptr;
    QPushButton* discard_ = nullptr;
};

}  // namespace orthochron::app
