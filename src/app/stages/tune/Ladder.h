#pragma once

#include <QCoreApplication>
#include <QRectF>

#include "app/stages/tune/NoteHands.h"
#include "app/stages/tune/VoicesBeside.h"
#include "app/views/LanesView.h"

namespace orthochron::app {

// The ladder: a rung for each semitone, the notes as beams that hang off theirs by a stem as long as their
// error, the sung curve in ink through them. Notes are taken by their middle to be moved in pitch (or
// sideways in time), by an end to be made longer or shorter, by the dot on their rung to be drawn to it;
// a double click splits one, a drag with Ctrl over bare paper draws one. Other voices lie beside them as
// empty beams; a click on one takes that voice up.
class Ladder final {
    Q_DECLARE_TR_FUNCTIONS(Ladder)

public:
    Ladder(Session& session, LanesView& lanes, TuneHands& hands, NoteHands& notes);

    // How many semitones are seen; 0 for as many as the take needs.
    void setSpan(double semitones) { span_ = semitones; }
    [[nodiscard]] double span() const { return span_; }

    void paint(QPainter& painter, QRect area);
    bool press(QRect area, QMouseEvent& event);
    void move(QMouseEvent& event);
    void release(QMouseEvent& event);
    [[nodiscard]] std::pair<QString, Qt::CursorShape> hintAt(QRect area, QPoint place) const;

private:
    enum class Grip { None, Note, Sideways, Start, End, Stem, Band, Draw };

    struct Found {
        Grip grip = Grip::None;
        std::size_t note = 0;
    };
    // The lowest and the highest pitch that are seen.
    struct Range {
        double low = 48.0;
        double high = 72.0;
    };
    [[nodiscard]] Range range() const;
    [[nodiscard]] double yOf(double midi, QRectF area) const;
    // Song times of a note's ends as it is asked for; none where it is not heard.
    [[nodiscard]] std::optional<std::pair<Frames, Frames>> spanOf(std::size_t note) const;
    [[nodiscard]] const std::vector<NoteTuning>& asked() const;
    [[nodiscard]] Found find(QRect area, QPoint place) const;
    void paintRungs(QPainter& painter, QRect area) const;
    void paintCurve(QPainter& painter, QRect area) const;
    void paintNote(QPainter& painter, QRect area, std::size_t note) const;
    // Another voice whose beam is there; none without.
    [[nodiscard]] std::optional<TrackId> besideAt(QRect area, QPoint place) const;
    void moveNotes(QMouseEvent& event);
    void moveStem(QMouseEvent& event);
    [[nodiscard]] double pitchAt(int y) const;
    [[nodiscard]] QPointF stemOf(QRect area, std::size_t note) const;  // its dot
    void splitAt(std::size_t note, double x);
    void draw();

    Session& session_;
    LanesView& lanes_;
    TuneHands& hands_;
    NoteHands& notes_;
    VoicesBeside beside_;
    double span_ = 0.0;
    Grip grip_ = Grip::None;
    QRect area_;
    Range
        shown_;  // as it was painted last; while something is held it does not move under the hand
    std::size_t note_ = 0;
    QPoint pressed_;
    QPoint now_;
    std::vector<NoteTuning> dragged_;  // as it is dragged; empty without
};

}  // namespace orthochron::app
