#pragma once

#include <QTimer>

#include "app/session/Session.h"
#include "core/edits/LoopEdits.h"
#include "core/tempo/LoopSeam.h"

namespace orthochron::app {

enum class LoopEdge { Beginning, End };

// What is around the edges of a loop, read for drawing: from `reach` before each to as much behind it.
struct LoopPicture {
    std::vector<float> beginning;
    std::vector<float> end;
    double likeness = 0.0;
};

// A loop being taken out of a recording by ear: its edges are those of the chosen range, moved while it goes
// round. Nothing of the song is changed until it is taken out.
class LoopCutting final : public QObject {
    Q_OBJECT

public:
    LoopCutting(Session& session, QObject* parent);

    [[nodiscard]] std::shared_ptr<const Track>
    track() const;  // that it is taken from; null for none
    // The chosen range, where it has a length; none before one is chosen.
    [[nodiscard]] std::optional<TimeRange> span() const;
    [[nodiscard]] Seconds length() const;  // 0 for no span

    int times = 1;                     // it is laid in a row when it is taken out
    Seconds fade = milliseconds(5.0);  // faded over where it goes round

    // How many beats it is said to have: as typed, or as the song's tempo counts it, one at least.
    [[nodiscard]] double beats() const;
    [[nodiscard]] double bpm() const;  // so many beats in its length; 0 for no span
    void setBeats(double beats);
    void setBpm(double bpm);  // the end moves: so long last its beats at this tempo

    void choose(LoopEdge edge);  // that the keys move
    [[nodiscard]] LoopEdge edge() const { return edge_; }
    [[nodiscard]] Frames at(LoopEdge edge) const;
    // An edge to a song time; it stays before the other, and in the song.
    void move(LoopEdge edge, Frames to);

    // Round and round, the track alone; once more to end it.
    void hear();
    [[nodiscard]] bool isHeard() const { return attending_.isActive(); }
    // The end goes to where the beginning comes round again, within 25 ms.
    void closeSeam();
    void takeOut();

    // Null while it is being read, or where there is no span.
    [[nodiscard]] const LoopPicture* picture();
    [[nodiscard]] Frames reach() const;  // of the picture
    void zoom(double factor);            // the picture's reach, 2 to 200 ms

Q_SIGNALS:
    void changed();

private:
    // What a picture was read for.
    struct Key {
        std::shared_ptr<const Song> song;
        TrackId track;
        Frames from;
        Frames to;
        Frames reach;

        bool operator==(const Key&) const = default;
    };
    [[nodiscard]] std::optional<Key> key() const;
    void refresh();
    void attend();

    Session& session_;
    LoopEdge edge_ = LoopEdge::End;
    std::optional<double> typedBeats_;  // of `last_`: another stretch is counted anew
    std::optional<TimeRange> last_;
    Seconds reach_ = milliseconds(20.0);
    std::optional<Key> read_;   // what `picture_` shows
    std::optional<Key> asked_;  // what is being read
    LoopPicture picture_;
    QTimer attending_;  // as long as it is heard
    std::optional<engine::LoopRange> loopBefore_;
};

}  // namespace orthochron::app
