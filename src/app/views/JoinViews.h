#pragma once

#include <QWidget>

#include "app/session/Session.h"
#include "app/views/FrameSheet.h"

namespace orthochron::app {

// "dip −4 dB", "cut in attack 1.5 ms", "strain ×1.62".
[[nodiscard]] QString findingText(const Finding& finding);

// What a join sounds like on one microphone, read for drawing.
struct JoinPicture {
    std::vector<std::vector<float>> edited;  // by track of the set, from `from` on
    std::vector<double> likeness;            // of the two sides, by track
    std::vector<float> hit;  // by track: the highest sample of the hit that follows, for scale
    Frames from;
};

// Reads the pictures of joins by jobs and keeps them until the song changes.
class JoinPictures final : public QObject {
    Q_OBJECT

public:
    JoinPictures(Session& session, QObject* parent);
    // Null while it is being read.
    [[nodiscard]] const JoinPicture* of(std::size_t join);

Q_SIGNALS:
    void changed();

private:
    Session& session_;
    std::map<std::size_t, JoinPicture> pictures_;
    std::set<std::size_t> asked_;
};

// Every join as a small frame, worst first, showing the microphone where it is worst.
class ContactSheet final : public FrameSheet {
    Q_OBJECT

public:
    ContactSheet(Session& session, JoinPictures& pictures, QWidget* parent = nullptr);

Q_SIGNALS:
    void chosen(std::size_t join);

protected:
    [[nodiscard]] std::size_t count() const override
    {
        return session_.review.joinsWorstFirst().size();
    }
    [[nodiscard]] std::size_t chosenPlace() const override;
    void choose(std::size_t place) override;
    void paintFrame(QPainter& painter, QRect frame, std::size_t place) override;
    [[nodiscard]] QString emptyText() const override;

private:
    Session& session_;
    JoinPictures& pictures_;
};

// One join at sample scale, on all microphones, with its crossfade and the hits around it. The
// middle of the crossfade can be dragged: its curves bend.
class Loupe final : public QWidget {
    Q_OBJECT

public:
    Loupe(Session& session, JoinPictures& pictures, QWidget* parent = nullptr);
    [[nodiscard]] QSize minimumSizeHint() const override { return {220, 120}; }

Q_SIGNALS:
    void bent(float middle);  // once the hand is off; see Fade::middle

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

private:
    // Where the crossfade stands; empty while there is nothing to show.
    [[nodiscard]] QRectF zone();
    [[nodiscard]] float middleAt(double x);

    Session& session_;
    JoinPictures& pictures_;
    std::optional<float> bending_;  // while the middle is dragged
    double enlarged_ = 1.0;         // over the scale of the hits
};

}  // namespace orthochron::app
