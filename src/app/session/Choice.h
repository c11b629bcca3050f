#pragma once

#include <QObject>

#include "app/document/Document.h"
#include "app/session/SongView.h"
#include "core/edits/ClipChoice.h"
#include "engine/playback/Player.h"

namespace orthochron::app {

// What is chosen. Whatever is no longer in the song is let go when the song changes.
class Choice final : public QObject {
    Q_OBJECT

public:
    Choice(Document& document, engine::Player& player, QObject* parent);

    [[nodiscard]] TrackId track() const { return track_; }
    void setTrack(TrackId track);
    // That of the chosen track, or the first; null for none.
    [[nodiscard]] const MicSet* set() const;
    [[nodiscard]] MarkId mark() const { return mark_; }
    void setMark(TrackId track, MarkId mark);
    [[nodiscard]] const ClipChoice& clips() const { return clips_; }
    void setClips(ClipChoice clips);
    [[nodiscard]] const std::optional<TimeRange>& range() const { return range_; }
    void setRange(std::optional<TimeRange> range);

    void forget();       // another song was opened
    void songChanged();  // says nothing: whoever calls it does

Q_SIGNALS:
    void changed();
    void trackChanged();

private:
    Document& document_;
    engine::Player& player_;
    TrackId track_;
    MarkId mark_;
    std::optional<TimeRange> range_;
    ClipChoice clips_;
};

}  // namespace orthochron::app
