#pragma once

#include <QElapsedTimer>
#include <QTimer>
#include <QWidget>

#include "app/stages/hand/ClipHands.h"
#include "engine/device/MidiKeys.h"
#include "engine/playback/Trial.h"

namespace orthochron::app {

// A row of keys that play the chosen clips at other pitches while the song goes on, in place of what they
// play: held with the mouse, on a MIDI keyboard (middle C is the pitch as it is) or, once the row has the
// keys, with those of the computer. What is chosen is
// made at all pitches as soon as somebody comes near; Enter keeps the pitch that was held last.
class PitchKeys final : public QWidget {
    Q_OBJECT

public:
    PitchKeys(Session& session, ClipHands& hands, QWidget* parent);

    [[nodiscard]] QSize sizeHint() const override { return {400, 46}; }
    [[nodiscard]] QSize minimumSizeHint() const override { return {300, 46}; }
    // The semitones a key of the computer stands for: a row of letters goes up from the pitch as it is,
    // the row below it down; none for other keys.
    [[nodiscard]] static std::optional<int> semitonesOf(int key);
    // A note of a MIDI keyboard goes down or up; 60 is the pitch as it is, notes further than an octave from
    // it are none of these keys.
    void playNote(int note, bool isDown);

protected:
    void paintEvent(QPaintEvent* event) override;
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;
    void enterEvent(QEnterEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

private:
    void make();  // what is chosen, when that is not made yet
    // What of it is tried: all, or of what is long a passage from the bar on that the playhead is in.
    [[nodiscard]] Span passageOf(Span chosen) const;
    [[nodiscard]] bool isPast(Span chosen) const;  // the passage that was made
    void drop();
    void hold(std::optional<int> semitones);
    void keep();
    [[nodiscard]] QRectF keyOf(int semitones) const;
    [[nodiscard]] std::optional<int> keyAt(QPointF place) const;

    Session& session_;
    ClipHands& hands_;
    std::shared_ptr<engine::Trial> trial_;
    ClipChoice tried_;  // what it is of
    std::optional<int> held_;
    std::optional<int> last_;                 // held last: what Enter keeps
    QTimer look_;                             // while it is being made
    std::unique_ptr<engine::MidiKeys> midi_;  // while the row is shown
};

}  // namespace orthochron::app
