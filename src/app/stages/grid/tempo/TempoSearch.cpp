#include "app/stages/grid/tempo/TempoSearch.h"

#include "app/controls/Counted.h"
#include "app/document/Errors.h"
#include "core/edits/ClipChoice.h"
#include "core/edits/ClipValues.h"
#include "core/edits/GridEdits.h"
#include "core/edits/StretchEdits.h"
#include "core/render/Loudness.h"
#include "core/stretch/MaterialGuess.h"

#include <cmath>
#include <utility>

namespace orthochron::app {

TempoSearch::TempoSearch(Session& session, QObject* parent) : QObject(parent), session_(session)
{
    connect(&session_.choice, &Choice::changed, this, &TempoSearch::refresh);
    connect(&session_.document, &Document::opened, this, [this] {
        of_.reset();
        refresh();
    });
    // What is tried was made of the song as it was.
    connect(&session_.document, &Document::songChanged, this, [this] {
        if (isTrying_) {
            session_.player.stop();
            attend();
        }
    });
    constexpr int kOften = 40;  // ms
    attending_.setInterval(kOften);
    connect(&attending_, &QTimer::timeout, this, &TempoSearch::attend);
    connect(this, &TempoSearch::changed, this, [this] {
        if (isHeard()) {
            session_.player.setClickOn(saidMap());
        }
        if (isTrying_) {
            tryAgain();
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
    return take != nullptr ? toSeconds(take->frames, session_.song().rate) : Seconds(0.0);
}

void TempoSearch::refresh()
{
    if (of_ != key()) {
        session_.jobs.drop(QStringLiteral("tempo"));
        if (attending_.isActive()) {
            session_.player.stop();
            attend();
        }
        of_ = key();
        isSearched_ = false;
        found_ = {};
        place_ = 0;
        bpm_ = 0.0;
        wanted_.reset();
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
        Q_EMIT session_.failed(refusal(tr("Nothing to analyse; import takes first")));
        return;
    }
    session_.jobs.run(
        {.key = QStringLiteral("tempo"),
         .title = tr("Finding tempo"),
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
                    Q_EMIT session_.failed(result.error());
                }
                return;
            }
            isSearched_ = true;
            found_ = std::move(*result);
            if (found_.readings.empty()) {
                session_.say(tr("No clear tempo from %1 to %2 bpm; type the length in beats")
                                 .arg(range.least)
                                 .arg(range.most));
                Q_EMIT changed();
                return;
            }
            choose(0);
            const auto others = static_cast<qsizetype>(found_.readings.size()) - 1;
            session_.say(tr("%1 bpm, and %2")
                             .arg(bpm_, 0, 'f', 2)
                             .arg(counted(others, tr("alternative"), tr("alternatives"))));
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

void TempoSearch::setWantedBeats(double beats)
{
    wanted_ =
        beats > 0.0 && std::abs(beats - this->beats()) > 1e-6 ? std::optional(beats) : std::nullopt;
    Q_EMIT changed();
}

std::optional<double> TempoSearch::wholeBars() const
{
    constexpr double kMost = 64.0;  // bars: what is longer is a take, not a loop
    constexpr double kNear = 0.13;
    constexpr double kSame = 1e-3;
    const double bar = session_.song().tempo.meterOfBar(1).barLength().count();
    const double bars = beats() / bar;
    const double off = std::abs(bars - std::round(bars));
    const bool isNear = std::round(bars) >= 1.0 && bars <= kMost && off > kSame && off < kNear;
    return isNear ? std::optional(std::round(bars) * bar) : std::nullopt;
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
        session_.say(tr("Find the tempo first, or type the length in beats"));
        return;
    }
    const Song& song = session_.song();
    session_.document.apply(
        setTempo(song, bpm_, song.tempo.meterOfBar(1), firstBeat()),
        tr("Set song tempo to %1 bpm").arg(bpm_, 0, 'f', 2)
    );
}

void TempoSearch::setMaterial(std::optional<Material> material)
{
    material_ = material;
    Q_EMIT changed();
}

void TempoSearch::stretchToSong()
{
    const double beats = wantedBeats();
    makeStretched([this, beats](Result<Song> made, const Clip& clip) {
        const TempoMap& tempo = session_.song().tempo;
        const double bpm = tempo.bpmAt(tempo.beatsAt(toSeconds(clip.at, session_.song().rate)));
        if (session_.document.apply(
                std::move(made), tr("Stretch loop to %1 bpm").arg(bpm, 0, 'f', 2)
            )) {
            session_.say(tr("Now %1 beats at %2 bpm").arg(beats, 0, 'g', 6).arg(bpm, 0, 'f', 2));
        }
    });
}

void TempoSearch::hearStretched()
{
    if (isTrying_) {
        session_.player.stop();
        attend();
        return;
    }
    makeStretched([this](Result<Song> made, const Clip& clip) {
        const auto now = made ? clipOf(*made, clip.id) : std::nullopt;
        if (!now) {
            session_.document.apply(std::move(made), QString());  // says why it cannot be
            return;
        }
        session_.player.setAlone({});
        session_.player.setClickOn(std::nullopt);
        session_.player.setSong(
            std::make_shared<const Song>(std::move(*made)), session_.document.sources()
        );
        session_.player.playRange(now->clip.at, now->clip.end());
        isTrying_ = true;
        attending_.start();
        Q_EMIT hearingChanged();
    });
}

void TempoSearch::tryAgain()
{
    makeStretched([this](Result<Song> made, const Clip&) {
        if (made && isTrying_) {
            session_.player.setSong(
                std::make_shared<const Song>(std::move(*made)), session_.document.sources()
            );
        }
    });
}

void TempoSearch::makeStretched(const std::function<void(Result<Song>, const Clip&)>& use)
{
    const auto chosen = track();
    if (bpm_ <= 0.0 || !chosen || chosen->clips.empty()) {
        session_.say(tr("Find the tempo first, or type the length in beats"));
        return;
    }
    // What it would run at if it lasted as long as it shall.
    const double bpm = bpm_ * wantedBeats() / beats();
    if (bpm < 20.0 || bpm > 400.0) {
        session_.say(tr("%1 beats would mean %2 bpm; the range is 20 to 400 bpm")
                         .arg(wantedBeats(), 0, 'g', 6)
                         .arg(bpm, 0, 'f', 1));
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
    session_.jobs.run(
        {.key = QStringLiteral("fit loop"),
         .title = tr("Detect material"),
         .holds = session_.document.whileUnedited()},
        this,
        [song = session_.document.song(),
         sources = session_.document.sources(),
         clip = *clip,
         bpm,
         wanted = material_,
         firstBeat](const Work& work) -> Result<Song> {
            if (wanted) {
                return fitLoop(*song, clip.id, bpm, firstBeat, *wanted);
            }
            const auto guess = guessMaterial(
                sources->channel(clip.sound.take, clip.sound.firstChannel()), song->rate, work
            );
            return guess ? fitLoop(*song, clip.id, bpm, firstBeat, guess->material)
                         : tl::unexpected(guess.error());
        },
        [use, clip = *clip](Result<Song> made) { use(std::move(made), clip); }
    );
}

namespace {

enum class Heard { Loop, AllElse };

// How loud it is in a span of the song: the set of a loop by itself, or all else that is not muted.
Result<std::optional<double>> loudnessIn(
    Song song, const Sources& sources, TrackId loop, Heard heard, FrameSpan span, const Work& work
)
{
    const std::vector<TrackId> own = song.setOf(loop)->tracks;
    for (const auto& each : std::vector(song.tracks)) {
        const bool isOwn = std::ranges::find(own, each->id) != own.end();
        Track changed = *each;
        if (heard == Heard::Loop) {
            changed.isMuted = !isOwn;
            changed.isSoloed = false;
        } else {
            changed.isMuted = isOwn || each->isMuted;
            changed.isSoloed = !isOwn && each->isSoloed;
        }
        putTrack(song, std::move(changed));
    }
    return loudnessOf(song, sources, span.from, span.to, work);
}

}  // namespace

void TempoSearch::matchLevel()
{
    const auto chosen = track();
    if (!chosen || chosen->clips.empty()) {
        session_.say(tr("Nothing to level; import takes first"));
        return;
    }
    std::vector<ClipId> clips;
    Frames end;
    for (const Clip& clip : chosen->clips) {
        clips.push_back(clip.id);
        end = std::max(end, clip.end());
    }
    const FrameSpan span{std::max(chosen->clips.front().at, Frames(0)), end};
    session_.jobs.run(
        {.key = QStringLiteral("match level"),
         .title = tr("Measuring loudness"),
         .holds = session_.document.whileUnedited()},
        this,
        [song = session_.document.song(),
         sources = session_.document.sources(),
         loop = chosen->id,
         span](const Work& work) -> Result<double> {
            const auto own =
                loudnessIn(*song, *sources, loop, Heard::Loop, span, work.part(0.0, 0.5));
            const auto rest =
                loudnessIn(*song, *sources, loop, Heard::AllElse, span, work.part(0.5, 1.0));
            if (!own || !rest) {
                return tl::unexpected(own ? rest.error() : own.error());
            }
            if (!*own || !*rest) {
                return badArgument(*own ? "nothing else plays at the same time" : "it is silent");
            }
            return **rest - **own;
        },
        [this, clips](const Result<double>& by) {
            if (!by) {
                if (by.error().kind != ErrorKind::Cancelled) {
                    Q_EMIT session_.failed(by.error());
                }
                return;
            }
            const QString said = tr("%1%2 dB")
                                     .arg(*by < 0.0 ? QStringLiteral("−") : QStringLiteral("+"))
                                     .arg(std::abs(*by), 0, 'f', 1);
            if (session_.document.apply(
                    gainClips(session_.song(), withTheirSet(session_.song(), clips), *by, true),
                    tr("Match song level, %1").arg(said)
                )) {
                session_.say(tr("%1: matches the rest of the song").arg(said));
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
        session_.say(tr("Find the tempo first, or type the length in beats"));
        return;
    }
    const auto map = saidMap();
    if (!map) {
        session_.say(tr("This tempo is too slow or too fast for a click"));
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
    if (std::exchange(isTrying_, false)) {
        session_.player.setSong(session_.document.song(), session_.document.sources());
    }
    Q_EMIT hearingChanged();
}

}  // namespace orthochron::app
