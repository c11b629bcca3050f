#include "app/stages/tune/TuneHands.h"

#include "app/controls/Counted.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/NoteFit.h"
#include "core/edits/SectionEdits.h"
#include "core/tune/KeyGuess.h"
#include "core/tune/PlainTones.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr int kAttendEvery = 10;  // ms

}  // namespace

QString rungName(int midi)
{
    const int octave = midi / 12 - 1;
    return QString::fromStdString(semitoneName(midi)) + QString::number(octave);
}

TuneHands::TuneHands(Session& session, QObject* parent)
    : QObject(parent), session_(session), takes_(session, this), heard_(session)
{
    connect(&session_.document, &Document::opened, this, [this] {
        chosen_.clear();
        guide_ = {};
        beside_.clear();
        heardBeside_.clear();
    });
    connect(&session_.document, &Document::songChanged, this, &TuneHands::changed);
    connect(&session_.document, &Document::failed, this, &TuneHands::changed);
    attending_.setInterval(kAttendEvery);
    connect(&attending_, &QTimer::timeout, this, &TuneHands::attend);
    connect(&takes_, &SungTakes::changed, this, &TuneHands::changed);
    connect(&session_.choice, &Choice::trackChanged, this, [this] {
        chosen_.clear();
        Q_EMIT changed();
    });
}

QString TuneHands::trackName() const
{
    const auto chosen = session_.song().track(track());
    return chosen ? QString::fromStdString(chosen->name) : QString();
}

void TuneHands::look()
{
    takes_.look(track());
    for (const auto& other : session_.song().tracks) {
        if (isBeside(other->id)) {
            takes_.look(other->id);
        }
    }
}

std::optional<QString> TuneHands::trouble() const
{
    const Sung* own = sung();
    if (own == nullptr || own->isOneVoice()) {
        return std::nullopt;
    }
    return tr("No single pitch in %1 % of this take; shift it as chords in Fit, By hand.")
        .arg(100.0 * (1.0 - own->pitched), 0, 'f', 0);
}

Treatment TuneHands::tuning() const
{
    return orthochron::tuningOf(session_.song(), track(), session_.choice.clips());
}

const std::vector<NoteTuning>& TuneHands::asked() const
{
    const std::shared_ptr<const Sung> own = takes_.of(track());
    const ClipChoice& clips = session_.choice.clips();
    if (own == askedOf_ && askedIn_ == session_.document.song() && askedFor_ == clips) {
        return asked_;
    }
    askedIn_ = session_.document.song();
    askedFor_ = clips;
    Treatment now = tuning();
    if (own != askedOf_ || !(now == askedBy_)) {
        asked_ = own ? tuningIn(now, own->notes, session_.song().rate) : std::vector<NoteTuning>();
        askedBy_ = std::move(now);
        askedOf_ = own;
    }
    return asked_;
}

void TuneHands::choose(std::set<std::size_t> notes)
{
    chosen_ = std::move(notes);
    Q_EMIT changed();
}

std::set<std::size_t> TuneHands::meant() const
{
    const Sung* own = sung();
    std::set<std::size_t> all;
    for (std::size_t i = 0; own != nullptr && i < own->notes.size(); ++i) {
        if (chosen_.empty() || chosen_.contains(i)) {
            all.insert(i);
        }
    }
    return all;
}

const Section* TuneHands::sectionHere() const
{
    const Song& song = session_.song();
    const Beats at = song.tempo.beatsAt(toSeconds(session_.player.position(), song.rate));
    return sectionAt(song, song.tempo.barAt(at));
}

const Scale& TuneHands::keyHere() const
{
    const Section* section = sectionHere();
    return section != nullptr && section->key ? *section->key : session_.song().key;
}

Rungs TuneHands::rungsOf(std::size_t note) const
{
    const Song& song = session_.song();
    const bool hasOwnKeys = std::ranges::any_of(song.sections, [](const Section& each) {
        return each.key.has_value();
    });
    const auto at = hasOwnKeys ? heardAt(sung()->notes[note].start) : std::nullopt;
    return at ? rungsAt(song, song.tempo.barAt(song.tempo.beatsAt(toSeconds(*at, song.rate))))
              : Rungs(song.key, song.temperament);
}

std::optional<Frames> TuneHands::heardAt(Frames takeTime) const
{
    return session_.hits.heardOn(track(), takeTime);
}

