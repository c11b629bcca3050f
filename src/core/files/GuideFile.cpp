#include "core/files/GuideFile.h"

#include <fmt/format.h>

#include "core/files/MidiFile.h"

namespace orthochron {

Result<MidiGuide> readGuide(const std::filesystem::path& path)
{
    const auto midi = readMidi(path);
    if (!midi) {
        return tl::unexpected(midi.error());
    }
    if (midi->notes.empty() || midi->notes.size() > kMostGuideNotes) {
        return badInput(fmt::format(
            "{}: {}",
            path.string(),
            midi->notes.empty() ? "contains no notes"
                                : fmt::format("contains more than {} notes", kMostGuideNotes)
        ));
    }
    const MidiTimes times(midi->tempi);
    MidiGuide guide;
    guide.name = path.stem().string();
    for (const MidiNote& note : midi->notes) {
        const Seconds at = times.timeAt(note.at);
        const Seconds end = times.timeAt(note.at + note.length);
        if (end > kLatestGuideNote) {
            return badInput(fmt::format("{}: has notes later than 24 hours", path.string()));
        }
        guide.notes.push_back({at, end - at, note.key, note.velocity, note.channel});
    }
    return guide;
}

}  // namespace orthochron
