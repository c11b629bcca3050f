#include "app/stages/marks/DoubtReview.h"

#include "app/controls/Counted.h"
#include "app/document/HeardSamples.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr Seconds kBefore = milliseconds(140.0);
constexpr Seconds kAfter = milliseconds(90.0);

}  // namespace

DoubtReview::DoubtReview(Session& session, QObject* parent) : QObject(parent), session_(session)
{
    connect(&session_.document, &Document::songChanged, this, &DoubtReview::refresh);
    connect(&session_.choice, &Choice::changed, this, [this] {
        if (madeFrom_ != session_.document.song() || madeWith_ != session_.hits.analysis()) {
            refresh();
        }
    });
    refresh();
}

const DoubtfulHit* DoubtReview::chosen() const
{
    return place_ < doubts_.size() ? &doubts_[place_] : nullptr;
}

void DoubtReview::refresh()
{
    madeFrom_ = session_.document.song();
    madeWith_ = session_.hits.analysis();
    const MicSet* set = session_.choice.set();
    auto found = set == nullptr ? std::vector<DoubtfulHit>()
                                : doubtfulHits(session_.song(), set->id, session_.hits.analysis());
    std::erase_if(found, [this](const DoubtfulHit& doubt) {
        return !session_.hits.heardOn(doubt.track, doubt.at);
    });
    std::vector<Frames> heard;
    for (const DoubtfulHit& doubt : found) {
        heard.push_back(*session_.hits.heardOn(doubt.track, doubt.at));
    }
    if (found == doubts_ && heard == heard_) {
        return;
    }
    doubts_ = std::move(found);
    heard_ = std::move(heard);
    place_ = std::min(place_, doubts_.empty() ? 0 : doubts_.size() - 1);
    pictures_.clear();
    asked_.clear();
    ++edition_;
    Q_EMIT changed();
}

void DoubtReview::choose(std::size_t place)
{
    if (place >= doubts_.size()) {
        return;
    }
    place_ = place;
    const DoubtfulHit& doubt = doubts_[place];
    session_.choice.setMark(doubt.track, doubt.mark);
    const Frames at = heard_[place];
    session_.player.seek(at);
    session_.shown.reveal(at);
    Q_EMIT changed();
}

std::vector<DoubtfulHit> DoubtReview::kind() const
{
    std::vector<DoubtfulHit> alike;
    if (const DoubtfulHit* doubt = chosen()) {
        std::ranges::copy_if(doubts_, std::back_inserter(alike), [&](const DoubtfulHit& other) {
            return isOneKind(other, *doubt);
        });
    }
    return alike;
}

void DoubtReview::keep(bool wholeKind)
{
    decide(true, wholeKind);
}

void DoubtReview::dismiss(bool wholeKind)
{
    decide(false, wholeKind);
}

void DoubtReview::decide(bool isHit, bool wholeKind)
{
    const DoubtfulHit* doubt = chosen();
    if (doubt == nullptr) {
        session_.say(tr("No doubtful marks here"));
        return;
    }
    const auto decided = wholeKind ? kind() : std::vector<DoubtfulHit>{*doubt};
    const QString what =
        counted(static_cast<std::int64_t>(decided.size()), tr("doubtful hit"), tr("doubtful hits"));
    if (isHit) {
        session_.document.apply(keepHits(session_.song(), decided), tr("Keep %1").arg(what));
    } else {
        session_.document.apply(dismissHits(session_.song(), decided), tr("Dismiss %1").arg(what));
    }
    if (!doubts_.empty()) {
        choose(place_);
    }
}

void DoubtReview::hear()
{
    if (chosen() != nullptr) {
        const Frames at = heard_[place_];
        const Hertz rate = session_.song().rate;
        session_.player.playRange(
            std::max(Frames(0), at - toFrames(milliseconds(200.0), rate)),
            at + toFrames(milliseconds(250.0), rate)
        );
    }
}

TrackId DoubtReview::beside(const DoubtfulHit& doubt) const
{
    if (session_.song().track(doubt.against)) {
        return doubt.against;
    }
    const MicSet* set = session_.song().setOf(doubt.track);
    TrackId other;
    for (const TrackId track : set == nullptr ? std::vector<TrackId>() : set->tracks) {
        const bool isLead = session_.song().isLead(*session_.song().track(track));
        if (track != doubt.track && (other == TrackId() || isLead)) {
            other = track;
            if (isLead) {
                break;
            }
        }
    }
    return other;
}

