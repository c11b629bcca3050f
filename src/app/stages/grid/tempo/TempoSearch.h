#pragma once

#include <QTimer>

#include "app/session/Session.h"
#include "core/stretch/Material.h"
#include "core/tempo/Tempo.h"

#include <functional>

namespace orthochron::app {

// The tempo of the chosen track's take being found: its readings, the one that is looked at, and what
// was typed instead. It belongs to that take, and is shown no more when another one is chosen.
class TempoSearch final : public QObject {
    Q_OBJECT

public:
    TempoSearch(Session& session, QObject* parent);

    // ---- the take that is asked about
    [[nodiscard]] std::shared_ptr<const Track> track() const;  // null for none
    [[nodiscard]] Seconds length() const;                      // of its take; 0 for none

    TempoRange range;
    void search();
    // Of the take that is chosen; null before it was searched.
    [[nodiscard]] const TempoFound* found() const;

    [[nodiscard]] std::size_t place() const { return place_; }  // of the reading looked at
    void choose(std::size_t place);

    // What the take's tempo is said to be: that of the reading, or what was typed. 0 for nothing yet.
    [[nodiscard]] double bpm() const { return bpm_; }
    void setBpm(double bpm);
    [[nodiscard]] double beats() const { return length().count() * bpm_ / 60.0; }
    void setBeats(double beats);

    // What it shall last in the song once it is stretched: as many beats as it has, unless said otherwise.
    [[nodiscard]] double wantedBeats() const { return wanted_.value_or(beats()); }
    void setWantedBeats(double beats);

    // The whole number of beats that bars would make of a loop that is cut almost to length; none for no such.
    [[nodiscard]] std::optional<double> wholeBars() const;
    // The tempo in the take's name, and the whole number that is nearly what was found; none for no such.
    [[nodiscard]] std::optional<double> inName() const;
    [[nodiscard]] std::optional<double> roundValue() const;

    // Where its first beat is heard, song time; where the take begins to be heard, when nothing was found.
    [[nodiscard]] Seconds firstBeat() const;
    void giveToSong();  // its tempo, and bar 1 on its first beat
    // The other way round: stretches the take so that it lasts what it shall at the song's tempo, its first beat on
    // the nearest one of the song.
    [[nodiscard]] std::optional<Material> material() const { return material_; }
    void setMaterial(std::optional<Material> material
    );  // guessed from the sound when none is given
    void stretchToSong();
    // Plays the song there as it would be then, without changing it; once more to end it. Another material or
    // length is heard at once meanwhile.
    void hearStretched();
    [[nodiscard]] bool isStretchedHeard() const { return isTrying_; }
    // Gives the take's clips the gain that makes them as loud as all else is while they play.
    void matchLevel();

    // The take alone with a click on the beats it is said to have, from its first one on; once more to end it.
    // Another reading or tempo is heard at once meanwhile.
    void hear();
    [[nodiscard]] bool isHeard() const { return attending_.isActive() && !isTrying_; }

Q_SIGNALS:
    void changed();
    void hearingChanged();

private:
    struct Key {
        TakeId take;
        int channel = 0;

        bool operator==(const Key&) const = default;
    };
    [[nodiscard]] std::optional<Key> key() const;
    void refresh();
    void attend();
    // Makes the song with the take stretched, on a lane of its own, and gives it on with what was its clip.
    void makeStretched(const std::function<void(Result<Song>, const Clip&)>& use);
    void tryAgain();
    [[nodiscard]] std::optional<TempoMap>
    saidMap() const;  // as the take is said to be; none for nothing yet

    Session& session_;
    std::optional<Key> of_;  // the take that all below is about
    bool isSearched_ = false;
    TempoFound found_;
    std::size_t place_ = 0;
    double bpm_ = 0.0;
    std::optional<double> wanted_;  // beats
    std::optional<Material> material_;
    QTimer attending_;       // as long as it is heard
    bool isTrying_ = false;  // what is heard is stretched
};

}  // namespace orthochron::app