Result<Song> TuneHands::withAsked(const std::vector<NoteTuning>& asked) const
{
    const Sung* own = sung();
    if (own == nullptr) {
        return badArgument("there are no notes");
    }
    return withAsked(session_.song(), *own, asked);
}

Result<Song>
TuneHands::withAsked(const Song& song, const Sung& own, const std::vector<NoteTuning>& asked) const
{
    const auto of = song.track(track());
    const Take* take = of ? song.take(of->markedTake) : nullptr;
    if (take == nullptr) {
        return badArgument("there are no notes");
    }
    const auto treatment =
        orthochron::tuningOf(own.notes, own.curve, asked, of->glide, take->frames, song.rate);
    if (!treatment) {
        return tl::unexpected(treatment.error());
    }
    return tuneClips(song, track(), session_.choice.clips(), *treatment);
}

void TuneHands::apply(const std::vector<NoteTuning>& asked, const QString& name)
{
    session_.document.apply(withAsked(asked), name);
}

void TuneHands::hearDragged(const std::vector<NoteTuning>& asked)
{
    heard_.hear([&] { return withAsked(asked); });
}

void TuneHands::change(
    const std::function<void(const SungNote&, NoteTuning&)>& change, const QString& name
)
{
    const Sung* own = sung();
    if (own == nullptr || trouble()) {
        return;
    }
    std::vector<NoteTuning> next = asked();
    const auto notes = meant();
    for (const std::size_t i : notes) {
        change(own->notes[i], next[i]);
    }
    if (next == asked()) {
        return;
    }
    apply(next, tr("%1 (%2)").arg(name, counted(std::ssize(notes), tr("note"), tr("notes"))));
}

void TuneHands::putRightGently()
{
    const Sung* own = sung();
    if (const auto why = trouble(); own == nullptr || why) {
        session_.say(why.value_or(tr("No notes yet")));
        return;
    }
    const auto gentle = tunedGently(own->notes);
    const double before = meanOff().second;
    std::vector<NoteTuning> next = asked();
    for (const std::size_t i : meant()) {
        next[i].shift = gentle[i].shift;
    }
    apply(next, tr("Correct gently"));
    session_.say(tr("Mean error %1 → %2 cents, vibrato kept")
                     .arg(before, 0, 'f', 0)
                     .arg(meanOff().second, 0, 'f', 0));
}

void TuneHands::reset()
{
    change(
        [](const SungNote& note, NoteTuning& asked) {
            asked = NoteTuning{0.0, 0.0, 1.0, false, note.start, note.end};
        },
        tr("Reset tuning")
    );
}

void TuneHands::shift(double semitones)
{
    change(
        [&](const SungNote&, NoteTuning& asked) {
            asked.shift = std::clamp(asked.shift + semitones, -kMostSemitones, kMostSemitones);
        },
        tr("Move by %1 cents").arg(100.0 * semitones, 0, 'f', 0)
    );
}

void TuneHands::setKey(const Scale& key, std::optional<SectionId> section)
{
    const Song& song = session_.song();
    session_.document.apply(
        section ? setSectionKey(song, *section, key) : Result<Song>(orthochron::setKey(song, key)),
        tr("Key")
    );
}

void TuneHands::setTemperament(const Temperament& temperament)
{
    session_.document.apply(
        orthochron::setTemperament(session_.song(), temperament), tr("Temperament")
    );
}

void TuneHands::setGlide(std::optional<Seconds> glide)
{
    auto next = orthochron::setGlide(session_.song(), track(), glide);
    const Sung* own = sung();
    if (next && own != nullptr && own->isOneVoice()) {
        // With nothing asked of a note there is nothing that glides otherwise.
        next = withAsked(*next, *own, asked());
    }
    session_.document.apply(std::move(next), tr("Glide"));
}

// ---- after a guide, and on the grid

void TuneHands::setGuide(TrackId track)
{
    guide_ = track;
    look();
    Q_EMIT changed();
}

