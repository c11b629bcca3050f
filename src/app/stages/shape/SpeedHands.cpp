#include "app/stages/shape/SpeedHands.h"

#include <algorithm>

namespace orthochron::app {

SpeedHands::SpeedHands(Session& session, QObject* parent)
    : QObject(parent), session_(session), heard_(session)
{
    connect(&session_.document, &Document::songChanged, this, &SpeedHands::changed);
    connect(&session_.document, &Document::opened, this, [this] { speedPoint_.reset(); });
    connect(&session_.choice, &Choice::changed, this, &SpeedHands::changed);
}

ClipChoice SpeedHands::spun() const
{
    if (!session_.choice.clips().empty()) {
        return session_.choice.clips();
    }
    const auto track = session_.song().track(session_.choice.track());
    if (!track) {
        return {};
    }
    const Frames at = session_.player.position();
    for (const Clip& clip : track->clips) {
        if (clip.at <= at && at < clip.end()) {
            return {clip.id};
        }
    }
    return {};
}

void SpeedHands::spin(bool isDown, std::optional<Spin> spin)
{
    const QString name = !spin ? tr("Delete spin") : isDown ? tr("Spin down") : tr("Spin up");
    session_.document.apply(spinClips(session_.song(), spun(), isDown, spin), name);
}

void SpeedHands::spinLevel(bool followsLevel)
{
    const auto placed = clipsOf(session_.song(), spun());
    const auto drawn = std::ranges::find_if(placed, [](const PlacedClip& each) {
        const Spins spins = spinsOf(each.clip);
        return !spins.up && !spins.down && !speedPointsOf(each.clip).empty();
    });
    session_.document.apply(
        drawn != placed.end()
            ? withSpeedLine(drawn->clip.id, speedPointsOf(drawn->clip), followsLevel)
            : orthochron::spinLevel(session_.song(), spun(), followsLevel),
        followsLevel ? tr("Fade level with speed") : tr("Keep level with speed")
    );
}

// ---- speed lines

void SpeedHands::setDrawsSpeed(bool isOn)
{
    drawsSpeed_ = isOn;
    speedPoint_.reset();
    Q_EMIT changed();
}

void SpeedHands::setPitchRange(double semitones)
{
    pitchRange_ = semitones;
    Q_EMIT changed();
}

bool SpeedHands::drawsPitch(const Clip& clip) const
{
    const bool hasLine = clip.sound.treatment && !clip.sound.treatment->speed.isEmpty();
    return hasLine ? keepsTime(clip) : speedKeeps == SpeedKeeps::Time;
}

std::optional<SpeedHands::SpeedPointOf> SpeedHands::speedPoint() const
{
    if (!speedPoint_) {
        return std::nullopt;
    }
    const auto placed = clipOf(session_.song(), speedPoint_->clip);
    return placed && speedPoint_->index < speedPointsOf(placed->clip).size() ? speedPoint_
                                                                             : std::nullopt;
}

void SpeedHands::chooseSpeedPoint(std::optional<SpeedPointOf> point)
{
    speedPoint_ = point;
    Q_EMIT changed();
}

Result<Song> SpeedHands::withSpeedLine(
    ClipId clip, const std::vector<SpeedPoint>& points, std::optional<bool> followsLevel
) const
{
    const Song& song = session_.song();
    const auto placed = clipOf(song, clip);
    if (!placed) {
        return badArgument("that clip is not in the song");
    }
    const auto& chosen = session_.choice.clips();
    const bool isAmong = std::ranges::find(chosen, clip) != chosen.end();
    const auto& treatment = placed->clip.sound.treatment;
    const bool follows =
        treatment && !treatment->speed.isEmpty() && treatment->speed.followsLevel();
    return setSpeed(
        song,
        isAmong ? chosen : ClipChoice{clip},
        {.points = points, .followsLevel = followsLevel.value_or(follows), .keeps = speedKeeps}
    );
}

bool SpeedHands::setSpeedLine(
    ClipId clip, const std::vector<SpeedPoint>& points, const QString& name
)
{
    return session_.document.apply(withSpeedLine(clip, points), name);
}

void SpeedHands::hearDragged(ClipId clip, const std::vector<SpeedPoint>& points)
{
    heard_.hear([&] { return withSpeedLine(clip, points); });
}

Beats SpeedHands::pointPlace() const
{
    const auto point = speedPoint();
    if (!point) {
        return Beats(0.0);
    }
    const Song& song = session_.song();
    const Clip clip = clipOf(song, point->clip)->clip;
    const Frames at = clip.at + speedPointsOf(clip)[point->index].at;
    return song.tempo.beatsAt(toSeconds(at, song.rate)) -
           song.tempo.beatsAt(toSeconds(clip.at, song.rate));
}

void SpeedHands::setPointPlace(Beats place)
{
    const auto point = speedPoint();
    if (!point) {
        return;
    }
    const Song& song = session_.song();
    const Clip clip = clipOf(song, point->clip)->clip;
    const Beats begin = song.tempo.beatsAt(toSeconds(clip.at, song.rate));
    const Frames apart = toFrames(milliseconds(1.0), song.rate);
    auto points = speedPointsOf(clip);
    const std::size_t i = point->index;
    Frames at = toFrames(song.tempo.timeAt(begin + place), song.rate) - clip.at;
    at = std::max(at, i > 0 ? points[i - 1].at + apart : Frames(0));
    at = std::min(at, i + 1 < points.size() ? points[i + 1].at - apart : clip.length);
    points[i].at = at;
    setSpeedLine(point->clip, points, tr("Move speed point"));
}

void SpeedHands::setPointSpeed(double speed)
{
    if (const auto point = speedPoint()) {
        auto points = speedPointsOf(clipOf(session_.song(), point->clip)->clip);
        points[point->index].speed = speed;
        setSpeedLine(point->clip, points, tr("Set speed"));
    }
}

void SpeedHands::keepSpeed(SpeedKeeps keeps)
{
    speedKeeps = keeps;
    const auto placed = clipsOf(session_.song(), spun());
    const auto drawn = std::ranges::find_if(placed, [](const PlacedClip& each) {
        return !speedPointsOf(each.clip).empty();
    });
    const bool isTimed = keeps == SpeedKeeps::Time;
    if (drawn == placed.end() || keepsTime(drawn->clip) == isTimed) {
        Q_EMIT changed();
        return;
    }
    const auto were = speedPointsOf(drawn->clip);
    auto points = were;
    for (SpeedPoint& point : points) {
        point.speed = isTimed ? std::max(point.speed, kLeastPitchSpeed) : point.speed;
    }
    if (!isTimed && slowed_ && slowed_->clip == drawn->clip.id && slowed_->became == were) {
        points = slowed_->were;
    }
    const ClipId clip = drawn->clip.id;
    const QString name = isTimed ? tr("Change pitch only") : tr("Pitch follows speed");
    if (!setSpeedLine(clip, points, name)) {
        return;
    }
    slowed_.reset();
    if (isTimed && points != were) {
        slowed_ = {clip, were, points};
        session_.say(tr("Pitch only stops at −24 semitones."));
    }
}

void SpeedHands::removeSpeedPoint()
{
    if (const auto point = speedPoint()) {
        auto points = speedPointsOf(clipOf(session_.song(), point->clip)->clip);
        points.erase(points.begin() + static_cast<std::ptrdiff_t>(point->index));
        if (points.size() < 2) {
            points.clear();
        }
        setSpeedLine(point->clip, points, tr("Delete speed point"));
        chooseSpeedPoint(std::nullopt);
    }
}

}  // namespace orthochron::app
