#pragma once

#include "core/edits/FitEdits.h"

#include <optional>

// Ways of fitting the same passage, side by side. One of them is heard; the others are kept whole.
namespace orthochron {

// Keeps the way a set is fitted now beside what is made of it next; `bars` says which passage it
// is about, none for the whole song.
[[nodiscard]] Result<Song>
keepVariant(const Song& song, SetId id, std::optional<BarRange> bars = {});

// Makes the next way kept the one that is heard, and keeps the present one in its place. Of a way
// that is about a passage only that passage changes. Errors: BadArgument when none is kept; the
// sources'.
[[nodiscard]] Result<Song> nextVariant(const Song& song, SetId id);

// Drops all ways but the one that is heard.
[[nodiscard]] Result<Song> dropVariants(const Song& song, SetId id);

}  // namespace orthochron
