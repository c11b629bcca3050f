#pragma once

#include <QWidget>

#include "app/controls/NumberField.h"
#include "app/stages/shape/ShapeHands.h"
#include "app/stages/shape/SpeedHands.h"

class QButtonGroup;
class QCheckBox;
class QComboBox;
class QLabel;
class QLineEdit;
class QListWidget;
class QPushButton;
class QVBoxLayout;

namespace orthochron::app {

// What is chosen in Shape as fields, the actions on it, and a list of everything that shapes the song.
class ShapeBench final : public QWidget {
    Q_OBJECT

public:
    ShapeBench(Session& session, ShapeHands& hands, SpeedHands& speed);
    void fade(bool isOut);  // the song, as the fields have it

private:
    [[nodiscard]] QWidget* makeLine();
    [[nodiscard]] QWidget* makeHush();
    [[nodiscard]] QWidget* makeFade();
    [[nodiscard]] QWidget* makeList();
    void fill();
    void fillLine();
    void fillHush();
    void fillList();
    void shapePiece(int shape);
    void applyPoint();
    void applyPoints();  // to all that are chosen
    void applyHush();
    NumberField*
    field(QVBoxLayout& column, const QString& label, const char* name, const NumberStyle& style);
    QPushButton*
    button(QWidget* parent, const QString& text, const char* name, bool isMain = false);

    Session& session_;
    ShapeHands& hands_;
    SpeedHands& speed_;
    QLabel* lineOf_ = nullptr;
    QLabel* which_ = nullptr;
    NumberField* place_ = nullptr;
    NumberField* level_ = nullptr;
    NumberField* bend_ = nullptr;
    QButtonGroup* shapes_ = nullptr;
    QCheckBox* stays_ = nullptr;
    QPushButton* reset_ = nullptr;
    QPushButton* clear_ = nullptr;
    QPushButton* lineEnds_ = nullptr;
    NumberField* from_ = nullptr;
    NumberField* bars_ = nullptr;
    NumberField* edge_ = nullptr;
    QLineEdit* label_ = nullptr;
    QComboBox* goes_ = nullptr;
    QPushButton* hush_ = nullptr;
    QPushButton* again_ = nullptr;
    NumberField* every_ = nullptr;
    QPushButton* unhush_ = nullptr;
    QComboBox* whose_ = nullptr;
    NumberField* fadeBars_ = nullptr;
    QComboBox* fadeShape_ = nullptr;
    QLabel* ends_ = nullptr;
    QPushButton* endHere_ = nullptr;
    QListWidget* list_ = nullptr;
    std::vector<ShapeItem> items_;
    bool isFilling_ = false;
};

}  // namespace orthochron::app
