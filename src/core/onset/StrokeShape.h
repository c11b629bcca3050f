#pragma once

#include "core/onset/AttackShapes.h"

#include <algorithm>
#include <array>
#include <optional>
#include <span>
#include <vector>

// What strokes look like and how one is held against another: for startsByShape alone.
namespace orthochron::shapes {

constexpr std::size_t kListenings = AttackTrace::kListenings;
constexpr int kAhead = 8;    // steps of a shape before the start it was lined up by
constexpr int kBehind = 56;  // and after
constexpr int kReach = 48;   // how far an attack is moved at most
constexpr int kLength = kAhead + kBehind;
constexpr int kTogether = 2;  // beginnings this near to each other are one
constexpr float kNever = 1e9F;

using Shape = std::array<std::array<float, kLength>, kListenings>;

// An attack being lined up.
struct Stroke {
    std::array<std::array<float, AttackTrace::kSteps>, kListenings> levels{};  // dB
    std::array<float, kListenings> quiet{};
    std::array<float, kListenings> loud{};  // of its loudest steps
    int found = 0;                          // steps from the centre
    int at = 0;                             // where it is thought to begin
    std::vector<int> othersBlows;           // steps from the centre: when other drums are struck
    std::vector<int> mayBegin;              // steps from the centre: there, and at what rises ahead
    std::size_t kind = 0;

    // Whether another drum may be what is heard there: it arrives within 3.5 ms of being struck.
    [[nodiscard]] bool isOthers(int step) const
    {
        constexpr int kSooner = 2;
        constexpr int kLater = 14;
        return std::ranges::any_of(othersBlows, [&](int blow) {
            return step >= blow - kSooner && step <= blow + kLater;
        });
    }
    [[nodiscard]] float clear() const { return std::min(loud[0] - quiet[0], loud[1] - quiet[1]); }
    [[nodiscard]] float level(std::size_t listening, int from, int step) const
    {
        const int place = static_cast<int>(AttackTrace::kBefore) + from - kAhead + step;
        return levels[listening][static_cast<std::size_t>(place)] - loud[listening];
    }
};

[[nodiscard]] float median(std::vector<float>& values);

[[nodiscard]] Stroke strokeOf(const FoundAttack& attack);

// What is common to strokes: the medians of the clearest three quarters.
[[nodiscard]] Shape shapeOf(std::span<const Stroke> strokes, std::vector<std::size_t> members);

// What is heard just before strokes of a shape are lined up, in the listenings that are brightened, dB.
[[nodiscard]] float quietOf(const Shape& shape);

// Likewise in the listening in which that is least.
[[nodiscard]] float leastQuietOf(const Shape& shape);

// Whether before one shape it is clearly quieter than before another.
[[nodiscard]] bool isClearer(const Shape& clear, const Shape& hidden);

// How many steps later a kind of stroke is lined up than another that it is but for what something hides of it; none where
// it is another kind of stroke.
[[nodiscard]] std::optional<int> laterBy(const Shape& hidden, const Shape& clear);

struct Place {
    int at = 0;
    float misfit = kNever;
    std::array<float, kListenings> louder{};  // than was thought, dB
};

// A shape held against a stroke at one place after another. What is louder than expected may be bleed and
// counts less than what is softer; no step counts without end.
class ShapeMatch {
public:
    // `start`: where strokes of that shape begin, seen from where it is lined up.
    ShapeMatch(const Shape& shape, const Stroke& stroke, int start = 0);

    // Given up once it is no better than `best`.
    [[nodiscard]] Place at(int place, float best) const;
    // From where it was found outwards; nothing where none is better than `misfit`.
    [[nodiscard]] Place best(float misfit) const;

private:
    // The likeliest first: what fits no better is given up the sooner.
    static constexpr std::array<float, 5> kLouder{0.0F, -3.0F, 3.0F, -6.0F, 6.0F};

    [[nodiscard]] Place compare(int place, float best) const;
    [[nodiscard]] Place compareWide(int place, float best) const;

    const Stroke& stroke_;
    int start_;
    std::array<float, kListenings> weights_{};  // by how far the stroke stands out
    std::array<std::array<std::array<float, kLength>, kLouder.size()>, kListenings> wanted_{};
};

}  // namespace orthochron::shapes
