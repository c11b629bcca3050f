#include "app/session/Hits.h"

#include "app/controls/Counted.h"
#include "app/document/Errors.h"

#include <algorithm>

namespace orthochron::app {

Hits::Hits(Document& document, Choice& choice, JobQueue& jobs, QObject* parent)
    : QObject(parent), document_(document), choice_(choice), jobs_(jobs)
{}

std::optional<Frames> Hits::heardOn(TrackId id, Frames takeTime) const
{
    TrackPlaces& known = places_[id];
    if (auto track = document_.song()->track(id); track != known.track) {
        known.places = track ? std::optional<HeardPlaces>(*track) : std::nullopt;
        known.track = std::move(track);
    }
    return known.places ? known.places->at(takeTime) : std::nullopt;
}

std::optional<Frames> Hits::takeTimeAt(TrackId id, Frames songTime) const
{
    const auto track = document_.song()->track(id);
    for (const Clip& clip : track->clips) {
        if (songTime >= clip.at && songTime < clip.end() && track->isMarked(clip)) {
            return clip.sound.takeTimeOf(clip.soundTimeOf(songTime, songTime + Frames(1)));
        }
    }
    return std::nullopt;
}

const std::vector<HeardMark>& Hits::marksOf(TrackId id) const
{
    TrackMarks& known = marks_[id];
    if (auto track = document_.song()->track(id); track != known.track) {
        known.marks = track ? marksHeard(*track, track->clips, WhichMarks::EvenOff)
                            : std::vector<HeardMark>();
        std::ranges::stable_sort(known.marks, {}, &HeardMark::at);
        known.track = std::move(track);
    }
    return known.marks;
}

void Hits::detect(std::function<void()> then)
{
    const MicSet* chosen = choice_.set();
    if (chosen == nullptr) {
        Q_EMIT failed(refusal(tr("Nothing to analyse; import takes first")));
        return;
    }
    jobs_.run(
        {.key = QStringLiteral("hits"),
         .title = tr("Finding hits"),
         .holds = document_.whileOpen()},
        this,
        [song = document_.song(), sources = document_.sources(), id = chosen->id](const Work& work
        ) { return analyseSet(*song, id, *sources, work); },
        [this, id = chosen->id, next = std::move(then)](Result<SetAnalysis> found) {
            if (!found) {
                if (found.error().kind != ErrorKind::Cancelled) {
                    Q_EMIT failed(found.error());
                }
                return;
            }
            analysis_ = std::make_shared<const SetAnalysis>(std::move(*found));
            if (document_.apply(
                    placeMarks(*document_.song(), id, *analysis_, {}), tr("Find hits")
                )) {
                std::size_t count = 0;
                for (const auto& [track, each] : *analysis_) {
                    // A lead may have been removed while it was listened to.
                    if (const auto lead = document_.song()->track(track)) {
                        count += lead->marks.size();
                    }
                }
                const QString hits = counted(static_cast<qsizetype>(count), tr("hit"), tr("hits"));
                const auto leads = static_cast<qsizetype>(analysis_->size());
                Q_EMIT said(
                    leads > 1 ? tr("Found %1 on %2 leads").arg(hits).arg(leads)
                              : tr("Found %1").arg(hits)
                );
            }
            if (next) {
                next();
            }
        }
    );
}

void Hits::forget()
{
    analysis_.reset();
}

}  // namespace orthochron::app
