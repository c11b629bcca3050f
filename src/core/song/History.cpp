#include "core/song/History.h"

#include <cassert>

namespace orthochron {

History::History(Song first, std::string name)
{
    versions_.push_back({std::make_shared<const Song>(std::move(first)), std::move(name)});
}

History::History(std::vector<Version> versions, std::size_t current)
    : versions_(std::move(versions)), current_(current)
{
    assert(current_ < versions_.size());
}

void History::add(Song song, std::string name)
{
    versions_.resize(current_ + 1);
    versions_.push_back({std::make_shared<const Song>(std::move(song)), std::move(name)});
    if (versions_.size() > kMostSteps + 1) {
        versions_.erase(versions_.begin());
    }
    current_ = versions_.size() - 1;
}

void History::undo()
{
    assert(canUndo());
    --current_;
}

void History::redo()
{
    assert(canRedo());
    ++current_;
}

}  // namespace orthochron
