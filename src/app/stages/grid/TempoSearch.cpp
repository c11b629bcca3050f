#include "app/stages/grid/TempoSearch.h"

#include "app/controls/Counted.h"
#include "core/edits/GridEdits.h"
#include "core/edits/StretchEdits.h"
#include "core/stretch/MaterialGuess.h"

#include <cmath>

namespace orthochron::app {

TempoSearch::TempoSearch(Session& session, QObject* parent) : QObject(parent), session_(session)
{
    connect(&session_.choice, &Choice::changed, this, &TempoSearch::refresh);
    connect(&session_.document, &Document::opened, this, [this] {
        of_.reset();
        refresh();
    });
    constexpr int kOften = 40;  // ms
    attending_.setInterval(kOften);
    connect(&attending_, &QTimer::timeout, this, &TempoSearch::attend);
    connect(this, &TempoSearch::changed, this, [this] {
        if (isHeard()) {
            session_.player.setClickOn(saidMap());
        }
    });
}

std::shared_ptr<const Track> TempoSearch::track() const
{
    return session_.song().track(session_.choice.track());
}

std::optional<TempoSearch::Key> TempoSearch::key() const
{
    const auto chosen = track();
    return chosen && chosen->markedTake.isValid()
               ? std::optional(Key{chosen->markedTake, chosen->markedChannel})
               : std::nullopt;
}

Seconds TempoSearch::length() const
{
    const auto asked = key();
    const Take* take = asked ? session_.song().take(asked->take) : nullptr;
    return take != nullptr ? toSeconds(take->frames, take->rate) : Seconds(0.0);
}

void TempoSearch::refresh()
{
    if (of_ != key()) {
        session_.jobs.drop(QStringLiteral("tempo"));
        if (isHeard()) {
            session_.player.stop();
            attend();
        }
        of_ = key();
        isSearched_ = false;
        found_ = {};
        place_ = 0;
        bpm_ = 0.0;
    }
    Q_EMIT changed();
}

const TempoFound* TempoSearch::found() const
{
    return isSearched_ ? &found_ : nullptr;
}

void TempoSearch::search()
{
    const auto asked = key();
    if (!asked) {
        Q_EMIT session_.failed(tr("There is nothing to listen to: import takes first"));
        return;
    }
    session_.jobs.run(
        {.key = QStringLiteral("tempo"),
         .title = tr("Finding the tempo"),
         .holds = [this,
                   asked,
                   isOpen = session_.document.whileOpen()] { return isOpen() && key() == asked; }},
        this,
        [sources = session_.document.sources(),
         wanted = *asked,
         rate = session_.song().rate,
         tempi = range](const Work& work) {
            return findTempo(sources->channel(wanted.take, wanted.channel), rate, tempi, work);
        },
        [this](Result<TempoFound> result) {
            if (!result) {
                if (result.error().kind != ErrorKind::Cancelled) {
                    Q_EMIT session_.failed(QString::fromStdString(result.error().message));
                }
                return;
            }
            isSearched_ = true;
            found_ = std::move(*result);
            if (found_.readings.empty()) {
                session_.say(tr("No tempo stands out between %1 and %2 bpm: type how many beats it "
                                "lasts")
                                 .arg(range.least)
                                 .arg(range.most));
                Q_EMIT changed();
                return;
            }
            choose(0);
            const auto others = static_cast<qsizetype>(found_.readings.size()) - 1;
            session_.say(tr("%1 bpm, and %2 to count it")
                             .arg(bpm_, 0, 'f', 2)
                             .arg(counted(others, tr("other way"), tr("other ways"))));
        }
    );
}

void TempoSearch::choose(std::size_t place)
{
    if (place < found_.readings.size()) {
        place_ = place;
        bpm_ = found_.readings[place].bpm;
        Q_EMIT changed();
    }
}

void TempoSearch::setBpm(double bpm)
{
    bpm_ = bpm;
    Q_EMIT changed();
}

void TempoSearch::setBeats(double beats)
{
    if (length().count() > 0.0) {
        setBpm(beats * 60.0 / length().count());
    }
}

std::optional<double> TempoSearch::inName() const
{
    const auto asked = key();
    const Take* take = asked ? session_.song().take(asked->take) : nullptr;
    return take != nullptr ? tempoInName(take->name) : std::nullopt;
}

std::optional<double> TempoSearch::roundValue() const
{
    constexpr double kNear = 0.002;
    constexpr double kSame = 1e-6;
    const double round = std::round(bpm_);
    const double off = std::abs(bpm_ - round);
    return bpm_ > 0.0 && off > kSame && off < kNear * bpm_ ? std::optional(round) : std::nullopt;
}

Seconds TempoSearch::firstBeat() const
{
    const auto chosen = track();
    if (!chosen) {
        return Seconds(0.0);
    }
    const Song& song = session_.song();
    if (found() != nullptr && place_ < found_.readings.size()) {
        const Frames at = toFrames(found_.readings[place_].firstBeat, song.rate);
        if (const auto heard = session_.hits.heardOn(chosen->id, at)) {
            return toSeconds(*heard, song.rate);
        }
    }
    return chosen->clips.empty() ? Seconds(0.0) : toSeconds(chosen->clips.front().at, song.rate);
}

void TempoSearch::giveToSong()
{
    if (bpm_ <= 0.0) {
        session_.say(tr("Find the tempo first, or type how many beats it lasts"));
        return;
    }
    const Song& song = session_.song();
    session_.document.apply(
        setTempo(song, bpm_, song.tempo.meterOfBar(1), firstBeat()),
        tr("Give the song %1 bpm").arg(bpm_, 0, 'f', 2)
    );
}

void TempoSearch::stretchToSong()
{
    const auto chosen = track();
    if (bpm_ <= 0.0 || !chosen || chosen->clips.empty()) {
        session_.say(tr("Find the tempo first, or type how many beats it lasts"));
        return;
    }
    // The clip under the playhead, where there are several.
    const Frames now = session_.player.position();
    auto clip = std::ranges::find_if(chosen->clips, [now](const Clip& one) {
        return now >= one.at && now < one.end();
    });
    clip = clip == chosen->clips.end() ? chosen->clips.begin() : clip;
    Frames firstBeat = clip->sound.takeTimeOf(clip->soundStart);
    if (found() != nullptr && place_ < found_.readings.size()) {
        firstBeat = toFrames(found_.readings[place_].firstBeat, session_.song().rate);
    }
    const double songBpm = session_.song().tempo.bpmAt(
        session_.song().tempo.beatsAt(toSeconds(clip->at, session_.song().rate))
    );
    session_.jobs.run(
        {.key = QStringLiteral("fit loop"),
         .title = tr("Listen to the material"),
         .holds = session_.document.whileUnedited()},
        this,
        [song = session_.document.song(),
         sources = session_.document.sources(),
         clip = *clip,
         bpm = bpm_,
         firstBeat](const Work& work) -> Result<Song> {
            const auto guess = guessMaterial(
                sources->channel(clip.sound.take, clip.sound.firstChannel()), song->rate, work
            );
            return guess ? fitLoop(*song, clip.id, bpm, firstBeat, guess->material)
                         : tl::unexpected(guess.error());
        },
        [this, songBpm](Result<Song> made) {
            if (session_.document.apply(
                    std::move(made), tr("Stretch a loop to %1 bpm").arg(songBpm, 0, 'f', 2)
                )) {
                session_.say(tr("It runs at the song's %1 bpm now").arg(songBpm, 0, 'f', 2));
            }
        }
    );
}

std::optional<TempoMap> TempoSearch::saidMap() const
{
    const Song& song = session_.song();
    const auto given = setTempo(song, bpm_, song.tempo.meterOfBar(1), firstBeat());
    return bpm_ > 0.0 && given ? std::optional(given->tempo) : std::nullopt;
}

void TempoSearch::hear()
{
    const auto chosen = track();
    if (isHeard()) {
        session_.player.stop();
        attend();
        return;
    }
    if (bpm_ <= 0.0 || !chosen || chosen->clips.empty()) {
        session_.say(tr("Find the tempo first, or type how many beats it lasts"));
        return;
    }
    const auto map = saidMap();
    if (!map) {
        session_.say(tr("No click goes so slow or so fast"));
        return;
    }
    session_.player.setAlone({chosen->id});
    session_.player.setClickOn(map);
    session_.player.playRange(
        toFrames(firstBeat(), session_.song().rate), chosen->clips.back().end()
    );
    attending_.start();
    Q_EMIT hearingChanged();
}

// All is as before once it ends.
void TempoSearch::attend()
{
    if (session_.player.isWanted()) {
        return;
    }
    attending_.stop();
    session_.player.setAlone({});
    session_.player.setClickOn(std::nullopt);
    Q_EMIT hearingChanged();
}

}  // namespace orthochron::app
