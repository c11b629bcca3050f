#pragma once

#include "app/session/Session.h"
#include "core/edits/MapEdits.h"

#include <set>

namespace orthochron::app {

// The chosen track around a bar line, read for drawing.
struct BarPicture {
    std::vector<float> samples;
    Frames before;  // of the line: how much of it comes first
};

// The grid that follows a player: drafting it from the chosen take or set, the line that is worked on, the bars
// that are doubtful and deciding them.
class Following final : public QObject {
    Q_OBJECT

public:
    Following(Session& session, QObject* parent);

    // ---- the draft
    bool keepsBarOne = false;  // where the song has it; otherwise it is guessed
    double bpmHint = 0.0;      // 0 for none
    void draft(MapLevel level);
    // The whole song, by cutting its bars or by stretching it.
    void makeSteady(double bpm, FitWay way);
    [[nodiscard]] double meanTempo() const;
    void readFile(QWidget* window);
    void writeFile(QWidget* window);

    // ---- the guide
    void readGuide(QWidget* window);
    void markFromGuide();  // the chosen track
    void removeGuide();

    // ---- a line and its pin
    [[nodiscard]] Beats line() const { return line_; }
    void chooseLine(Beats place);
    [[nodiscard]] bool isPinned(Beats place) const;
    void pin(Beats place, Seconds time);
    void move(Beats place, Seconds time);  // by its number: no pin
    void nudge(Seconds by);
    // Takes out its pin, or those of the chosen range where it is one of several.
    void free();
    [[nodiscard]] bool canFree() const { return isPinned(line_); }
    // The pins in the chosen range, when the line is one of several there; otherwise the line itself.
    [[nodiscard]] std::vector<Beats> meant(Beats line) const;
    // The song with those that are meant moved as one, so that the line is at a time.
    [[nodiscard]] Result<Song> shifted(Beats line, Seconds time) const;
    void keep();       // it is right where it is
    void countFrom();  // it becomes bar 1
    // Up to the line: a ramp from the pin before it, or one tempo where there is a ramp.
    void turnRamp();
    void hear();
    // The nearest attack to a time, song time, that a draft of the open song has heard, or where a note of the guide
    // begins; none within `reach`.
    [[nodiscard]] std::optional<Seconds> attackNear(Seconds time, Seconds reach) const;

    // ---- doubtful bars, worst first
    [[nodiscard]] const std::vector<DoubtfulBar>& doubtful() const { return doubtful_; }
    [[nodiscard]] std::size_t place() const { return place_; }
    void choose(std::size_t place);
    // Null while it is being read.
    [[nodiscard]] const BarPicture* picture(std::size_t place);

    [[nodiscard]] QString lineName(Beats place) const;  // "bar 19", "bar 19 · 3"
    [[nodiscard]] QString status() const;

Q_SIGNALS:
    void changed();

private:
    struct Listened {
        std::vector<std::pair<TakeId, int>> takes;  // and their channels
        Seconds starts;                             // where the recording begins, song time
    };
    [[nodiscard]] std::optional<Listened> listened() const;
    void takeUp(const MapDraft& draft, MapLevel level, Seconds starts);
    void refresh();

    Session& session_;
    Beats line_{0.0};
    std::vector<Seconds> attacks_;  // of the draft
    std::shared_ptr<const MidiGuide> guide_;
    std::vector<Seconds> guideStarts_;  // of this guide
    std::vector<DoubtfulBar> doubtful_;
    std::size_t place_ = 0;
    TempoMap madeFrom_;
    std::map<std::size_t, BarPicture> pictures_;
    std::set<std::size_t> asked_;
    std::uint64_t edition_ = 0;  // of the list: pictures of an older one are dropped
};

}  // namespace orthochron::app
