#include <fmt/format.h>

#include "cli/Commands.h"
#include "core/audio/ResampledSource.h"
#include "core/audio/SoundFile.h"
#include "core/onset/BandPass.h"

namespace orthochron::cli {

namespace {

struct OnsetsOptions {
    std::string in;
    std::vector<std::string> against;
    double sensitivity = 50.0;
    double minGapMs = 20.0;
    std::string way = "struck";
    std::string band;
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
            fmt::format("--band {}: give low, mid, high or two ends as 150-2000", text)
        );
    }
    return FrequencyBand{Hertz(low), Hertz(high)};
}

struct Mono {
    std::vector<float> samples;
    Hertz rate{0.0};
};

// All channels of a file as their mean. Errors: BadArgument when it has not the `rate` wanted.
Result<Mono> readMono(const std::string& path, std::optional<Hertz> rate)
{
    const auto reader = SoundFileReader::open(path);
    if (!reader) {
        return tl::unexpected(reader.error());
    }
    if (rate && (*reader)->rate() != *rate) {
        return badArgument(fmt::format(
            "{}: has a rate of {:g} Hz, not {:g}; microphones of one set have one rate",
            path,
            (*reader)->rate().count(),
            rate->count()
        ));
    }
    const auto audio = readAll(**reader);
    if (!audio) {
        return tl::unexpected(audio.error());
    }
    Mono mono{
        std::vector<float>(static_cast<std::size_t>((*audio)->frames().count()), 0.0F),
        (*reader)->rate()};
    const float part = 1.0F / static_cast<float>((*audio)->channels());
    for (int c = 0; c < (*audio)->channels(); ++c) {
        const auto channel = (*audio)->channel(c);
        for (std::size_t i = 0; i < mono.samples.size(); ++i) {
            mono.samples[i] += part * channel[i];
        }
    }
    return mono;
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
    const auto sound = readMono(options.in, std::nullopt);
    if (!sound) {
        return tl::unexpected(sound.error());
    }
    auto analysis = analyseAsAsked(sound->samples, sound->rate, settings, context.work);
    if (!analysis) {
        return tl::unexpected(analysis.error());
    }
    std::vector<BandEnvelope> envelopes;
    for (const std::string& path : options.against) {
        const auto other = readMono(path, sound->rate);
        if (!other) {
            return tl::unexpected(other.error());
        }
        envelopes.push_back(bandEnvelopeOf(other->samples, sound->rate));
    }
    std::vector<const BandEnvelope*> others;
    for (const BandEnvelope& envelope : envelopes) {
        others.push_back(&envelope);
    }
    attributeBleed(*analysis, others);
    const auto onsets = pickOnsets(analysis->candidates, sound->rate, settings);
    if (!onsets) {
        return tl::unexpected(onsets.error());
    }
    Json json{
        {"sample_rate", sound->rate.count()},
        {"frames", sound->samples.size()},
        {"onsets", Json::array()}};
    std::string readable = fmt::format("{} onsets\n", onsets->size());
    for (const Onset& onset : *onsets) {
        const double time = toSeconds(onset.at, sound->rate).count();
        json["onsets"].push_back(
            {{"sample", onset.at.count()}, {"time_s", time}, {"strength", onset.strength}}
        );
        readable +=
            fmt::format("{:>12} {:>11.5f} s  {:.3f}\n", onset.at.count(), time, onset.strength);
    }
    print(context, json, readable);
    return 0;
}

}  // namespace

void addOnsets(CLI::App& app, Choice& choice)
{
    auto* command = app.add_subcommand("onsets", "Find the hits of a recording");
    auto options = std::make_shared<OnsetsOptions>();
    command->add_option("IN", options->in)->required();
    command->add_option("--against", options->against, "Other microphones of the same set");
    command->add_option(
        "--sensitivity", options->sensitivity, "0 to 100; higher finds quieter hits"
    );
    command->add_option(
        "--min-gap-ms", options->minGapMs, "Of two onsets closer than this the stronger stays"
    );
    command->add_option("--way", options->way, "struck, or weak for bowed, plucked and sung notes")
        ->check(CLI::IsMember({"struck", "weak"}));
    command->add_option(
        "--band", options->band, "Listen in a band: low, mid, high, or ends in Hz as 150-2000"
    );
    command->add_flag("--json", choice.asJson);
    command->callback([&choice, options] {
        choice.run = [options](const Context& context) { return run(*options, context); };
    });
}

}  // namespace orthochron::cli
