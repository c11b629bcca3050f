#pragma once

#include <QCoreApplication>

#include "app/views/LanesView.h"

namespace orthochron::app {

// What runs across the whole sheet: the ribbon of the song, the ruler with its sections, and the
// lines of bars and steps behind the lanes.
class TimeBands final {
    Q_DECLARE_TR_FUNCTIONS(TimeBands)

public:
    TimeBands(const LanesView& lanes, const Session& session);

    void paintRibbon(QPainter& painter) const;
    void paintRuler(QPainter& painter) const;
    void paintGrid(QPainter& painter) const;

private:
    [[nodiscard]] Beats middleOfView() const;
    void paintDoubtful(QPainter& painter, const QRect& ruler) const;
    void paintSections(QPainter& painter, const QRect& ruler) const;

    const LanesView& lanes_;
    const Session& session_;
};

}  // namespace orthochron::app
