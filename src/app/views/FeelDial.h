#pragma once

#include <QWidget>

#include "app/session/Session.h"

namespace orthochron::app {

// One bar as a clock: each step's mean deviation as a tooth, outwards when late. A tooth can be
// dragged; a double click gives it back to the player.
class FeelDial final : public QWidget {
    Q_OBJECT

public:
    explicit FeelDial(Session& session, QWidget* parent = nullptr);
    [[nodiscard]] QSize minimumSizeHint() const override { return {150, 150}; }

Q_SIGNALS:
    void hint(const QString& text);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;

private:
    [[nodiscard]] QString sentence() const;
    [[nodiscard]] QPointF centre() const;
    [[nodiscard]] double radius() const;
    [[nodiscard]] int stepAt(QPointF place) const;
    [[nodiscard]] TrackId leadOfTooth() const;
    void setTooth(int step, std::optional<Seconds> feel);

    Session& session_;
    int held_ = -1;
};

}  // namespace orthochron::app
