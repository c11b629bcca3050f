#pragma once

#include <cstdint>

namespace orthochron::testkit {

// How many times the calling thread has allocated memory so far.
[[nodiscard]] std::uint64_t allocationCount();

}  // namespace orthochron::testkit
