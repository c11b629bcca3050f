#pragma once

#include <QWidget>

#include "app/session/Session.h"
#include "core/render/PrintedWork.h"

namespace orthochron::app {

// What a print makes part of its sound and what stays live, one row for each kind of work, one column for
// each extent. What the tracks do not have is grey.
class PrintTable final : public QWidget {
    Q_OBJECT

public:
    explicit PrintTable(QWidget* parent = nullptr);
    void show(const Song& song, std::span<const TrackId> tracks, PrintExtent extent);
    [[nodiscard]] QSize sizeHint() const override { return {420, 224}; }
    [[nodiscard]] QSize minimumSizeHint() const override { return {320, 200}; }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    PrintExtent extent_ = PrintExtent::Song;
    std::vector<bool> isThere_;  // by PrintedWork
};

}  // namespace orthochron::app
