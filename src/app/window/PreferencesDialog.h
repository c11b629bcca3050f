#pragma once

#include <QDialog>

namespace orthochron::app {

// What is kept for all songs: theme and type size, with the ways to the sound card and the shortcuts.
class PreferencesDialog final : public QDialog {
    Q_OBJECT

public:
    explicit PreferencesDialog(QWidget* parent = nullptr);

Q_SIGNALS:
    void soundCardAsked();
    void shortcutsAsked();
};

}  // namespace orthochron::app
