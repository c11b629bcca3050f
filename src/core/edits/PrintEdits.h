#pragma once

#include "core/song/Song.h"

#include <vector>

namespace orthochron {

// A print that comes into the song: what it is of, and the files it was written to, opened as takes in
// the order of the set's tracks, each beginning at `from` in song time.
struct FinishedPrint {
    SetId set;
    PrintDepth depth = PrintDepth::Clips;
    Frames from;
    std::vector<Take> takes;  // their ids are given here
};

// Lays a print in place of what it was made of, which is kept (openPrint, switchPrint). Marks, leads,
// names and the mic set go with it: it can be fitted, tuned and printed again.
// Errors: BadArgument for a set that is not in the song, or a number of takes that is not its tracks'.
[[nodiscard]] Result<Song> printInPlace(const Song& song, const FinishedPrint& print);

// Lays it on new tracks below the set, as a mic set of its own; the original is muted.
[[nodiscard]] Result<Song> printBelow(const Song& song, const FinishedPrint& print);

// The newest print of a set; null where there is none, or the set has other tracks by now.
[[nodiscard]] const PrintedSet* printOf(const Song& song, SetId set);

// Puts what was printed in place of the print, or the print in place of that; mute, solo, names and
// leads stay as they are. Errors: BadArgument where there is no print.
[[nodiscard]] Result<Song> switchPrint(const Song& song, SetId set);

// Goes back to what was printed, for good. The print's file stays. Errors: as switchPrint.
[[nodiscard]] Result<Song> openPrint(const Song& song, SetId set);

}  // namespace orthochron
