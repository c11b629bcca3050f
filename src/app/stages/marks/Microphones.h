#pragma once

#include <QWidget>

#include "app/session/Session.h"
#include "core/audit/Unheard.h"

class QLabel;
class QPushButton;
class QTableWidget;

namespace orthochron::app {

// What the microphones of the set say of each other: which hears a lead's drum when and which way
// round, which would lead better, and what no lead hears.
class Microphones final : public QWidget {
    Q_OBJECT

public:
    Microphones(Session& session, QWidget* parent);

    // What no lead hears, less what has been marked since.
    [[nodiscard]] std::vector<UnheardHit> unheard() const;
    void measure();  // as a job, with the marks as they are
    void stepUnheard();

Q_SIGNALS:
    void measured();

private:
    void fill();
    void propose();

    Session& session_;
    QLabel* title_ = nullptr;
    QTableWidget* table_ = nullptr;
    QPushButton* propose_ = nullptr;
    QPushButton* next_ = nullptr;
    std::vector<SetArrival> arrivals_;
    std::vector<UnheardHit> unheard_;
    SetId set_;
};

}  // namespace orthochron::app
