#pragma once

#include "app/stages/tune/TuneHands.h"
#include "app/views/FrameSheet.h"

namespace orthochron::app {

// The notes that hang off their rungs, furthest first, as small frames of their curve.
class OffList final : public FrameSheet {
    Q_OBJECT

public:
    OffList(Session& session, TuneHands& hands, QWidget* parent);
    void fill();

protected:
    [[nodiscard]] std::size_t count() const override { return order_.size(); }
    [[nodiscard]] std::size_t chosenPlace() const override;
    void choose(std::size_t place) override;
    void paintFrame(QPainter& painter, QRect frame, std::size_t place) override;
    [[nodiscard]] QString emptyText() const override;

private:
    Session& session_;
    TuneHands& hands_;
    std::vector<std::size_t> order_;
};

}  // namespace orthochron::app
