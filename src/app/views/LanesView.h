#pragma once

#include <QWidget>

#include "app/session/Session.h"
#include "app/views/LaneTool.h"

namespace orthochron::app {

// One lane as it is laid out: which track, where on the screen.
struct Lane {
    TrackId track;
    QRect area;  // of the sound, right of the head
    QRect head;
    bool isOfKit = false;  // one of several microphones of its set
    bool isFirstOfSet = false;
    bool isLastOfSet = false;
    SetId set;
};

// The sheet: ribbon, ruler and lanes with their heads. It paints what every stage shares (waves,
// grid, spare, playhead, selection), lets a tool, the stage, draw over it, and offers it every gesture
// first; what that does not take scrolls, selects or moves the playhead.
class LanesView final : public QWidget {
    Q_OBJECT

public:
    static constexpr int kRibbonHeight = 48;
    static constexpr int kRulerHeight = 22;

    explicit LanesView(Session& session, QWidget* parent = nullptr);
    void setTool(LaneTool* tool);
    [[nodiscard]] const std::vector<Lane>& lanes() const { return lanes_; }
    [[nodiscard]] const Lane* laneAt(QPoint place) const;
    [[nodiscard]] QRect sheet() const;  // where lanes are, without heads
    [[nodiscard]] int headWidth() const;
    void setHeadWidth(int pixels);  // kept for all songs; their right edge can be dragged too
    [[nodiscard]] const TimeScale& scale() const { return session_.shown.scale(); }
    [[nodiscard]] double xOf(Frames songTime) const
    {
        return sheet().left() + scale().xOf(songTime);
    }
    [[nodiscard]] Frames timeAt(double x) const { return scale().timeAt(x - sheet().left()); }
    // On the line of the grid it is near; free with Ctrl.
    [[nodiscard]] Frames snapped(Frames songTime, Qt::KeyboardModifiers modifiers) const;
    // The strip at the foot of the sheet that the tool may ask for; empty without one.
    [[nodiscard]] QRect foot() const;
    void footChanged();  // its height
    // A read-out beside the pointer while something is dragged; empty takes it away.
    void setReadout(const QString& text, QPoint at);
    [[nodiscard]] QSize minimumSizeHint() const override { return {500, 200}; }
    void setLaneScale(double scale);  // 1 fits all lanes; more is higher, and scrolls
    [[nodiscard]] double laneScale() const { return laneScale_; }

Q_SIGNALS:
    void hint(const QString& text);
    void headMenu(orthochron::TrackId track, const QPoint& at);

protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool event(QEvent* event) override;

private:
    enum class Drag { None, Ribbon, Ruler, Select, Pan, HeadEdge, Tool };

    void layOut();
    void revealChosen();  // scrolls so far that the chosen lane is seen
    void paintOver(QPainter& painter) const;
    void paintEmpty(QPainter& painter) const;
    bool pressHead(const Lane& lane, QPoint place);
    [[nodiscard]] bool isInFoot(QPoint place) const;
    [[nodiscard]] QRect lanesArea() const;  // of the sheet, what the foot leaves

    Session& session_;
    LaneTool* tool_ = nullptr;
    std::vector<Lane> lanes_;
    Drag drag_ = Drag::None;
    QPoint pressed_;
    Frames pressedTime_;
    TimeScale pressedScale_;
    QString readout_;
    QPoint readoutAt_;
    double laneScale_ = 1.0;
    static constexpr int kHeadRest = 58;  // of a head beside the name
    static constexpr int kLeastHead = 110;
    static constexpr int kMostFittingHead = 210;
    int fittingHead_ = 128;
    int ownHead_ = 0;  // 0 for as wide as the names ask for
    int scroll_ = 0;
};

}  // namespace orthochron::app
