#pragma once

#include "core/audio/AudioBuffer.h"
#include "core/base/Result.h"
#include "core/time/Units.h"

#include <condition_variable>
#include <functional>
#include <list>
#include <memory>
#include <mutex>
#include <set>
#include <utility>

namespace orthochron {

// Sound that is made in cells of one length, by index; the ones used last are kept. Nobody waits for one cell while
// another is made, and none is made twice at once.
//
// Threads: any.
class MadeCells {
public:
    using Cell = std::shared_ptr<const AudioBuffer>;

    MadeCells(Frames length, std::size_t most) : length_(length), most_(most) {}

    [[nodiscard]] Frames length() const { return length_; }
    [[nodiscard]] std::size_t most() const { return most_; }  // that are kept
    [[nodiscard]] std::int64_t indexOf(Frames at) const;
    [[nodiscard]] bool has(std::int64_t index) const;
    // The cell, made by `make` when it is not there. Errors: those of `make`.
    [[nodiscard]] Result<Cell>
    at(std::int64_t index, const std::function<Result<AudioBuffer>()>& make);

private:
    using Kept = std::list<std::pair<std::int64_t, Cell>>;

    Frames length_;
    std::size_t most_;
    mutable std::mutex mutex_;
    std::condition_variable made_;
    std::set<std::int64_t> making_;
    Kept kept_;  // the one used last first
};

}  // namespace orthochron
