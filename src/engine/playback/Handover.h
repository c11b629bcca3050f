#pragma once

#include <atomic>
#include <memory>
#include <vector>

namespace orthochron::engine {

// Values that the control thread makes and the audio callback reads, the newest at a time, without a lock
// and without the callback ever being the one that frees them.
template<class T>
class Handover {
public:
    // Control thread: what is read from the next block on; none for nothing. What the callback still holds
    // is let go of the next time.
    void give(std::shared_ptr<const T> next)
    {
        current_.store(next.get(), std::memory_order_seq_cst);
        const T* inUse = inUse_.load(std::memory_order_seq_cst);
        std::erase_if(kept_, [&](const auto& each) { return each.get() != inUse; });
        if (next) {
            kept_.push_back(std::move(next));
        }
    }
    // Control thread.
    [[nodiscard]] const T* current() const { return current_.load(std::memory_order_relaxed); }

    // Callback: the newest, which stays until the next call. Null for nothing, or where it was taken away
    // this very moment: the next block has the new one.
    [[nodiscard]] const T* take() noexcept
    {
        const T* now = current_.load(std::memory_order_seq_cst);
        inUse_.store(now, std::memory_order_seq_cst);
        if (current_.load(std::memory_order_seq_cst) != now) {
            inUse_.store(nullptr, std::memory_order_seq_cst);
            return nullptr;
        }
        return now;
    }

private:
    std::vector<std::shared_ptr<const T>> kept_;  // the last is the one; others may still be heard
    std::atomic<const T*> current_{nullptr};
    std::atomic<const T*> inUse_{nullptr};  // is kept as long as it stands here
};

}  // namespace orthochron::engine
