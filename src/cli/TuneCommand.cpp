#include <fmt/format.h>

#include "cli/Arguments.h"
#include "cli/Commands.h"
#include "cli/Mono.h"
#include "cli/Treated.h"
#include "core/files/NotesFile.h"
#include "core/pitch/AnyVoice.h"
#include "core/stretch/MaterialGuess.h"
#include "core/tune/Tuning.h"

#include <cmath>

namespace orthochron::cli {

namespace {

struct TuneOptions {
    std::string in, out, key = "C", scale = "chromatic", formants = "keep", temperament = "equal",
                         notes, format = "same";
    double offset = 0.0, wander = 0.0, vibrato = 100.0;
    double a4 = kConcertPitch.count();
    std::optional<double> glideMs;
};

Json noteJson(const SungNote& note, Hertz rate)
{
    return {
        {"start_s", toSeconds(note.start, rate).count()},
        {"end_s", toSeconds(note.end, rate).count()},
        {"midi", note.rung},
        {"offset_cents", 100.0 * note.offset()}};
}

double meanOff(std::span<const SungNote> notes, double left)
{
    double sum = 0.0;
    for (const SungNote& note : notes) {
        sum += 100.0 * std::abs(note.offset()) * left;
    }
    return notes.empty() ? 0.0 : sum / static_cast<double>(notes.size());
}

Result<int> run(const TuneOptions& options, const Context& context)
{
    const auto format = parsePrintFormat(options.format);
    if (!format) {
        return tl::unexpected(format.error());
    }
    const auto scale = parseScale(options.key, options.scale);
    if (!scale) {
        return tl::unexpected(scale.error());
    }
    const auto sound = openMono(options.in, std::nullopt);
    if (!sound) {
        return tl::unexpected(sound.error());
    }
    const Hertz rate = sound->rate();
    std::vector<NoteChange> changes;
    if (!options.notes.empty()) {
        auto read = readNoteChanges(options.notes, rate);
        if (!read) {
            return tl::unexpected(read.error());
        }
        changes = std::move(*read);
    }
    Rungs rungs(*scale, {Hertz(options.a4)});
    auto cents = parseTemperament(options.temperament, scale->tonic);
    if (!cents) {
        return tl::unexpected(cents.error());
    }
    rungs.temperament.cents = *cents;
    if (auto checked = checkTemperament(rungs.temperament); !checked) {
        return tl::unexpected(checked.error());
    }
    auto curve = pitchOfAnyVoice(sound->channel(), rate, context.work.part(0.0, 0.4));
    if (!curve) {
        return tl::unexpected(curve.error());
    }
    const auto pitched = pitchedPartOf(sound->channel(), rate, *curve, context.work.part(0.4, 0.5));
    if (!pitched) {
        return tl::unexpected(pitched.error());
    }
    const auto notes = sungNotes(*curve, rate, rungs);
    if (*pitched < kLeastOneVoice || notes.empty()) {
        return badInput(fmt::format(
            "{}: no single pitch in {:.0f} % of it; use `stretch --material chords --semitones` to "
            "shift it as a whole",
            options.in,
            100.0 * (1.0 - *pitched)
        ));
    }
    const TuneAmounts amounts{
        options.offset / 100.0, options.wander / 100.0, options.vibrato / 100.0};
    auto asked = tunedBy(notes, amounts);
    if (!asked) {
        return tl::unexpected(asked.error());
    }
    for (const NoteChange& change : changes) {
        if (auto done = changeNote(notes, *asked, change, rate); !done) {
            return tl::unexpected(done.error());
        }
    }
    const auto glide =
        options.glideMs ? std::optional(milliseconds(*options.glideMs)) : std::nullopt;
    auto treatment = tuningOf(notes, *curve, *asked, glide, sound->reader->frames(), rate);
    if (!treatment) {
        return tl::unexpected(treatment.error());
    }
    treatment->movesFormants = options.formants == "move";
    const auto length =
        writeTreated(options.in, options.out, *treatment, *format, context.work.part(0.5, 1.0));
    if (!length) {
        return tl::unexpected(length.error());
    }
    Json json{
        {"sample_rate", rate.count()},
        {"frames", length->count()},
        {"offset_cents", {meanOff(notes, 1.0), meanOff(notes, 1.0 - amounts.offset)}},
        {"notes", Json::array()}};
    for (const SungNote& note : notes) {
        json["notes"].push_back(noteJson(note, rate));
    }
    print(
        context,
        json,
        fmt::format(
            "{}: {} notes, {:.0f} cents out of tune on average, now {:.0f}\n",
            options.out,
            notes.size(),
            meanOff(notes, 1.0),
            meanOff(notes, 1.0 - amounts.offset)
        )
    );
    return 0;
}

}  // namespace

void addTune(CLI::App& app, Choice& choice)
{
    auto* command = app.add_subcommand("tune", "Put the notes of a single voice in tune");
    auto o = std::make_shared<TuneOptions>();
    addInput(*command, o->in, choice);
    addOutput(*command, o->out, choice);
    command->add_option("--key", o->key, "Tonic: C, F#, Bb ...");
    command->add_option("--scale", o->scale, "Scale: chromatic, major, minor, dorian ...");
    command->add_option(
        "--offset", o->offset, "How much of each note's pitch error is corrected, 0 to 100 %"
    );
    command->add_option(
        "--wander", o->wander, "How much slow pitch drift is corrected, 0 to 100 %"
    );
    command->add_option("--vibrato", o->vibrato, "Vibrato kept, 0 to 200 %");
    command->add_option("--glide-ms", o->glideMs, "Pitch transition time between notes, in ms");
    command->add_option("--formants", o->formants, "Formants: keep, or move with the pitch")
        ->check(CLI::IsMember({"keep", "move"}));
    command->add_option("--a4,--a4-hz", o->a4, "Tuning of A4, in Hz");
    command->add_option(
        "--temperament", o->temperament, "equal, just, pythagorean or meantone, on the key's tonic"
    );
    command->add_option("--notes", o->notes, "JSON file with changes to single notes");
    addFormat(*command, o->format);
    addJson(*command, choice);
    addExample(*command, "tune Voice.wav Tuned.wav --key A --scale minor --offset 80");
    command->callback([&choice, o] {
        choice.run = [o](const Context& context) { return run(*o, context); };
    });
}

}  // namespace orthochron::cli