const DoubtPicture* DoubtReview::picture(std::size_t place)
{
    if (const auto found = pictures_.find(place); found != pictures_.end()) {
        return &found->second;
    }
    if (place >= doubts_.size() || !asked_.insert(place).second) {
        return nullptr;
    }
    const DoubtfulHit& doubt = doubts_[place];
    session_.jobs.run(
        {.key = {},
         .title = {},
         .holds = [this, edition = edition_] { return edition == edition_; },
         .isQuick = true},
        this,
        [song = session_.document.song(),
         sources = session_.document.sources(),
         track = doubt.track,
         other = beside(doubt),
         at = heard_[place]](const Work&) {
            DoubtPicture picture;
            picture.before = toFrames(kBefore, song->rate);
            const Frames length = picture.before + toFrames(kAfter, song->rate);
            const auto read = [&](TrackId from) {
                return samplesHeard(*song, *sources, from, at - picture.before, length);
            };
            picture.lead = read(track);
            picture.beside = read(other);
            return picture;
        },
        [this, place](DoubtPicture read) {
            pictures_[place] = std::move(read);
            Q_EMIT changed();
        }
    );
    return nullptr;
}

QString DoubtReview::nameOf(TrackId track) const
{
    const auto found = session_.song().track(track);
    return found ? QString::fromStdString(found->name) : tr("other drum");
}

QString DoubtReview::question(const DoubtfulHit& doubt) const
{
    if (!doubt.isKnown) {
        return tr("real hit?");
    }
    switch (doubt.why) {
    case Doubt::Ring:
        return doubt.isMissing() ? tr("missed, or ringing?")
                                 : tr("ringing of %1?").arg(nameOf(doubt.track));
    case Doubt::Bleed:
        return doubt.isMissing() ? tr("missed under %1?").arg(nameOf(doubt.against))
                                 : tr("bleed of %1?").arg(nameOf(doubt.against));
    case Doubt::Faint: return doubt.isMissing() ? tr("missed, soft?") : tr("very soft?");
    case Doubt::None:
    case Doubt::Unclear: break;
    }
    return doubt.isMissing() ? tr("missed?") : tr("real hit?");
}

QString DoubtReview::reason(const DoubtfulHit& doubt) const
{
    QStringList lines;
    if (!doubt.isKnown) {
        lines << tr("Find hits again to see the reason and possible misses.");
    } else {
        if (doubt.since < Seconds(0.5)) {
            // What is owed counts what the blow has lost since; what is said is its level then.
            const double below = doubt.owed + 60.0 * doubt.since.count();
            lines << tr("%1 ms after a hit, %2 dB %3 it.")
                         .arg(inMilliseconds(doubt.since), 0, 'f', 0)
                         .arg(std::abs(below), 0, 'f', 0)
                         .arg(below < 0.0 ? tr("above") : tr("below"));
        } else {
            lines << tr("No hit in the half second before.");
        }
        lines << tr("Rises %1 dB above the ringing.").arg(doubt.rise, 0, 'f', 0);
        lines
            << (doubt.overBleed >= 30.0 ? tr("No bleed from other drums.")
                                        : tr("%1 dB above bleed.").arg(doubt.overBleed, 0, 'f', 0));
        if (doubt.against != TrackId()) {
            lines << tr("%1 was hit at that time.").arg(nameOf(doubt.against));
        }
    }
    return lines.join(QLatin1Char('\n'));
}

QString DoubtReview::kindName(const DoubtfulHit& doubt, std::size_t count) const
{
    const QString of = nameOf(doubt.track);
    const QString many = QStringLiteral("%1 ").arg(count) + tr("similar: ");
    if (doubt.isMissing()) {
        return many + tr("missed on %1").arg(of);
    }
    switch (doubt.isKnown ? doubt.why : Doubt::Unclear) {
    case Doubt::Ring: return many + tr("ringing on %1").arg(of);
    case Doubt::Bleed: return many + tr("%1 in %2").arg(nameOf(doubt.against), of);
    case Doubt::Faint: return many + tr("soft hits on %1").arg(of);
    case Doubt::None:
    case Doubt::Unclear: break;
    }
    return many + tr("unclear on %1").arg(of);
}

}  // namespace orthochron::app
