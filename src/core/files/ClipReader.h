#pragma once

#include "core/files/JsonReader.h"
#include "core/song/ListDiff.h"

#include <memory>
#include <optional>
#include <span>
#include <string_view>
#include <unordered_map>
#include <vector>

namespace orthochron {

// What a newer program put into an object: all fields but those named.
[[nodiscard]] Extras extrasOf(const nlohmann::json& json, std::initializer_list<const char*> known);

// The treatments of a file, by their places. Clips may name one before it was read.
class TreatmentPool {
public:
    [[nodiscard]] std::shared_ptr<const Treatment> at(std::size_t place);
    void add(Treatment treatment);
    // Whether all that were named were read.
    [[nodiscard]] bool isComplete() const { return read_ == treatments_.size(); }

private:
    std::vector<std::shared_ptr<Treatment>> treatments_;
    std::size_t read_ = 0;
};
[[nodiscard]] Treatment treatmentFrom(JsonReader& read, const nlohmann::json& json);

[[nodiscard]] Clip
clipFrom(JsonReader& read, const nlohmann::json& json, TreatmentPool& treatments);
[[nodiscard]] Mark markFrom(JsonReader& read, const nlohmann::json& json);

// A list of clips or marks as it stands in a file: whole, or told from another one.
template<class T>
struct WrittenList {
    bool isWhole = true;
    std::size_t like = 0;  // place of the other one
    ListDiff<T> diff;      // of an empty list when it is whole
    // Instead of a difference: the other list, of another take.
    struct Sister {
        TakeId take;
        int channel = 0;
        std::int64_t ids = 0;  // added to them
    };
    std::optional<Sister> sister;
};

// The lists of a file, by their places. They are put together when they are asked for, and those
// asked for lately are kept: a history holds hundreds of lists that are nearly the same.
template<class T>
class ListPool {
public:
    void add(WrittenList<T> list) { lists_.push_back(std::move(list)); }
    [[nodiscard]] std::size_t size() const { return lists_.size(); }
    // The list at a place. Anything wrong with it is said to `read`.
    [[nodiscard]] std::shared_ptr<const std::vector<T>> at(JsonReader& read, std::size_t place);
    // Forgets what was not asked for since it was called last.
    void forgetOld();

private:
    [[nodiscard]] std::vector<T>
    made(JsonReader& read, const WrittenList<T>& list, std::span<const T> other);

    std::vector<WrittenList<T>> lists_;
    std::unordered_map<std::size_t, std::shared_ptr<const std::vector<T>>> fresh_, old_;
    std::size_t work_ = 0;  // items made so far
};

extern template class ListPool<Clip>;
extern template class ListPool<Mark>;

// `clips` are those that were taken out of the text while it was parsed; where an object stood
// there is its number then.
[[nodiscard]] WrittenList<Clip> clipListFrom(
    JsonReader& read,
    const nlohmann::json& json,
    std::span<const Clip> clips,
    TreatmentPool& treatments
);
[[nodiscard]] WrittenList<Mark> markListFrom(JsonReader& read, const nlohmann::json& json);

}  // namespace orthochron
