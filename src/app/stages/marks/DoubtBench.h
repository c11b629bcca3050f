#pragma once

#include "app/stages/marks/DoubtReview.h"
#include "app/views/FrameSheet.h"

class QLabel;
class QPushButton;

namespace orthochron::app {

// Every doubtful hit as a small frame: the lead, and the microphone that argues against it.
class DoubtSheet final : public FrameSheet {
    Q_OBJECT

public:
    DoubtSheet(Session& session, DoubtReview& review, QWidget* parent);

protected:
    [[nodiscard]] std::size_t count() const override { return review_.doubts().size(); }
    [[nodiscard]] std::size_t chosenPlace() const override { return review_.place(); }
    void choose(std::size_t place) override { review_.choose(place); }
    void paintFrame(QPainter& painter, QRect frame, std::size_t place) override;
    [[nodiscard]] QString emptyText() const override;

private:
    Session& session_;
    DoubtReview& review_;
};

// The sheet, and beside it why and what to do, with one or with a whole kind.
class DoubtBench final : public QWidget {
    Q_OBJECT

public:
    DoubtBench(Session& session, DoubtReview& review, QWidget* parent);
    void step(int by) { sheet_->step(by); }

private:
    void fill();

    DoubtReview& review_;
    Session& session_;
    DoubtSheet* sheet_ = nullptr;
    QLabel* title_ = nullptr;
    QLabel* place_ = nullptr;
    QLabel* why_ = nullptr;
    QLabel* kind_ = nullptr;
    QPushButton* allAway_ = nullptr;
    QPushButton* keepAll_ = nullptr;
    QPushButton* keep_ = nullptr;
    QPushButton* away_ = nullptr;
    QPushButton* hear_ = nullptr;
};

}  // namespace orthochron::app
