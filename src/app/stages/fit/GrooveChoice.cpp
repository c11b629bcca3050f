#include "app/stages/fit/GrooveChoice.h"

#include <QStandardPaths>

#include "app/document/FileNames.h"
#include "core/edits/GrooveEdits.h"
#include "core/files/GrooveFile.h"
#include "core/files/GrooveLibrary.h"

namespace orthochron::app {

namespace {

constexpr int kNameRole = Qt::UserRole + 1;

}  // namespace

GrooveChoice::GrooveChoice(Session& session, QWidget* parent) : QComboBox(parent), session_(session)
{
    setObjectName(QStringLiteral("groove"));
    setAccessibleName(tr("Groove"));
    setToolTip(tr("Hits are moved towards this feel."));
    connect(this, &QComboBox::activated, this, &GrooveChoice::choose);
    connect(&session_.document, &Document::songChanged, this, &GrooveChoice::fill);
    readLibrary();
    fill();
}

void GrooveChoice::readLibrary()
{
    library_ = groovesIn(libraryFolder().toStdString());
}

QString GrooveChoice::libraryFolder()
{
    return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) +
           QStringLiteral("/grooves");
}

void GrooveChoice::addGroove(const QString& text, Item item, const Groove& groove)
{
    addItem(text, static_cast<int>(item));
    setItemData(count() - 1, QString::fromStdString(groove.name), kNameRole);
    if (groove == session_.fitting.request.fit.groove) {
        setCurrentIndex(count() - 1);
    }
}

void GrooveChoice::fill()
{
    clear();
    addItem(tr("performance's feel"), static_cast<int>(Item::Own));
    for (const Groove& groove : library_) {
        addGroove(
            tr("%1 (yours)").arg(QString::fromStdString(groove.name)), Item::InLibrary, groove
        );
    }
    for (const Groove& groove : session_.song().grooves) {
        addGroove(QString::fromStdString(groove.name), Item::InSong, groove);
    }
    const bool isChosen = !session_.fitting.request.fit.groove.isEmpty();
    if (isChosen && currentIndex() == 0) {
        // A fit made with a groove that was taken off the lists since.
        addGroove(
            QString::fromStdString(session_.fitting.request.fit.groove.name),
            Item::Own,
            session_.fitting.request.fit.groove
        );
    }
    insertSeparator(count());
    const auto action = [&](const QString& text, Item item) {
        addItem(text, static_cast<int>(item));
    };
    if (!isChosen) {
        action(tr("Save groove…"), Item::Keep);
    }
    action(tr("Save for all songs"), Item::KeepForAll);
    action(tr("Import groove…"), Item::Import);
    action(tr("Export groove…"), Item::Export);
    if (isChosen) {
        action(tr("Delete groove"), Item::Forget);
    }
}

void GrooveChoice::choose(int index)
{
    const std::string name = itemData(index, kNameRole).toString().toStdString();
    const auto named = [&](const std::vector<Groove>& grooves) {
        const auto found = std::ranges::find(grooves, name, &Groove::name);
        return found == grooves.end() ? Groove{} : *found;
    };
    switch (static_cast<Item>(itemData(index).toInt())) {
    case Item::Own:
        if (name.empty()) {
            take({});
        }
        break;
    case Item::InSong: take(named(session_.song().grooves)); break;
    case Item::InLibrary: take(named(library_)); break;
    case Item::Keep: keepInSong(); break;
    case Item::KeepForAll: keepForAll(); break;
    case Item::Import: importFile(); break;
    case Item::Export: exportFile(); break;
    case Item::Forget: forget(); break;
    }
    fill();
}

void GrooveChoice::take(Groove groove)
{
    session_.fitting.request.fit.groove = std::move(groove);
    session_.fitting.requestChanged();
}

Groove GrooveChoice::present() const
{
    if (!session_.fitting.request.fit.groove.isEmpty()) {
        return session_.fitting.request.fit.groove;
    }
    const MicSet* set = session_.choice.set();
    const Grid grid(session_.song().tempo, session_.fitting.request.grid);
    return grooveOf(
        session_.fitting.preview().performance,
        grid,
        set != nullptr ? set->name : session_.song().name
    );
}

void GrooveChoice::tell(const Result<void>& done, const QString& sentence)
{
    if (done) {
        session_.say(sentence);
    } else {
        Q_EMIT session_.failed(done.error());
    }
}

void GrooveChoice::keepInSong()
{
    session_.document.apply(orthochron::addGroove(session_.song(), present()), tr("Save groove"));
}

void GrooveChoice::keepForAll()
{
    const Groove groove = present();
    tell(
        keepGroove(groove, libraryFolder().toStdString()),
        tr("%1 saved for all songs").arg(QString::fromStdString(groove.name))
    );
    readLibrary();
}

void GrooveChoice::importFile()
{
    const QString path = askForFile(window(), tr("Import groove"), tr("Grooves (*.mid *.json)"));
    if (path.isEmpty()) {
        return;
    }
    const Song& song = session_.song();
    const auto groove =
        readGroove(fileOf(path), song.tempo.meterOfBar(1), session_.fitting.request.grid);
    session_.document.apply(
        groove ? orthochron::addGroove(song, *groove)
               : Result<Song>(tl::unexpected(groove.error())),
        tr("Import groove")
    );
}

void GrooveChoice::exportFile()
{
    const Groove groove = present();
    const QString path = askForNewFile(
        window(),
        tr("Export groove"),
        QString::fromStdString(groove.name) + QStringLiteral(".json"),
        tr("Grooves (*.mid *.json)")
    );
    if (!path.isEmpty()) {
        tell(writeGroove(groove, fileOf(path)), tr("Groove exported to %1").arg(path));
    }
}

void GrooveChoice::forget()
{
    const std::string name = session_.fitting.request.fit.groove.name;
    const bool isOfSong = std::ranges::find(session_.song().grooves, name, &Groove::name) !=
                          session_.song().grooves.end();
    take({});
    if (isOfSong) {
        session_.document.apply(removeGroove(session_.song(), name), tr("Delete groove"));
    } else {
        tell(
            forgetGroove(name, libraryFolder().toStdString()),
            tr("%1 deleted").arg(QString::fromStdString(name))
        );
        readLibrary();
    }
}

}  // namespace orthochron::app
