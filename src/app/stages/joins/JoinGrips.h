#pragma once

#include "app/views/LanesView.h"
#include "core/edits/JoinEdits.h"

namespace orthochron::app {

// Joins on the lanes: drawn over all microphones of the set, gripped in the middle to move them and
// at the edges to make the crossfade longer or shorter, with the room there is for it.
class JoinGrips final : public QObject {
    Q_OBJECT

public:
    JoinGrips(Session& session, LanesView& lanes, QObject* parent);

    void paintLane(QPainter& painter, const Lane& lane) const;
    bool press(QMouseEvent& event);
    void move(QMouseEvent& event);
    void release();
    [[nodiscard]] std::pair<QString, Qt::CursorShape> hintAt(QPoint place) const;

Q_SIGNALS:
    // The chosen join was dragged: what is asked of it, and what of others that follow it.
    void dragged(
        const orthochron::JoinChange& own, const orthochron::JoinChange& along, const QString& name
    );

private:
    enum class Grip { None, Whole, Start, End };

    [[nodiscard]] const SetJoin* chosen() const;
    void paintRoom(QPainter& painter, const Lane& lane) const;
    [[nodiscard]] std::pair<std::size_t, Grip> gripAt(double x) const;

    Session& session_;
    LanesView& lanes_;
    Grip grip_ = Grip::None;
    JoinChange dragged_;
    Frames pressedTime_;
};

}  // namespace orthochron::app
