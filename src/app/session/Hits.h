#pragma once

#include <QObject>

#include "app/document/Document.h"
#include "app/document/JobQueue.h"
#include "app/session/Choice.h"
#include "core/edits/HeardPlaces.h"
#include "core/edits/MarkEdits.h"

namespace orthochron::app {

// Hits being found, and where those that were are heard.
class Hits final : public QObject {
    Q_OBJECT

public:
    Hits(Document& document, Choice& choice, JobQueue& jobs, QObject* parent);

    // Of the set that was listened to last; null before.
    [[nodiscard]] const SetAnalysis* analysis() const { return analysis_.get(); }
    // Listens to the chosen set and marks what it finds; then does what is asked.
    void detect(std::function<void()> then = {});

    // A track's marks wherever its clips play them, those that are off too; in order of song time.
    [[nodiscard]] const std::vector<HeardMark>& marksOf(TrackId track) const;
    // Where a track's clips play a moment of the take its marks are of: the first that does; none when
    // none does.
    [[nodiscard]] std::optional<Frames> heardOn(TrackId track, Frames takeTime) const;
    // The moment of that take that is heard at a song time; none where its clips do not play it.
    [[nodiscard]] std::optional<Frames> takeTimeAt(TrackId track, Frames songTime) const;

    void forget();  // another song was opened

Q_SIGNALS:
    void said(const QString& sentence);
    void failed(const orthochron::Error& error);

private:
    Document& document_;
    Choice& choice_;
    JobQueue& jobs_;
    std::shared_ptr<const SetAnalysis> analysis_;
    struct TrackMarks {
        std::shared_ptr<const Track> track;  // as it was when they were looked for
        std::vector<HeardMark> marks;
    };
    struct TrackPlaces {
        std::shared_ptr<const Track> track;
        std::optional<HeardPlaces> places;
    };
    mutable std::map<TrackId, TrackMarks> marks_;
    mutable std::map<TrackId, TrackPlaces> places_;
};

}  // namespace orthochron::app
