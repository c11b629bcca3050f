#pragma once

#include "core/song/Song.h"

namespace orthochron {

// The versions of a song, each with the name of the edit that made it. Undo and redo move an
// index; a new edit drops what was undone. Versions share what they have in common.
class History {
public:
    static constexpr std::size_t kMostSteps = 200;

    struct Version {
        std::shared_ptr<const Song> song;
        std::string name;  // "Cut at 412 hits"; of the first version, how the song began
    };

    explicit History(Song first, std::string name = "New song");
    // `versions` is not empty and `current` within it.
    History(std::vector<Version> versions, std::size_t current);

    [[nodiscard]] const std::shared_ptr<const Song>& song() const
    {
        return versions_[current_].song;
    }
    [[nodiscard]] const std::vector<Version>& versions() const { return versions_; }
    [[nodiscard]] std::size_t current() const { return current_; }

    void add(Song song, std::string name);
    [[nodiscard]] bool canUndo() const { return current_ > 0; }
    [[nodiscard]] bool canRedo() const { return current_ + 1 < versions_.size(); }
    [[nodiscard]] std::string undoName() const { return canUndo() ? versions_[current_].name : ""; }
    [[nodiscard]] std::string redoName() const
    {
        return canRedo() ? versions_[current_ + 1].name : "";
    }
    void undo();
    void redo();

private:
    std::vector<Version> versions_;
    std::size_t current_ = 0;
};

}  // namespace orthochron
