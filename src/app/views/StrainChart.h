#pragma once

#include <QWidget>

#include "app/session/Session.h"
#include "core/stretch/Strain.h"

namespace orthochron::app {

// What would help, in words: "let go 2 pins beside it (×1.21 then), or cut instead".
[[nodiscard]] QString reliefText(const StrainRelief& relief);

// How far a fit by stretching pulls or squeezes what lies between its pins, along the song: pulled
// upwards, squeezed downwards, what the material bears as a band. A click goes there.
class StrainChart final : public QWidget {
    Q_OBJECT

public:
    explicit StrainChart(Session& session, QWidget* parent = nullptr);
    [[nodiscard]] QSize minimumSizeHint() const override { return {240, 90}; }

    // What would help where it is most strained; empty where that is within its limits.
    [[nodiscard]] QString worstRelief() const;
    // The span most strained, by how far its ratio is from 1:1; none where nothing yields.
    [[nodiscard]] std::optional<StrainSpan> worst() const;

Q_SIGNALS:
    void hint(const QString& text);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;

private:
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] double xOf(Frames at) const;
    [[nodiscard]] double yOf(double ratio) const;
    [[nodiscard]] const StrainSpan* spanAt(double x) const;
    // What would help there, in words; empty where it is not strained.
    [[nodiscard]] QString reliefOfSpan(const StrainSpan& span) const;

    Session& session_;
};

}  // namespace orthochron::app
