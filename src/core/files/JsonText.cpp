#include "core/files/JsonText.h"

namespace orthochron {

namespace {

constexpr int kDeepest = 100;  // our own files stay below a dozen

bool isTooDeep(std::string_view text)
{
    int depth = 0;
    bool isInText = false;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (isInText) {
            i += c == '\\' ? 1 : 0;
            isInText = c != '"';
        } else if (c == '"') {
            isInText = true;
        } else if (c == '[' || c == '{') {
            if (++depth > kDeepest) {
                return true;
            }
        } else if (c == ']' || c == '}') {
            --depth;
        }
    }
    return false;
}

}  // namespace

nlohmann::json parseJson(std::string_view text)
{
    using Json = nlohmann::json;
    return isTooDeep(text) ? Json(Json::value_t::discarded) : Json::parse(text, nullptr, false);
}

}  // namespace orthochron
