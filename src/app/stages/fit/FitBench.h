#pragma once

#include "app/controls/NumberField.h"
#include "app/session/Session.h"
#include "core/stretch/MaterialGuess.h"

class QBoxLayout;
class QButtonGroup;
class QComboBox;
class QLabel;
class QPushButton;

namespace orthochron::app {

class FitFocus;

// What a fit is asked: amounts, grid, groove, and its joins or, when stretching, the material. Its fields are the request of the
// session; a set that was fitted before opens with the values it was fitted with.
class FitBench final : public QWidget {
    Q_OBJECT

public:
    FitBench(Session& session, QWidget* parent);

    void fill();
    // By cutting or by stretching: some fields are of one alone.
    void setMethod(FitMethod method);
    // What its main button says: "Cut and join 465 hits".
    [[nodiscard]] QString actionName() const;
    [[nodiscard]] FitFocus& focus() { return *focus_; }

Q_SIGNALS:
    void fitAsked();
    void undoAsked();

private:
    void addAmounts(QBoxLayout& layout);
    void addTimes(QBoxLayout& layout);
    void addChoices(QBoxLayout& layout);
    void addMaterials(QBoxLayout& layout);
    void addButtons(QBoxLayout& layout);
    void showWay();
    void guessMaterial();
    void fillFromRecipe();
    void fillAmounts();
    void fillFields();
    void fillGrid();
    [[nodiscard]] GridSettings typedGrid() const;
    void changed();
    [[nodiscard]] QString advice() const;
    [[nodiscard]] QString state(int hits) const;
    [[nodiscard]] NumberField*
    field(const QString& label, const char* name, const NumberStyle& style, bool withSlider);
    [[nodiscard]] QComboBox* list(const QString& label, const char* name, const QStringList& items);

    Session& session_;
    FitFocus* focus_ = nullptr;
    NumberField* drift_ = nullptr;
    NumberField* feel_ = nullptr;
    NumberField* stray_ = nullptr;
    NumberField* tolerance_ = nullptr;
    NumberField* furthest_ = nullptr;
    NumberField* humanise_ = nullptr;
    NumberField* seed_ = nullptr;
    NumberField* leadIn_ = nullptr;
    NumberField* crossfade_ = nullptr;
    NumberField* swing_ = nullptr;
    NumberField* grooveAmount_ = nullptr;
    QComboBox* grid_ = nullptr;
    QComboBox* pieces_ = nullptr;
    QComboBox* shape_ = nullptr;
    QWidget* treatedAs_ = nullptr;  // the row of materials
    QButtonGroup* materials_ = nullptr;
    QPushButton* apply_ = nullptr;
    QPushButton* back_ = nullptr;
    QLabel* state_ = nullptr;
    SetId filledFrom_;  // the set whose recipe the fields were last filled from
    SetId guessedFor_;  // and the one whose material was asked for
    std::optional<MaterialGuess> guess_;
};

}  // namespace orthochron::app
