#pragma once

#include <QWidget>

#include <vector>

namespace orthochron::app {

// The stages down the left edge, in the order of the work, each with its digit. A dot says one was
// worked on; those that are not there yet are not shown.
class StageRail final : public QWidget {
    Q_OBJECT

public:
    struct Entry {
        QString name;
        bool isOn = true;
        bool isWorkedOn = false;
    };

    explicit StageRail(std::vector<Entry> entries, QWidget* parent = nullptr);
    void setCurrent(int stage);
    void setWorkedOn(int stage, bool isWorkedOn);
    [[nodiscard]] int current() const { return current_; }
    // The character of the key that, held, shows the previous stage.
    void setHeldKey(const QString& character);

Q_SIGNALS:
    void chosen(int stage);
    void hint(const QString& text);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    [[nodiscard]] QRect place(int stage) const;
    [[nodiscard]] int stageAt(QPoint at) const;

    std::vector<Entry> entries_;
    int current_ = 0;
    QString heldKey_;
};

}  // namespace orthochron::app
