#pragma once

#include "core/base/Work.h"

#include <filesystem>
#include <string>
#include <vector>

namespace orthochron::cli {

struct ChildOutcome {
    int exitCode = 1;
    std::string out;    // all of its standard output
    std::string error;  // all of its standard error
};

// Runs this program once more with other arguments, in another folder, and waits for it. A stop is
// passed on. Errors: Failed when it cannot be started.
[[nodiscard]] Result<ChildOutcome> runChild(
    const std::vector<std::string>& arguments, const std::filesystem::path& folder, const Work& work
);

}  // namespace orthochron::cli
