#include "core/files/GrooveFile.h"
#include "core/files/JsonText.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    using namespace orthochron;  // NOLINT(google-build-using-namespace)
    const auto groove = grooveFromJson(parseJson({reinterpret_cast<const char*>(data), size}), "g");
    if (groove) {
        (void)grooveFromJson(grooveJson(*groove), "g").value();
    }
    return 0;
}
