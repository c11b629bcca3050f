#include <gtest/gtest.h>

#include "core/demo/MadeUpKit.h"
#include "core/onset/Belief.h"
#include "core/onset/OnsetDetector.h"
#include "testkit/RecordingChain.h"

#include <array>
#include <cmath>
#include <numeric>

// Kits that swell, answer, damp and bleed as recorded ones do, none of which the program was taught from.
namespace orthochron {
namespace {

constexpr std::uint64_t kFirst = 9001;
constexpr std::uint64_t kKits = 4;

struct Microphone {
    demo::Drum drum = demo::Drum::Kick;
    Hertz rate;
    OnsetAnalysis analysis;  // among its set
    OnsetAnalysis alone;
    std::vector<double> blows;  // seconds

    [[nodiscard]] bool isBlow(const Onset& onset) const
    {
        return std::ranges::any_of(blows, [&](double blow) {
            return std::abs(toSeconds(onset.at, rate).count() - blow) <= 0.010;
        });
    }
    // 2 * found / (played + marked)
    [[nodiscard]] double score(const OnsetAnalysis& heard) const
    {
        const auto onsets = *pickOnsets(heard.candidates, rate, {});
        std::vector<bool> used(onsets.size(), false);
        int found = 0;
        for (const double blow : blows) {
            for (std::size_t i = 0; i < onsets.size(); ++i) {
                if (!used[i] && std::abs(toSeconds(onsets[i].at, rate).count() - blow) <= 0.010) {
                    used[i] = true;
                    ++found;
                    break;
                }
            }
        }
        return 2.0 * found / static_cast<double>(blows.size() + onsets.size());
    }
};

// Each close microphone's take through a chain of its own.
void sendThroughChains(
    std::uint64_t seed, const demo::RecordingSettings& recording, std::span<AudioBuffer> takes
)
{
    demo::Random random(seed);
    for (std::size_t m = 0; m < takes.size(); ++m) {
        const testkit::RecordingChain chain = testkit::madeUpChain(random);
        if (demo::isClose(recording.microphones[m])) {
            testkit::passThrough(chain, takes[m].channel(0), recording.rate);
        }
    }
}

enum class Recorded { Plainly, ThroughChains };

std::vector<Microphone> record(std::uint64_t seed, Recorded how)
{
    auto kit = demo::madeUpKit(seed);
    kit.drummer.bars = 14;
    const auto performance = demo::performKit(kit.drummer);
    auto takes = *demo::recordKit(performance, kit.recording);
    if (how == Recorded::ThroughChains) {
        sendThroughChains(seed, kit.recording, takes);
    }
    std::vector<Microphone> microphones(takes.size());
    for (std::size_t m = 0; m < takes.size(); ++m) {
        Microphone& microphone = microphones[m];
        microphone.drum = demo::drumAt(kit.recording.microphones[m]);
        microphone.rate = kit.recording.rate;
        microphone.alone = *analyseOnsets(takes[m].channel(0), microphone.rate);
        microphone.analysis = microphone.alone;
        for (const demo::DemoHit& hit : performance.hits) {
            if (hit.drum == microphone.drum) {
                microphone.blows.push_back(
                    demo::heardAt(kit.recording.microphones[m], hit.drum, hit.played).count()
                );
            }
        }
    }
    for (std::size_t m = 0; m < microphones.size(); ++m) {
        std::vector<const BandEnvelope*> others;
        for (std::size_t k = 0; k < microphones.size(); ++k) {
            if (k != m) {
                others.push_back(&microphones[k].alone.envelope);
            }
        }
        weighCandidates(microphones[m].analysis, others);
    }
    for (std::size_t m = 0; m < microphones.size(); ++m) {
        if (!demo::isClose(kit.recording.microphones[m])) {
            microphones[m].blows.clear();  // not asked about
        }
    }
    std::erase_if(microphones, [](const Microphone& each) { return each.blows.size() < 8; });
    return microphones;
}

std::vector<Microphone> recordKits(std::uint64_t first, std::uint64_t count, Recorded how)
{
    std::vector<Microphone> all;
    for (std::uint64_t seed = first; seed < first + count; ++seed) {
        auto kit = record(seed, how);
        std::ranges::move(kit, std::back_inserter(all));
    }
    return all;
}

const std::vector<Microphone>& microphones()
{
    static const auto kAll = recordKits(kFirst, kKits, Recorded::Plainly);
    return kAll;
}

double meanScore(std::span<const Microphone> kits)
{
    double sum = 0.0;
    for (const Microphone& each : kits) {
        sum += each.score(each.analysis);
    }
    return sum / static_cast<double>(kits.size());
}

// Of the marks of each tenth of confidence from 0.5 on.
struct Tenths {
    std::array<double, 5> said{};
    std::array<double, 5> right{};
    std::array<int, 5> count{};

