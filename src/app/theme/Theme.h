#pragma once

#include <QColor>
#include <QFont>
#include <QString>

namespace orthochron::app {

// Everything that is drawn takes its colours from these roles, by day and by night.
struct Palette {
    QColor paper, lane, edge, ink, secondInk, hairline, barLine, wave, spare, straw, early, late,
        finding;
};

enum class Sheet { Day, Night };

// The look of the whole program: colours, type and measures, in one place.
class Theme {
public:
    [[nodiscard]] static const Palette& palette();
    [[nodiscard]] static Sheet sheet();
    static void setSheet(Sheet sheet);       // and restyles the application
    static void setFontScale(double scale);  // 0.9..1.5
    [[nodiscard]] static double fontScale();
    static void keep();     // both, for all songs
    static void restore();  // what was kept

    // Loads the fonts that ship with the program and styles the application.
    static void install();

    [[nodiscard]] static QFont text(double points = 10.0, QFont::Weight weight = QFont::Normal);
    // Narrow, for labels on the sheet and figures that stand in columns.
    [[nodiscard]] static QFont label(double points = 9.0, QFont::Weight weight = QFont::Normal);
    // Early is indigo, late is vermilion, in time is ink.
    [[nodiscard]] static QColor colourOf(double deviationMs, double toleranceMs);

    // How far the head of a leaning stroke lies from its foot at `x` towards its line at `lineX`: never
    // so little that its direction could not be seen.
    [[nodiscard]] static double leanOf(double x, double lineX, double deviationMs);

    static constexpr int kGrid = 4;  // px raster
    static constexpr int kRailWidth = 92;

private:
    static void restyle();
};

}  // namespace orthochron::app
