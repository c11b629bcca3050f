#include "app/stages/Bench.h"

#include "app/theme/Theme.h"

namespace orthochron::app {

namespace {

// Names out of a song are shown as they stand, never read as markup.
QLabel* plainLabel(const QString& text, QWidget* parent)
{
    auto* label = new QLabel(parent);
    label->setTextFormat(Qt::PlainText);
    label->setText(text);
    return label;
}

}  // namespace

QPushButton* benchButton(const QString& text, const QString& name, bool isMain, QWidget* parent)
{
    auto* button = new QPushButton(text, parent);
    button->setObjectName(name);
    button->setProperty("main", isMain);
    button->setAccessibleName(text);
    button->setAutoDefault(false);
    return button;
}

QPushButton* benchWay(const QString& text, const QString& name, QWidget* parent)
{
    auto* way = new QPushButton(text, parent);
    way->setObjectName(name);
    way->setCheckable(true);
    way->setFlat(true);
    way->setStyleSheet(QStringLiteral("QPushButton{border:0;padding:2px 6px}"
                                      "QPushButton:checked{font-weight:600;"
                                      "text-decoration:underline}"));
    return way;
}

QLabel* benchTitle(const QString& text, QWidget* parent)
{
    auto* label = plainLabel(text, parent);
    label->setFont(Theme::text(10.5, QFont::DemiBold));
    return label;
}

QLabel* benchNote(const QString& text, QWidget* parent)
{
    auto* label = plainLabel(text, parent);
    label->setFont(Theme::label(9));
    label->setForegroundRole(QPalette::PlaceholderText);
    label->setWordWrap(true);
    label->setAlignment(Qt::AlignTop | Qt::AlignLeft);
    return label;
}

QVBoxLayout* benchColumn(QWidget* widget)
{
    constexpr int kApart = 5;
    auto* column = new QVBoxLayout(widget);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(kApart);
    return column;
}

}  // namespace orthochron::app