    explicit Tenths(std::span<const Microphone> kits)
    {
        for (const Microphone& each : kits) {
            const auto picked = *pickOnsets(each.analysis.candidates, each.rate, {});
            for (const Onset& onset : picked) {
                const auto tenth = std::min<std::size_t>(
                    static_cast<std::size_t>((onset.confidence - 0.5) * 10.0), 4
                );
                said[tenth] += onset.confidence;
                right[tenth] += each.isBlow(onset) ? 1.0 : 0.0;
                ++count[tenth];
            }
        }
    }
    // How far what is said lies from what is right, where 50 marks or more tell.
    [[nodiscard]] double offBy() const
    {
        double worst = 0.0;
        for (std::size_t i = 0; i < count.size(); ++i) {
            if (count[i] >= 50) {
                worst = std::max(worst, std::abs(said[i] - right[i]) / count[i]);
            }
        }
        return worst;
    }
};

TEST(MadeUpKits, TheirBlowsAreFoundAmongTheSet)
{
    EXPECT_GE(meanScore(microphones()), 0.94);
}

// Compressed, driven or gated, bleed keeps no proportion.
TEST(MadeUpKits, RecordedThroughChainsTheirBlowsAreFoundAndWhatIsSaidOfThemHolds)
{
    const auto kits = recordKits(9101, kKits, Recorded::ThroughChains);
    EXPECT_GE(meanScore(kits), 0.90);
    EXPECT_LE(Tenths(kits).offBy(), 0.10);
}

TEST(MadeUpKits, TheSetHelpsAndAMicrophoneAloneIsNotLost)
{
    double among = 0.0;
    double alone = 0.0;
    for (const Microphone& each : microphones()) {
        among += each.score(each.analysis);
        alone += each.score(each.alone);
    }
    EXPECT_GE(among, alone);
    EXPECT_GE(alone / static_cast<double>(microphones().size()), 0.85);
}

TEST(MadeUpKits, OfSoManyThatAreSaidToBeHitsSoManyAre)
{
    const Tenths tenths(microphones());
    EXPECT_LE(tenths.offBy(), 0.07);
    const int all = std::accumulate(tenths.count.begin(), tenths.count.end(), 0);
    EXPECT_GT(tenths.count[4], all * 85 / 100);  // most are sure
}

TEST(MadeUpKits, AMicrophoneTellsWhatKindOfDrumItStandsAt)
{
    int lowKicks = 0;
    for (const Microphone& each : microphones()) {
        auto analysis = each.alone;
        const Case gathered = gatherEvidence(analysis, {});
        ASSERT_FALSE(gathered.evidence.empty());
        const Evidence& told = gathered.evidence.front();
        if (each.drum == demo::Drum::Kick) {
            EXPECT_LE(told.height, 1.0);  // a hard beater may outweigh the head
            lowKicks += told.height == 0.0 ? 1 : 0;
        } else if (each.drum == demo::Drum::Hat) {
            EXPECT_EQ(told.height, 2.0);
            EXPECT_GE(told.dryness, 1.0);
        } else if (each.drum == demo::Drum::Snare) {
            EXPECT_EQ(told.height, 1.0);
        }
        for (const Evidence& other : gathered.evidence) {
            EXPECT_EQ(other.height, told.height);
            EXPECT_EQ(other.dryness, told.dryness);
        }
    }
    EXPECT_GE(lowKicks, 2);
}

TEST(MadeUpKits, GainsOfMicrophonesDoNotMatter)
{
    auto kit = demo::madeUpKit(kFirst);
    kit.drummer.bars = 8;
    const auto performance = demo::performKit(kit.drummer);
    auto takes = *demo::recordKit(performance, kit.recording);
    const auto found = [&] {
        auto analysis = *analyseOnsets(takes[0].channel(0), kit.recording.rate);
        std::vector<BandEnvelope> envelopes;
        std::vector<const BandEnvelope*> others;
        for (std::size_t m = 1; m < takes.size(); ++m) {
            envelopes.push_back(bandEnvelopeOf(takes[m].channel(0), kit.recording.rate));
        }
        for (const BandEnvelope& envelope : envelopes) {
            others.push_back(&envelope);
        }
        weighCandidates(analysis, others);
        return pickOnsets(analysis.candidates, kit.recording.rate, {})->size();
    };
    const std::size_t before = found();
    for (float& sample : takes[1].channel(0)) {
        sample *= 0.25F;
    }
    EXPECT_NEAR(static_cast<double>(found()), static_cast<double>(before), 1.0);
}

TEST(MadeUpKits, ASecondMicrophoneAtTheSameDrumChangesNothing)
{
    const Microphone& kick = microphones().front();
    auto analysis = kick.alone;
    const std::vector<const BandEnvelope*> itself{&kick.alone.envelope};
    weighCandidates(analysis, itself);
    // Its own double argues against nothing.
    EXPECT_GE(kick.score(analysis), 0.9 * kick.score(kick.alone));
}

TEST(MadeUpKits, WhatIsLeftOutIsNotWhatWasPicked)
{
    for (const Microphone& each : microphones()) {
        const auto picked = *pickOnsets(each.analysis.candidates, each.rate, {});
        const auto left = leftOut(each.analysis.candidates, picked, each.rate, {}, 0.1);
        const Frames gap = toFrames(milliseconds(20.0), each.rate);
        Frames last(-1'000'000);
        for (const OnsetCandidate& candidate : left) {
            EXPECT_GE(candidate.onset.confidence, 0.1);
            EXPECT_GE(candidate.onset.at - last, gap);
            last = candidate.onset.at;
            for (const Onset& onset : picked) {
                EXPECT_GE(std::abs((onset.at - candidate.onset.at).count()), gap.count());
            }
        }
    }
}

}  // namespace
}  // namespace orthochron
