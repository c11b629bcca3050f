#pragma once

#include "core/edits/SetParts.h"
#include "core/onset/Arrival.h"
#include "core/onset/Microphones.h"

#include <map>
#include <optional>
#include <span>
#include <vector>

namespace orthochron {

class Sources;

[[nodiscard]] Result<Song> setLead(const Song& song, TrackId id, bool isLead);

// How a track's hits are to be looked for from now on; its marks stay.
[[nodiscard]] Result<Song>
setDetection(const Song& song, TrackId id, const OnsetSettings& settings);

// What detection found on each lead of a set; the song keeps only the marks picked from it.
using SetAnalysis = std::map<TrackId, LeadAnalysis>;

// Analyses the leads of a set against all its microphones. Long work: run it as a job.
// Errors: BadArgument when no track is a lead; the sources'; Cancelled.
[[nodiscard]] Result<SetAnalysis>
analyseSet(const Song& song, SetId id, const Sources& sources, const Work& work = {});

// Puts the marks that `settings` lets through on the leads, by analysis. Marks set by hand stay,
// and no found one is put within the smallest gap of them; found ones that were switched off stay off.
[[nodiscard]] Result<Song> placeMarks(
    const Song& song,
    SetId id,
    const SetAnalysis& analysis,
    const std::map<TrackId, OnsetSettings>& settings
);

// Puts marks at moments of a track's take, such as the starts of its notes, instead of those that were
// found, and makes it a lead; marks set by hand stay, as above. Errors: BadArgument for a track that is
// not there or no moments.
[[nodiscard]] Result<Song>
placeMarksAt(const Song& song, TrackId id, const std::vector<Frames>& takeTimes);

// How many marks that would give, without making them.
[[nodiscard]] std::size_t
countMarks(const LeadAnalysis& analysis, Hertz rate, const OnsetSettings& settings);

// Positions are take time. A mark moved, added or confirmed is by hand from then on.
[[nodiscard]] Result<Song> addMark(const Song& song, TrackId id, Frames takeTime);
[[nodiscard]] Result<Song> moveMark(const Song& song, TrackId id, MarkId mark, Frames takeTime);
[[nodiscard]] Result<Song>
deleteMarks(const Song& song, TrackId id, const std::vector<MarkId>& marks);
[[nodiscard]] Result<Song> switchMark(const Song& song, TrackId id, MarkId mark, bool isOn);
[[nodiscard]] Result<Song> confirmMark(const Song& song, TrackId id, MarkId mark);
// Where the beat point lies relative to the start; 0 puts it back on it.
[[nodiscard]] Result<Song> setBeatPoint(const Song& song, TrackId id, MarkId mark, Frames takeTime);
// Where a fit is to leave a hit, as its deviation from its line; none for the fit to decide.
struct WantedPlace {
    TrackId track;
    MarkId mark;
    std::optional<Seconds> deviation;
};
[[nodiscard]] Result<Song> setMarksWanted(const Song& song, std::span<const WantedPlace> places);

// Finds the beat points of the leads of a set: a flam becomes one hit that is cut before its grace
// stroke and has its main stroke on the line; a weak attack's is where it swells most. Marks set by
// hand stay as they are. Errors: BadArgument when nothing was found; the sources'.
[[nodiscard]] Result<Song> findBeatPoints(const Song& song, SetId id, const Sources& sources);

// How a set's microphones are to be led: what each microphone hears of each lead's hits.
struct SetArrival {
    TrackId lead;
    TrackId track;
    Arrival arrival;
};
[[nodiscard]] Result<std::vector<SetArrival>>
arrivalsOf(const Song& song, SetId id, const Sources& sources, const Work& work = {});
// Leads that would be heard first instead: for each lead, the microphone that hears its hits
// earliest and surely. Empty when the leads are those already.
[[nodiscard]] std::vector<TrackId> proposedLeads(const std::vector<SetArrival>& arrivals);

// The grid line a mark belongs to, or none for the program to find it.
[[nodiscard]] Result<Song>
setMarkLine(const Song& song, TrackId id, MarkId mark, std::optional<std::int64_t> line);

}  // namespace orthochron
