#pragma once

#include <QWidget>

#include "app/session/Session.h"

namespace orthochron::app {

// Each hit's deviation against time: recorded hollow, fitted solid, the drift as a line, the
// tolerance as a band. Early is above, late below. Dragging a point up or down asks that of the hit;
// Shift-drag draws the drift.
class TimingChart final : public QWidget {
    Q_OBJECT

public:
    explicit TimingChart(Session& session, QWidget* parent = nullptr);
    [[nodiscard]] QSize minimumSizeHint() const override { return {240, 120}; }

Q_SIGNALS:
    void hint(const QString& text);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

private:
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] double reachMs() const;
    [[nodiscard]] int hitAt(QPointF place) const;
    [[nodiscard]] double yOf(double ms) const;
    [[nodiscard]] double msAt(double y) const;
    // The hit, or all in the chosen range of time when it lies there.
    [[nodiscard]] std::vector<std::size_t> heldWith(int hit) const;
    void finishDrift();

    Session& session_;
    int held_ = -1;      // the hit that is dragged
    double byMs_ = 0.0;  // so far
    bool isMoved_ = false;
    std::vector<QPointF> drawn_;  // a drift line while it is drawn
};

}  // namespace orthochron::app
