#pragma once

#include <QComboBox>

#include "app/session/Session.h"

namespace orthochron::app {

// The groove a fit goes towards: the player's own feel, one kept in the song, or one of the user's
// own. Grooves are taken, kept, imported and exported here.
class GrooveChoice final : public QComboBox {
    Q_OBJECT

public:
    explicit GrooveChoice(Session& session, QWidget* parent);

    [[nodiscard]] static QString libraryFolder();

private:
    enum class Item { Own, InSong, InLibrary, Keep, KeepForAll, Import, Export, Forget };

    void fill();
    void choose(int index);
    void take(Groove groove);
    void keepInSong();
    void keepForAll();
    void importFile();
    void exportFile();
    void forget();
    // The chosen groove, or else the present feel as one, named after its set.
    [[nodiscard]] Groove present() const;
    void addGroove(const QString& text, Item item, const Groove& groove);
    void tell(const Result<void>& done, const QString& sentence);
    void readLibrary();

    Session& session_;
    std::vector<Groove> library_;  // as last read: not at every edit of the song
};

}  // namespace orthochron::app
