#include "app/session/MatchedLoudness.h"

#include "app/session/Cuts.h"
#include "core/render/Loudness.h"

#include <algorithm>

namespace orthochron::app {

namespace {

// How much louder the first is than the second as a listener hears it (EBU R 128), over at most
// two minutes from the middle.
double loudnessDifference(const Song& a, const Song& b, const Sources& sources, const Work& work)
{
    const auto loudness = [&](const Song& song) {
        const Frames length = song.length();
        const Frames span = std::min(length, toFrames(Seconds(120.0), song.rate));
        const Frames first((length - span).count() / 2);
        const auto heard = loudnessOf(song, sources, first, first + span, work);
        return heard ? *heard : std::nullopt;
    };
    const auto first = loudness(a);
    const auto second = loudness(b);
    return first && second ? std::clamp(*first - *second, -12.0, 12.0) : 0.0;
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
