#include <fmt/format.h>

#include "cli/Arguments.h"
#include "cli/Commands.h"
#include "cli/Mono.h"
#include "core/onset/BandPass.h"
#include "core/onset/Microphones.h"

namespace orthochron::cli {

namespace {

struct OnsetsOptions {
    std::string in;
    std::vector<std::string> against;
    double sensitivity = 50.0;
    double minGapMs = 20.0;
    std::string way = "struck";
    std::string band;
    bool withDoubtful = false;
};

// "low", "mid", "high", or two ends in Hz as "150-2000"; none for all of it.
Result<std::optional<FrequencyBand>> bandOf(const std::string& text)
{
    if (text.empty()) {
        return std::optional<FrequencyBand>();
    }
    for (const NamedBand& named : kNamedBands) {
        if (text == named.name) {
            return named.band;
        }
    }
    double low = 0.0;
    double high = 0.0;
    int used = 0;
    if (std::sscanf(text.c_str(), "%lf-%lf%n", &low, &high, &used) != 2 ||
        static_cast<std::size_t>(used) != text.size()) {
        return badArgument(
            fmt::format("--band {}: use low, mid, high or a range such as 150-2000", text)
        );
    }
    return FrequencyBand{Hertz(low), Hertz(high)};
}

Result<int> run(const OnsetsOptions& options, const Context& context)
{
    const auto band = bandOf(options.band);
    if (!band) {
        return tl::unexpected(band.error());
    }
    const OnsetSettings settings{
        .sensitivity = options.sensitivity,
        .minGap = milliseconds(options.minGapMs),
        .way = options.way == "weak" ? OnsetWay::Weak : OnsetWay::Struck,
        .band = *band};
    const auto sound = openMono(options.in, std::nullopt);
    if (!sound) {
        return tl::unexpected(sound.error());
    }
    const Hertz rate = sound->rate();
    std::vector<Mono> against;
    for (const std::string& path : options.against) {
        auto other = openMono(path, rate);
        if (!other) {
            return tl::unexpected(other.error());
        }
        against.push_back(std::move(*other));
    }
    std::vector<HeardMicrophone> microphones{{sound->channel(), Frames(0), settings}};
    for (const Mono& other : against) {
        microphones.push_back({other.channel(), Frames(0), std::nullopt});
    }
    const auto found = analyseMicrophones(microphones, rate, context.work);
    if (!found) {
        return tl::unexpected(found.error());
    }
    const auto& candidates = found->front().candidates;
    const auto onsets = pickOnsets(candidates, rate, settings);
    if (!onsets) {
        return tl::unexpected(onsets.error());
    }
    Json json{
        {"sample_rate", rate.count()},
        {"frames", sound->reader->frames().count()},
        {"onsets", Json::array()}};
    std::string readable = fmt::format("{} onsets\n", onsets->size());
    const auto list = [&](const char* name, const Onset& onset) {
        const double time = toSeconds(onset.at, rate).count();
        json[name].push_back(
            {{"sample", onset.at.count()},
             {"time_s", time},
             {"strength", onset.strength},
             {"confidence", onset.confidence}}
        );
        readable += fmt::format(
            "{:>12} {:>11.5f} s  {:.3f}  {:.2f}\n",
            onset.at.count(),
            time,
            onset.strength,
            onset.confidence
        );
    };
    for (const Onset& onset : *onsets) {
        list("onsets", onset);
    }
    if (options.withDoubtful) {
        constexpr double kLeast = 0.05;  // what is less sure is as good as certainly no hit
        const auto left = leftOut(candidates, *onsets, rate, settings, kLeast);
        json["left_out"] = Json::array();
        readable += fmt::format("{} possible hits left out\n", left.size());
        for (const OnsetCandidate& candidate : left) {
            list("left_out", candidate.onset);
        }
    }
    print(context, json, readable);
    return 0;
}

}  // namespace

void addOnsets(CLI::App& app, Choice& choice)
{
    auto* command = app.add_subcommand("onsets", "Find the hits of a recording");
    auto options = std::make_shared<OnsetsOptions>();
    addInput(*command, options->in, choice);
    command
        ->add_option(
            "--against", options->against, "Another microphone of the same set; repeat for several"
        )
        ->expected(1)
        ->allow_extra_args(false)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
    command->add_option(
        "--sensitivity", options->sensitivity, "0 to 100; higher values find quieter hits"
    );
    command->add_option(
        "--min-gap-ms",
        options->minGapMs,
        "Minimum distance between hits in ms; the stronger is kept"
    );
    command
        ->add_option("--way", options->way, "struck (sharp attacks) or weak (bowed, plucked, sung)")
        ->check(CLI::IsMember({"struck", "weak"}));
    command->add_option(
        "--band", options->band, "Frequency band: low, mid, high, or a range in Hz such as 150-2000"
    );
    command->add_flag(
        "--doubtful", options->withDoubtful, "Also list possible hits that were left out"
    );
    addJson(*command, choice);
    addExample(*command, "onsets Snare.wav --against Kick.wav --against Room.wav --json");
    command->callback([&choice, options] {
        choice.run = [options](const Context& context) { return run(*options, context); };
    });
}

}  // namespace orthochron::cli