std::pair<std::vector<HeardNote>, std::vector<std::size_t>> TuneHands::heardNotes(TrackId id) const
{
    std::vector<HeardNote> heard;
    std::vector<std::size_t> which;
    const auto own = takes_.of(id);
    if (!own) {
        return {heard, which};
    }
    const Song& song = session_.song();
    const ClipChoice none;
    const auto asked = id == track()
                           ? this->asked()
                           : tuningIn(orthochron::tuningOf(song, id, none), own->notes, song.rate);
    for (std::size_t i = 0; i < own->notes.size(); ++i) {
        const SungNote& note = own->notes[i];
        const auto from = session_.hits.heardOn(id, note.start);
        const auto to = session_.hits.heardOn(id, note.end - Frames(1));
        if (from && to && *to > *from) {
            const double shift = asked[i].shift;
            heard.push_back({*from, *to + Frames(1), note.centre + shift, note.offset() + shift});
            which.push_back(i);
        }
    }
    return {heard, which};
}

bool TuneHands::isBeside(TrackId id) const
{
    return id != track() && (id == guide_ || beside_.contains(id));
}

void TuneHands::setBeside(TrackId id, bool isShown)
{
    if (isShown) {
        beside_.insert(id);
    } else {
        beside_.erase(id);
    }
    look();
    Q_EMIT changed();
}

void TuneHands::takeUp(TrackId id)
{
    beside_.insert(track());
    session_.choice.setTrack(id);
}

std::vector<TuneHands::Voice> TuneHands::beside() const
{
    std::vector<Voice> voices;
    for (const auto& other : session_.song().tracks) {
        if (!isBeside(other->id)) {
            continue;
        }
        const auto sung = takes_.of(other->id);
        Beside& kept = heardBeside_[other->id];
        if (kept.song != session_.document.song() || kept.sung != sung) {
            const bool isOneVoice = sung && sung->isOneVoice();
            kept = {
                session_.document.song(),
                sung,
                isOneVoice ? heardNotes(other->id).first : std::vector<HeardNote>()};
        }
        voices.push_back({other->id, kept.notes});
    }
    return voices;
}

void TuneHands::follow(const GuideAmounts& amounts)
{
    const auto guide = takes_.of(guide_);
    if (!guide || !guide->isOneVoice()) {
        session_.say(
            takes_.isListening() ? tr("The guide is still being analysed")
                                 : tr("Select a single-voice track as guide")
        );
        return;
    }
    if (sung() == nullptr || trouble()) {
        return;
    }
    const auto [heard, which] = heardNotes(track());
    const auto followed = heardNotes(guide_).first;
    std::vector<NoteTuning> part;
    for (const std::size_t i : which) {
        part.push_back(asked()[i]);
    }
    const auto drawn =
        drawnTowards(heard, followed, std::move(part), amounts, session_.song().rate);
    if (!drawn) {
        Q_EMIT session_.failed(drawn.error());
        return;
    }
    std::vector<NoteTuning> next = asked();
    const auto isMeant = meant();
    for (std::size_t k = 0; k < which.size(); ++k) {
        if (isMeant.contains(which[k])) {
            next[which[k]] = (*drawn)[k];
        }
    }
    const auto pairs = pairedWith(heard, followed, session_.song().rate);
    const auto paired =
        std::ranges::count_if(pairs, [](const auto& pair) { return pair.has_value(); });
    apply(next, tr("Follow guide"));
    session_.say(tr("%1 of %2 follow the guide")
                     .arg(paired)
                     .arg(counted(std::ssize(pairs), tr("note"), tr("notes"))));
}

void TuneHands::fitInTime()
{
    if (sung() == nullptr || trouble()) {
        session_.say(trouble().value_or(tr("No notes yet")));
        return;
    }
    const auto [heard, which] = heardNotes(track());
    std::vector<NoteTuning> part;
    std::set<std::size_t> wanted;
    const auto isMeant = meant();
    for (std::size_t k = 0; k < which.size(); ++k) {
        part.push_back(asked()[which[k]]);
        if (isMeant.contains(which[k])) {
            wanted.insert(k);
        }
    }
    const FitRequest& request = session_.fitting.request;
    const auto fitted = fitNotes(session_.song(), track(), heard, std::move(part), wanted, request);
    if (!fitted) {
        Q_EMIT session_.failed(fitted.error());
        return;
    }
    std::vector<NoteTuning> next = asked();
    for (std::size_t k = 0; k < which.size(); ++k) {
        next[which[k]] = fitted->asked[k];
    }
    if (fitted->moved == 0) {
        session_.say(tr("All notes already fit"));
        return;
    }
    apply(next, tr("Fit note timing"));
    session_.say(tr("%1 of %2 moved, mean distance to grid %3 → %4 ms")
                     .arg(fitted->moved)
                     .arg(counted(std::ssize(wanted), tr("note"), tr("notes")))
                     .arg(inMilliseconds(fitted->before), 0, 'f', 1)
                     .arg(inMilliseconds(fitted->after), 0, 'f', 1));
}

