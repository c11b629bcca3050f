#include "app/session/MatchedLoudness.h"

#include <ebur128.h>

#include "app/session/Cuts.h"
#include "core/render/Render.h"

#include <algorithm>

namespace orthochron::app {

namespace {

// How much louder the first is than the second as a listener hears it (EBU R 128), over at most
// two minutes from the middle.
double loudnessDifference(const Song& a, const Song& b, const Sources& sources, const Work& work)
{
    const auto loudness = [&](const Song& song) {
        ebur128_state* meter =
            ebur128_init(2, static_cast<unsigned long>(song.rate.count()), EBUR128_MODE_I);
        const Frames length = song.length();
        const Frames span = std::min(length, toFrames(Seconds(120.0), song.rate));
        const Frames first((length - span).count() / 2);
        AudioBuffer mix(2, Frames(32768));
        std::vector<float> interleaved(65536);
        for (Frames at = first; at < first + span && !work.stopped(); at += mix.frames()) {
            if (!renderMix(song, sources, at, mix)) {
                break;
            }
            for (std::size_t i = 0; i < 32768; ++i) {
                interleaved[i * 2] = mix.channel(0)[i];
                interleaved[i * 2 + 1] = mix.channel(1)[i];
            }
            ebur128_add_frames_float(meter, interleaved.data(), 32768);
        }
        double value = -70.0;
        ebur128_loudness_global(meter, &value);
        ebur128_destroy(&meter);
        return value;
    };
    const double first = loudness(a);
    const double second = loudness(b);
    return std::isfinite(first) && std::isfinite(second) ? std::clamp(first - second, -12.0, 12.0)
                                                         : 0.0;
}

}  // namespace

MatchedLoudness::MatchedLoudness(
    Document& document, Choice& choice, engine::Player& player, JobQueue& jobs, QObject* parent
)
    : QObject(parent), document_(document), choice_(choice), player_(player), jobs_(jobs)
{}

void MatchedLoudness::refresh()
{
    const QString key = QStringLiteral("loudness");
    const MicSet* chosen = choice_.set();
    auto tracks = tracksOf(*document_.song(), chosen);
    const bool isCutAnew = !areCutAlike(tracks, tracks_);
    tracks_ = std::move(tracks);
    if (!isCutAnew) {
        return;
    }
    jobs_.drop(key);
    player_.setRecordedTrim(0.0);
    if (chosen == nullptr || !chosen->recipe) {
        return;
    }
    jobs_.run(
        {.key = key, .title = {}, .holds = document_.whileOpen()},
        this,
        [song = document_.song(), sources = document_.sources()](const Work& work) {
            return loudnessDifference(*song, engine::asRecorded(*song, Frames(0)), *sources, work);
        },
        [this](double difference) { player_.setRecordedTrim(difference); }
    );
}

}  // namespace orthochron::app
