#include "app/stages/shape/ShapeHands.h"

#include "app/controls/Counted.h"
#include "core/render/LastSound.h"

#include <algorithm>
#include <array>
#include <set>

namespace orthochron::app {

ShapeHands::ShapeHands(Session& session, QObject* parent) : QObject(parent), session_(session)
{
    connect(&session_.document, &Document::songChanged, this, &ShapeHands::songChanged);
    connect(&session_.document, &Document::opened, this, [this] {
        tracks_.clear();
        copied_ = {};
        owner_.reset();
        point_.reset();
        points_.clear();
        hush_ = {};
    });
    connect(&session_.choice, &Choice::trackChanged, this, [this] {
        setOwner(session_.choice.track());
    });
    connect(&session_.choice, &Choice::changed, this, &ShapeHands::changed);
}

void ShapeHands::songChanged()
{
    std::erase_if(tracks_, [this](TrackId id) { return !session_.song().track(id); });
    if (owner_ && !session_.song().track(*owner_)) {
        owner_.reset();
        point_.reset();
    }
    points_ = pointsLeft(session_.song(), points_);
    if (!hush()) {
        hush_ = {};
    }
    Q_EMIT changed();
}

void ShapeHands::setOwner(std::optional<TrackId> owner)
{
    if (owner && !owner->isValid()) {
        return;
    }
    if (owner != owner_) {
        owner_ = owner;
        point_.reset();
        points_.clear();
        Q_EMIT changed();
    }
}

QString ShapeHands::ownerName() const
{
    if (!owner_) {
        return tr("whole song");
    }
    const Song& song = session_.song();
    const MicSet* set = song.setOf(*owner_);
    if (set != nullptr && set->isFolded && !set->isLone()) {
        return QString::fromStdString(song.nameOf(*set));
    }
    const auto track = song.track(*owner_);
    return track ? QString::fromStdString(track->name) : QString();
}

std::optional<std::size_t> ShapeHands::point() const
{
    return point_ && *point_ < line().points.size() ? point_ : std::nullopt;
}

void ShapeHands::choosePoint(std::optional<TrackId> owner, std::optional<std::size_t> point)
{
    owner_ = owner;
    point_ = point;
    points_.clear();
    hush_ = {};
    Q_EMIT changed();
}

LinePoints ShapeHands::pointsAt(std::optional<TrackId> owner, std::size_t index) const
{
    if (!owner) {
        return {{std::nullopt, index}};
    }
    LinePoints points;
    for (const TrackId track : ownersOf(owner)) {
        points.insert({track, index});
    }
    return pointsLeft(session_.song(), points);
}

LinePoints ShapeHands::points() const
{
    LinePoints all = points_;
    if (const auto one = point()) {
        all.merge(pointsAt(owner_, *one));
    }
    return all;
}

bool ShapeHands::areSeveral() const
{
    const LinePoints all = points();
    return !all.empty() && all != pointsAt(all.begin()->track, all.begin()->index);
}

QString ShapeHands::pointsName() const
{
    // A folded set's line counts once.
    std::set<std::optional<TrackId>> lines;
    qsizetype count = 0;
    for (const LinePoint& point : points()) {
        const auto owner =
            point.track ? std::optional(ownersOf(point.track).front()) : std::nullopt;
        count += point.track == owner ? 1 : 0;
        lines.insert(owner);
    }
    return tr("%1 of %2")
        .arg(
            counted(count, tr("point"), tr("points")),
            counted(std::ssize(lines), tr("line"), tr("lines"))
        );
}

void ShapeHands::choosePoints(LinePoints points)
{
    points_ = std::move(points);
    point_.reset();
    for (const LinePoint& point : points_) {
        if (point.track == owner_) {
            point_ = point.index;
        }
    }
    if (!points_.empty() && !point_) {
        owner_ = points_.begin()->track;
        point_ = points_.begin()->index;
    }
    hush_ = {};
    Q_EMIT changed();
}

void ShapeHands::chooseEnds()
{
    LinePoints ends = lastPoints(session_.song(), tracks());
    if (ends.empty()) {
        session_.say(tr("First drag over the lanes"));
        return;
    }
    choosePoints(std::move(ends));
    session_.say(tr("%1 selected").arg(pointsName()));
}

std::optional<PlacedHush> ShapeHands::hush() const
{
    return hush_.isValid() ? hushOf(session_.song(), hush_) : std::nullopt;
}

void ShapeHands::chooseHush(HushId hush)
{
    hush_ = hush;
    point_.reset();
    points_.clear();
    Q_EMIT changed();
}

std::vector<TrackId> ShapeHands::ownersOf(std::optional<TrackId> owner) const
{
    if (!owner) {
        return {};
    }
    const MicSet* set = session_.song().setOf(*owner);
    return set != nullptr && set->isFolded ? set->tracks : std::vector{*owner};
}

std::vector<TrackId> ShapeHands::tracks() const
{
    if (!tracks_.empty()) {
        return tracks_;
    }
    const TrackId chosen = session_.choice.track();
    return chosen.isValid() && session_.song().track(chosen) ? ownersOf(chosen)
                                                             : std::vector<TrackId>();
}

void ShapeHands::setTracks(std::vector<TrackId> tracks)
{
    tracks_ = std::move(tracks);
    Q_EMIT changed();
}

QString ShapeHands::tracksName() const
{
    const auto all = tracks();
    const Song& song = session_.song();
    if (all.empty()) {
        return tr("no track");
    }
    if (all.size() == 1) {
        return QString::fromStdString(song.track(all.front())->name);
    }
    const MicSet* set = song.setOf(all.front());
    if (set != nullptr && set->tracks == all) {
        return QString::fromStdString(song.nameOf(*set));
    }
    return all.size() == song.tracks.size() ? tr("all tracks") : tr("%1 tracks").arg(all.size());
}

// ---- level lines

bool ShapeHands::setLine(const LevelLine& line, const QString& name)
{
    if (line == this->line()) {
        return false;
    }
    return session_.document.apply(
        setLevelLine(session_.song(), ownersOf(owner_), line), name.arg(ownerName())
    );
}

void ShapeHands::hear(std::optional<TrackId> owner, const LevelLine& line)
{
    if (auto heard = setLevelLine(session_.song(), ownersOf(owner), line)) {
        hear(std::move(*heard));
    }
}

void ShapeHands::hear(Song song)
{
    if (session_.player.isPlaying()) {
        isHearing_ = true;
        session_.player.setSong(
            std::make_shared<const Song>(std::move(song)), session_.document.sources()
        );
    }
}

void ShapeHands::changePoints(Result<Song> changed, const QString& name)
{
    const LinePoints all = points();
    const auto owner = owner_;
    if (changed && *changed == session_.song()) {
        return;
    }
    if (session_.document.apply(std::move(changed), name.arg(pointsName()))) {
        owner_ = owner;
        choosePoints(pointsLeft(session_.song(), all));
    }
}

void ShapeHands::endDragging()
{
    if (std::exchange(isHearing_, false)) {
        session_.player.setSong(session_.document.song(), session_.document.sources());
    }
}

void ShapeHands::changePoint(const std::function<void(LevelPoint&)>& change, const QString& name)
{
    const auto chosen = point();
    if (!chosen) {
        return;
    }
    LevelPoint moved = line().points[*chosen];
    change(moved);
    const LevelLine next = lines::withPoint(lines::withoutPoint(line(), *chosen), moved);
    const auto at = std::ranges::find(next.points, moved);
    if (setLine(next, name)) {
        choosePoint(owner_, static_cast<std::size_t>(at - next.points.begin()));
    }
}

void ShapeHands::removePoint()
{
    if (areSeveral()) {
        changePoints(removePoints(session_.song(), points()), tr("Delete %1"));
        choosePoints({});
        return;
    }
    if (const auto chosen = point()) {
        setLine(lines::withoutPoint(line(), *chosen), tr("Delete point on line of %1"));
    }
}

void ShapeHands::resetLine()
{
    LevelLine none;
    none.keeps = line().keeps;
    setLine(none, tr("Reset level line of %1"));
}

void ShapeHands::clearRange()
{
    const auto& range = session_.choice.range();
    if (!range) {
        session_.say(tr("Select the bars to clear first"));
        return;
    }
    const Song& song = session_.song();
    const auto cleared = [&](const LevelLine& line) {
        const auto place = [&](Frames at) {
            return placeOf(toSeconds(at, song.rate), line.keeps, song.tempo);
        };
        return lines::cleared(line, place(range->from), place(range->to), song.tempo);
    };
    if (!owner_ || tracks_.size() < 2) {
        setLine(cleared(line()), tr("Clear line of %1"));
        return;
    }
    Result<Song> next = song;
    for (const TrackId track : tracks_) {
        next =
            next ? setLevelLine(*next, std::array{track}, cleared(levelLineOf(song, track))) : next;
    }
    session_.document.apply(std::move(next), tr("Clear lines of %1").arg(tracksName()));
}

void ShapeHands::holdLine(Keeps keeps)
{
    setLine(
        lines::heldTo(line(), keeps, session_.song().tempo),
        keeps == Keeps::Time ? tr("Keep line of %1 in time") : tr("Line of %1 follows bars")
    );
}

void ShapeHands::copy()
{
    copiedHush_.reset();
    if (const auto placed = hush()) {
        copiedHush_ = placed;
        copiedFrom_ = session_.choice.track();
        session_.say(tr("Copied hush"));
        return;
    }
    const Song& song = session_.song();
    const HeardLine heard(line(), song.tempo, song.rate);
    const auto& range = session_.choice.range();
    copied_ = {.keeps = line().keeps};
    for (std::size_t i = 0; i < line().points.size(); ++i) {
        const Frames at = heard.timeOfPoint(i);
        if (!range || (at >= range->from && at <= range->to)) {
            copied_.points.push_back(line().points[i]);
        }
    }
    session_.say(tr("Copied %1").arg(counted(std::ssize(copied_.points), tr("point"), tr("points")))
    );
}

void ShapeHands::paste()
{
    const Song& song = session_.song();
    if (copiedHush_) {
        Hush hush = copiedHush_->hush;
        const Seconds at = toSeconds(session_.player.position(), song.rate);
        const HeldPlace by = placeOf(at, hush.keeps, song.tempo) - hush.from;
        hush.from += by;
        hush.to += by;
        const auto laneOf = [&](TrackId id) {
            return std::ranges::find_if(song.tracks, [id](const auto& t) { return t->id == id; }) -
                   song.tracks.begin();
        };
        const auto down = laneOf(session_.choice.track()) - laneOf(copiedFrom_);
        std::vector<TrackId> onto;
        for (const TrackId id : copiedHush_->tracks) {
            const auto lane = laneOf(id) + down;
            if (lane >= 0 && lane < std::ssize(song.tracks)) {
                onto.push_back(song.tracks[static_cast<std::size_t>(lane)]->id);
            }
        }
        auto added = addHush(song, onto, hush);
        const HushId made = added ? HushId{added->lastId} : HushId();
        if (session_.document.apply(std::move(added), tr("Paste hush"))) {
            chooseHush(made);
        }
        return;
    }
    const auto [points, keeps] = lines::heldTo(copied_, line().keeps, song.tempo);
    if (points.empty()) {
        return;
    }
    const Seconds at = toSeconds(session_.player.position(), song.rate);
    const HeldPlace by = placeOf(at, keeps, song.tempo) - points.front().at;
    LevelLine next =
        lines::cleared(line(), points.front().at + by, points.back().at + by, song.tempo);
    for (LevelPoint point : points) {
        point.at += by;
        next = lines::withPoint(next, point);
    }
    setLine(next, tr("Paste line on %1"));
}

// ---- hushes

void ShapeHands::switchHush()
{
    const auto& range = session_.choice.range();
    if (!range) {
        session_.say(tr("First drag over the bars to hush"));
        return;
    }
    const auto all = tracks();
    auto switched = orthochron::switchHush(session_.song(), all, {range->from, range->to});
    if (!switched) {
        Q_EMIT session_.failed(switched.error());
        return;
    }
    const bool isHushed = switched->isHushed;
    const HushId made{switched->song.lastId};
    const QString name = (isHushed ? tr("Hush %1, %2") : tr("Delete hush of %1, %2"))
                             .arg(tracksName(), barsOf(session_.song(), {range->from, range->to}));
    if (session_.document.apply(std::move(switched->song), name) && isHushed) {
        chooseHush(made);
    }
}

void ShapeHands::switchHushOthers()
{
    const auto own = tracks();
    std::vector<TrackId> others;
    for (const auto& track : session_.song().tracks) {
        if (std::ranges::find(own, track->id) == own.end()) {
            others.push_back(track->id);
        }
    }
    if (others.empty()) {
        session_.say(tr("No other track"));
        return;
    }
    const auto before = std::exchange(tracks_, others);
    switchHush();
    tracks_ = before;
    Q_EMIT changed();
}

void ShapeHands::changeHush(const HushChange& change, const QString& name)
{
    session_.document.apply(orthochron::changeHush(session_.song(), hush_, change), name);
}

void ShapeHands::removeHush()
{
    if (hush()) {
        session_.document.apply(orthochron::removeHush(session_.song(), hush_), tr("Delete hush"));
    }
}

void ShapeHands::copyHush(HushId id, double by, int lanes)
{
    auto copied = orthochron::copyHush(session_.song(), id, by, lanes);
    const HushId made = copied ? HushId{copied->lastId} : HushId();
    if (session_.document.apply(std::move(copied), tr("Copy hush"))) {
        chooseHush(made);
    }
}

void ShapeHands::repeatHush(int bars, int times)
{
    session_.document.apply(
        orthochron::repeatHush(session_.song(), hush_, bars, times),
        tr("Repeat hush every %1, %2 times").arg(counted(bars, tr("bar"), tr("bars"))).arg(times)
    );
}

// ---- fades of the song

void ShapeHands::fade(const LongFade& fade, bool ofTracks)
{
    const Song& song = session_.song();
    const auto faded = ofTracks ? tracks() : std::vector<TrackId>();
    if (ofTracks && faded.empty()) {
        session_.say(tr("Select a track first"));
        return;
    }
    if (ofTracks || !fade.isOut || song.endMark) {
        fadeAt(fade, faded, {});
        return;
    }
    // There may be an hour of silence after it.
    session_.jobs.run(
        {.key = QStringLiteral("lastSound"),
         .title = tr("Finding the last sound"),
         .holds = session_.document.whileUnedited()},
        this,
        [of = session_.document.song(), sources = session_.document.sources()](const Work& work) {
            return lastSound(*of, *sources, work);
        },
        [this, fade](const Result<Frames>& last) {
            if (last) {
                fadeAt(fade, {}, *last);
            } else if (last.error().kind != ErrorKind::Cancelled) {
                Q_EMIT session_.failed(last.error());
            }
        }
    );
}

void ShapeHands::fadeAt(
    const LongFade& fade, const std::vector<TrackId>& tracks, std::optional<Frames> ends
)
{
    const QString whose = tracks.empty() ? tr("the song") : tracksName();
    if (session_.document.apply(
            fadeLong(session_.song(), tracks, fade, ends),
            (fade.isOut ? tr("Fade %1 out") : tr("Fade %1 in")).arg(whose)
        )) {
        choosePoint(tracks.empty() ? std::nullopt : std::optional(tracks.front()), {});
    }
}

void ShapeHands::setEnd(std::optional<Frames> at)
{
    const Song& song = session_.song();
    session_.document.apply(
        orthochron::setEnd(
            song, at ? std::optional(song.tempo.beatsAt(toSeconds(*at, song.rate))) : std::nullopt
        ),
        at ? tr("Set song end") : tr("Reset song end")
    );
}

// ---- all of them

void ShapeHands::look(const ShapeItem& item)
{
    if (item.owner) {
        session_.choice.setTrack(*item.owner);
    }
    if (item.hush.isValid()) {
        chooseHush(item.hush);
    } else if (item.spun.isValid()) {
        session_.choice.setClips(withTheirSet(session_.song(), {item.spun}));
        hush_ = {};
        Q_EMIT changed();
    } else {
        choosePoint(item.owner, std::size_t(0));
    }
    session_.shown.reveal(item.at);
    session_.player.seek(std::max(Frames(0), item.at));
}

void ShapeHands::step(int by)
{
    const auto all = shapeItemsOf(session_.song());
    if (all.empty()) {
        return;
    }
    const auto count = std::ssize(all);
    const auto next = (static_cast<std::ptrdiff_t>(item_) + by % count + count) % count;
    item_ = static_cast<std::size_t>(next);
    look(all[item_]);
}

}  // namespace orthochron::app
