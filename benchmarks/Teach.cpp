#include <fmt/format.h>
#include <fmt/os.h>
#include <oneapi/tbb/parallel_for.h>

#include "OneShots.h"
#include "core/demo/MadeUpKit.h"
#include "core/fit/Performance.h"
#include "core/onset/Belief.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <string>

// Teaches what an attack is worth: records made-up kits, asks of every attack in every close
// microphone whether it was a blow, and writes src/core/onset/BeliefTrees.cpp. Says how well kits that
// were not taught from are judged.
//
//     orthochron_teach OUT.cpp [KITS [ONE_SHOTS]]
//
// With a folder of kits recorded blow by blow (OneShots.h) every second made-up kit sounds like one of them.
namespace orthochron {
namespace {

constexpr std::size_t kTrees = 160;
// What is struck where no microphone stands is rare, and wants many kits; of these the first third teaches those alone.
constexpr std::uint64_t kAlonePart = 3;
constexpr int kBins = 64;
constexpr double kPace = 0.12;    // of each tree's word that is taken
constexpr double kCaution = 2.0;  // what a leaf must know before it says much
constexpr double kFewest = 25.0;  // attacks in a leaf
constexpr double kRight = 0.010;  // seconds from a blow
constexpr double kNeither =
    0.022;  // up to here it is a blow's start misjudged, and teaches nothing

struct Attack {
    Evidence evidence;
    bool isBlow = false;
    bool counts = true;
};
using Microphone = std::vector<Attack>;
using Half = std::vector<Microphone>;

// Of attacks within 20 ms only the strongest is picked.
void leaveOutNeighbours(Microphone& attacks, const OnsetAnalysis& analysis, Hertz rate)
{
    const Frames gap = toFrames(milliseconds(20.0), rate);
    std::vector<std::size_t> order(attacks.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::ranges::sort(order, std::greater{}, [&](std::size_t i) {
        return attacks[i].evidence.level;
    });
    std::vector<bool> isTaken(attacks.size(), false);
    const auto at = [&](std::size_t i) { return analysis.candidates[i].onset.at; };
    for (const std::size_t i : order) {
        if (isTaken[i]) {
            continue;
        }
        const auto take = [&](std::size_t k) {
            isTaken[k] = true;
            attacks[k].counts = false;
        };
        for (std::size_t k = i; k-- > 0 && at(i) - at(k) < gap;) {
            take(k);
        }
        for (std::size_t k = i + 1; k < attacks.size() && at(k) - at(i) < gap; ++k) {
            take(k);
        }
        isTaken[i] = true;
    }
}

Microphone judge(
    OnsetAnalysis analysis,
    std::span<const BandEnvelope* const> others,
    std::span<const double> blows,
    Hertz rate
)
{
    Microphone attacks;
    const Case gathered = gatherEvidence(analysis, others);
    for (const Evidence& evidence : gathered.evidence) {
        Attack attack{evidence};
        const double at = toSeconds(analysis.candidates[attacks.size()].onset.at, rate).count();
        double nearest = 1e9;
        for (const double blow : blows) {
            nearest = std::min(nearest, std::abs(blow - at));
        }
        attack.isBlow = nearest <= kRight;
        attack.counts = (nearest <= kRight || nearest >= kNeither) && evidence.level > -40.0;
        attacks.push_back(attack);
    }
    leaveOutNeighbours(attacks, analysis, rate);
    return attacks;
}

struct Taught {
    Half inSet;
    Half alone;
};

// A third of the toms have no microphone: they are heard in the others, and nobody says whose they are.
std::vector<bool>
missingMicrophones(std::uint64_t seed, std::span<const demo::Microphone> microphones)
{
    demo::Random random(seed * 32452843);
    std::vector<bool> isMissing;
    for (const demo::Microphone& microphone : microphones) {
        const demo::Drum drum = demo::drumAt(microphone);
        const bool isTom = drum == demo::Drum::Tom || drum == demo::Drum::FloorTom;
        isMissing.push_back(random.even() < 1.0 / 3.0 && isTom && demo::isClose(microphone));
    }
    return isMissing;
}

// What a kit with so much more bleed than it was made with teaches its close microphones, among the others or each
// alone. `recorded`: what the kit sounds like, or none where the synthesiser plays.
Half lessons(std::uint64_t seed, const OneShots* recorded, double bleed, bool isAmongOthers)
{
    auto kit = demo::madeUpKit(seed);
    kit.recording.bleedDecibels = bleed;
    kit.drummer.hasPedal = isAmongOthers;
    if (recorded != nullptr) {
        demo::Random random(seed * 104729);
        const double stretch = random.between(0.88, 1.15);
        kit.recording.plainBlow = [=](const demo::DemoHit& hit, demo::Random& own) {
            return recorded->blow(hit, stretch, own);
        };
    }
    const auto performance = demo::performKit(kit.drummer);
    const auto takes = *demo::recordKit(performance, kit.recording);
    const Hertz rate = kit.recording.rate;
    std::vector<OnsetAnalysis> analyses;
    for (const AudioBuffer& take : takes) {
        analyses.push_back(*analyseOnsets(take.channel(0), rate));
    }
    const std::vector<bool> isMissing = missingMicrophones(seed, kit.recording.microphones);
    Half half;
    for (std::size_t m = 0; m < takes.size(); ++m) {
        const auto& microphone = kit.recording.microphones[m];
        if (!demo::isClose(microphone) || (isAmongOthers && isMissing[m])) {
            continue;
        }
        const demo::Drum own = demo::drumAt(microphone);
        std::vector<double> blows;
        for (const demo::DemoHit& hit : performance.hits) {
            if (hit.drum == own) {
                blows.push_back(demo::heardAt(microphone, own, hit.played).count());
            }
        }
        std::vector<const BandEnvelope*> others;
        for (std::size_t k = 0; k < takes.size(); ++k) {
            // Those above the kit and in the room are there for every second kit.
            const bool isThere = seed % 4 < 2 || demo::isClose(kit.recording.microphones[k]);
            if (isAmongOthers && k != m && isThere && !isMissing[k]) {
                others.push_back(&analyses[k].envelope);
            }
        }
        if (!blows.empty()) {
            half.push_back(judge(analyses[m], others, blows, rate));
        }
    }
    return half;
}

void add(std::uint64_t seed, const OneShots* recorded, bool isAloneToo, Taught& taught)
{
    // In some rooms everything is heard everywhere. One microphone alone cannot tell so much bleed from its own
    // drum's soft strokes; taught by it, it would doubt them all.
    const double bleed = demo::Random(seed * 15485863).between(-2.0, 8.0);
    taught.inSet = lessons(seed, recorded, bleed, true);
    if (isAloneToo) {
        taught.alone = lessons(seed, recorded, 0.0, false);
    }
}

// The attacks of all microphones in a row, each evidence in steps of about equal count.
struct Table {
    std::vector<std::array<std::uint8_t, kEvidence>> bins;
    std::vector<bool> isBlow;
    std::array<std::vector<float>, kEvidence> edges;  // bin k + 1 begins at edge k
};

Table tableOf(const Half& microphones)
{
    Table table;
    std::vector<std::array<double, kEvidence>> values;
    for (const Microphone& microphone : microphones) {
        for (const Attack& attack : microphone) {
            if (attack.counts) {
                values.push_back(listed(attack.evidence));
                table.isBlow.push_back(attack.isBlow);
            }
        }
    }
    table.bins.resize(values.size());
    for (std::size_t e = 0; e < kEvidence; ++e) {
        std::vector<float> sorted;
        for (const auto& value : values) {
            sorted.push_back(static_cast<float>(value[e]));
        }
        std::ranges::sort(sorted);
        auto& edges = table.edges[e];
        for (int bin = 1; bin < kBins; ++bin) {
            edges.push_back(sorted[sorted.size() * static_cast<std::size_t>(bin) / kBins]);
        }
        edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
        for (std::size_t i = 0; i < values.size(); ++i) {
            const auto value = static_cast<float>(values[i][e]);
            table.bins[i][e] =
                static_cast<std::uint8_t>(std::ranges::upper_bound(edges, value) - edges.begin());
        }
    }
    return table;
}

struct Sums {
    double slope = 0.0;
    double curve = 0.0;
    double count = 0.0;

    void add(double s, double c)
    {
        slope += s;
        curve += c;
        count += 1.0;
    }
    [[nodiscard]] Sums without(const Sums& other) const
    {
        return {slope - other.slope, curve - other.curve, count - other.count};
    }
    [[nodiscard]] double gain() const { return slope * slope / (curve + kCaution); }
    [[nodiscard]] double word() const { return kPace * slope / (curve + kCaution); }
};

// One tree more, by Newton's steps on the logarithm of the likelihood (Friedman 2001).
BeliefTree growTree(const Table& table, std::vector<double>& odds)
{
    const std::size_t count = odds.size();
    std::vector<double> slope(count);
    std::vector<double> curve(count);
    for (std::size_t i = 0; i < count; ++i) {
        const double chance = 1.0 / (1.0 + std::exp(-odds[i]));
        slope[i] = (table.isBlow[i] ? 1.0 : 0.0) - chance;
        curve[i] = chance * (1.0 - chance);
    }
    BeliefTree tree;
    std::vector<std::size_t> at(count, 0);
    for (std::size_t question = 0; question < kQuestions; ++question) {
        Sums all;
        std::array<std::array<Sums, kBins + 1>, kEvidence> sums{};
        for (std::size_t i = 0; i < count; ++i) {
            if (at[i] == question) {
                all.add(slope[i], curve[i]);
                for (std::size_t e = 0; e < kEvidence; ++e) {
                    sums[e][table.bins[i][e]].add(slope[i], curve[i]);
                }
            }
        }
        double best = all.gain() + 1e-6;
        std::size_t edge = 0;
        tree.least[question] = 1e30F;  // nobody says yes where nothing is gained
        for (std::size_t e = 0; e < kEvidence; ++e) {
            Sums below;
            for (std::size_t k = 0; k < table.edges[e].size(); ++k) {
                below.slope += sums[e][k].slope;
                below.curve += sums[e][k].curve;
                below.count += sums[e][k].count;
                const Sums above = all.without(below);
                const double gain = below.gain() + above.gain();
                if (below.count >= kFewest && above.count >= kFewest && gain > best) {
                    best = gain;
                    edge = k;
                    tree.asked[question] = static_cast<std::uint8_t>(e);
                    tree.least[question] = table.edges[e][k];
                }
            }
        }
        for (std::size_t i = 0; i < count; ++i) {
            if (at[i] == question) {
                const bool isMore =
                    tree.least[question] < 1e29F && table.bins[i][tree.asked[question]] > edge;
                at[i] = 2 * question + (isMore ? 2 : 1);
            }
        }
    }
    std::array<Sums, kQuestions + 1> leaves{};
    for (std::size_t i = 0; i < count; ++i) {
        leaves[at[i] - kQuestions].add(slope[i], curve[i]);
    }
    for (std::size_t leaf = 0; leaf < leaves.size(); ++leaf) {
        tree.odds[leaf] = static_cast<float>(leaves[leaf].word());
    }
    for (std::size_t i = 0; i < count; ++i) {
        odds[i] += static_cast<double>(tree.odds[at[i] - kQuestions]);
    }
    return tree;
}

struct Grown {
    double odds = 0.0;
    std::vector<BeliefTree> trees;

    [[nodiscard]] Forest forest() const { return {odds, trees}; }
};

Grown growTrees(const Half& half)
{
    const Table table = tableOf(half);
    const auto blows = static_cast<double>(std::ranges::count(table.isBlow, true));
    const auto all = static_cast<double>(table.isBlow.size());
    Grown grown{std::log(blows / (all - blows)), {}};
    std::vector<double> odds(table.isBlow.size(), grown.odds);
    for (std::size_t i = 0; i < kTrees; ++i) {
        grown.trees.push_back(growTree(table, odds));
    }
    return grown;
}

std::vector<Evidence> evidenceOf(const Microphone& microphone)
{
    std::vector<Evidence> evidence;
    std::ranges::transform(microphone, std::back_inserter(evidence), &Attack::evidence);
    return evidence;
}

// What attacks of the same level are, as trees say that were not grown on these kits.
Half withLevels(Half half, const Grown& others)
{
    for (Microphone& microphone : half) {
        std::vector<double> levels;
        std::vector<double> beliefs;
        for (const Attack& attack : microphone) {
            levels.push_back(attack.evidence.level);
            beliefs.push_back(others.forest().chance(attack.evidence));
        }
        const auto there = oddsAtLevel(levels, beliefs);
        for (std::size_t i = 0; i < microphone.size(); ++i) {
            microphone[i].evidence.amongLevel = there[i];
        }
    }
    return half;
}

Half together(Half one, const Half& two)
{
    one.insert(one.end(), two.begin(), two.end());
    return one;
}

void report(const char* name, const Half& half, const Belief& belief)
{
    std::array<double, 10> said{};
    std::array<double, 10> right{};
    std::array<int, 10> counted{};
    int found = 0;
    int wrong = 0;
    int missed = 0;
    int told = 0;
    double surprise = 0.0;
    for (const Microphone& microphone : half) {
        const auto confidence = belief.confidence(evidenceOf(microphone));
        for (std::size_t i = 0; i < microphone.size(); ++i) {
            if (!microphone[i].counts) {
                continue;
            }
            const bool isBlow = microphone[i].isBlow;
            const bool isPicked = confidence[i] >= 0.5;
            found += isBlow && isPicked ? 1 : 0;
            wrong += !isBlow && isPicked ? 1 : 0;
            missed += isBlow && !isPicked ? 1 : 0;
            told += isBlow != isPicked && confidence[i] > 0.1 && confidence[i] < 0.9 ? 1 : 0;
            const double chance = isBlow ? confidence[i] : 1.0 - confidence[i];
            surprise -= std::log(std::max(chance, 1e-4));
            const auto tenth =
                std::min<std::size_t>(static_cast<std::size_t>(confidence[i] * 10.0), 9);
            said[tenth] += confidence[i];
            right[tenth] += isBlow ? 1.0 : 0.0;
            ++counted[tenth];
        }
    }
    const int all = std::accumulate(counted.begin(), counted.end(), 0);
    fmt::print(
        "{}: {} attacks, F {:.4f}, {} wrong, {} missed, {:.2f} of these doubtful, surprise "
        "{:.4f}\n",
        name,
        all,
        2.0 * found / (2.0 * found + wrong + missed),
        wrong,
        missed,
        static_cast<double>(told) / std::max(1, wrong + missed),
        surprise / std::max(1, all)
    );
    for (std::size_t i = 0; i < 10; ++i) {
        fmt::print(
            "  {:.1f}: {:6} said {:.3f}, right {:.3f}\n",
            0.1 * static_cast<double>(i),
            counted[i],
            said[i] / std::max(1, counted[i]),
            right[i] / std::max(1, counted[i])
        );
    }
}

struct Lesson {
    Grown first;
    Grown second;
    double constant = 0.0;
    double slope = 1.0;
};

// The line that makes the odds on kits no tree has seen come true (Platt 1999).
void straighten(
    const std::array<Half, 2>& levelled, const std::array<Grown, 2>& second, Lesson& lesson
)
{
    std::vector<std::pair<double, bool>> seen;
    for (std::size_t half = 0; half < 2; ++half) {
        for (const Microphone& microphone : levelled[half]) {
            for (const Attack& attack : microphone) {
                if (attack.counts) {
                    seen.emplace_back(
                        second[1 - half].forest().sum(attack.evidence), attack.isBlow
                    );
                }
            }
        }
    }
    // Newton's steps on the likelihood.
    for (int step = 0; step < 30; ++step) {
        std::array<double, 2> slope{};
        std::array<double, 3> curve{1e-6, 0.0, 1e-6};
        for (const auto& [odds, isBlow] : seen) {
            const double chance = 1.0 / (1.0 + std::exp(-lesson.constant - lesson.slope * odds));
            const double off = (isBlow ? 1.0 : 0.0) - chance;
            const double weight = chance * (1.0 - chance);
            slope[0] += off;
            slope[1] += off * odds;
            curve[0] += weight;
            curve[1] += weight * odds;
            curve[2] += weight * odds * odds;
        }
        const double determinant = curve[0] * curve[2] - curve[1] * curve[1];
        lesson.constant += (curve[2] * slope[0] - curve[1] * slope[1]) / determinant;
        lesson.slope += (curve[0] * slope[1] - curve[1] * slope[0]) / determinant;
    }
}

// Says how either half of the kits is judged by what the other teaches, then learns from all.
Lesson teach(const char* name, const std::array<Half, 2>& halves)
{
    const std::array<Grown, 2> first{growTrees(halves[0]), growTrees(halves[1])};
    const std::array<Half, 2> levelled{
        withLevels(halves[0], first[1]), withLevels(halves[1], first[0])};
    const std::array<Grown, 2> second{growTrees(levelled[0]), growTrees(levelled[1])};
    Lesson lesson;
    straighten(levelled, second, lesson);
    for (std::size_t half = 0; half < 2; ++half) {
        report(
            name,
            halves[1 - half],
            {first[half].forest(), second[half].forest(), lesson.constant, lesson.slope}
        );
    }
    lesson.first = growTrees(together(halves[0], halves[1]));
    lesson.second = growTrees(together(levelled[0], levelled[1]));
    return lesson;
}

void write(fmt::ostream& out, const std::string& name, const Grown& grown)
{
    out.print(
        "Forest {}()\n{{\n    static constexpr std::array<BeliefTree, {}> kTrees{{{{\n",
        name,
        kTrees
    );
    for (const BeliefTree& tree : grown.trees) {
        out.print(
            "        {{{{{}}},\n         {{{:#.6g}F}},\n         {{{:.5f}F}}}},\n",
            fmt::join(tree.asked, ", "),
            fmt::join(tree.least, "F, "),
            fmt::join(tree.odds, "F, ")
        );
    }
    out.print("    }}}};\n    return {{{:.5f}, kTrees}};\n}}\n\n", grown.odds);
}

void write(fmt::ostream& out, const std::string& name, const Lesson& taught)
{
    write(out, name + "First", taught.first);
    write(out, name + "Second", taught.second);
    out.print(
        "Belief {}()\n{{\n    return {{{}First(), {}Second(), {:.5f}, {:.5f}}};\n}}\n\n",
        name,
        name,
        name,
        taught.constant,
        taught.slope
    );
}

// Which of the recorded kits the i-th plays: a kit stands in one half only, every second one is the synthesiser's.
const OneShots* recordedFor(std::uint64_t i, std::span<const OneShots> recorded)
{
    if (recorded.size() < 2 || i % 4 < 2) {
        return nullptr;
    }
    const std::uint64_t half = i % 2;
    const std::uint64_t there = (recorded.size() + 1 - half) / 2;
    return &recorded[2 * (i / 4 % there) + half];
}

void run(const std::string& path, std::uint64_t kits, std::span<const OneShots> recorded)
{
    std::vector<Taught> taught(kits);
    tbb::parallel_for(std::uint64_t{0}, kits, [&](std::uint64_t i) {
        add(i + 1, recordedFor(i, recorded), i < kits / kAlonePart, taught[i]);
    });
    std::array<Half, 2> inSet;
    std::array<Half, 2> alone;
    for (std::uint64_t i = 0; i < kits; ++i) {
        std::ranges::move(taught[i].inSet, std::back_inserter(inSet[i % 2]));
        std::ranges::move(taught[i].alone, std::back_inserter(alone[i % 2]));
    }
    auto out = fmt::output_file(path);
    out.print("// Written by benchmarks/Teach.cpp; not to be changed by hand.\n"
              "#include \"core/onset/BeliefTrees.h\"\n\n// clang-format off\nnamespace "
              "orthochron::taught {{\n\n");
    write(out, "inSet", teach("in the set", inSet));
    write(out, "alone", teach("alone", alone));
    out.print("}}  // namespace orthochron::taught\n");
}

}  // namespace
}  // namespace orthochron

int main(int count, char** arguments)
{
    if (count < 2) {
        fmt::print(stderr, "orthochron_teach OUT.cpp [KITS [ONE_SHOTS]]\n");
        return 2;
    }
    const auto recorded =
        count > 3 ? orthochron::oneShotKits(arguments[3]) : std::vector<orthochron::OneShots>{};
    orthochron::run(arguments[1], count > 2 ? std::stoull(arguments[2]) : 450, recorded);
    return 0;
}
