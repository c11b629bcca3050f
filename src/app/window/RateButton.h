#pragma once

#include <QPushButton>

#include "app/session/Session.h"

class QLabel;
class QLineEdit;

namespace orthochron::app {

// A rate of playing typed as a percentage ("80", "80 %"), a tempo ("110 bpm", against the song's) or
// semitones ("-2 st"); none when it is no number, or outside 25 to 400 %.
[[nodiscard]] std::optional<double> readRate(const QString& text, double songBpm);

// How fast the song is played: the rate, and under it what becomes of the pitch. Its menu has the usual
// rates and a field to type one.
class RateButton final : public QPushButton {
    Q_OBJECT

public:
    explicit RateButton(Session& session, QWidget* parent = nullptr);

    // What stands under it.
    [[nodiscard]] QLabel* about() const { return about_; }
    void step(int by);  // by a twentieth, or by a semitone where they are held to
    void reset();
    void fill();

private:
    void set(double speed, bool keepsPitch);
    void take();  // what was typed
    [[nodiscard]] double songBpm() const;

    Session& session_;
    QLabel* about_ = nullptr;
    QLineEdit* typed_ = nullptr;
    bool isInSemitones_ = false;  // where the pitch follows, it does so in whole ones
};

}  // namespace orthochron::app
