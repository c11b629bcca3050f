#pragma once

#include <QWidget>

#include <span>

namespace orthochron::app {

// Small frames in rows, walked with the arrow keys, scrolled with the wheel.
class FrameSheet : public QWidget {
    Q_OBJECT

public:
    static constexpr int kUsualWidth = 168;
    FrameSheet(int frameHeight, QWidget* parent, int leastWidth = kUsualWidth);
    [[nodiscard]] QSize minimumSizeHint() const override { return {300, 120}; }
    void step(int by);  // to the next or previous frame

protected:
    [[nodiscard]] virtual std::size_t count() const = 0;
    [[nodiscard]] virtual std::size_t chosenPlace() const = 0;  // count() for none
    virtual void choose(std::size_t place) = 0;
    virtual void paintFrame(QPainter& painter, QRect frame, std::size_t place) = 0;
    [[nodiscard]] virtual QString emptyText() const = 0;
    // The ground and edge of a frame, with `left` and `right` on its first line.
    static void paintHead(
        QPainter& painter,
        QRect frame,
        bool isChosen,
        bool isFinding,
        const QString& left,
        const QString& right
    );
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    [[nodiscard]] int columns() const;
    [[nodiscard]] int frameWidth() const;
    void choosePlace(std::size_t place);

    int frameHeight_;
    int leastWidth_;
    int topRow_ = 0;
};

// Samples drawn as the range of each pixel column; what is too loud for the area ends at its edges.
void paintSamples(QPainter& painter, std::span<const float> samples, QRectF area, double gain);

}  // namespace orthochron::app
