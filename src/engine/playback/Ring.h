#pragma once

#include <array>
#include <atomic>
#include <cstddef>
#include <type_traits>

namespace orthochron::engine {

// A queue of trivially copyable values between one writing and one reading thread. Neither waits.
template<class T, std::size_t Size>
class Ring {
    static_assert(std::is_trivially_copyable_v<T>);
    static_assert((Size & (Size - 1)) == 0);

public:
    // Writing thread. False when full; nothing was written then.
    bool push(T value) noexcept
    {
        const std::size_t at = written_.load(std::memory_order_relaxed);
        if (at - read_.load(std::memory_order_acquire) == Size) {
            return false;
        }
        values_[at % Size] = value;
        written_.store(at + 1, std::memory_order_release);
        return true;
    }
    // Reading thread. False when empty.
    bool pop(T& value) noexcept
    {
        const std::size_t at = read_.load(std::memory_order_relaxed);
        if (at == written_.load(std::memory_order_acquire)) {
            return false;
        }
        value = values_[at % Size];
        read_.store(at + 1, std::memory_order_release);
        return true;
    }

private:
    std::array<T, Size> values_{};
    std::atomic<std::size_t> written_{0};
    std::atomic<std::size_t> read_{0};
};

}  // namespace orthochron::engine
