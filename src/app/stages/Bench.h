#pragma once

#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <QWidget>

namespace orthochron::app {

// Small pieces every bench is built from, so that they look alike.
[[nodiscard]] QPushButton*
benchButton(const QString& text, const QString& name, bool isMain, QWidget* parent);
// One of several ways a bench can be looked at: named in its head, the one shown underlined.
[[nodiscard]] QPushButton* benchWay(const QString& text, const QString& name, QWidget* parent);
[[nodiscard]] QLabel* benchTitle(const QString& text, QWidget* parent);
[[nodiscard]] QLabel* benchNote(const QString& text, QWidget* parent);  // second ink, wraps

// A column of rows close together, without margins of its own.
[[nodiscard]] QVBoxLayout* benchColumn(QWidget* widget);

}  // namespace orthochron::app
