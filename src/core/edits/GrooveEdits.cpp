#include "core/edits/GrooveEdits.h"

#include <fmt/format.h>

#include <algorithm>

namespace orthochron {

Result<Song> addGroove(const Song& song, Groove groove)
{
    if (groove.isEmpty()) {
        return badArgument("nothing to save: the groove has no steps");
    }
    const std::string name = groove.name.empty() ? "Groove" : groove.name;
    const auto isTaken = [&song](const std::string& wanted) {
        return std::ranges::find(song.grooves, wanted, &Groove::name) != song.grooves.end();
    };
    groove.name = name;
    for (int number = 2; isTaken(groove.name); ++number) {
        groove.name = fmt::format("{} {}", name, number);
    }
    Song next = song;
    next.grooves.push_back(std::move(groove));
    return next;
}

Result<Song> removeGroove(const Song& song, const std::string& name)
{
    Song next = song;
    if (std::erase_if(next.grooves, [&](const Groove& groove) { return groove.name == name; }) ==
        0) {
        return badArgument("the groove is not in the song");
    }
    return next;
}

}  // namespace orthochron
