#pragma once

#include <QDialog>

#include "app/sound/SoundCard.h"

class QComboBox;
class QLabel;

namespace orthochron::app {

// Chooses what the song is heard on. Each choice is heard at once.
class SoundCardDialog final : public QDialog {
    Q_OBJECT

public:
    explicit SoundCardDialog(SoundCard& card, QWidget* parent = nullptr);

private:
    void list(const std::vector<engine::DeviceFacts>& devices);
    void fillOutputs();
    void refresh();
    void choose();

    SoundCard& card_;
    std::vector<engine::DeviceFacts> devices_;  // as listed, after the first entry
    QComboBox* device_ = nullptr;
    QComboBox* outputs_ = nullptr;
    QComboBox* block_ = nullptr;
    QLabel* now_ = nullptr;
};

}  // namespace orthochron::app
