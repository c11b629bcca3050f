#pragma once

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "core/base/Result.h"
#include "core/time/Units.h"

#include <cmath>
#include <optional>
#include <string>
#include <utility>

namespace orthochron {

// Reads fields out of JSON that may hold anything. The first thing wrong is remembered with its
// place; from then on every read gives a default, and the caller asks once at the end.
class JsonReader {
public:
    explicit JsonReader(std::string name) : name_(std::move(name)) {}

    void fail(const std::string& what)
    {
        if (!error_) {
            error_ = fmt::format(
                "{}: is damaged at {}: {}; open its autosave or a copy. The file was not changed",
                name_,
                place_,
                what
            );
        }
    }
    [[nodiscard]] bool hasFailed() const { return error_.has_value(); }
    [[nodiscard]] const std::string& error() const { return *error_; }
    void at(std::string place) { place_ = std::move(place); }

    const nlohmann::json& field(const nlohmann::json& json, const char* key)
    {
        static const nlohmann::json kNone;
        if (!json.is_object() || !json.contains(key)) {
            fail(fmt::format("'{}' is missing", key));
            return kNone;
        }
        return json.at(key);
    }
    // A field that may be left out: null when it is.
    const nlohmann::json* find(const nlohmann::json& json, const char* key)
    {
        if (!json.is_object()) {
            fail(fmt::format("an object with '{}' is expected", key));
            return nullptr;
        }
        const auto found = json.find(key);
        return found == json.end() || found->is_null() ? nullptr : &*found;
    }
    double
    numberOr(const nlohmann::json& json, const char* key, double usual, double low, double high)
    {
        const auto* found = find(json, key);
        return found == nullptr ? usual : number(*found, low, high);
    }
    bool flagOr(const nlohmann::json& json, const char* key)
    {
        const auto* found = find(json, key);
        return found != nullptr && flag(*found);
    }
    const nlohmann::json& item(const nlohmann::json& json, std::size_t index)
    {
        static const nlohmann::json kNone;
        if (!json.is_array() || index >= json.size()) {
            fail("a value is missing");
            return kNone;
        }
        return json[index];
    }
    double number(const nlohmann::json& json, double low, double high)
    {
        const double value = json.is_number() ? json.get<double>() : std::nan("");
        if (!(value >= low && value <= high)) {
            fail(fmt::format("a number between {:g} and {:g} is expected", low, high));
            return low;
        }
        return value;
    }
    std::int64_t whole(const nlohmann::json& json, std::int64_t low, std::int64_t high)
    {
        if (!json.is_number_integer() || json.get<double>() < static_cast<double>(low) ||
            json.get<double>() > static_cast<double>(high)) {
            fail(fmt::format("a whole number between {} and {} is expected", low, high));
            return low;
        }
        return json.get<std::int64_t>();
    }
    bool flag(const nlohmann::json& json)
    {
        if (!json.is_boolean()) {
            fail("true or false is expected");
            return false;
        }
        return json.get<bool>();
    }
    std::string text(const nlohmann::json& json)
    {
        // Far more than anybody types: whatever could be saved can be opened.
        constexpr std::size_t kLongest = 1U << 20U;
        if (!json.is_string() || json.get_ref<const std::string&>().size() > kLongest) {
            fail("text is expected");
            return {};
        }
        return json.get<std::string>();
    }
    const nlohmann::json& list(const nlohmann::json& json, std::size_t most)
    {
        static const nlohmann::json kNone = nlohmann::json::array();
        if (!json.is_array() || json.size() > most) {
            fail("a list is expected");
            return kNone;
        }
        return json;
    }
    std::uint32_t id(const nlohmann::json& json)
    {
        return static_cast<std::uint32_t>(whole(json, 0, 0xFFFFFFFF));
    }
    // About two and a half years at 192 kHz.
    Frames frames(const nlohmann::json& json)
    {
        return Frames(whole(json, -kMostFrames, kMostFrames));
    }
    Frames length(const nlohmann::json& json) { return Frames(whole(json, 0, kMostFrames)); }
    // A value made by one of our own checked constructors.
    template<class T>
    T checked(Result<T> value)
    {
        if (!value) {
            fail(value.error().message);
            return T{};
        }
        return std::move(*value);
    }

private:
    static constexpr std::int64_t kMostFrames = std::int64_t{1} << 44U;
    std::string name_;
    std::string place_ = "its start";
    std::optional<std::string> error_;
};

}  // namespace orthochron
