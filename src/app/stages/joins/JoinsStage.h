#pragma once

#include <QTimer>

#include "app/controls/NumberField.h"
#include "app/stages/Stage.h"
#include "app/stages/joins/JoinGrips.h"
#include "app/views/JoinViews.h"

class QComboBox;
class QLabel;
class QPushButton;
class QCheckBox;

namespace orthochron::app {

// Every join as a contact sheet, worst first, with a loupe to look, hear, mend, accept and lock.
class JoinsStage final : public Stage {
    Q_OBJECT

public:
    JoinsStage(Session& session, LanesView& lanes, QObject* parent);

    [[nodiscard]] QString name() const override { return tr("Joins"); }
    [[nodiscard]] QString mainActionName() const override { return tr("Mend the join"); }
    [[nodiscard]] QWidget* bench() override { return bench_; }
    [[nodiscard]] bool isWorkedOn() const override { return !session_.review.joins().empty(); }
    [[nodiscard]] QString status() const override;
    void paintLane(QPainter& painter, const Lane& lane) override
    {
        grips_->paintLane(painter, lane);
    }
    bool press(const Lane&, QMouseEvent& event) override { return grips_->press(event); }
    void move(QMouseEvent& event) override { grips_->move(event); }
    void release(QMouseEvent&) override { grips_->release(); }
    [[nodiscard]] std::pair<QString, Qt::CursorShape>
    hintAt(const Lane&, QPoint place) const override
    {
        return grips_->hintAt(place);
    }
    void step(int by) override { sheet_->step(by); }
    void hear() override;
    bool run(Command command) override;
    void mainAction() override { mend(); }
    void nudge(Seconds by) override;
    void mend();
    void accept() override;
    void toggleLock();

private:
    void fill();
    void change(const JoinChange& what, const QString& name);
    [[nodiscard]] const SetJoin* chosen() const;
    // The joins a change goes to: this one, those in the chosen range, or all; by SetJoin::index.
    [[nodiscard]] std::vector<PartId> meant() const;
    void changeDragged(const JoinChange& own, const JoinChange& along, const QString& name);
    void changeMeant(const JoinChange& what, const QString& name);
    void addValues(QLayout& layout);
    void addHearing(QLayout& layout);
    void hearInTurn(bool isOn);
    void exportReport();
    [[nodiscard]] QString findingText() const;

    JoinGrips* grips_ = nullptr;
    QWidget* bench_ = nullptr;
    JoinPictures* pictures_ = nullptr;
    ContactSheet* sheet_ = nullptr;
    Loupe* loupe_ = nullptr;
    QLabel* title_ = nullptr;
    QLabel* about_ = nullptr;
    QComboBox* shape_ = nullptr;
    NumberField* length_ = nullptr;
    NumberField* before_ = nullptr;
    NumberField* middle_ = nullptr;
    QComboBox* scope_ = nullptr;
    QCheckBox* squeeze_ = nullptr;
    QCheckBox* alone_ = nullptr;
    QTimer turn_;          // waits for one join to end, to hear the next
    bool inTurn_ = false;  // every join is heard, one after the other
    QPushButton* mend_ = nullptr;
    QPushButton* accept_ = nullptr;
    QPushButton* lock_ = nullptr;
    QPushButton* lockAll_ = nullptr;
};

}  // namespace orthochron::app
