#pragma once

#if defined(__SSE__)
#include <xmmintrin.h>
#endif

namespace orthochron {

// While it lives, this thread takes numbers too small to be normal for zero: a filter that rings
// out into silence would otherwise run many times slower. Where the machine has no such switch
// nothing changes.
class NoDenormals {
public:
#if defined(__SSE__)
    NoDenormals() : before_(_mm_getcsr())
    {
        _mm_setcsr(before_ | kFlushToZero | kDenormalsAreZero);
    }
    ~NoDenormals()
    {
        _mm_setcsr(before_);
    }
#else
    NoDenormals() = default;
    ~NoDenormals() = default;
#endif
    NoDenormals(const NoDenormals&) = delete;
    NoDenormals& operator=(const NoDenormals&) = delete;

private:
#if defined(__SSE__)
    static constexpr unsigned kFlushToZero = 0x8000;
    static constexpr unsigned kDenormalsAreZero = 0x0040;
    unsigned before_;
#endif
};

}  // namespace orthochron
