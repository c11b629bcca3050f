#pragma once

#include <QWidget>

#include "app/views/Session.h"

namespace orthochron::app {

// Each hit's deviation against time: recorded hollow, fitted solid, the drift as a line, the
// tolerance as a band. Early is above, late below.
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

private:
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] double reachMs() const;
    [[nodiscard]] int hitAt(QPointF place) const;

    Session& session_;
};

// One bar as a clock: each step's mean deviation as a tooth, outwards when late.
class FeelDial final : public QWidget {
    Q_OBJECT

public:
    explicit FeelDial(Session& session, QWidget* parent = nullptr);
    [[nodiscard]] QSize minimumSizeHint() const override { return {150, 150}; }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    [[nodiscard]] QString sentence() const;

    Session& session_;
};

}  // namespace orthochron::app