void TuneHands::markStarts()
{
    const Sung* own = sung();
    if (own == nullptr || trouble()) {
        session_.say(trouble().value_or(tr("No notes yet")));
        return;
    }
    std::vector<Frames> starts;
    for (const SungNote& note : own->notes) {
        starts.push_back(note.start);
    }
    if (session_.document.apply(
            placeMarksAt(session_.song(), track(), starts), tr("Add marks at notes")
        )) {
        session_.say(tr("Added marks at %1; Fit can now move them")
                         .arg(counted(std::ssize(starts), tr("note"), tr("notes"))));
    }
}

void TuneHands::step(int by)
{
    const Sung* own = sung();
    if (own == nullptr || own->notes.empty()) {
        return;
    }
    const auto count = std::ssize(own->notes);
    std::ptrdiff_t next = by > 0 ? 0 : count - 1;
    if (!chosen_.empty()) {
        next = static_cast<std::ptrdiff_t>(by > 0 ? *chosen_.rbegin() : *chosen_.begin()) + by;
        next = (next % count + count) % count;
    }
    choose({static_cast<std::size_t>(next)});
    if (const auto at = heardAt(own->notes[static_cast<std::size_t>(next)].start)) {
        session_.shown.reveal(*at);
        session_.player.seek(*at);
    }
}

void TuneHands::hear()
{
    const Sung* own = sung();
    if (own == nullptr || chosen_.empty()) {
        session_.player.play();
        return;
    }
    const auto from = heardAt(own->notes[*chosen_.begin()].start);
    const auto to = heardAt(own->notes[*chosen_.rbegin()].end - Frames(1));
    if (!from || !to || *to <= *from) {
        return;
    }
    session_.player.setAlone(
        hearing_ == Hearing::InSong ? std::vector<TrackId>() : std::vector{track()}
    );
    session_.player.setTrial(tonesFor(*from, *to));
    session_.player.playRange(*from, *to);
    areTonesHeld_ = false;
    attending_.start();
}

// On the rungs the notes hang off, as they now are; none where nothing is to be held against them.
std::shared_ptr<const engine::Trial> TuneHands::tonesFor(Frames from, Frames to) const
{
    if (hearing_ != Hearing::WithTone && hearing_ != Hearing::WithChord) {
        return nullptr;
    }
    std::vector<TonesAt> tones;
    const auto& notes = sung()->notes;
    for (const std::size_t i : chosen_) {
        const auto first = heardAt(notes[i].start);
        const auto last = heardAt(notes[i].end - Frames(1));
        if (!first || !last) {
            continue;
        }
        const Rungs rungs = rungsOf(i);
        const int rung = rungs.nearest(notes[i].centre + asked()[i].shift);
        const double height = rungs.temperament.heightOf(rung);
        tones.push_back(
            {*first,
             *last + Frames(1),
             hearing_ == Hearing::WithTone ? std::vector{height} : tonicChord(rungs, height)}
        );
    }
    auto trial = std::make_shared<engine::Trial>(std::vector<TrackId>(), from, to - from);
    trial->put(
        0,
        std::make_shared<const AudioBuffer>(plainTones(tones, from, to - from, session_.song().rate)
        )
    );
    return trial;
}

// The tones begin with the playing, and all is as before once it ends.
void TuneHands::attend()
{
    if (session_.player.isPlaying()) {
        if (!areTonesHeld_) {
            areTonesHeld_ = true;
            session_.player.holdPitch(0);
        }
    } else if (!session_.player.isWanted()) {
        attending_.stop();
        session_.player.setTrial(nullptr);
        session_.player.setAlone({});
    }
}

std::pair<double, double> TuneHands::meanOff() const
{
    const Sung* own = sung();
    double before = 0.0;
    double after = 0.0;
    const auto notes = meant();
    for (const std::size_t i : notes) {
        before += 100.0 * std::abs(own->notes[i].offset());
        after += 100.0 * std::abs(own->notes[i].offset() + asked()[i].shift);
    }
    const double count = std::max(static_cast<double>(notes.size()), 1.0);
    return {before / count, after / count};
}

}  // namespace orthochron::app
