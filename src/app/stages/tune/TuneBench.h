#pragma once

#include <QWidget>

#include "app/controls/NumberField.h"
#include "app/stages/tune/Ladder.h"

class QComboBox;
class QLabel;
class QPushButton;
class QVBoxLayout;

namespace orthochron::app {

class OffList;

// The key, what is asked of the chosen notes as numbers, and the notes that hang furthest off.
class TuneBench final : public QWidget {
    Q_OBJECT

public:
    TuneBench(Session& session, TuneHands& hands, NoteHands& notes, Ladder& ladder);

Q_SIGNALS:
    void looked();  // the ladder is to be drawn otherwise

private:
    [[nodiscard]] QWidget* makeWhole();
    [[nodiscard]] QWidget* makeChosen();
    [[nodiscard]] QWidget* makeFurthest();
    void fill();
    void fillKey();
    void fillChosen();
    void fillGuide();
    void askBeside();
    void addKey(QVBoxLayout& column);
    void addFollowing(QVBoxLayout& column);
    void addNotes(QVBoxLayout& column);
    // The section a key is chosen for; none for the whole song.
    [[nodiscard]] std::optional<SectionId> keyOf() const;
    void applyTemperament();
    void askForCents();
    NumberField*
    field(QVBoxLayout& column, const QString& label, const char* name, const NumberStyle& style);
    void applyKey();

    Session& session_;
    TuneHands& hands_;
    NoteHands& notes_;
    Ladder& ladder_;
    QLabel* of_ = nullptr;
    QLabel* figures_ = nullptr;
    QComboBox* tonic_ = nullptr;
    QComboBox* scale_ = nullptr;
    QComboBox* keyFor_ = nullptr;
    QComboBox* temperament_ = nullptr;
    NumberField* a4_ = nullptr;
    QComboBox* guide_ = nullptr;
    QPushButton* beside_ = nullptr;
    NumberField* towardsPitch_ = nullptr;
    NumberField* towardsTime_ = nullptr;
    QPushButton* follow_ = nullptr;
    NumberField* glide_ = nullptr;
    QPushButton* octaves_ = nullptr;
    std::vector<QPushButton*> likely_;
    NumberField* span_ = nullptr;
    QPushButton* gently_ = nullptr;
    QPushButton* reset_ = nullptr;
    QLabel* scope_ = nullptr;
    NumberField* shift_ = nullptr;
    NumberField* offset_ = nullptr;
    NumberField* wander_ = nullptr;
    NumberField* vibrato_ = nullptr;
    QComboBox* formants_ = nullptr;
    OffList* furthest_ = nullptr;
};

}  // namespace orthochron::app
