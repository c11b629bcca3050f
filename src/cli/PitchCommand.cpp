#include <fmt/format.h>

#include "cli/Arguments.h"
#include "cli/Commands.h"
#include "cli/Mono.h"
#include "core/pitch/Notes.h"
#include "core/pitch/PitchCurve.h"
#include "core/tune/Rungs.h"

namespace orthochron::cli {

namespace {

struct PitchOptions {
    std::string in;
    double lowest = 50.0, highest = 1200.0, a4 = kConcertPitch.count();
};

// As the beginning of an object, one by one: of an hour they would be some hundred megabytes as one value.
void printFrames(const std::vector<PitchFrame>& curve, Hertz rate)
{
    fmt::print("{{\"hop_s\":{},\"frames\":[", Json(kPitchHop.count()).dump());
    for (std::size_t n = 0; n < curve.size(); ++n) {
        const PitchFrame& frame = curve[n];
        const Json json{
            {"time_s", toSeconds(placeOfPitch(n, rate), rate).count()},
            {"hz", frame.isVoiced() ? Json(frame.pitch.count()) : Json()},
            {"confidence", frame.confidence}};
        fmt::print("{}{}", n > 0 ? "," : "", json.dump());
    }
    fmt::print("],");
}

Result<int> run(const PitchOptions& options, const Context& context)
{
    const auto sound = openMono(options.in, std::nullopt);
    if (!sound) {
        return tl::unexpected(sound.error());
    }
    const PitchSettings settings{Hertz(options.lowest), Hertz(options.highest)};
    if (auto checked = checkTemperament({Hertz(options.a4)}); !checked) {
        return tl::unexpected(checked.error());
    }
    auto curve = pitchOf(sound->channel(), sound->rate(), settings, context.work);
    if (!curve) {
        return tl::unexpected(curve.error());
    }
    const auto notes = notesOf(*curve, sound->rate(), Hertz(options.a4));
    Json found = Json::array();
    for (const Note& note : notes) {
        found.push_back(
            {{"start_s", toSeconds(note.start, sound->rate()).count()},
             {"end_s", toSeconds(note.end, sound->rate()).count()},
             {"midi", note.midi},
             {"offset_cents", note.cents}}
        );
    }
    if (context.asJson) {
        printFrames(*curve, sound->rate());
        printText(Json{{"notes", found}}.dump().substr(1) + "\n");
        return 0;
    }
    const auto voiced = std::ranges::count_if(*curve, &PitchFrame::isVoiced);
    print(
        context,
        {},
        fmt::format(
            "{} notes; {:.2f} s of {:.2f} s have a pitch\n",
            notes.size(),
            kPitchHop.count() * static_cast<double>(voiced),
            toSeconds(sound->reader->frames(), sound->rate()).count()
        )
    );
    return 0;
}

}  // namespace

void addPitch(CLI::App& app, Choice& choice)
{
    auto* command = app.add_subcommand("pitch", "Find the pitch of a single voice");
    auto options = std::make_shared<PitchOptions>();
    addInput(*command, options->in, choice);
    command->add_option("--min-hz", options->lowest, "Lowest pitch, in Hz");
    command->add_option("--max-hz", options->highest, "Highest pitch, in Hz");
    command->add_option("--a4,--a4-hz", options->a4, "Tuning of A4, in Hz");
    addJson(*command, choice);
    addExample(*command, "pitch Voice.wav --json");
    command->callback([options, &choice] {
        choice.run = [options](const Context& context) { return run(*options, context); };
    });
}

}  // namespace orthochron::cli
