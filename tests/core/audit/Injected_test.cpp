#include <gtest/gtest.h>

#include "core/audit/SongAudit.h"
#include "core/edits/FitEdits.h"
#include "core/render/Render.h"
#include "testkit/MarkedKit.h"
#include "testkit/Rate.h"

#include <algorithm>
#include <cmath>
#include <random>

// Faults put by chance into a fitted kit: each is found, and nothing that is none.
namespace orthochron {
namespace {

using Sound = std::vector<std::vector<float>>;  // by microphone

Sound rendered(const Song& song)
{
    Sound sound;
    for (const std::size_t track : {0U, 2U, 5U}) {  // kick, snare, above
        AudioBuffer buffer(1, song.length());
        EXPECT_TRUE(
            renderTrack(song, *song.tracks[track], *testkit::markedKit().sources, Frames(0), buffer)
        );
        sound.emplace_back(buffer.channel(0).begin(), buffer.channel(0).end());
    }
    return sound;
}

// The same for all tests here.
struct Fitted {
    Song song =
        fitSet(
            testkit::markedKit().song, testkit::markedKit().set, {}, *testkit::markedKit().sources
        )
            ->song;
    EditMap map = editMapOf(song, song.sets[0]);
    Sound recorded = rendered(testkit::markedKit().song);
    Sound edited = rendered(song);
};

const Fitted& fitted()
{
    static const Fitted kFitted;
    return kFitted;
}

std::vector<Finding> findingsIn(const Sound& edited)
{
    const auto readerOf = [](const Sound& sound) {
        return [&sound](int microphone, Frames from, std::span<float> into) -> Result<void> {
            const auto& samples = sound[static_cast<std::size_t>(microphone)];
            for (std::size_t i = 0; i < into.size(); ++i) {
                const std::int64_t at = from.count() + static_cast<std::int64_t>(i);
                const bool isThere = at >= 0 && at < std::ssize(samples);
                into[i] = isThere ? samples[static_cast<std::size_t>(at)] : 0.0F;
            }
            return {};
        };
    };
    const AuditInput input{
        fitted().map,
        static_cast<int>(edited.size()),
        readerOf(edited),
        readerOf(fitted().recorded)};
    return *checkWhole(input);
}

double levelOf(std::span<const float> sound)
{
    double sum = 0.0;
    for (const float sample : sound) {
        sum += static_cast<double>(sample) * static_cast<double>(sample);
    }
    return std::sqrt(sum / static_cast<double>(sound.size()));
}

struct Fault {
    std::size_t microphone = 0;
    std::size_t from = 0;
    std::size_t to = 0;
};

struct Tally {
    int faults = 0;
    int found = 0;
    int elsewhere = 0;  // findings where there is no fault
};

// Spoils stretches of so many frames, a quarter of a second and more apart, where something sounds, and counts what is
// found of them.
Tally tallyOf(std::size_t length, FindingKind kind, const auto& spoil)
{
    std::mt19937 random(static_cast<unsigned>(kind) + 11);
    Sound edited = fitted().edited;
    std::vector<Fault> faults;
    const std::size_t size = edited[0].size();
    for (std::size_t from = 30000; from + length + 30000 < size; from += 14000 + random() % 14000) {
        const std::size_t microphone = random() % edited.size();
        const auto here = std::span(edited[microphone]).subspan(from, length);
        if (levelOf(here) > 0.003) {  // -50 dB
            spoil(here, random);
            faults.push_back({microphone, from, from + length});
        }
    }
    const auto before = findingsIn(fitted().edited);
    const auto found = findingsIn(edited);
    const auto isAt = [&](const Finding& finding, const Fault& fault) {
        const auto at = static_cast<double>(finding.at.count());
        return static_cast<std::size_t>(finding.microphone) == fault.microphone &&
               at >= static_cast<double>(fault.from) - 600.0 &&
               at <= static_cast<double>(fault.to) + 600.0;
    };
    Tally tally{static_cast<int>(faults.size()), 0, 0};
    for (const Fault& fault : faults) {
        tally.found += std::ranges::any_of(found, [&](const Finding& finding) {
            return finding.kind == kind && isAt(finding, fault);
        });
    }
    for (const Finding& finding : found) {
        const bool isOne =
            std::ranges::any_of(faults, [&](const Fault& fault) { return isAt(finding, fault); });
        tally.elsewhere += isOne || std::ranges::find(before, finding) != before.end() ? 0 : 1;
    }
    return tally;
}

void expectAllFound(const Tally& tally)
{
    EXPECT_GE(tally.faults, 30);
    EXPECT_GE(tally.found, 0.99 * tally.faults);
    EXPECT_LE(tally.elsewhere, 0.01 * tally.faults);
}

TEST(Injected, AnUntouchedFitHasNoFaultsByTheSameMeasure)
{
    EXPECT_LE(
        static_cast<double>(findingsIn(fitted().edited).size()),
        0.01 * static_cast<double>(fitted().map.joins.size())
    );
}

TEST(Injected, GapsAreFound)
{
    expectAllFound(tallyOf(480, FindingKind::Gap, [](std::span<float> here, auto&) {
        std::ranges::fill(here, 0.0F);
    }));
}

TEST(Injected, DipsAreFound)
{
    expectAllFound(tallyOf(4800, FindingKind::Dip, [](std::span<float> here, auto& random) {
        const float gain = 0.3F + 0.01F * static_cast<float>(random() % 35);
        for (float& sample : here) {
            sample *= gain;
        }
    }));
}

TEST(Injected, ClicksAreFound)
{
    expectAllFound(tallyOf(48, FindingKind::Click, [](std::span<float> here, auto& random) {
        here[24] += static_cast<float>(levelOf(here)) * (random() % 2 == 0 ? 4.0F : -4.0F);
    }));
}

TEST(Injected, SkewIsFound)
{
    expectAllFound(tallyOf(9600, FindingKind::Skew, [](std::span<float> here, auto& random) {
        const auto by = static_cast<std::ptrdiff_t>(3 + random() % 60);
        std::shift_left(here.begin(), here.end(), by);
    }));
}

TEST(Injected, DoubleHitsAreFound)
{
    expectAllFound(tallyOf(2400, FindingKind::DoubleHit, [](std::span<float> here, auto& random) {
        const double loud = 3.0 * levelOf(here);
        const double turn = 0.1 + 0.001 * static_cast<double>(random() % 100);
        for (std::size_t n = 0; n < here.size(); ++n) {
            const auto t = static_cast<double>(n);
            here[n] += static_cast<float>(loud * std::exp(-t / 700.0) * std::sin(turn * t));
        }
    }));
}

}  // namespace
}  // namespace orthochron
