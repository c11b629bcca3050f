#include "core/stretch/MadeCells.h"

#include <fmt/format.h>

#include <algorithm>
#include <exception>

namespace orthochron {

std::int64_t MadeCells::indexOf(Frames at) const
{
    const std::int64_t length = length_.count();
    return at.count() >= 0 ? at.count() / length : (at.count() - length + 1) / length;
}

bool MadeCells::has(std::int64_t index) const
{
    const std::scoped_lock lock(mutex_);
    return std::ranges::find(kept_, index, &Kept::value_type::first) != kept_.end();
}

Result<MadeCells::Cell>
MadeCells::at(std::int64_t index, const std::function<Result<AudioBuffer>()>& make)
{
    const auto known = [&] { return std::ranges::find(kept_, index, &Kept::value_type::first); };
    std::unique_lock lock(mutex_);
    made_.wait(lock, [&] { return known() != kept_.end() || !making_.contains(index); });
    if (const auto found = known(); found != kept_.end()) {
        kept_.splice(kept_.begin(), kept_, found);
        return found->second;
    }
    making_.insert(index);
    lock.unlock();
    Result<AudioBuffer> made;
    try {
        made = make();
    } catch (const std::exception& error) {
        // Of a library, or for want of memory: who reads is told, and whoever waits for the cell tries it too.
        made = failed(fmt::format("a stretched sound could not be made: {}", error.what()));
    }
    lock.lock();
    making_.erase(index);
    made_.notify_all();
    if (!made) {
        return tl::unexpected(made.error());
    }
    const Cell cell = std::make_shared<const AudioBuffer>(std::move(*made));
    kept_.push_front({index, cell});
    if (kept_.size() > most_) {
        kept_.pop_back();
    }
    return cell;
}

}  // namespace orthochron
