#pragma once

#include <QString>

namespace orthochron::app {

// The argument with which the tests' program is that child: the song's file follows it.
constexpr const char* kEditingChild = "--edit-until-killed";

// Edits, saves and is autosaved without end. Writes a line "NUMBER MILLISECONDS" to standard output
// after each edit: its number, which is then the song's name, and the clock's time.
[[noreturn]] void editUntilKilled(const QString& song, unsigned seed);

}  // namespace orthochron::app
