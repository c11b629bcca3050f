#pragma once

#include "app/controls/NumberField.h"
#include "app/session/Session.h"

class QCheckBox;
class QComboBox;
class QGridLayout;
class QLabel;

namespace orthochron::app {

// How the chosen track is listened to: whether it is a lead, in which way and band, and from which
// strength on an attack counts. While a value is dragged, what it would find is shown, not done.
class Detection final : public QWidget {
    Q_OBJECT

public:
    Detection(Session& session, QWidget* parent);

    // What is being tried while a value is held.
    [[nodiscard]] const std::optional<OnsetSettings>& trying() const { return trying_; }
    [[nodiscard]] QString countText() const;
    void tryThreshold(double decibels);
    void settle() { tune(true); }  // what was tried becomes the song's

Q_SIGNALS:
    void findAsked();
    void tried();

private:
    void addListening(QGridLayout& layout);
    void changeListening();
    [[nodiscard]] OnsetSettings settings() const;
    void fill();
    void tune(bool isFinal);
    void place(TrackId id, const OnsetSettings& wanted);

    Session& session_;
    QLabel* title_ = nullptr;
    QCheckBox* lead_ = nullptr;
    QComboBox* way_ = nullptr;
    QComboBox* band_ = nullptr;
    NumberField* low_ = nullptr;
    NumberField* high_ = nullptr;
    QLabel* count_ = nullptr;
    NumberField* sensitivity_ = nullptr;
    NumberField* threshold_ = nullptr;
    NumberField* gap_ = nullptr;
    std::optional<OnsetSettings> trying_;
    TrackId filledFor_;
};

}  // namespace orthochron::app
