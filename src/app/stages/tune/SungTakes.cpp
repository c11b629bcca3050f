#include "app/stages/tune/SungTakes.h"

#include "core/edits/HeardPlaces.h"
#include "core/pitch/AnyVoice.h"
#include "core/stretch/MaterialGuess.h"
#include "core/tune/NotesByHand.h"

#include <algorithm>

namespace orthochron::app {

namespace {

constexpr std::size_t kMostKnown = 8;  // takes whose notes are remembered

}  // namespace

SungTakes::SungTakes(Session& session, QObject* parent) : QObject(parent), session_(session)
{
    connect(&session_.document, &Document::opened, this, [this] {
        listened_.clear();
        derived_.clear();
    });
}

std::shared_ptr<const SungTakes::Listened> SungTakes::listenedTo(const Song& song, TrackId id) const
{
    const auto track = song.track(id);
    const auto found =
        track ? listened_.find({track->markedTake, track->markedChannel}) : listened_.end();
    return found != listened_.end() ? found->second : nullptr;
}

std::shared_ptr<const Sung> SungTakes::derive(
    const Listened& listened, const Song& song, const Track& track, const Derived* before
)
{
    auto sung = std::make_shared<Sung>();
    const bool isOtherwiseCut = before == nullptr || before->track->notes != track.notes ||
                                before->song->temperament.a4 != song.temperament.a4;
    if (isOtherwiseCut) {
        sung->curve = curveByHand(listened.curve, track.notes, song.rate);
        const auto found = notesOf(listened.curve, song.rate, song.temperament.a4);
        sung->notes = sungNotes(
            sung->curve,
            notesByHand(found, track.notes, song.rate),
            song.rate,
            {song.key, song.temperament}
        );
        sung->pitched = listened.pitched;
    } else {
        *sung = *before->sung;
    }
    const bool hasOwnKeys = std::ranges::any_of(song.sections, [](const Section& each) {
        return each.key.has_value();
    });
    const HeardPlaces places(track);
    for (SungNote& note : sung->notes) {
        const auto at = hasOwnKeys ? places.at(note.start) : std::nullopt;
        hangOff(
            note,
            at ? rungsAt(song, song.tempo.barAt(song.tempo.beatsAt(toSeconds(*at, song.rate))))
               : Rungs(song.key, song.temperament)
        );
    }
    return sung;
}

std::shared_ptr<const Sung> SungTakes::of(TrackId id) const
{
    const Song& song = session_.song();
    const auto listened = listenedTo(song, id);
    const auto track = song.track(id);
    if (listened == nullptr) {
        return nullptr;
    }
    const auto known = derived_.find(id);
    const Derived* before =
        known != derived_.end() && known->second.listened == listened ? &known->second : nullptr;
    if (before != nullptr && before->song == session_.document.song()) {
        return before->sung;
    }
    // Where it is heard counts only for keys of sections; what it is tuned by never does.
    const bool isAlike = before != nullptr && before->track->notes == track->notes &&
                         before->song->key == song.key &&
                         before->song->temperament == song.temperament && song.sections.empty() &&
                         before->song->sections.empty();
    auto sung = isAlike ? before->sung : derive(*listened, song, *track, before);
    Derived& now = derived_[id];
    now = {session_.document.song(), listened, track, std::move(sung)};
    return now.sung;
}

std::shared_ptr<const Sung> SungTakes::in(const Song& song, TrackId id) const
{
    const auto listened = listenedTo(song, id);
    return listened != nullptr ? derive(*listened, song, *song.track(id), nullptr) : nullptr;
}

std::optional<double> SungTakes::foundPitch(TrackId track, Frames from, Frames to) const
{
    const auto listened = listenedTo(session_.song(), track);
    std::vector<double> pitches;
    if (listened != nullptr) {
        for (std::size_t n = 0; n < listened->curve.size(); ++n) {
            const Frames at = placeOfPitch(n, session_.song().rate);
            if (at >= from && at < to && listened->curve[n].isVoiced()) {
                pitches.push_back(semitonesOf(listened->curve[n]));
            }
        }
    }
    if (pitches.empty()) {
        return std::nullopt;
    }
    const auto middle = pitches.begin() + std::ssize(pitches) / 2;
    std::ranges::nth_element(pitches, middle);
    return *middle;
}

void SungTakes::look(TrackId id)
{
    const auto track = session_.song().track(id);
    const bool isNothing = !track || !track->markedTake.isValid();
    if (isNothing || isListening() || listenedTo(session_.song(), id) != nullptr) {
        return;
    }
    const Place where{track->markedTake, track->markedChannel};
    session_.jobs.run(
        {.key = kListening,
         .title = tr("Finding the notes of %1").arg(QString::fromStdString(track->name)),
         .holds = session_.document.whileOpen()},
        this,
        [sources = session_.document.sources(), where, rate = session_.song().rate](const Work& work
        ) -> Result<Listened> {
            const Channel channel = sources->channel(where.take, where.channel);
            auto curve = pitchOfAnyVoice(channel, rate, work.part(0.0, 0.9));
            if (!curve) {
                return tl::unexpected(curve.error());
            }
            const auto pitched = pitchedPartOf(channel, rate, *curve, work.part(0.9, 1.0));
            if (!pitched) {
                return tl::unexpected(pitched.error());
            }
            return Listened{std::move(*curve), *pitched};
        },
        [this, where](Result<Listened> found) {
            if (found) {
                if (listened_.size() >= kMostKnown) {
                    listened_.erase(listened_.begin());
                }
                listened_[where] = std::make_shared<const Listened>(std::move(*found));
            } else if (found.error().kind != ErrorKind::Cancelled) {
                Q_EMIT session_.failed(found.error());
            }
            Q_EMIT changed();
        }
    );
    Q_EMIT changed();
}

}  // namespace orthochron::app
