#pragma once

#include <QElapsedTimer>
#include <QObject>

#include "app/session/Session.h"
#include "core/edits/TuneEdits.h"
#include "core/tune/Tuning.h"

#include <set>

namespace orthochron::app {

// The notes of a take, as they were sung.
struct Sung {
    std::vector<PitchFrame> curve;
    std::vector<SungNote> notes;
    double pitched = 0.0;  // of what is loud, with the pitch of one note
    Scale key;             // that the notes' rungs are of
};

// The notes of the chosen track, which of them are chosen, and what is done to them, each as one undo step.
class TuneHands final : public QObject {
    Q_OBJECT

public:
    TuneHands(Session& session, QObject* parent);

    // Listens to the chosen track's take, when nobody did.
    void look();
    // Null while it is listened to, and where there is nothing to sing.
    [[nodiscard]] const Sung* sung() const;
    [[nodiscard]] bool isListening() const { return isListening_; }
    [[nodiscard]] TrackId track() const { return session_.choice.track(); }
    [[nodiscard]] QString trackName() const;
    // Whether it has no single pitch, with a sentence that says so.
    [[nodiscard]] std::optional<QString> trouble() const;
    // What is asked of each note; empty without notes.
    [[nodiscard]] const std::vector<NoteTuning>& asked() const;
    [[nodiscard]] Treatment tuning() const;  // as the song has it

    [[nodiscard]] const std::set<std::size_t>& chosen() const { return chosen_; }
    void choose(std::set<std::size_t> notes);
    // The chosen notes, or all of them.
    [[nodiscard]] std::set<std::size_t> meant() const;
    // Song time of a moment of the take; none where it is not heard.
    [[nodiscard]] std::optional<Frames> heardAt(Frames takeTime) const;

    // Does the same to each note that is meant.
    void
    change(const std::function<void(const SungNote&, NoteTuning&)>& change, const QString& name);
    void apply(const std::vector<NoteTuning>& asked, const QString& name);
    // Plays on with notes that are still being dragged, a few times a second; and no longer.
    void hearDragged(const std::vector<NoteTuning>& asked);
    void endDragging();
    void putRightGently();
    void reset();
    void shift(double semitones);
    void setKey(const Scale& key);
    void step(int by);
    void hear();

    // Mean distance from the rung, in cents: as sung, and as it is now.
    [[nodiscard]] std::pair<double, double> meanOff() const;

Q_SIGNALS:
    void changed();

private:
    struct Place {
        TakeId take;
        int channel = 0;
        auto operator<=>(const Place&) const = default;
    };
    [[nodiscard]] std::optional<Place> place() const;
    [[nodiscard]] Frames takeLength() const;
    [[nodiscard]] Result<Song> withAsked(const std::vector<NoteTuning>& asked) const;
    void songChanged();

    Session& session_;
    std::map<Place, std::shared_ptr<Sung>> known_;
    bool isListening_ = false;
    QElapsedTimer lastHeard_;
    std::set<std::size_t> chosen_;
    // What is asked, as it was read from this treatment of these notes.
    mutable std::vector<NoteTuning> asked_;
    mutable Treatment askedBy_;
    mutable std::shared_ptr<const Sung> askedOf_;  // kept, so that no other can take its place
};

// "A3"; 69 is A4.
[[nodiscard]] QString rungName(int midi);

}  // namespace orthochron::app
