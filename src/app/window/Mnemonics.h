#pragma once

#include <QList>

class QAction;

namespace orthochron::app {

// Gives each entry of a menu an underlined letter of its own, those at the beginning of a word first.
void giveMnemonics(const QList<QAction*>& actions);

}  // namespace orthochron::app
