#include "app/stages/hand/ClipHands.h"

#include <QAbstractButton>
#include <QMessageBox>

#include <map>
#include <set>

namespace orthochron::app {

ClipHands::ClipHands(Session& session, QObject* parent) : QObject(parent), session_(session)
{
    settings.join.crossfade = toFrames(milliseconds(5.0), session.song().rate);
    // The ids in a copy are those of its song.
    connect(&session_.document, &Document::opened, this, [this] { copied_.reset(); });
}

ClipChoice ClipHands::scope() const
{
    const Song& song = session_.song();
    if (!session_.choice.clips().empty()) {
        return session_.choice.clips();
    }
    const std::vector tracks{session_.choice.track()};
    if (const auto& range = session_.choice.range()) {
        return withTheirSet(song, clipsWithin(song, tracks, range->from, range->to));
    }
    const Frames at = session_.player.position();
    return withTheirSet(song, clipsWithin(song, tracks, at, at + Frames(1)));
}

QString ClipHands::scopeText() const
{
    const ClipChoice choice = scope();
    const auto span = spanOf(session_.song(), choice);
    if (!span) {
        return tr("No clip selected");
    }
    const QString from = placeText(session_.song(), span->from).place;
    std::set<Frames> starts;
    for (const PlacedClip& placed : clipsOf(session_.song(), choice)) {
        starts.insert(placed.clip.at);
    }
    const auto count = static_cast<int>(starts.size());
    const auto track = session_.song().track(session_.choice.track());
    const MicSet* set = track ? session_.song().setOf(track->id) : nullptr;
    const QString where = set != nullptr ? QString::fromStdString(set->name)
                          : track        ? QString::fromStdString(track->name)
                                         : QString();
    return count == 1 ? tr("%1, 1 clip at %2").arg(where, from)
                      : tr("%1, %2 clips from %3").arg(where).arg(count).arg(from);
}

void ClipHands::apply(Result<Song> edited, const QString& what, std::size_t clips)
{
    if (session_.document.apply(std::move(edited), what)) {
        session_.say(clips > 1 ? tr("%1: %2 clips on all mics").arg(what).arg(clips) : what);
    }
    Q_EMIT changed();
}

void ClipHands::splitAtPlayhead()
{
    std::vector<Frames> times{session_.player.position()};
    if (const auto& range = session_.choice.range()) {
        times = {range->from, range->to};
    }
    const ClipChoice choice = scope();
    apply(
        splitClips(session_.song(), choice, times, settings),
        session_.choice.range() ? tr("Split at selection") : tr("Split at playhead"),
        1
    );
}

void ClipHands::splitAtMarks()
{
    const Song& song = session_.song();
    const ClipChoice choice = scope();
    const auto span = spanOf(song, choice);
    const MicSet* set = song.setOf(session_.choice.track());
    if (!span || set == nullptr) {
        session_.say(tr("Select clips first"));
        return;
    }
    const auto times =
        markTimes(song, *set, *span, toFrames(session_.fitting.request.joins.leadIn, song.rate));
    apply(splitClips(song, choice, times, settings), tr("Split at %1 marks").arg(times.size()), 1);
}

void ClipHands::splitAtGrid()
{
    const ClipChoice choice = scope();
    if (const auto span = spanOf(session_.song(), choice)) {
        const auto times = gridTimes(session_.song(), *span);
        apply(
            splitClips(session_.song(), choice, times, settings),
            tr("Split at %1 grid lines").arg(times.size()),
            1
        );
    }
}

void ClipHands::join()
{
    const ClipChoice choice = scope();
    apply(joinClips(session_.song(), choice, settings), tr("Join clips"), choice.size());
}

void ClipHands::remove()
{
    const ClipChoice choice = scope();
    apply(deleteClips(session_.song(), choice, settings), tr("Delete clips"), choice.size());
}

void ClipHands::mute()
{
    const ClipChoice choice = scope();
    const auto first = choice.empty() ? std::nullopt : clipOf(session_.song(), choice.front());
    const bool isMuted = first && first->clip.isMuted;
    apply(
        muteClips(session_.song(), choice, !isMuted),
        isMuted ? tr("Unmute clips") : tr("Mute clips"),
        choice.size()
    );
}

void ClipHands::reverse()
{
    const ClipChoice choice = scope();
    apply(reverseClips(session_.song(), choice, settings), tr("Reverse clips"), choice.size());
}

void ClipHands::lock()
{
    const ClipChoice choice = scope();
    const auto first = choice.empty() ? std::nullopt : clipOf(session_.song(), choice.front());
    const bool isLocked = first && first->clip.isLocked;
    apply(
        lockClips(session_.song(), choice, !isLocked),
        isLocked ? tr("Unlock clips") : tr("Lock clips"),
        choice.size()
    );
}

void ClipHands::lockSet()
{
    const auto track = session_.song().track(session_.choice.track());
    if (!track) {
        return;
    }
    apply(
        lockTracks(session_.song(), setTracks(), !track->isLocked),
        track->isLocked ? tr("Unlock mic set") : tr("Lock mic set"),
        1
    );
}

void ClipHands::copy()
{
    auto copied = copyOf(session_.song(), scope());
    if (!copied) {
        session_.say(tr("No clip to copy"));
        return;
    }
    copied_ = std::move(copied);
    session_.say(tr("Copied %1").arg(scopeText()));
}

void ClipHands::cut()
{
    copy();
    remove();
}

void ClipHands::paste()
{
    if (!copied_) {
        session_.say(tr("Nothing to paste; copy clips first"));
        return;
    }
    lay(*copied_, session_.player.position(), 1, tr("Paste clips"));
}

void ClipHands::duplicate(int times)
{
    if (const auto copied = copyOf(session_.song(), scope())) {
        lay(*copied,
            copied->span.to,
            times,
            times == 1 ? tr("Duplicate clips") : tr("Repeat clips %1 times").arg(times));
    }
}

void ClipHands::lay(const CopiedClips& copied, Frames at, int times, const QString& what)
{
    std::size_t clips = 0;
    for (const auto& [track, pieces] : copied.pieces) {
        clips += pieces.size();
    }
    apply(layCopies(session_.song(), copied, at, times, settings), what, clips);
}

void ClipHands::gain(double decibels, bool isRelative)
{
    const ClipChoice choice = scope();
    apply(
        gainClips(session_.song(), choice, decibels, isRelative), tr("Set clip gain"), choice.size()
    );
}

void ClipHands::stretch(const ClipStretch& change)
{
    const ClipChoice choice = scope();
    const auto clips = clipsOf(session_.song(), choice);
    const bool isKnown = clips.empty() || clips.front().clip.sound.treatment || change.material;
    const QString what = change.ratio ? tr("Stretch clips") : tr("Set clip pitch");
    if (isKnown) {
        apply(stretchClips(session_.song(), choice, change), what, choice.size());
        return;
    }
    const Sound sound = clips.front().clip.sound;
    session_.jobs.run(
        {.key = QStringLiteral("stretch clips"),
         .title = tr("Detect material"),
         .holds = session_.document.whileOpen()},
        this,
        [sources = session_.document.sources(), sound, rate = session_.song().rate](const Work& work
        ) { return guessMaterial(sources->channel(sound.take, sound.firstChannel()), rate, work); },
        [this, choice, change, what](const Result<MaterialGuess>& guess) {
            ClipStretch asked = change;
            asked.material = guess ? guess->material : Material::Hits;
            apply(stretchClips(session_.song(), choice, asked), what, choice.size());
        }
    );
}

void ClipHands::shift(double semitones)
{
    const ClipChoice choice = scope();
    std::map<double, ClipChoice> byPitch;
    for (const PlacedClip& placed : clipsOf(session_.song(), choice)) {
        byPitch[treatmentOf(placed.clip).semitones].push_back(placed.clip.id);
    }
    if (byPitch.size() <= 1) {
        stretch({.semitones = (byPitch.empty() ? 0.0 : byPitch.begin()->first) + semitones});
        return;
    }
    Result<Song> moved = session_.song();
    for (const auto& [pitch, clips] : byPitch) {
        if (moved) {
            moved = stretchClips(*moved, clips, {.semitones = pitch + semitones});
        }
    }
    apply(std::move(moved), tr("Set clip pitch"), choice.size());
}

void ClipHands::playedAt(double bpm)
{
    const auto clips = clipsOf(session_.song(), scope());
    if (clips.empty()) {
        stretch({.ratio = 1.0});  // which says that none is chosen
        return;
    }
    const Clip& first = clips.front().clip;
    const Song& song = session_.song();
    const double here = song.tempo.bpmAt(song.tempo.beatsAt(toSeconds(first.at, song.rate)));
    stretch({.ratio = bpm / here / stretchedBy(first)});
}

void ClipHands::lastBeats(double beats)
{
    const auto clips = clipsOf(session_.song(), scope());
    if (clips.empty()) {
        stretch({.ratio = 1.0});  // which says that none is chosen
        return;
    }
    const Song& song = session_.song();
    const Clip& first = clips.front().clip;
    const Beats begin = song.tempo.beatsAt(toSeconds(first.at, song.rate));
    const Frames end = toFrames(song.tempo.timeAt(begin + Beats(beats)), song.rate);
    stretch({.ratio = (end - first.at) / first.length});
}

void ClipHands::fade(const FadeChange& change)
{
    const ClipChoice choice = scope();
    auto faded = fadeClips(session_.song(), choice, change);
    const bool isAsked = change.evenTouching || choice.empty();
    if (!faded && !isAsked && meetsNeighbours(session_.song(), choice)) {
        fadeMet(choice, change);
        return;
    }
    const bool isDone = faded.has_value();
    apply(std::move(faded), tr("Set fades"), choice.size());
    if (isDone) {
        sayFade(choice, change);
    }
}

// There is no gap to fade in: it is said, and what can be done instead is offered.
void ClipHands::fadeMet(const ClipChoice& choice, FadeChange change)
{
    QMessageBox box(QMessageBox::NoIcon, tr("No gap here"), QString());
    box.setTextFormat(Qt::PlainText);
    box.setText(tr("These clips meet in a crossfade, so there is no gap to fade."));
    const QAbstractButton* room = box.addButton(tr("Make gap"), QMessageBox::AcceptRole);
    const QAbstractButton* crossfade =
        box.addButton(tr("Change crossfade"), QMessageBox::ActionRole);
    box.addButton(QMessageBox::Cancel);
    box.exec();
    if (box.clickedButton() == room) {
        change.evenTouching = true;
        fade(change);
    } else if (box.clickedButton() == crossfade) {
        apply(fadeCrossfades(session_.song(), choice, change), tr("Set crossfades"), choice.size());
    }
}

// One that was asked to be longer than there is room for is as long as it can be.
void ClipHands::sayFade(const ClipChoice& choice, const FadeChange& asked)
{
    const Frames wanted = std::max(asked.in.value_or(Frames(0)), asked.out.value_or(Frames(0)));
    Frames longest;
    for (const PlacedClip& placed : clipsOf(session_.song(), choice)) {
        longest = std::max(longest, asked.in ? placed.clip.in.length : placed.clip.out.length);
    }
    if (wanted > longest) {
        session_.say(tr("Fade shortened from %1 to %2 ms: no more audio available")
                         .arg(inMilliseconds(toSeconds(wanted, session_.song().rate)), 0, 'f', 1)
                         .arg(inMilliseconds(toSeconds(longest, session_.song().rate)), 0, 'f', 1));
    }
}

void ClipHands::nudge(Seconds by)
{
    const ClipChoice choice = scope();
    const Frames frames = toFrames(by, session_.song().rate);
    apply(moveClips(session_.song(), choice, frames, settings), tr("Nudge clips"), choice.size());
}

void ClipHands::slip(Seconds by)
{
    const ClipChoice choice = scope();
    const Frames frames = toFrames(by, session_.song().rate);
    apply(slipClips(session_.song(), choice, frames, settings), tr("Slip clips"), choice.size());
}

void ClipHands::toTrack(int by)
{
    const Song& song = session_.song();
    const auto here = std::ranges::find_if(song.tracks, [&](const auto& track) {
        return track->id == session_.choice.track();
    });
    const auto place = here - song.tracks.begin() + by;
    if (place < 0 || place >= static_cast<std::ptrdiff_t>(song.tracks.size())) {
        session_.say(tr("No track there"));
        return;
    }
    ClipChoice own;
    for (const PlacedClip& placed : clipsOf(song, scope())) {
        if (placed.track == session_.choice.track()) {
            own.push_back(placed.clip.id);
        }
    }
    const TrackId target = song.tracks[static_cast<std::size_t>(place)]->id;
    apply(moveToTrack(song, own, target, settings), tr("Move clips to track"), own.size());
    session_.choice.setTrack(target);
}

void ClipHands::chooseRange()
{
    if (const auto& range = session_.choice.range()) {
        session_.choice.setClips(clipsWithin(session_.song(), setTracks(), range->from, range->to));
    } else {
        session_.say(tr("Select a range first: drag in the ruler"));
    }
}

// Those of the chosen track's mic set, or that track alone.
std::vector<TrackId> ClipHands::setTracks() const
{
    const MicSet* set = session_.song().setOf(session_.choice.track());
    return set != nullptr ? set->tracks : std::vector{session_.choice.track()};
}

void ClipHands::step(int by)
{
    const auto track = session_.song().track(session_.choice.track());
    if (!track || track->clips.empty()) {
        return;
    }
    const ClipChoice& choice = session_.choice.clips();
    auto here = std::ranges::find_if(track->clips, [&](const Clip& clip) {
        return std::ranges::find(choice, clip.id) != choice.end();
    });
    if (here == track->clips.end()) {
        const Frames now = session_.player.position();
        here =
            std::ranges::find_if(track->clips, [&](const Clip& clip) { return clip.end() > now; });
        here = here == track->clips.end() ? std::prev(here) : here;
    } else {
        const auto place = here - track->clips.begin() + by;
        const auto last = static_cast<std::ptrdiff_t>(track->clips.size()) - 1;
        here = track->clips.begin() + std::clamp<std::ptrdiff_t>(place, 0, last);
    }
    const Frames at = here->at;
    session_.choice.setClips(withTheirSet(session_.song(), {here->id}));
    session_.shown.reveal(at);
    session_.player.seek(at);
}

}  // namespace orthochron::app
