#pragma once

#include <QKeyEvent>
#include <QLocale>

namespace orthochron::app {

// What a keyboard's layout must not move: keys told by where they lie, not by what they write. A French
// or a Czech keyboard has other characters where the digits are.

// 1 to 9 for the keys of the upper row, pressed alone.
[[nodiscard]] std::optional<int> digitOf(const QKeyEvent& event);
// The key left of 1.
[[nodiscard]] bool isLeftOfOne(const QKeyEvent& event);
// What it writes on a keyboard of that language.
[[nodiscard]] QString characterLeftOfOne(const QLocale& locale);

// Whether a key belongs to the widget that has the focus before it is a shortcut: arrows in fields,
// lists and sheets of frames, Space on what it presses.
[[nodiscard]] bool belongsToFocus(const QKeyEvent& event, const QWidget* focus);

}  // namespace orthochron::app
