#pragma once

namespace orthochron {

// As many numbers as the widest registers in common use hold, computed side by side.
//
// Left to find out by itself that a loop can be done so, the compiler now and then does not. What
// works on them is written once, always_inline, and becomes part of two functions: one for every
// processor, and one with gnu::target("avx") for those that have the registers. The results are the
// same with each.
template<class T>
struct SideBySide;
template<>
struct SideBySide<float> {
    using Type = float __attribute__((vector_size(32)));
};
template<>
struct SideBySide<double> {
    using Type = double __attribute__((vector_size(32)));
};

#if defined(__x86_64__)
inline const bool kHasWide = __builtin_cpu_supports("avx") != 0;
#endif

}  // namespace orthochron
