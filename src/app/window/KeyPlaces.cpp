#include "app/window/KeyPlaces.h"

#include <QAbstractButton>
#include <QAbstractItemView>
#include <QComboBox>

#include "app/controls/NumberField.h"
#include "app/views/FrameSheet.h"
#include "app/window/StageRail.h"

namespace orthochron::app {

namespace {

// X11 and Wayland count the same keys in the same way: eight more than the kernel does.
constexpr quint32 kScanOfOne = 10;
constexpr quint32 kScanLeftOfOne = 49;

template<class... T>
bool isOneOf(const QWidget* widget)
{
    return (... || (qobject_cast<const T*>(widget) != nullptr));
}

}  // namespace

std::optional<int> digitOf(const QKeyEvent& event)
{
    const quint32 scan = event.nativeScanCode();
    const auto modifiers = event.modifiers() & ~Qt::KeypadModifier;
    if (modifiers != Qt::NoModifier || scan < kScanOfOne || scan >= kScanOfOne + 9) {
        return std::nullopt;
    }
    return static_cast<int>(scan - kScanOfOne) + 1;
}

bool isLeftOfOne(const QKeyEvent& event)
{
    return event.nativeScanCode() == kScanLeftOfOne ||
           (event.nativeScanCode() == 0 &&
            (event.key() == Qt::Key_QuoteLeft || event.key() == Qt::Key_AsciiCircum));
}

QString characterLeftOfOne(const QLocale& locale)
{
    switch (locale.language()) {
    case QLocale::German:
        return locale.territory() == QLocale::Switzerland ? QStringLiteral("§")
                                                          : QStringLiteral("^");
    case QLocale::French:
        switch (locale.territory()) {
        case QLocale::Canada: return QStringLiteral("#");
        case QLocale::Switzerland: return QStringLiteral("§");
        default: return QStringLiteral("²");
        }
    case QLocale::Italian:
    case QLocale::Portuguese: return QStringLiteral("\\");
    case QLocale::Spanish: return QStringLiteral("º");
    case QLocale::Swedish:
    case QLocale::Finnish: return QStringLiteral("§");
    case QLocale::NorwegianBokmal:
    case QLocale::NorwegianNynorsk: return QStringLiteral("|");
    case QLocale::Danish: return QStringLiteral("½");
    case QLocale::Czech:
    case QLocale::Slovak: return QStringLiteral(";");
    case QLocale::Hungarian: return QStringLiteral("0");
    case QLocale::Turkish: return QStringLiteral("\"");
    default: return QStringLiteral("`");
    }
}

bool belongsToFocus(const QKeyEvent& event, const QWidget* focus)
{
    switch (event.key()) {
    case Qt::Key_Up:
    case Qt::Key_Down:
    case Qt::Key_Left:
    case Qt::Key_Right:
        return !event.modifiers().testFlag(Qt::ControlModifier) &&
               isOneOf<NumberField, FrameSheet, QComboBox, StageRail, QAbstractItemView>(focus);
    case Qt::Key_Space:
        return event.modifiers() == Qt::NoModifier &&
               isOneOf<QAbstractButton, QComboBox, QAbstractItemView>(focus);
    default: return false;
    }
}

}  // namespace orthochron::app
