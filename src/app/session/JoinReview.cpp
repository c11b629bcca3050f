#include "app/session/JoinReview.h"

#include "app/session/Cuts.h"

#include <algorithm>

namespace orthochron::app {

JoinReview::JoinReview(
    Document& document, Choice& choice, SongView& view, JobQueue& jobs, QObject* parent
)
    : QObject(parent), document_(document), choice_(choice), view_(view), jobs_(jobs)
{}

const Finding* JoinReview::worstOf(std::size_t join) const
{
    return join < worst_.size() && worst_[join] ? &findings_[*worst_[join]] : nullptr;
}

void JoinReview::setJoin(std::size_t join)
{
    join_ = join;
    if (join < joins_.size()) {
        view_.reveal(joins_[join].at);
    }
    Q_EMIT joinChanged();
}

Frames JoinReview::heardAt(Frames recorded) const
{
    const SetPart* holding = partHolding(parts_, recorded);
    return holding != nullptr ? holding->heardAt(recorded) : recorded;
}

void JoinReview::refresh()
{
    const MicSet* chosen = choice_.set();
    auto tracks = tracksOf(*document_.song(), chosen);
    const bool isCutAnew = !areCutAlike(tracks, tracks_);
    tracks_ = std::move(tracks);
    if (isCutAnew) {
        const Song& song = *document_.song();
        joins_ = chosen != nullptr ? joinsOf(song, *chosen) : std::vector<SetJoin>();
        parts_ = chosen != nullptr ? partsOf(song, *chosen) : std::vector<SetPart>();
        join_ = joins_.empty() ? 0 : std::min(join_, joins_.size() - 1);
        audit();
    }
    order();
    Q_EMIT changed();
}

void JoinReview::audit()
{
    const QString key = QStringLiteral("check joins");
    const MicSet* chosen = choice_.set();
    jobs_.drop(key);
    all_.clear();
    const bool isStretched = std::ranges::any_of(tracks_, [](const auto& track) {
        return std::ranges::any_of(track->clips, [](const Clip& clip) {
            return clip.sound.treatment != nullptr;
        });
    });
    if (chosen == nullptr || (joins_.empty() && !isStretched)) {
        return;
    }
    jobs_.run(
        {.key = key, .title = {}, .holds = [this, from = tracks_] { return from == tracks_; }},
        this,
        [song = document_.song(), sources = document_.sources(), id = chosen->id](const Work& work
        ) { return auditSet(*song, id, *sources, work); },
        [this](Result<std::vector<Finding>> done) {
            if (done) {
                all_ = std::move(*done);
                order();
                Q_EMIT changed();
            }
        }
    );
}

void JoinReview::order()
{
    findings_ = notAccepted(*document_.song(), all_);
    std::ranges::stable_sort(findings_, isWorse);
    worstFirst_.clear();
    worst_.assign(joins_.size(), std::nullopt);
    for (std::size_t f = 0; f < findings_.size(); ++f) {
        const auto join = findings_[f].join;
        if (join && *join < joins_.size() && !worst_[*join]) {
            worst_[*join] = f;
            worstFirst_.push_back(*join);
        }
    }
    for (std::size_t i = 0; i < joins_.size(); ++i) {
        if (!worst_[i]) {
            worstFirst_.push_back(i);
        }
    }
}

}  // namespace orthochron::app
