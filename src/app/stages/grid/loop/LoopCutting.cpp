#include "app/stages/grid/loop/LoopCutting.h"

#include "app/document/HeardSamples.h"

#include <cmath>

namespace orthochron::app {

namespace {

constexpr Seconds kCloseReach = milliseconds(25.0);
constexpr Seconds kShortest = milliseconds(10.0);

// One track as it is heard, at song times.
Channel heardChannel(
    std::shared_ptr<const Song> song, std::shared_ptr<const Sources> sources, TrackId track
)
{
    const Frames length = song->length();
    return {length, [=](Frames from, std::span<float> into) -> Result<void> {
                const auto samples = samplesHeard(
                    *song, *sources, track, from, Frames(static_cast<std::int64_t>(into.size()))
                );
                std::ranges::copy(samples, into.begin());
                return {};
            }};
}

}  // namespace

LoopCutting::LoopCutting(Session& session, QObject* parent) : QObject(parent), session_(session)
{
    connect(&session_.choice, &Choice::changed, this, &LoopCutting::refresh);
    connect(&session_.document, &Document::songChanged, this, &LoopCutting::refresh);
    connect(&session_.document, &Document::opened, this, [this] { typedBeats_.reset(); });
    constexpr int kOften = 40;  // ms
    attending_.setInterval(kOften);
    connect(&attending_, &QTimer::timeout, this, &LoopCutting::attend);
}

std::shared_ptr<const Track> LoopCutting::track() const
{
    return session_.song().track(session_.choice.track());
}

std::optional<TimeRange> LoopCutting::span() const
{
    const auto& range = session_.choice.range();
    return range && range->to > range->from ? range : std::nullopt;
}

Seconds LoopCutting::length() const
{
    const auto chosen = span();
    return chosen ? toSeconds(chosen->to - chosen->from, session_.song().rate) : Seconds(0.0);
}

double LoopCutting::beats() const
{
    const auto chosen = span();
    if (!chosen) {
        return 0.0;
    }
    if (typedBeats_) {
        return *typedBeats_;
    }
    const Song& song = session_.song();
    const auto beatsAt = [&](Frames at) { return song.tempo.beatsAt(toSeconds(at, song.rate)); };
    return std::max(1.0, std::round((beatsAt(chosen->to) - beatsAt(chosen->from)).count()));
}

double LoopCutting::bpm() const
{
    return span() ? 60.0 * beats() / length().count() : 0.0;
}

void LoopCutting::setBeats(double beats)
{
    typedBeats_ = beats > 0.0 ? std::optional(beats) : std::nullopt;
    Q_EMIT changed();
}

void LoopCutting::setBpm(double bpm)
{
    const auto chosen = span();
    if (!chosen || bpm <= 0.0) {
        Q_EMIT changed();
        return;
    }
    typedBeats_ = beats();
    move(
        LoopEdge::End,
        chosen->from + toFrames(Seconds(60.0 * *typedBeats_ / bpm), session_.song().rate)
    );
}

void LoopCutting::choose(LoopEdge edge)
{
    edge_ = edge;
    Q_EMIT changed();
}

Frames LoopCutting::at(LoopEdge edge) const
{
    const auto chosen = span();
    if (!chosen) {
        return Frames(0);
    }
    return edge == LoopEdge::Beginning ? chosen->from : chosen->to;
}

void LoopCutting::move(LoopEdge edge, Frames to)
{
    auto chosen = span();
    if (!chosen) {
        return;
    }
    edge_ = edge;
    const Frames shortest = toFrames(kShortest, session_.song().rate);
    if (edge == LoopEdge::Beginning) {
        chosen->from = std::clamp(to, Frames(0), std::max(chosen->to - shortest, Frames(0)));
    } else {
        chosen->to = std::max(to, chosen->from + shortest);
    }
    session_.choice.setRange(chosen);
}

void LoopCutting::refresh()
{
    const auto chosen = span();
    if (!chosen || (last_ && chosen->from != last_->from && chosen->to != last_->to)) {
        typedBeats_.reset();
    }
    last_ = chosen;
    if (isHeard()) {
        // An edge that was moved past the place that is heard.
        const Frames now = session_.player.position();
        if (!chosen || !track()) {
            session_.player.stop();
            attend();
        } else if (now < chosen->from || now >= chosen->to) {
            session_.player.seek(chosen->from);
        }
    }
    Q_EMIT changed();
}

void LoopCutting::hear()
{
    if (isHeard()) {
        session_.player.stop();
        attend();
        return;
    }
    const auto chosen = span();
    const auto from = track();
    if (!chosen || !from) {
        session_.say(tr("Select a range first: drag in the ruler"));
        return;
    }
    loopBefore_ = session_.player.loop();
    session_.player.setAlone({from->id});
    session_.player.setLoop(engine::LoopRange{chosen->from, chosen->to});
    session_.player.seek(chosen->from);
    session_.player.play();
    attending_.start();
    Q_EMIT changed();
}

// All is as before once it ends.
void LoopCutting::attend()
{
    if (session_.player.isWanted()) {
        return;
    }
    attending_.stop();
    session_.player.setAlone({});
    session_.player.setLoop(loopBefore_);
    Q_EMIT changed();
}

void LoopCutting::closeSeam()
{
    const auto wanted = key();
    if (!wanted) {
        session_.say(tr("Select a range first: drag in the ruler"));
        return;
    }
    session_.jobs.run(
        {.key = QStringLiteral("close seam"),
         .title = tr("Analysing the seam"),
         .holds = [this, wanted] { return key() == wanted; },
         .isQuick = true},
        this,
        [wanted = *wanted, sources = session_.document.sources()](const Work&) {
            const Channel heard = heardChannel(wanted.song, sources, wanted.track);
            return nearestSeam(heard, wanted.song->rate, wanted.from, wanted.to, kCloseReach);
        },
        [this, was = wanted->to](const Result<LoopSeam>& seam) {
            if (!seam) {
                Q_EMIT session_.failed(seam.error());
                return;
            }
            const double by = inMilliseconds(toSeconds(seam->to - was, session_.song().rate));
            move(LoopEdge::End, seam->to);
            session_.say(
                seam->to == was
                    ? tr("No better loop end nearby (similarity %1)").arg(seam->likeness, 0, 'f', 2)
                    : tr("Loop end moved by %1 ms (similarity %2)")
                          .arg(by, 0, 'f', 2)
                          .arg(seam->likeness, 0, 'f', 2)
            );
        }
    );
}

void LoopCutting::takeOut()
{
    const auto chosen = span();
    const auto from = track();
    if (!chosen || !from) {
        session_.say(tr("Select a range first: drag in the ruler"));
        return;
    }
    LoopCut cut{{chosen->from, chosen->to}, times, {}};
    cut.join.crossfade = toFrames(fade, session_.song().rate);
    auto taken = takeLoop(session_.song(), from->id, cut);
    const TrackId made = taken ? taken->track : TrackId();
    const QString name = QString::fromStdString(from->name);
    if (session_.document.apply(
            taken ? Result<Song>(std::move(taken->song)) : tl::unexpected(taken.error()),
            tr("Extract loop from %1").arg(name)
        )) {
        session_.choice.setTrack(made);
        session_.say(tr("%1 loop placed on a new track below: %2 beats at %3 bpm")
                         .arg(name)
                         .arg(beats(), 0, 'g', 6)
                         .arg(bpm(), 0, 'f', 2));
    }
}

Frames LoopCutting::reach() const
{
    return toFrames(reach_, session_.song().rate);
}

void LoopCutting::zoom(double factor)
{
    reach_ = std::clamp(reach_ * factor, milliseconds(2.0), milliseconds(200.0));
    Q_EMIT changed();
}

std::optional<LoopCutting::Key> LoopCutting::key() const
{
    const auto chosen = span();
    const auto from = track();
    return chosen && from
               ? std::optional(Key{
                     session_.document.song(), from->id, chosen->from, chosen->to, reach()})
               : std::nullopt;
}

const LoopPicture* LoopCutting::picture()
{
    const auto wanted = key();
    if (wanted && !(read_ == wanted) && !(asked_ == wanted)) {
        asked_ = wanted;
        session_.jobs.run(
            {.key = QStringLiteral("loop picture"),
             .title = {},
             .holds = [this, wanted] { return asked_ == wanted; },
             .isQuick = true},
            this,
            [wanted = *wanted, sources = session_.document.sources()](const Work&) {
                const auto around = [&](Frames at) {
                    return samplesHeard(
                        *wanted.song, *sources, wanted.track, at - wanted.reach, wanted.reach * 2
                    );
                };
                LoopPicture picture{around(wanted.from), around(wanted.to), 0.0};
                const auto seam = seamOf(
                    heardChannel(wanted.song, sources, wanted.track),
                    wanted.song->rate,
                    wanted.from,
                    wanted.to
                );
                picture.likeness = seam ? seam->likeness : 0.0;
                return picture;
            },
            [this, wanted](LoopPicture read) {
                picture_ = std::move(read);
                read_ = wanted;
                Q_EMIT changed();
            }
        );
    }
    // While an edge is moved the picture before stays until the next one is read.
    return wanted && read_ && read_->reach == wanted->reach ? &picture_ : nullptr;
}

}  // namespace orthochron::app
