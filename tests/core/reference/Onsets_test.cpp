#include <fmt/format.h>
#include <gtest/gtest.h>

#include "Answers.h"
#include "core/demo/MadeUpKit.h"
#include "core/onset/AttackShapes.h"
#include "core/onset/Microphones.h"
#include "testkit/Rate.h"

#include <algorithm>
#include <numbers>
#include <random>

// What the parts of hit detection answer where the demo does not lead them.
namespace orthochron {
namespace {

using testkit::expectAsBefore;
using testkit::Json;

TEST(Reference, KitsThatSwellAndAnswerTogetherAndEachMicrophoneAlone)
{
    Json json;
    for (const std::uint64_t seed : {9101U, 9102U}) {
        auto kit = demo::madeUpKit(seed);
        kit.drummer.bars = 8;
        const auto takes = *demo::recordKit(demo::performKit(kit.drummer), kit.recording);
        std::vector<HeardMicrophone> heard;
        for (std::size_t m = 0; m < takes.size(); ++m) {
            heard.push_back({channelOver(takes[m].channel(0)), Frames(0), std::nullopt});
            if (demo::isClose(kit.recording.microphones[m])) {
                heard.back().lead = OnsetSettings{};
            }
        }
        const auto together = *analyseMicrophones(heard, kit.recording.rate);
        for (std::size_t m = 0; m < heard.size(); ++m) {
            if (heard[m].lead) {
                const std::string name = fmt::format("kit {}, microphone {}", seed, m + 1);
                json[name] = candidatesOf(together[m].candidates);
                const auto alone =
                    *analyseMicrophones(std::span(heard).subspan(m, 1), kit.recording.rate);
                json[name + ", alone"] = candidatesOf(alone.front().candidates);
            }
        }
    }
    expectAsBefore("kits", json);
}

// A drum struck in some ways, loud and soft, with and without its click, near other drums, found where it begins or
// later.
TEST(Reference, WhereStrokesOfManyKindsBegin)
{
    std::mt19937 random(41);
    const auto even = [&](double from, double to) {
        return std::uniform_real_distribution<double>(from, to)(random);
    };
    constexpr int kStrokes = 160;
    std::vector<AttackTrace> traces;
    std::vector<FoundAttack> attacks;
    for (int i = 0; i < kStrokes; ++i) {
        const auto kind = static_cast<std::size_t>(even(0.0, 4.0));
        const double begins = even(0.0, 1.0) < 0.3 ? -even(0.0, 0.012) : 0.0;
        const double body = std::array{70.0, 190.0, 420.0, 900.0}[kind];
        const double rise = std::array{0.004, 0.002, 0.0006, 0.0003}[kind];
        const double loud = even(0.0, 1.0) < 0.3 ? 0.04 : even(0.3, 0.6);
        const double click = even(0.0, 1.0) < 0.5 ? 0.0 : 0.2 * loud;
        const double other = even(-0.02, 0.02);
        const double otherLoud = even(0.0, 1.0) < 0.4 ? even(0.001, 0.1) : 0.0;
        std::normal_distribution<double> noise(0.0, 1e-4);
        std::vector<float> samples(6144);
        for (std::size_t n = 0; n < samples.size(); ++n) {
            const double now = (static_cast<double>(n) - 3072.0) / kRate.count();
            const double t = now - begins;
            double value = noise(random);
            if (t >= 0.0) {
                value += loud * (1.0 - std::exp(-t / rise)) * std::exp(-t / 0.05) *
                         std::sin(2.0 * std::numbers::pi * body * t);
            }
            if (t >= -0.0025) {
                value += click * std::exp(-(t + 0.0025) / 0.0005) *
                         std::sin(2.0 * std::numbers::pi * 3000.0 * (t + 0.0025));
            }
            if (now >= other) {
                value += otherLoud * noise(random) * 1e4 * std::exp(-(now - other) / 0.1);
            }
            samples[n] = static_cast<float>(value);
        }
        traces.push_back(traceOf(samples, kRate, Frames(3072)));
        FoundAttack attack;
        attack.start = Seconds(even(0.0, 1.0) < 0.7 ? begins : even(-0.012, 0.001));
        attack.isSure = even(0.0, 1.0) < 0.85;
        for (int k = static_cast<int>(even(0.0, 4.0)); k > 0; --k) {
            attack.ahead.push_back(
                Seconds(even(0.0, 1.0) < 0.5 ? begins - 0.0025 : even(-0.012, 0.0))
            );
        }
        if (otherLoud > 0.0 && even(0.0, 1.0) < 0.6) {
            attack.othersBlows.push_back(Seconds(other - 0.001));
        }
        attacks.push_back(attack);
    }
    Json json;
    for (std::size_t i = 0; i < attacks.size(); ++i) {
        attacks[i].trace = &traces[i];
    }
    for (const std::size_t first : {0U, 40U, 148U}) {
        Json& starts = json[fmt::format("from {} on", first)] = Json::array();
        for (const auto& start : startsByShape(std::span(attacks).subspan(first))) {
            starts.push_back(start ? Json(rounded(inMilliseconds(*start))) : Json("none"));
        }
    }
    expectAsBefore("strokes", json);
}

}  // namespace
}  // namespace orthochron
