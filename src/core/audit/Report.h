#pragma once

#include "core/audit/SongAudit.h"
#include "core/edits/FitEdits.h"

#include <filesystem>
#include <string>
#include <vector>

namespace orthochron {

// What a mic set's edit did and what is left to look at, for the producer's files: which hits were
// moved how far and why, which joins stand where, and every finding that was not accepted.
struct EditReport {
    struct Hit {
        std::string lead;
        int bar = 1;
        int step = 1;  // from 1
        Seconds recorded;
        Seconds heard;
        double driftMs = 0.0, feelMs = 0.0, strayMs = 0.0;  // as it was played
        double leftMs = 0.0;                                // off its line now
        bool isMain = true;
    };
    struct Join {
        Seconds at;
        double lengthMs = 0.0;
        std::string shape;
        bool isLocked = false;
    };
    struct Left {
        Finding finding;
        Seconds at;
        int bar = 1;
        int beat = 1;
        std::string microphone;
        std::vector<float> picture;  // 80 ms of that microphone around it
    };
    std::string song;
    std::string set;
    std::vector<Hit> hits;
    std::vector<Join> joins;
    std::vector<Left> left;  // worst first
    int accepted = 0;
};

// Gathers it; checks every join. Long work. Errors: those of auditSet.
[[nodiscard]] Result<EditReport>
reportOf(const Song& song, SetId id, const Sources& sources, const Work& work = {});

[[nodiscard]] std::string asHtml(const EditReport& report);  // one page, pictures within
[[nodiscard]] std::string asCsv(const EditReport& report);   // one line for each hit and finding
[[nodiscard]] std::string asJson(const EditReport& report);

// Writes it as its ending says: .html, .csv or .json. Errors: BadArgument for another ending;
// Failed, naming the file.
[[nodiscard]] Result<void> writeReport(const EditReport& report, const std::filesystem::path& path);

}  // namespace orthochron
