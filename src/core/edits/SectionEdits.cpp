#include "core/edits/SectionEdits.h"

#include <fmt/format.h>

#include <algorithm>

namespace orthochron {

namespace {

Result<Song> withSection(Song song, Section section)
{
    if (section.name.empty()) {
        return badArgument("a section needs a name");
    }
    if (section.bars.first > section.bars.last) {
        return badArgument("a section cannot end before it begins");
    }
    for (const Section& other : song.sections) {
        if (other.bars.first <= section.bars.last && section.bars.first <= other.bars.last) {
            return badArgument(fmt::format(
                "bars {} to {} already belong to section {}",
                other.bars.first,
                other.bars.last,
                other.name
            ));
        }
    }
    song.sections.push_back(std::move(section));
    std::ranges::sort(song.sections, {}, [](const Section& each) { return each.bars.first; });
    return song;
}

}  // namespace

Result<Song> addSection(const Song& song, std::string name, BarRange bars)
{
    Song next = song;
    const SectionId id{++next.lastId};
    return withSection(std::move(next), {id, std::move(name), bars, {}});
}

Result<Song> changeSection(const Song& song, SectionId id, std::string name, BarRange bars)
{
    const auto old = std::ranges::find(song.sections, id, &Section::id);
    const auto key = old != song.sections.end() ? old->key : std::nullopt;
    auto without = removeSection(song, id);
    return without ? withSection(std::move(*without), {id, std::move(name), bars, key})
                   : std::move(without);
}

Result<Song> removeSection(const Song& song, SectionId id)
{
    Song next = song;
    if (std::erase_if(next.sections, [id](const Section& each) { return each.id == id; }) == 0) {
        return badArgument("the section is not in the song");
    }
    return next;
}

const Section* sectionAt(const Song& song, int bar)
{
    const auto found = std::ranges::find_if(song.sections, [bar](const Section& section) {
        return section.bars.holds(bar);
    });
    return found == song.sections.end() ? nullptr : &*found;
}

}  // namespace orthochron
