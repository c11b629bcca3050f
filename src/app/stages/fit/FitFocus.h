#pragma once

#include <QWidget>

#include "app/session/Session.h"

class QComboBox;

namespace orthochron::app {

// Which section and which lead the amounts, the chart and the dial are about; sections are made,
// named and taken away here.
class FitFocus final : public QWidget {
    Q_OBJECT

public:
    explicit FitFocus(Session& session, QWidget* parent);

    // For the commands: as the entries of the list do.
    void addSection();
    void renameSection();
    void removeSection();

Q_SIGNALS:
    void chosen();

private:
    void fill();
    void choose();
    [[nodiscard]] QString askName(const QString& title, const QString& what, const QString& usual);

    Session& session_;
    QComboBox* section_ = nullptr;
    QComboBox* lead_ = nullptr;
};

}  // namespace orthochron::app
