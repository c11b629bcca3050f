#pragma once

#include <QString>

#include "app/session/SongView.h"
#include "core/edits/ShapeEdits.h"

#include <optional>
#include <vector>

namespace orthochron::app {

// One of all that shapes a song: a line, a hush, a spin or a speed line.
struct ShapeItem {
    QString what;   // "Double bass"
    QString means;  // "line, 3 points"
    std::optional<TrackId> owner;
    HushId hush;
    ClipId spun;
    Frames at;
    bool isLine = false;
};

// In words: "17 to 25", with beats where it does not begin or end with a bar.
[[nodiscard]] QString barsOf(const Song& song, TimeRange range);

// In the order they are listed and stepped through.
[[nodiscard]] std::vector<ShapeItem> shapeItemsOf(const Song& song);

}  // namespace orthochron::app
