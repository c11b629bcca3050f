#pragma once

#include <malloc.h>

namespace orthochron {

// Called once when a program starts: large blocks go back to the system as soon as they are freed. Left to
// itself the GNU library raises the size from which they do with every block freed, and what an analysis of
// an hour needed would be kept for good.
inline void returnFreedBlocks()
{
    constexpr int kLarge = 512 * 1024;  // bytes
    mallopt(M_MMAP_THRESHOLD, kLarge);
}

// Gives back what many threads have freed in small pieces; takes some milliseconds.
inline void returnFreedPieces()
{
    malloc_trim(0);
}

}  // namespace orthochron
