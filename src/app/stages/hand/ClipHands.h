#pragma once

#include <QObject>

#include "app/session/Session.h"
#include "core/edits/ClipEdits.h"
#include "core/edits/ClipValues.h"
#include "core/edits/JoinEdits.h"
#include "core/edits/StretchEdits.h"
#include "core/stretch/MaterialGuess.h"

namespace orthochron::app {

// Takes hold of clips: what the keys and buttons of Fit's By hand way do, in every stage. Each edit
// goes to all microphones of the set.
class ClipHands final : public QObject {
    Q_OBJECT

public:
    enum class Snap { Grid, Marks, Edges, Off };

    ClipHands(Session& session, QObject* parent);

    HandSettings settings;
    Snap snap = Snap::Grid;

    // What an edit would go to: the chosen clips, else those in the chosen range, else the one
    // under the playhead on the chosen track.
    [[nodiscard]] ClipChoice scope() const;
    [[nodiscard]] QString scopeText() const;

    // Does an edit of so many clips under a name that Undo shows.
    void apply(Result<Song> edited, const QString& what, std::size_t clips);

    void splitAtPlayhead();
    void splitAtMarks();
    void splitAtGrid();
    void join();
    void remove();
    void mute();
    void reverse();
    void lock();
    void lockSet();
    void copy();
    void cut();  // copies and deletes
    void paste();
    void duplicate(int times);
    void gain(double decibels, bool isRelative);
    // Where ends meet a neighbour it asks: they give up their crossfade for fades, or it gets the length.
    void fade(const FadeChange& change);
    // Pitch, length or material; a clip that was as recorded is listened to first, so that it is
    // stretched as what it is.
    void stretch(const ClipStretch& change);
    void shift(double semitones);  // each from the pitch it has
    void lastBeats(double beats);  // makes clips last so many beats of the song where they begin
    // As long as it is when what was played at a tempo runs at the song's.
    void playedAt(double bpm);
    void nudge(Seconds by);
    void slip(Seconds by);
    void toTrack(int by);
    void chooseRange();
    void step(int by);

Q_SIGNALS:
    void changed();

private:
    void fadeMet(const ClipChoice& choice, FadeChange change);
    void sayFade(const ClipChoice& choice, const FadeChange& asked);
    void lay(const CopiedClips& copied, Frames at, int times, const QString& what);
    [[nodiscard]] std::vector<TrackId> setTracks() const;

    Session& session_;
    std::optional<CopiedClips> copied_;
};

}  // namespace orthochron::app
