#pragma once

#include <QObject>
#include <QTimer>

#include "app/session/HeardWhileDragged.h"
#include "app/stages/tune/SungTakes.h"
#include "core/tune/Guide.h"
#include "core/tune/Tuning.h"

#include <set>
#include <span>

namespace orthochron::app {

// The notes of the chosen track, which of them are chosen, and what is done to them, each as one undo step.
class TuneHands final : public QObject {
    Q_OBJECT

public:
    TuneHands(Session& session, QObject* parent);

    // Listens to the chosen track's take and to those beside it, when nobody did.
    void look();
    // Null while it is listened to, and where there is nothing to sing.
    [[nodiscard]] const Sung* sung() const { return takes_.of(track()).get(); }
    [[nodiscard]] bool isListening() const { return takes_.isListening(); }
    [[nodiscard]] TrackId track() const { return session_.choice.track(); }
    [[nodiscard]] QString trackName() const;
    // Whether it has no single pitch, with a sentence that says so.
    [[nodiscard]] std::optional<QString> trouble() const;
    // What is asked of each note; empty without notes.
    [[nodiscard]] const std::vector<NoteTuning>& asked() const;
    [[nodiscard]] Treatment tuning() const;  // as the song has it
    // A song in which that is asked of its notes.
    [[nodiscard]] Result<Song>
    withAsked(const Song& song, const Sung& sung, const std::vector<NoteTuning>& asked) const;
    [[nodiscard]] const SungTakes& takes() const { return takes_; }

    [[nodiscard]] const std::set<std::size_t>& chosen() const { return chosen_; }
    void choose(std::set<std::size_t> notes);
    // The chosen notes, or all of them.
    [[nodiscard]] std::set<std::size_t> meant() const;
    // What a note hangs off, and the key where one looks: that of the section under the playhead, or of the
    // song.
    [[nodiscard]] Rungs rungsOf(std::size_t note) const;
    [[nodiscard]] const Scale& keyHere() const;
    [[nodiscard]] const Section* sectionHere() const;  // null outside all
    // Song time of a moment of the take; none where it is not heard.
    [[nodiscard]] std::optional<Frames> heardAt(Frames takeTime) const;

    // Does the same to each note that is meant.
    void
    change(const std::function<void(const SungNote&, NoteTuning&)>& change, const QString& name);
    void apply(const std::vector<NoteTuning>& asked, const QString& name);
    // Plays on with notes that are still being dragged, a few times a second; and no longer.
    void hearDragged(const std::vector<NoteTuning>& asked);
    void endDragging() { heard_.end(); }
    void putRightGently();
    void reset();
    void shift(double semitones);
    // Of the whole song, or of one section.
    void setKey(const Scale& key, std::optional<SectionId> section);
    void setTemperament(const Temperament& temperament);
    void setGlide(std::optional<Seconds> glide);

    // Other voices on the same ladder, where they are heard; the guide is always one of them.
    struct Voice {
        TrackId track;
        std::span<const HeardNote>
            notes;  // none while it is listened to, or where none can be told
    };
    // Good until the song or what was heard changes.
    [[nodiscard]] std::vector<Voice> beside() const;
    [[nodiscard]] bool isBeside(TrackId track) const;
    void setBeside(TrackId track, bool isShown);
    // Takes hold of one of them; the one that was held stays beside it.
    void takeUp(TrackId track);

    // Draws the notes that are meant towards those of another track.
    void setGuide(TrackId track);
    [[nodiscard]] TrackId guide() const { return guide_; }
    void follow(const GuideAmounts& amounts);
    // Brings those that are meant into time, by the amounts Fit has.
    void fitInTime();
    // Makes marks of the starts of notes, so that Fit moves them.
    void markStarts();

    void step(int by);
    // What is heard with the chosen notes: all of the song, nothing, a plain tone on the rung of each, or
    // the chord of the key.
    enum class Hearing { InSong, Alone, WithTone, WithChord };
    void setHearing(Hearing hearing) { hearing_ = hearing; }
    void hear();

    // Mean distance from the rung, in cents: as sung, and as it is now.
    [[nodiscard]] std::pair<double, double> meanOff() const;

Q_SIGNALS:
    void changed();

private:
    [[nodiscard]] Result<Song> withAsked(const std::vector<NoteTuning>& asked) const;
    // Notes of a track where they are heard, and which they are.
    [[nodiscard]] std::pair<std::vector<HeardNote>, std::vector<std::size_t>>
    heardNotes(TrackId track) const;

    Session& session_;
    SungTakes takes_;
    TrackId guide_;
    std::set<TrackId> beside_;
    // What `beside` found, for the song and the notes it was asked about.
    struct Beside {
        std::shared_ptr<const Song> song;
        std::shared_ptr<const Sung> sung;
        std::vector<HeardNote> notes;
    };
    mutable std::map<TrackId, Beside> heardBeside_;
    void attend();  // while it is heard, some times a second
    [[nodiscard]] std::shared_ptr<const engine::Trial> tonesFor(Frames from, Frames to) const;

    Hearing hearing_ = Hearing::InSong;
    bool areTonesHeld_ = false;
    QTimer attending_;
    HeardWhileDragged heard_;
    std::set<std::size_t> chosen_;
    // What is asked, as it was read from a treatment of these notes, and of which song's clips that was.
    mutable std::vector<NoteTuning> asked_;
    mutable Treatment askedBy_;
    mutable std::shared_ptr<const Sung> askedOf_;  // kept, so that no other can take its place
    mutable std::shared_ptr<const Song> askedIn_;
    mutable ClipChoice askedFor_;
};

// "A3"; 69 is A4.
[[nodiscard]] QString rungName(int midi);

}  // namespace orthochron::app
