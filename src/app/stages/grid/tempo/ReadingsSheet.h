#pragma once

#include "app/stages/grid/tempo/TempoSearch.h"
#include "app/views/FrameSheet.h"

namespace orthochron::app {

// The ways a take may be counted, likeliest first: what begins in it, with the beats of each over it.
class ReadingsSheet final : public FrameSheet {
    Q_OBJECT

public:
    ReadingsSheet(TempoSearch& search, QWidget* parent);

protected:
    [[nodiscard]] std::size_t count() const override;
    [[nodiscard]] std::size_t chosenPlace() const override { return search_.place(); }
    void choose(std::size_t place) override { search_.choose(place); }
    void paintFrame(QPainter& painter, QRect frame, std::size_t place) override;
    [[nodiscard]] QString emptyText() const override;

private:
    TempoSearch& search_;
};

}  // namespace orthochron::app
