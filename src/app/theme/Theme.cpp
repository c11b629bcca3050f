#include "app/theme/Theme.h"

#include <QApplication>
#include <QFontDatabase>
#include <QPalette>
#include <QSettings>
#include <QStyleFactory>
#include <QWidget>

#include <array>

// The library is static: its resources are there only when asked for by name, outside namespaces.
static void loadResources()
{
    Q_INIT_RESOURCE(resources);
}

namespace orthochron::app {

namespace {

const Palette kDay{
    QColor(0xF3EDE0),
    QColor(0xFBF8F0),
    QColor(0xE6DDCB),
    QColor(0x22303C),
    QColor(0x5E6872),
    QColor(0xE0D7C5),
    QColor(0xB7AB92),
    QColor(0x3A4B5A),
    QColor(0xC9CDCB),
    QColor(0xF2DC9B),
    QColor(0x4350B0),
    QColor(0xC2411F),
    QColor(0x7A2E5D)};
const Palette kNight{
    QColor(0x1E2730),
    QColor(0x232E39),
    QColor(0x2C3945),
    QColor(0xEDE6D6),
    QColor(0xA9B2B6),
    QColor(0x34424F),
    QColor(0x5A6A77),
    QColor(0xAFBCC4),
    QColor(0x47545F),
    QColor(0x6B5D33),
    QColor(0x98A5FF),
    QColor(0xFF8D6E),
    QColor(0xE89CCB)};

Sheet current = Sheet::Day;
double scale = 1.0;

}  // namespace

const Palette& Theme::palette()
{
    return current == Sheet::Day ? kDay : kNight;
}

Sheet Theme::sheet()
{
    return current;
}

void Theme::setSheet(Sheet sheet)
{
    current = sheet;
    restyle();
}

void Theme::setFontScale(double wanted)
{
    scale = std::clamp(wanted, 0.9, 1.5);
    restyle();
}

double Theme::fontScale()
{
    return scale;
}

void Theme::keep()
{
    QSettings settings;
    settings.setValue(QStringLiteral("darkTheme"), current == Sheet::Night);
    settings.setValue(QStringLiteral("typeSize"), scale);
}

void Theme::restore()
{
    const QSettings settings;
    current = settings.value(QStringLiteral("darkTheme")).toBool() ? Sheet::Night : Sheet::Day;
    setFontScale(settings.value(QStringLiteral("typeSize"), 1.0).toDouble());
}

void Theme::install()
{
    loadResources();
    for (const char* name :
         {"Barlow_400Regular",
          "Barlow_500Medium",
          "Barlow_600SemiBold",
          "BarlowSemiCondensed_400Regular",
          "BarlowSemiCondensed_500Medium",
          "BarlowSemiCondensed_600SemiBold"}) {
        QFontDatabase::addApplicationFont(QStringLiteral(":/fonts/%1.ttf").arg(QLatin1String(name))
        );
    }
    QApplication::setStyle(QStyleFactory::create(QStringLiteral("Fusion")));
    restyle();
}

QFont Theme::text(double points, QFont::Weight weight)
{
    QFont font(QStringLiteral("Barlow"));
    font.setPixelSize(qRound(points * 1.4 * scale));
    font.setWeight(weight);
    return font;
}

QFont Theme::label(double points, QFont::Weight weight)
{
    QFont font(QStringLiteral("Barlow Semi Condensed"));
    font.setPixelSize(qRound(points * 1.4 * scale));
    font.setWeight(weight);
    return font;
}

QColor Theme::colourOf(double deviationMs, double toleranceMs)
{
    if (std::abs(deviationMs) <= toleranceMs) {
        return palette().ink;
    }
    return deviationMs > 0.0 ? palette().late : palette().early;
}

double Theme::leanOf(double x, double lineX, double deviationMs)
{
    constexpr double kLeastPerMs = 0.8;  // px
    const double least = kLeastPerMs * std::abs(deviationMs);
    const double straight = lineX - x;
    return std::abs(straight) >= least ? straight : (deviationMs > 0.0 ? -least : least);
}

void Theme::restyle()
{
    const Palette& p = palette();
    QPalette colours;
    colours.setColor(QPalette::Window, p.paper);
    colours.setColor(QPalette::WindowText, p.ink);
    colours.setColor(QPalette::Base, p.lane);
    colours.setColor(QPalette::AlternateBase, p.paper);
    colours.setColor(QPalette::Text, p.ink);
    colours.setColor(QPalette::Button, p.paper);
    colours.setColor(QPalette::ButtonText, p.ink);
    colours.setColor(QPalette::Highlight, p.straw);
    colours.setColor(QPalette::HighlightedText, p.ink);
    colours.setColor(QPalette::PlaceholderText, p.secondInk);
    colours.setColor(QPalette::ToolTipBase, p.lane);
    colours.setColor(QPalette::ToolTipText, p.ink);
    for (const auto role : {QPalette::Text, QPalette::ButtonText, QPalette::WindowText}) {
        colours.setColor(QPalette::Disabled, role, p.secondInk);
    }
    QApplication::setPalette(colours);
    QApplication::setFont(text());
    const QString style =
        QStringLiteral(
            "QPushButton{border:1px solid %1;border-radius:4px;padding:5px "
            "14px;background:transparent;color:%1;font-weight:600}"
            "QPushButton:hover{background:%2}QPushButton:focus{border:2px solid %1;padding:4px "
            "13px}"
            "QPushButton:disabled{border-color:%3;color:%3}"
            "QPushButton[main=\"true\"]{background:%1;color:%4}QPushButton[main=\"true\"]:disabled{"
            "background:%3;color:%4}"
            "QPushButton:checked{background:%1;color:%4}"
            "QComboBox,QLineEdit,QSpinBox{border:1px solid %5;border-radius:3px;padding:2px "
            "6px;background:%6;color:%1;selection-background-color:%7;selection-color:%1}"
            "QComboBox:focus,QLineEdit:focus{border:2px solid %1;padding:1px 5px}"
            "QMenuBar{background:%2;color:%1;padding:0 4px}QMenuBar::item{padding:3px "
            "8px;background:transparent}QMenuBar::item:selected{background:%6}"
            "QMenu{background:%6;color:%1;border:1px solid %5}QMenu::item{padding:4px "
            "24px}QMenu::item:selected{background:%7}QMenu::item:disabled{color:%3}"
            "QToolTip{background:%6;color:%1;border:1px solid %5}"
            "QCheckBox{color:%1}QTableWidget{background:%6;gridline-color:%5}QHeaderView::section{"
            "background:%2;color:%1;border:0;padding:4px}"
            "QDialogButtonBox{dialogbuttonbox-buttons-have-icons:0}"
            "QScrollBar{background:%4;border:0;margin:0}"
            "QScrollBar:vertical{width:11px}QScrollBar:horizontal{height:11px}"
            "QScrollBar::handle{background:%5;border-radius:4px;margin:2px}"
            "QScrollBar::handle:vertical{min-height:28px}QScrollBar::handle:horizontal{min-width:"
            "28px}QScrollBar::handle:hover{background:%3}"
            "QScrollBar::add-line,QScrollBar::sub-line{width:0;height:0}"
            "QScrollBar::add-page,QScrollBar::sub-page{background:transparent}"
            "QComboBox::drop-down{border:0;width:18px;subcontrol-position:center right}"
            "QComboBox::down-arrow{image:url(:/icons/%8);width:9px;height:6px}"
            "QComboBox QAbstractItemView{background:%6;color:%1;border:1px solid %5;"
            "selection-background-color:%7;selection-color:%1;outline:0}"
            "QCheckBox::indicator{width:13px;height:13px;border:1px solid %1;border-radius:3px;"
            "background:%6}QCheckBox::indicator:checked{image:url(:/icons/%9)}"
            "QCheckBox::indicator:disabled{border-color:%5}"
            "QMenu::separator{height:1px;background:%5;margin:4px 8px}"
            "QSplitter::handle{background:%2}"
        )
            .arg(
                p.ink.name(),
                p.edge.name(),
                p.secondInk.name(),
                p.paper.name(),
                p.barLine.name(),
                p.lane.name(),
                p.straw.name(),
                sheet() == Sheet::Day ? QStringLiteral("down-day.svg")
                                      : QStringLiteral("down-night.svg"),
                sheet() == Sheet::Day ? QStringLiteral("tick-day.svg")
                                      : QStringLiteral("tick-night.svg")
            );
    if (auto* application = qobject_cast<QApplication*>(QCoreApplication::instance())) {
        application->setStyleSheet(style);
        for (QWidget* widget : QApplication::allWidgets()) {
            widget->update();
        }
    }
}

}  // namespace orthochron::app
