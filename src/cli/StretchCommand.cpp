#include <fmt/format.h>

#include "cli/Arguments.h"
#include "cli/Commands.h"
#include "cli/Mono.h"
#include "cli/Treated.h"
#include "core/files/PinsFile.h"
#include "core/stretch/Attacks.h"

#include <cmath>

namespace orthochron::cli {

namespace {

struct StretchOptions {
    std::string in, out, pins, material, formants = "keep", format = "same";
    std::optional<double> ratio, sourceBpm, targetBpm, beats;
    double semitones = 0.0, cents = 0.0;
};

// Beyond this nobody could mean it.
constexpr double kMostRatio = 20.0;

Result<double> ratioOf(const StretchOptions& options, Seconds length)
{
    double ratio = 1.0;
    if (options.ratio) {
        ratio = *options.ratio;
    } else if (options.targetBpm) {
        if (!(*options.targetBpm > 0.0) || (options.sourceBpm && !(*options.sourceBpm > 0.0)) ||
            (options.beats && !(*options.beats > 0.0))) {
            return badArgument("a tempo or a number of beats must be above 0");
        }
        ratio = options.beats ? *options.beats * 60.0 / *options.targetBpm / length.count()
                              : *options.sourceBpm / *options.targetBpm;
    }
    if (!(ratio >= 1.0 / kMostRatio && ratio <= kMostRatio)) {
        return badArgument(fmt::format(
            "a ratio must be between {1:g} and {2:g}, not {0:g}",
            ratio,
            1.0 / kMostRatio,
            kMostRatio
        ));
    }
    return ratio;
}

Result<TimeMap> timeOf(const StretchOptions& options, Hertz rate, Frames length)
{
    const int ways = (options.ratio ? 1 : 0) + (options.sourceBpm ? 1 : 0) +
                     (options.beats ? 1 : 0) + (options.pins.empty() ? 0 : 1);
    const bool hasTempo = options.sourceBpm || options.beats;
    if (ways > 1 || hasTempo != options.targetBpm.has_value()) {
        return badArgument("give one of --ratio, --source-bpm with --target-bpm, --to-beats with "
                           "--target-bpm, or --pins");
    }
    if (ways == 0 && options.semitones == 0.0 && options.cents == 0.0) {
        return badArgument("give --ratio, --source-bpm, --to-beats, --pins or a pitch");
    }
    if (!options.pins.empty()) {
        return readPins(options.pins, rate);
    }
    const auto ratio = ratioOf(options, toSeconds(length, rate));
    if (!ratio) {
        return tl::unexpected(ratio.error());
    }
    const Frames made(
        std::max<std::int64_t>(std::llround(static_cast<double>(length.count()) * *ratio), 1)
    );
    return TimeMap::through({{Frames(0), Frames(0)}, {length, made}});
}

Result<Treatment>
treatmentOf(const StretchOptions& options, const Mono& sound, const Context& context)
{
    Treatment treatment;
    const auto material = parseMaterial(options.material);
    if (!material) {
        return tl::unexpected(material.error());
    }
    treatment.material = *material;
    treatment.semitones = options.semitones + options.cents / 100.0;
    treatment.movesFormants = options.formants == "move";
    auto time = timeOf(options, sound.rate(), sound.reader->frames());
    if (!time) {
        return tl::unexpected(time.error());
    }
    treatment.time = std::move(*time);
    if (treatment.material == Material::Hits || treatment.material == Material::Blend) {
        auto attacks = attacksOf(sound.channel(), sound.rate(), context.work.part(0.0, 0.3));
        if (!attacks) {
            return tl::unexpected(attacks.error());
        }
        treatment.attacks = std::move(*attacks);
    }
    return treatment;
}

Result<int> run(const StretchOptions& options, const Context& context)
{
    const auto format = parsePrintFormat(options.format);
    if (!format) {
        return tl::unexpected(format.error());
    }
    const auto sound = openMono(options.in, std::nullopt);
    if (!sound) {
        return tl::unexpected(sound.error());
    }
    const auto treatment = treatmentOf(options, *sound, context);
    if (!treatment) {
        return tl::unexpected(treatment.error());
    }
    const auto written =
        writeTreated(options.in, options.out, *treatment, *format, context.work.part(0.3, 1.0));
    if (!written) {
        return tl::unexpected(written.error());
    }
    const Frames length = *written;
    const SoundFacts& facts = sound->reader->facts();
    const double ratio = length / facts.frames;
    print(
        context,
        {{"sample_rate", facts.rate.count()},
         {"frames", length.count()},
         {"ratio", ratio},
         {"material", options.material},
         {"semitones", treatment->semitones},
         {"attacks", treatment->attacks.size()}},
        fmt::format(
            "{}: {:.3f} s, {:.4f} times as long\n",
            options.out,
            toSeconds(length, facts.rate).count(),
            ratio
        )
    );
    return 0;
}

}  // namespace

void addStretch(CLI::App& app, Choice& choice)
{
    auto* command = app.add_subcommand("stretch", "Change the length or pitch of a recording");
    auto o = std::make_shared<StretchOptions>();
    addInput(*command, o->in, choice);
    addOutput(*command, o->out, choice);
    command->add_option("--ratio", o->ratio, "Length relative to the original; 2 is twice as long");
    command->add_option("--source-bpm", o->sourceBpm, "Original tempo in bpm");
    command->add_option("--target-bpm", o->targetBpm, "Target tempo in bpm");
    command->add_option("--to-beats", o->beats, "Target length in beats at --target-bpm");
    command->add_option(
        "--pins", o->pins, "JSON file: [[source seconds, target seconds], ...], ascending"
    );
    addMaterial(*command, o->material, true);
    command->add_option("--semitones", o->semitones, "Pitch change in semitones; negative lowers");
    command->add_option("--cents", o->cents, "Pitch change in cents, added to the semitones");
    command->add_option("--formants", o->formants, "Formants: keep, or move with the pitch")
        ->check(CLI::IsMember({"keep", "move"}));
    addFormat(*command, o->format);
    addJson(*command, choice);
    addExample(
        *command, "stretch Loop.wav Slower.wav --source-bpm 120 --target-bpm 110 --material hits"
    );
    command->callback([&choice, o] {
        choice.run = [o](const Context& context) { return run(*o, context); };
    });
}

}  // namespace orthochron::cli
