#pragma once

#include <QWidget>

#include "app/session/Session.h"

class QCheckBox;
class QLabel;
class QPushButton;

namespace orthochron::app {

// The mark that is looked at: where it is, why it is one, and what can be done with it.
class ThisMark final : public QWidget {
    Q_OBJECT

public:
    ThisMark(Session& session, QWidget* parent);

    [[nodiscard]] const Mark* chosen() const;  // null for none
    [[nodiscard]] bool hearsEach() const;      // each one that is stepped to

private:
    void fill();
    [[nodiscard]] QString reasonOf(const Mark& mark) const;

    Session& session_;
    QLabel* about_ = nullptr;
    QPushButton* switch_ = nullptr;
    QPushButton* confirm_ = nullptr;
    QCheckBox* hearEach_ = nullptr;
};

}  // namespace orthochron::app
