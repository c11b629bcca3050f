#pragma once

#include <QCoreApplication>

#include "app/stages/tune/TuneHands.h"

namespace orthochron::app {

// What notes there are, decided by hand: each as one undo step. Nothing sounds otherwise by it, and what
// was tuned stays so.
class NoteHands final {
    Q_DECLARE_TR_FUNCTIONS(NoteHands)

public:
    NoteHands(Session& session, TuneHands& hands);

    void splitAt(std::size_t note, Frames takeTime);
    void splitAtPlayhead();
    void merge();             // the chosen ones, with what lies between them
    void drop();              // the chosen ones are no notes
    void readOctave(int by);  // the pitch of the chosen ones was found that many octaves off
    void draw(Frames from, Frames to, double pitch);  // song times
    void asFound();  // takes back what was decided about the chosen ones, or all
    // Those whose pitch seems to have been found an octave off, and by how many octaves.
    [[nodiscard]] std::vector<std::pair<std::size_t, int>> octaveDoubts() const;
    void putOctavesRight();

private:
    // Decides about notes as one step; those there are then are asked what the song has of them.
    void decide(const std::vector<NoteByHand>& notes, const QString& name);
    void applyDecided(Result<Song> decided, const QString& name);
    [[nodiscard]] NoteByHand asItIs(std::size_t note) const;

    Session& session_;
    TuneHands& hands_;
};

}  // namespace orthochron::app
