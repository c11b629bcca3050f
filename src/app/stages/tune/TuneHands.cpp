#include "app/stages/tune/TuneHands.h"

#include "app/controls/Counted.h"
#include "core/pitch/AnyVoice.h"
#include "core/stretch/MaterialGuess.h"
#include "core/tune/KeyGuess.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr int kHeardEvery = 150;       // ms, while notes are dragged
constexpr std::size_t kMostKnown = 8;  // takes whose notes are remembered

}  // namespace

QString rungName(int midi)
{
    const int octave = midi / 12 - 1;
    return QString::fromStdString(semitoneName(midi)) + QString::number(octave);
}

TuneHands::TuneHands(Session& session, QObject* parent) : QObject(parent), session_(session)
{
    connect(&session_.document, &Document::opened, this, [this] {
        known_.clear();
        chosen_.clear();
    });
    connect(&session_.document, &Document::songChanged, this, &TuneHands::songChanged);
    connect(&session_.choice, &Choice::trackChanged, this, [this] {
        chosen_.clear();
        Q_EMIT changed();
    });
}

std::optional<TuneHands::Place> TuneHands::place() const
{
    const auto chosen = session_.song().track(track());
    if (!chosen || !chosen->markedTake.isValid()) {
        return std::nullopt;
    }
    return Place{chosen->markedTake, chosen->markedChannel};
}

void TuneHands::songChanged()
{
    // Their rungs are those of the song's key.
    for (auto& [where, sung] : known_) {
        if (!(sung->key == session_.song().key)) {
            auto again = std::make_shared<Sung>(*sung);
            again->key = session_.song().key;
            for (SungNote& note : again->notes) {
                note.rung = again->key.nearest(note.centre);
            }
            sung = std::move(again);
        }
    }
    Q_EMIT changed();
}

const Sung* TuneHands::sung() const
{
    const auto where = place();
    const auto found = where ? known_.find(*where) : known_.end();
    return found == known_.end() ? nullptr : found->second.get();
}

QString TuneHands::trackName() const
{
    const auto chosen = session_.song().track(track());
    return chosen ? QString::fromStdString(chosen->name) : QString();
}

Frames TuneHands::takeLength() const
{
    const auto where = place();
    const Take* take = where ? session_.song().take(where->take) : nullptr;
    return take != nullptr ? take->frames : Frames(0);
}

void TuneHands::look()
{
    const auto where = place();
    if (!where || known_.contains(*where) || isListening_) {
        return;
    }
    isListening_ = true;
    Q_EMIT changed();
    session_.jobs.run(
        {.key = QStringLiteral("notes"),
         .title = tr("Finding the notes of %1").arg(trackName()),
         .holds = session_.document.whileOpen()},
        this,
        [sources = session_.document.sources(),
         where = *where,
         key = session_.song().key,
         rate = session_.song().rate](const Work& work) -> Result<Sung> {
            const Channel channel = sources->channel(where.take, where.channel);
            auto curve = pitchOfAnyVoice(channel, rate, work.part(0.0, 0.9));
            if (!curve) {
                return tl::unexpected(curve.error());
            }
            const auto guess = guessMaterial(channel, rate, work.part(0.9, 1.0));
            if (!guess) {
                return tl::unexpected(guess.error());
            }
            Sung sung;
            sung.notes = sungNotes(*curve, rate, key);
            sung.pitched = guess->pitched;
            sung.curve = std::move(*curve);
            sung.key = key;
            return sung;
        },
        [this, where = *where](Result<Sung> found) {
            isListening_ = false;
            if (!found) {
                if (found.error().kind != ErrorKind::Cancelled) {
                    Q_EMIT session_.failed(QString::fromStdString(found.error().message));
                }
                Q_EMIT changed();
                return;
            }
            if (known_.size() >= kMostKnown) {
                known_.erase(known_.begin());
            }
            known_[where] = std::make_shared<Sung>(std::move(*found));
            songChanged();
        }
    );
}

std::optional<QString> TuneHands::trouble() const
{
    const Sung* own = sung();
    if (own == nullptr || (!own->notes.empty() && own->pitched >= kLeastOneVoice)) {
        return std::nullopt;
    }
    return tr("No single pitch in %1 % of it: its notes cannot be told. Fit, By hand shifts it as "
              "a "
              "whole, as a blend.")
        .arg(100.0 * (1.0 - own->pitched), 0, 'f', 0);
}

Treatment TuneHands::tuning() const
{
    return orthochron::tuningOf(session_.song(), track(), session_.choice.clips());
}

const std::vector<NoteTuning>& TuneHands::asked() const
{
    const auto where = place();
    const auto found = where ? known_.find(*where) : known_.end();
    const std::shared_ptr<const Sung> own = found != known_.end() ? found->second : nullptr;
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
    const Song& song = session_.song();
    const auto treatment =
        orthochron::tuningOf(own->notes, own->curve, asked, std::nullopt, takeLength(), song.rate);
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
    if (!session_.player.isPlaying() ||
        (lastHeard_.isValid() && lastHeard_.elapsed() < kHeardEvery)) {
        return;
    }
    lastHeard_.start();
    if (auto song = withAsked(asked)) {
        session_.player.setSong(
            std::make_shared<const Song>(std::move(*song)), session_.document.sources()
        );
    }
}

void TuneHands::endDragging()
{
    if (lastHeard_.isValid()) {
        lastHeard_.invalidate();
        session_.player.setSong(session_.document.song(), session_.document.sources());
    }
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
        session_.say(why.value_or(tr("There are no notes yet")));
        return;
    }
    const auto gentle = tunedGently(own->notes);
    const double before = meanOff().second;
    std::vector<NoteTuning> next = asked();
    for (const std::size_t i : meant()) {
        next[i].shift = gentle[i].shift;
    }
    apply(next, tr("Put right gently"));
    session_.say(tr("Mean error %1 to %2 cents, vibrato kept")
                     .arg(before, 0, 'f', 0)
                     .arg(meanOff().second, 0, 'f', 0));
}

void TuneHands::reset()
{
    change(
        [](const SungNote& note, NoteTuning& asked) {
            asked = NoteTuning{0.0, 0.0, 1.0, false, note.start, note.end};
        },
        tr("As sung")
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

void TuneHands::setKey(const Scale& key)
{
    session_.document.apply(orthochron::setKey(session_.song(), key), tr("Key"));
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
    if (from && to && *to > *from) {
        session_.player.playRange(*from, *to);
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
