#include "app/window/Mnemonics.h"

#include <QAction>
#include <QSet>

namespace orthochron::app {

namespace {

bool isFree(const QString& text, int place, const QSet<QChar>& taken)
{
    const QChar letter = text[place].toLower();
    return letter.isLetterOrNumber() && !taken.contains(letter);
}

// Where the letter stands: -1 when all of them are taken.
int placeFor(const QString& text, const QSet<QChar>& taken)
{
    for (const bool atBeginning : {true, false}) {
        for (int i = 0; i < text.size(); ++i) {
            const bool begins = i == 0 || text[i - 1] == QLatin1Char(' ');
            if ((begins || !atBeginning) && isFree(text, i, taken)) {
                return i;
            }
        }
    }
    return -1;
}

}  // namespace

void giveMnemonics(const QList<QAction*>& actions)
{
    QSet<QChar> taken;
    for (QAction* action : actions) {
        if (action->isSeparator()) {
            continue;
        }
        QString text = action->text().remove(QLatin1Char('&'));
        const int place = placeFor(text, taken);
        if (place >= 0) {
            taken.insert(text[place].toLower());
            text.insert(place, QLatin1Char('&'));
        }
        action->setText(text);
    }
}

}  // namespace orthochron::app
