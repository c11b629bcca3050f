#include "app/stages/shape/SpeedHands.h"

#include <algorithm>

namespace orthochron::app {

SpeedHands::SpeedHands(Session& session, QObject* parent) : QObject(parent), session_(session)
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
    const QString name = !spin    ? tr("Take the spin away")
                         : isDown ? tr("Spin down")
                                  : tr("Spin up");
    session_.document.apply(spinClips(session_.song(), spun(), isDown, spin), name);
}

void SpeedHands::spinLevel(bool followsLevel)
{
    session_.document.apply(
        orthochron::spinLevel(session_.song(), spun(), followsLevel),
        followsLevel ? tr("The spin takes the level along") : tr("The spin keeps the level")
    );
}

// ---- speed lines

void SpeedHands::setDrawsSpeed(bool isOn)
{
    drawsSpeed_ = isOn;
    speedPoint_.reset();
    Q_EMIT changed();
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

bool SpeedHands::setSpeedLine(
    ClipId clip, const std::vector<SpeedPoint>& points, const QString& name
)
{
    const Song& song = session_.song();
    const auto placed = clipOf(song, clip);
    if (!placed) {
        return false;
    }
    const auto& chosen = session_.choice.clips();
    const bool isAmong = std::ranges::find(chosen, clip) != chosen.end();
    const auto& treatment = placed->clip.sound.treatment;
    return session_.document.apply(
        setSpeed(
            song,
            isAmong ? chosen : ClipChoice{clip},
            {.points = points,
             .followsLevel =
                 treatment && !treatment->speed.isEmpty() && treatment->speed.followsLevel(),
             .keeps = speedKeeps}
        ),
        name
    );
}

void SpeedHands::setPointSpeed(double speed)
{
    if (const auto point = speedPoint()) {
        auto points = speedPointsOf(clipOf(session_.song(), point->clip)->clip);
        points[point->index].speed = speed;
        setSpeedLine(point->clip, points, tr("Set the speed at a point"));
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
        return;
    }
    auto points = speedPointsOf(drawn->clip);
    bool isTooLow = false;
    for (SpeedPoint& point : points) {
        isTooLow = isTooLow || (isTimed && point.speed < kLeastPitchSpeed);
        point.speed = isTimed ? std::max(point.speed, kLeastPitchSpeed) : point.speed;
    }
    const QString name = isTimed ? tr("Move the pitch alone") : tr("Pitch along with the speed");
    if (setSpeedLine(drawn->clip.id, points, name) && isTooLow) {
        session_.say(tr("The pitch alone goes down by 24 semitones; undo brings the standstill back"
        ));
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
        setSpeedLine(point->clip, points, tr("Take a point of a speed line away"));
        chooseSpeedPoint(std::nullopt);
    }
}

}  // namespace orthochron::app
