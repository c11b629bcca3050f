#pragma once

#include "core/song/Song.h"

#include <atomic>
#include <functional>
#include <memory>
#include <string>
#include <vector>

namespace orthochron {

// The versions of a song, each with the name of the edit that made it. Undo and redo move an
// index; a new edit drops what was undone.
//
// Versions share what they have in common: whole tracks by pointer, and where only some clips or
// marks of a track differ, a version that is not near the present one keeps just the difference
// from the next. A copy of a history costs a few pointers for each version.
class History {
public:
    static constexpr std::size_t kMostSteps = 200;

    struct Version {
        std::shared_ptr<const Song> song;
        std::string name;          // "Cut at 412 hits"; of the first version, how the song began
        std::uint64_t serial = 0;  // tells apart the versions of one line, dropped ones too
    };

    explicit History(Song first, std::string name = "New song");

    [[nodiscard]] const std::shared_ptr<const Song>& song() const { return steps_[current_].song; }
    [[nodiscard]] std::size_t size() const { return steps_.size(); }
    [[nodiscard]] std::size_t current() const { return current_; }
    // 0 is the oldest. The one that is current costs nothing; others may have to be unpacked.
    [[nodiscard]] Version version(std::size_t index) const;
    [[nodiscard]] std::uint64_t serial(std::size_t index) const { return steps_[index].serial; }
    // A history and its copies are of one line, another one of another.
    [[nodiscard]] std::shared_ptr<const void> line() const { return lastSerial_; }
    // All of them from `first` on, oldest first; at most a few are unpacked at any time.
    void visit(std::size_t first, const std::function<void(const Version&)>& see) const;

    void add(Song song, std::string name);
    [[nodiscard]] bool canUndo() const { return current_ > 0; }
    [[nodiscard]] bool canRedo() const { return current_ + 1 < steps_.size(); }
    [[nodiscard]] std::string undoName() const { return canUndo() ? steps_[current_].name : ""; }
    [[nodiscard]] std::string redoName() const
    {
        return canRedo() ? steps_[current_ + 1].name : "";
    }
    void undo();
    void redo();
    // Moves to a version; for reading a history back.
    void goTo(std::size_t index);
    // Changes what is known of the takes in every version, without a step: where they are found
    // is no edit.
    void changeTakes(const std::function<void(Take&)>& change);

private:
    struct Packed;  // a song as its difference from the next version

    struct Step {
        std::shared_ptr<const Song> song;      // null while it is packed
        std::shared_ptr<const Packed> packed;  // null where it never was
        std::string name;
        std::uint64_t serial = 0;
    };

    [[nodiscard]] static std::shared_ptr<const Packed> pack(const Song& song, const Song& next);
    [[nodiscard]] static std::shared_ptr<const Song> unpack(const Packed& packed, const Song& next);
    [[nodiscard]] std::shared_ptr<const Song> unpacked(std::size_t index) const;
    void settle();

    std::vector<Step> steps_;
    std::size_t current_ = 0;
    std::shared_ptr<std::atomic<std::uint64_t>> lastSerial_;
};

}  // namespace orthochron
