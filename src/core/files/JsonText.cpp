#include "core/files/JsonText.h"

#include <string>
#include <vector>

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

// About what a value takes in memory, once parsed.
std::size_t weightOf(nlohmann::json::parse_event_t event, const nlohmann::json& parsed)
{
    using Event = nlohmann::json::parse_event_t;
    switch (event) {
    case Event::object_start:
    case Event::array_start: return 64;
    case Event::key: return 96;
    case Event::value: return parsed.is_string() ? 64 : 16;
    case Event::object_end:
    case Event::array_end: break;
    }
    return 0;
}

constexpr std::size_t kHeaviest = 384U << 20U;  // bytes

}  // namespace

nlohmann::json parseJson(std::string_view text, const JsonShrink& shrink)
{
    using Json = nlohmann::json;
    if (isTooDeep(text)) {
        return {Json::value_t::discarded};
    }
    std::size_t weight = 0;
    std::string key;
    std::vector<std::size_t> started;  // the weight before each object that is open
    const auto watch = [&](int depth, Json::parse_event_t event, Json& parsed) {
        weight += weightOf(event, parsed);
        if (event == Json::parse_event_t::key && depth == 1) {
            key = parsed.get_ref<const std::string&>();
        } else if (event == Json::parse_event_t::object_start) {
            started.push_back(weight);
        } else if (event == Json::parse_event_t::object_end && !started.empty()) {
            if (shrink && parsed.is_object()) {
                shrink(key, depth, parsed);
                weight = parsed.is_object() ? weight : started.back();
            }
            started.pop_back();
        }
        return weight <= kHeaviest;
    };
    Json json = Json::parse(text, watch, false);
    return weight <= kHeaviest ? json : Json(Json::value_t::discarded);
}

}  // namespace orthochron
