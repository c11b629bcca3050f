#pragma once

#include <QObject>

#include "app/session/Session.h"
#include "core/edits/TuneEdits.h"
#include "core/tune/SungNotes.h"

namespace orthochron::app {

// The notes of a track's take: as they were decided by hand where they were, and off the rungs of the
// keys they are heard in.
struct Sung {
    std::vector<PitchFrame> curve;
    std::vector<SungNote> notes;
    double pitched = 0.0;  // of what is loud, with the pitch of one note

    // Whether it has notes that can be told.
    [[nodiscard]] bool isOneVoice() const { return !notes.empty() && pitched >= kLeastOneVoice; }
};

// The notes of all tracks that were listened to. A take is listened to once; what the song says of it is
// laid over that when it is asked for.
class SungTakes final : public QObject {
    Q_OBJECT

public:
    SungTakes(Session& session, QObject* parent);

    // Listens to a track's take, when nobody did.
    void look(TrackId track);
    [[nodiscard]] bool isListening() const { return session_.jobs.isRunning(kListening); }
    // Null while it is listened to, and where there is nothing to sing.
    [[nodiscard]] std::shared_ptr<const Sung> of(TrackId track) const;
    // As it would be in another song of the same takes: one that is about to be.
    [[nodiscard]] std::shared_ptr<const Sung> in(const Song& song, TrackId track) const;
    // The middle of the pitch that was found in a stretch of the take, in semitones; none without one.
    [[nodiscard]] std::optional<double> foundPitch(TrackId track, Frames from, Frames to) const;

Q_SIGNALS:
    void changed();

private:
    struct Place {
        TakeId take;
        int channel = 0;
        auto operator<=>(const Place&) const = default;
    };
    struct Listened {
        std::vector<PitchFrame> curve;
        double pitched = 0.0;
    };
    // Notes, and what of the song they were made for; keys of sections depend on where bars lie.
    struct Derived {
        std::shared_ptr<const Song> song;
        std::shared_ptr<const Listened> listened;
        std::shared_ptr<const Track> track;
        std::shared_ptr<const Sung> sung;
    };
    [[nodiscard]] std::shared_ptr<const Listened> listenedTo(const Song& song, TrackId track) const;
    [[nodiscard]] static std::shared_ptr<const Sung>
    derive(const Listened& listened, const Song& song, const Track& track, const Derived* before);

    Session& session_;
    inline static const QString kListening = QStringLiteral("notes");  // the job's key
    std::map<Place, std::shared_ptr<const Listened>> listened_;
    mutable std::map<TrackId, Derived> derived_;
};

}  // namespace orthochron::app
