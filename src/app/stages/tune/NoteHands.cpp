#include "app/stages/tune/NoteHands.h"

#include "app/controls/Counted.h"
#include "core/tune/NotesByHand.h"
#include "core/tune/Octaves.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

NoteHands::NoteHands(Session& session, TuneHands& hands) : session_(session), hands_(hands) {}

NoteByHand NoteHands::asItIs(std::size_t i) const
{
    const SungNote& note = hands_.sung()->notes[i];
    NoteByHand own{note.start, note.end, true, 0, std::clamp(note.centre, 0.0, 127.0)};
    const auto of = session_.song().track(hands_.track());
    for (const NoteByHand& decided : of->notes) {
        if (decided.start < note.end && decided.end > note.start) {
            own.octaves = decided.octaves;
        }
    }
    return own;
}

void NoteHands::applyDecided(Result<Song> decided, const QString& name)
{
    const Treatment now = hands_.tuning();
    const bool isTuned = !now.pitch.empty() || !now.time.pins().empty();
    if (decided && isTuned) {
        if (const auto next = hands_.takes().in(*decided, hands_.track())) {
            decided =
                hands_.withAsked(*decided, *next, tuningIn(now, next->notes, session_.song().rate));
        }
    }
    hands_.choose({});
    session_.document.apply(std::move(decided), name);
}

void NoteHands::decide(const std::vector<NoteByHand>& notes, const QString& name)
{
    Result<Song> next = session_.song();
    for (const NoteByHand& note : notes) {
        if (next) {
            next = layNoteByHand(*next, hands_.track(), note);
        }
    }
    applyDecided(std::move(next), name);
}

void NoteHands::splitAt(std::size_t note, Frames takeTime)
{
    NoteByHand first = asItIs(note);
    NoteByHand second = first;
    first.end = takeTime;
    second.start = takeTime;
    decide({first, second}, tr("Split note"));
}

void NoteHands::splitAtPlayhead()
{
    const auto at = session_.hits.takeTimeAt(hands_.track(), session_.player.position());
    const Sung* own = hands_.sung();
    for (std::size_t i = 0; own != nullptr && at && i < own->notes.size(); ++i) {
        if (*at > own->notes[i].start && *at < own->notes[i].end) {
            splitAt(i, *at);
            return;
        }
    }
    session_.say(tr("Place the playhead inside a note to split it"));
}

void NoteHands::merge()
{
    if (hands_.sung() == nullptr || hands_.chosen().size() < 2) {
        session_.say(tr("Select two or more notes to merge"));
        return;
    }
    NoteByHand whole = asItIs(*hands_.chosen().begin());
    whole.end = hands_.sung()->notes[*hands_.chosen().rbegin()].end;
    decide({whole}, tr("Merge %1 notes").arg(hands_.chosen().size()));
}

void NoteHands::drop()
{
    std::vector<NoteByHand> none;
    for (const std::size_t i : hands_.chosen()) {
        none.push_back(asItIs(i));
        none.back().isNote = false;
        none.back().octaves = 0;
    }
    if (none.empty()) {
        session_.say(tr("Select the notes to delete"));
        return;
    }
    decide(none, tr("Not a note"));
}

void NoteHands::readOctave(int by)
{
    std::vector<NoteByHand> notes;
    for (const std::size_t i : hands_.chosen()) {
        notes.push_back(asItIs(i));
        notes.back().octaves += by;
        notes.back().pitch = std::clamp(notes.back().pitch + 12.0 * by, 0.0, 127.0);
    }
    if (notes.empty()) {
        session_.say(tr("Select the notes in the wrong octave"));
        return;
    }
    decide(notes, by > 0 ? tr("Correct octave up") : tr("Correct octave down"));
}

void NoteHands::draw(Frames from, Frames to, double pitch)
{
    const auto first = session_.hits.takeTimeAt(hands_.track(), from);
    const auto last = session_.hits.takeTimeAt(hands_.track(), to - Frames(1));
    if (!first || !last || *last <= *first) {
        session_.say(tr("Draw notes where a clip plays"));
        return;
    }
    NoteByHand note{*first, *last + Frames(1), true, 0, std::clamp(pitch, 0.0, 127.0)};
    if (const auto found = hands_.takes().foundPitch(hands_.track(), note.start, note.end)) {
        const auto octaves = static_cast<int>(std::lround((pitch - *found) / 12.0));
        note.octaves = std::clamp(octaves, -kMostOctaves, kMostOctaves);
    }
    decide({note}, tr("Draw note"));
}

void NoteHands::asFound()
{
    const Sung* own = hands_.sung();
    if (own == nullptr) {
        return;
    }
    const auto of = session_.song().track(hands_.track());
    Frames from;
    Frames to = of->notes.empty() ? Frames(0) : of->notes.back().end;
    if (!hands_.chosen().empty()) {
        from = own->notes[*hands_.chosen().begin()].start;
        to = own->notes[*hands_.chosen().rbegin()].end;
    }
    applyDecided(forgetNotesByHand(session_.song(), hands_.track(), from, to), tr("Reset notes"));
}

std::vector<std::pair<std::size_t, int>> NoteHands::octaveDoubts() const
{
    std::vector<std::pair<std::size_t, int>> doubts;
    const Sung* own = hands_.sung();
    if (own != nullptr && own->isOneVoice()) {
        const auto octaves = orthochron::octaveDoubts(own->notes, session_.song().rate);
        for (std::size_t i = 0; i < octaves.size(); ++i) {
            if (octaves[i] != 0) {
                doubts.emplace_back(i, octaves[i]);
            }
        }
    }
    return doubts;
}

void NoteHands::putOctavesRight()
{
    std::vector<NoteByHand> notes;
    for (const auto& [i, octaves] : octaveDoubts()) {
        notes.push_back(asItIs(i));
        notes.back().octaves += octaves;
        notes.back().pitch = std::clamp(notes.back().pitch + 12.0 * octaves, 0.0, 127.0);
    }
    if (!notes.empty()) {
        decide(
            notes,
            tr("Correct octave of %1").arg(counted(std::ssize(notes), tr("note"), tr("notes")))
        );
    }
}

}  // namespace orthochron::app
