#include <fmt/format.h>

#include "cli/Arguments.h"
#include "cli/Commands.h"
#include "cli/OpenedSong.h"
#include "core/edits/ShapeEdits.h"
#include "core/render/LastSound.h"

#include <charconv>
#include <cmath>

namespace orthochron::cli {

namespace {

constexpr double kBent = 0.6;  // what "over" and "under" bend by

struct ShapeOptions {
    std::string song, out, fadeOut, fadeIn, shape = "straight", label;
    std::vector<std::string> tracks, hushes;
};

// "8bars" or "12s".
Result<FadeLength> lengthOf(const std::string& text)
{
    double number = 0.0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), number);
    const std::string unit(end, text.data() + text.size());
    const bool isTime = unit == "s";
    if (error != std::errc() || !(isTime || unit == "bars" || unit == "bar") ||
        !(number > 0.0 && number < 1e6)) {
        return badArgument(fmt::format("'{}' is not a fade length; use 8bars or 12s", text));
    }
    return isTime ? FadeLength{0.0, Seconds(number)} : FadeLength{number, {}};
}

Result<double> bendOf(const std::string& word)
{
    if (word == "straight") {
        return 0.0;
    }
    if (word == "over" || word == "under") {
        return word == "over" ? kBent : -kBent;
    }
    return badArgument(fmt::format("shape '{}' is not straight, over or under", word));
}

// "17:25" is from the start of bar 17 to that of bar 25.
Result<Hush> hushOf(const Song& song, const std::string& text)
{
    int first = 0;
    int last = 0;
    char rest = 0;
    if (std::sscanf(text.c_str(), "%d:%d%c", &first, &last, &rest) != 2 || last <= first) {
        return badArgument(fmt::format(
            "hush '{}' must be two bars such as 17:25, the second after the first", text
        ));
    }
    Hush hush;
    hush.from = HeldPlace(song.tempo.startOfBar(first).count());
    hush.to = HeldPlace(song.tempo.startOfBar(last).count());
    return hush;
}

Result<std::vector<TrackId>> tracksOf(const Song& song, const std::vector<std::string>& names)
{
    std::vector<TrackId> tracks;
    for (const std::string& name : names) {
        const std::size_t before = tracks.size();
        for (const auto& track : song.tracks) {
            if (track->name == name) {
                tracks.push_back(track->id);
            }
        }
        // A mic set is all of its tracks.
        for (const MicSet& set : song.sets) {
            if (tracks.size() == before && set.name == name) {
                tracks.insert(tracks.end(), set.tracks.begin(), set.tracks.end());
            }
        }
        if (tracks.size() == before) {
            return badArgument(fmt::format("the song has no track or mic set '{}'", name));
        }
    }
    return tracks;
}

// The song faded, out or in.
Result<Song> faded(
    const Song& song,
    const std::vector<TrackId>& tracks,
    const std::string& length,
    bool isOut,
    const ShapeOptions& options,
    std::optional<Frames> ends
)
{
    const auto parsed = lengthOf(length);
    if (!parsed) {
        return tl::unexpected(parsed.error());
    }
    const auto bend = bendOf(options.shape);
    if (!bend) {
        return tl::unexpected(bend.error());
    }
    return fadeLong(song, tracks, {isOut, *parsed, *bend}, ends);
}

Result<Song> shaped(const OpenedSong& opened, const ShapeOptions& options, const Context& context)
{
    Song song = opened.song();
    const auto tracks = tracksOf(song, options.tracks);
    if (!tracks) {
        return tl::unexpected(tracks.error());
    }
    if (!options.fadeOut.empty()) {
        std::optional<Frames> ends;
        if (tracks->empty() && !song.endMark) {
            const auto sources = openTakes(opened, context.work);
            if (!sources) {
                return tl::unexpected(sources.error());
            }
            const auto last = lastSound(song, **sources, context.work);
            if (!last) {
                return tl::unexpected(last.error());
            }
            ends = *last;
        }
        auto next = faded(song, *tracks, options.fadeOut, true, options, ends);
        if (!next) {
            return next;
        }
        song = std::move(*next);
    }
    if (!options.fadeIn.empty()) {
        auto next = faded(song, *tracks, options.fadeIn, false, options, {});
        if (!next) {
            return next;
        }
        song = std::move(*next);
    }
    std::vector<TrackId> hushed = *tracks;
    if (hushed.empty()) {
        for (const auto& track : song.tracks) {
            hushed.push_back(track->id);
        }
    }
    for (const std::string& text : options.hushes) {
        const auto hush = hushOf(song, text);
        if (!hush) {
            return tl::unexpected(hush.error());
        }
        auto next = addHush(song, hushed, *hush);
        if (!next) {
            return next;
        }
        song = std::move(*next);
    }
    return song;
}

Result<int> shape(const ShapeOptions& options, const Context& context)
{
    if (options.fadeOut.empty() && options.fadeIn.empty() && options.hushes.empty()) {
        return badArgument("give --fade-out, --fade-in or --hush");
    }
    auto opened = openSong(options.song);
    if (!opened) {
        return tl::unexpected(opened.error());
    }
    auto song = shaped(*opened, options, context);
    if (!song) {
        return tl::unexpected(song.error());
    }
    if (auto checked = checkNewSong(options.out, options.song); !checked) {
        return tl::unexpected(checked.error());
    }
    const std::size_t lines =
        static_cast<std::size_t>(!song->level.isEmpty()) +
        static_cast<std::size_t>(std::ranges::count_if(song->tracks, [](const auto& track) {
            return !track->level.isEmpty();
        }));
    const std::size_t hushes = hushesOf(*song).size();
    opened->document.history.add(std::move(*song), "Shape from command line");
    if (auto saved = saveAs(*opened, options.out); !saved) {
        return tl::unexpected(saved.error());
    }
    print(
        context,
        {{"song", options.out}, {"level_lines", lines}, {"hushes", hushes}},
        fmt::format("{}: {} level lines, {} hushes\n", options.out, lines, hushes)
    );
    return 0;
}

}  // namespace

void addShape(CLI::App& app, Choice& choice)
{
    auto* command = app.add_subcommand(
        "shape", "Fade a song or its tracks or silence bars, and write a new song"
    );
    auto options = std::make_shared<ShapeOptions>();
    command->add_option("SONG", options->song, "Song file")->required();
    command->add_option(
        "--fade-out", options->fadeOut, "Fade length in bars or seconds: 8bars or 12s"
    );
    command->add_option(
        "--fade-in", options->fadeIn, "Fade length in bars or seconds: 8bars or 12s"
    );
    command->add_option("--shape", options->shape, "Fade curve: straight, over or under");
    command->add_option("--track", options->tracks, "Track or mic set; default: the whole song")
        ->expected(1)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
    command->add_option("--hush", options->hushes, "Bars to silence, FROM:TO; TO is not included")
        ->expected(1)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
    command->add_option("--out", options->out, "Song to write")->required();
    addJson(*command, choice);
    addExample(
        *command,
        "shape Song.orthochron --fade-out 8bars --hush 17:19 --track Drums --out Faded.orthochron"
    );
    command->callback([&choice, options] {
        choice.run = [options](const Context& context) { return shape(*options, context); };
    });
}

}  // namespace orthochron::cli
