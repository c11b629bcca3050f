#pragma once

#include <QObject>

#include "app/document/Document.h"
#include "app/session/TimeScale.h"

namespace orthochron::app {

struct TimeRange {
    Frames from;
    Frames to;
};

// Where one looks: the stretch of song time that is on the screen.
class SongView final : public QObject {
    Q_OBJECT

public:
    SongView(Document& document, QObject* parent);

    [[nodiscard]] const TimeScale& scale() const { return scale_; }
    void setScale(TimeScale scale);
    void setWidth(int pixels);
    void zoom(double factor, double x);
    void zoomTo(TimeRange range);
    void zoomToAll();
    void reveal(Frames songTime);                            // scrolls when it is outside the view
    [[nodiscard]] bool follows() const { return follows_; }  // the playhead
    void setFollows(bool follows);

Q_SIGNALS:
    void changed();
    void followsChanged();

private:
    void clamp();

    Document& document_;
    TimeScale scale_;
    int width_ = 1000;
    bool follows_ = true;
};

}  // namespace orthochron::app
