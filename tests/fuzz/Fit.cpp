#include "cli/FitReport.h"
#include "core/audit/Findings.h"
#include "core/files/JsonText.h"

// What `fit --json` printed, as `check --edits` takes it back.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    using namespace orthochron;  // NOLINT(google-build-using-namespace)
    const auto json = parseJson({reinterpret_cast<const char*>(data), size});
    (void)cli::editMapFrom(json, Hertz(48000.0), Frames(480000), "e");
    return 0;
}
