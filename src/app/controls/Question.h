#pragma once

#include <QMessageBox>

namespace orthochron::app {

// Asks whether to do something. The words may hold names out of a song: they are shown as they
// stand, never read as markup.
[[nodiscard]] inline bool askYes(QWidget* parent, const QString& title, const QString& text)
{
    // Without a picture: the words ask.
    QMessageBox box(
        QMessageBox::NoIcon, title, QString(), QMessageBox::Yes | QMessageBox::No, parent
    );
    box.setTextFormat(Qt::PlainText);
    box.setText(text);
    return box.exec() == QMessageBox::Yes;
}

}  // namespace orthochron::app
