#include "app/window/Help.h"

#include <QCoreApplication>
#include <QDialog>
#include <QDialogButtonBox>
#include <QLabel>
#include <QPushButton>
#include <QStyle>
#include <QVBoxLayout>

#include "app/theme/Theme.h"

namespace orthochron::app {

namespace {

QString said(const char* words)
{
    return QCoreApplication::translate("Help", words);
}

QLabel* paragraph(const QString& text, QWidget* parent)
{
    auto* label = new QLabel(text, parent);
    label->setTextFormat(Qt::PlainText);
    label->setWordWrap(true);
    label->setTextInteractionFlags(Qt::TextSelectableByMouse);
    return label;
}

}  // namespace

bool showTour(QWidget* parent)
{
    QDialog dialog(parent);
    dialog.setObjectName(QStringLiteral("tour"));
    dialog.setWindowTitle(said("Tour"));
    auto* layout = new QVBoxLayout(&dialog);
    layout->setSpacing(7);
    for (const char* step :
         {"1  Takes: drop sound files on the window. Group files recorded together as a mic set; "
          "single tracks work as well.",
          "2  Grid: type the tempo and meter, or drag bar 1 onto the first downbeat.",
          "3  Marks: F finds the hits, on the leads of a mic set or on a single track. D and A "
          "step through them, arrow keys nudge by a sample.",
          "4  Fit: every hit leans towards its grid line. Correct drift (slow running ahead or "
          "behind), feel (what the player does every bar) and strays (mistakes), each by its own "
          "amount; F cuts and joins.",
          "5  R switches between recorded and edited while it plays, at matched loudness; Alt+Left "
          "and "
          "Alt+Right play slower and faster.",
          "6  Joins: every join as a frame, worst first. H plays it, N mends it, Y accepts it.",
          "7  Tune: the notes of a voice or a bass on a semitone scale. Drag a note to move it; F "
          "corrects all gently.",
          "8  Shape: drag over bars and press Shift+H to hush (silence) them, Shift+F fades the "
          "song out; click the line in a lane to draw its level.",
          "9  Print: the mix or the tracks. The files to be written are listed first.",
          "Nothing is permanent: fit again with other values at any time. Undo reaches back two "
          "hundred steps, even after reopening."}) {
        layout->addWidget(paragraph(said(step), &dialog));
    }
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, &dialog);
    auto* open = buttons->addButton(said("Open demo song"), QDialogButtonBox::AcceptRole);
    open->setObjectName(QStringLiteral("openDemo"));
    open->setProperty("main", true);
    open->style()->polish(open);  // it was styled as it was added
    layout->addWidget(buttons);
    QObject::connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
    QObject::connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
    dialog.setMinimumWidth(560);
    return dialog.exec() == QDialog::Accepted;
}

void showAbout(QWidget* parent)
{
    QDialog dialog(parent);
    dialog.setObjectName(QStringLiteral("about"));
    dialog.setWindowTitle(said("About Orthochron"));
    auto* layout = new QVBoxLayout(&dialog);
    auto* title = paragraph(
        QStringLiteral("Orthochron %1").arg(QCoreApplication::applicationVersion()), &dialog
    );
    title->setFont(Theme::text(13, QFont::DemiBold));
    layout->addWidget(title);
    layout->addWidget(paragraph(
        said("Fits recorded performances to the song's grid and keeps their natural feel."), &dialog
    ));
    layout->addWidget(paragraph(
        said(
            "Free software under the GNU General Public License, version 3 or later. The fonts are "
            "Barlow and Barlow Semi Condensed, under the SIL Open Font License."
        ),
        &dialog
    ));
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, &dialog);
    layout->addWidget(buttons);
    QObject::connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
    dialog.setMinimumWidth(460);
    dialog.exec();
}

}  // namespace orthochron::app
