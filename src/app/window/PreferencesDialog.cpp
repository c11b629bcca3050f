#include "app/window/PreferencesDialog.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QPushButton>

#include "app/theme/Theme.h"

#include <cmath>

namespace orthochron::app {

PreferencesDialog::PreferencesDialog(QWidget* parent) : QDialog(parent)
{
    setWindowTitle(tr("Preferences"));
    setObjectName(QStringLiteral("preferences"));
    auto* layout = new QFormLayout(this);
    auto* dark = new QCheckBox(tr("Dark theme"), this);
    dark->setObjectName(QStringLiteral("darkTheme"));
    dark->setChecked(Theme::sheet() == Sheet::Night);
    connect(dark, &QCheckBox::toggled, this, [](bool isDark) {
        Theme::setSheet(isDark ? Sheet::Night : Sheet::Day);
        Theme::keep();
    });
    auto* type = new QComboBox(this);
    type->setObjectName(QStringLiteral("typeSize"));
    for (int percent = 90; percent <= 150; percent += 10) {
        type->addItem(tr("%1 %").arg(percent), percent);
    }
    type->setCurrentIndex(
        type->findData(static_cast<int>(std::lround(Theme::fontScale() * 10.0)) * 10)
    );
    connect(type, &QComboBox::activated, this, [type] {
        Theme::setFontScale(type->currentData().toInt() / 100.0);
        Theme::keep();
    });
    auto* card = new QPushButton(tr("Sound card…"), this);
    card->setObjectName(QStringLiteral("preferSoundCard"));
    connect(card, &QPushButton::clicked, this, &PreferencesDialog::soundCardAsked);
    auto* keys = new QPushButton(tr("Shortcuts…"), this);
    keys->setObjectName(QStringLiteral("preferShortcuts"));
    connect(keys, &QPushButton::clicked, this, &PreferencesDialog::shortcutsAsked);
    layout->addRow(tr("Appearance"), dark);
    layout->addRow(tr("Type size"), type);
    layout->addRow(tr("Playback"), card);
    layout->addRow(tr("Keyboard"), keys);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    buttons->button(QDialogButtonBox::Close)->setIcon(QIcon());
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    layout->addRow(buttons);
}

}  // namespace orthochron::app
