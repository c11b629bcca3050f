#include "app/stages/grid/follow/Following.h"

#include "app/controls/Counted.h"
#include "app/document/Errors.h"
#include "app/document/FileNames.h"
#include "app/document/HeardSamples.h"
#include "core/edits/GuideEdits.h"
#include "core/edits/SteadyEdits.h"
#include "core/files/GuideFile.h"
#include "core/files/MapTable.h"
#include "core/files/MidiTempo.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr Seconds kBefore(0.35);  // of a picture
constexpr Seconds kAfter(0.45);
constexpr std::size_t kMostTakes = 4;  // more microphones of a kit tell nothing new of its beat

}  // namespace

Following::Following(Session& session, QObject* parent) : QObject(parent), session_(session)
{
    connect(&session_.document, &Document::songChanged, this, &Following::refresh);
    connect(&session_.document, &Document::opened, this, [this] {
        line_ = Beats(0.0);
        attacks_.clear();
        keepsBarOne = false;
        bpmHint = 0.0;
        refresh();
    });
    refresh();
}

// The chosen track, or of a set its leads and what hears most beside them.
std::optional<Following::Listened> Following::listened() const
{
    const Song& song = session_.song();
    const auto chosen = song.track(session_.choice.track());
    if (!chosen) {
        return std::nullopt;
    }
    std::vector<std::shared_ptr<const Track>> tracks{chosen};
    if (const MicSet* set = song.setOf(chosen->id)) {
        tracks.clear();
        for (const bool wantsLeads : {true, false}) {
            for (const TrackId id : set->tracks) {
                const auto track = song.track(id);
                if (song.isLead(*track) == wantsLeads && tracks.size() < kMostTakes) {
                    tracks.push_back(track);
                }
            }
        }
    }
    Listened all;
    for (const auto& track : tracks) {
        const auto starts = session_.hits.heardOn(track->id, Frames(0));
        if (!track->markedTake.isValid()) {
            continue;
        }
        if (all.takes.empty()) {
            // A take whose beginning is trimmed still begins where it would be heard.
            const Frames at = starts ? *starts
                              : track->clips.empty()
                                  ? Frames(0)
                                  : track->clips.front().at - track->clips.front().soundStart;
            all.starts = toSeconds(at, song.rate);
        }
        all.takes.emplace_back(track->markedTake, track->markedChannel);
    }
    return all.takes.empty() ? std::nullopt : std::optional(all);
}

void Following::draft(MapLevel level)
{
    const auto wanted = listened();
    if (!wanted) {
        Q_EMIT session_.failed(refusal(tr("Nothing to follow; import a take and select it")));
        return;
    }
    const Song& song = session_.song();
    DraftSettings settings;
    settings.meter = song.tempo.meterOfBar(1);
    if (keepsBarOne) {
        settings.firstDownbeat = song.tempo.firstDownbeat() - wanted->starts;
    }
    if (bpmHint > 0.0) {
        settings.bpm = bpmHint;
    }
    session_.jobs.run(
        {.key = QStringLiteral("draftMap"),
         .title = tr("Following performance"),
         .holds = session_.document.whileUnedited()},
        this,
        [sources = session_.document.sources(), takes = wanted->takes, rate = song.rate, settings](
            const Work& work
        ) {
            std::vector<Channel> channels;
            for (const auto& [take, channel] : takes) {
                channels.push_back(sources->channel(take, channel));
            }
            return draftMap(channels, rate, settings, work);
        },
        [this, level, starts = wanted->starts](const Result<MapDraft>& found) {
            if (found) {
                takeUp(*found, level, starts);
            } else if (found.error().kind != ErrorKind::Cancelled) {
                Q_EMIT session_.failed(found.error());
            }
        }
    );
}

void Following::takeUp(const MapDraft& found, MapLevel level, Seconds starts)
{
    if (found.beats.empty()) {
        session_.say(tr("Could not follow: %1").arg(QString::fromStdString(found.tried)));
        return;
    }
    attacks_ = found.attacks;
    for (Seconds& attack : attacks_) {
        attack += starts;
    }
    line_ = Beats(0.0);
    if (session_.document.apply(
            takeDraft(session_.song(), found, level, starts), tr("Follow performance")
        )) {
        session_.say(status());
    }
}

void Following::makeSteady(double bpm, FitWay way)
{
    const JoinSettings joins = session_.fitting.request.joins;
    session_.jobs.run(
        {.key = QStringLiteral("makeSteady"),
         .title = tr("Making steady"),
         .holds = session_.document.whileUnedited()},
        this,
        [song = session_.document.song(), sources = session_.document.sources(), bpm, joins, way](
            const Work& work
        ) { return orthochron::makeSteady(*song, bpm, joins, *sources, work, way); },
        [this, bpm, way](Result<Song> made) {
            if (!made && made.error().kind == ErrorKind::Cancelled) {
                return;
            }
            line_ = Beats(0.0);
            if (session_.document.apply(
                    std::move(made), tr("Make steady at %1 bpm").arg(bpm, 0, 'f', 1)
                )) {
                session_.say((way.method == FitMethod::Cut
                                  ? tr("All bars moved to %1 bpm; timing inside bars kept")
                                  : tr("All bars stretched evenly to %1 bpm"))
                                 .arg(bpm, 0, 'f', 1));
            }
        }
    );
}

double Following::meanTempo() const
{
    const Song& song = session_.song();
    const Beats end = song.tempo.beatsAt(toSeconds(song.length(), song.rate));
    const double minutes = (song.tempo.timeAt(end) - song.tempo.firstDownbeat()).count() / 60.0;
    return minutes > 0.0 && end > Beats(0.0) ? end.count() / minutes : song.tempo.bpmAt(Beats(0.0));
}

void Following::readFile(QWidget* window)
{
    const QString path =
        askForFile(window, tr("Import tempo map"), tr("MIDI files (*.mid *.midi)"));
    if (path.isEmpty()) {
        return;
    }
    auto map = readMidiTempo(fileOf(path), session_.song().tempo.meterOfBar(1), Seconds(0.0));
    session_.document.apply(
        map ? Result<Song>(takeMap(session_.song(), std::move(*map)))
            : Result<Song>(tl::unexpected(map.error())),
        tr("Import tempo map")
    );
}

void Following::writeFile(QWidget* window)
{
    const QString path = askForNewFile(
        window,
        tr("Export tempo map"),
        QString::fromStdString(session_.song().name) + QStringLiteral(".mid"),
        tr("MIDI files (*.mid *.midi);;Table of beats (*.csv);;Data (*.json)")
    );
    if (path.isEmpty()) {
        return;
    }
    const Song& song = session_.song();
    const std::filesystem::path file = fileOf(path);
    const auto parts = playedParts(song);
    Seconds end = toSeconds(song.length(), song.rate);
    if (song.guide) {
        end = std::max(end, song.guide->notes.back().at);
    }
    const bool isMidi = checkMidiName(file).has_value();
    const auto written = isMidi ? writeMidiTempo(song.tempo, end, file, parts)
                                : writeMapTable(song.tempo, end, file, parts);
    if (written) {
        session_.say(tr("Tempo map exported to %1").arg(path));
    } else {
        Q_EMIT session_.failed(written.error());
    }
}

// ---- the guide

void Following::readGuide(QWidget* window)
{
    const QString path =
        askForFile(window, tr("Import MIDI guide"), tr("MIDI files (*.mid *.midi)"));
    if (path.isEmpty()) {
        return;
    }
    auto guide = orthochron::readGuide(fileOf(path));
    if (session_.document.apply(
            guide ? takeGuide(session_.song(), std::move(*guide))
                  : Result<Song>(tl::unexpected(guide.error())),
            tr("Import MIDI guide")
        )) {
        session_.say(tr("%1 imported; bar lines snap to their starts")
                         .arg(counted(
                             static_cast<std::int64_t>(session_.song().guide->notes.size()),
                             tr("note"),
                             tr("notes")
                         )));
    }
}

void Following::markFromGuide()
{
    session_.document.apply(
        marksFromGuide(session_.song(), session_.choice.track()), tr("Add marks from guide")
    );
}

void Following::removeGuide()
{
    session_.document.apply(orthochron::removeGuide(session_.song()), tr("Delete guide"));
}

// ---- a line and its pin

void Following::chooseLine(Beats place)
{
    line_ = place;
    Q_EMIT changed();
}

bool Following::isPinned(Beats place) const
{
    const TempoPoint* point = pointAt(session_.song().tempo, place);
    return point != nullptr && point->isPinned;
}

QString Following::lineName(Beats place) const
{
    const BarBeat at = session_.song().tempo.placeAt(place);
    return at.beat == 1 ? tr("bar %1").arg(at.bar) : tr("bar %1 · %2").arg(at.bar).arg(at.beat);
}

void Following::pin(Beats place, Seconds time)
{
    line_ = place;
    const auto count = meant(place).size();
    session_.document.apply(
        shifted(place, time),
        count > 1 ? tr("Move %1 pins").arg(count) : tr("Pin %1").arg(lineName(place))
    );
}

void Following::move(Beats place, Seconds time)
{
    line_ = place;
    session_.document.apply(
        moveLine(session_.song(), place, time), tr("Move %1").arg(lineName(place))
    );
}

void Following::nudge(Seconds by)
{
    const Seconds time = session_.song().tempo.timeAt(line_) + by;
    if (isPinned(line_) || line_ != Beats(0.0)) {
        pin(line_, time);
    } else {
        move(line_, time);
    }
}

std::vector<Beats> Following::meant(Beats line) const
{
    const Song& song = session_.song();
    std::vector<Beats> pins;
    const TempoPoint* own = pointAt(song.tempo, line);
    bool isOne = false;
    if (const auto& range = session_.choice.range()) {
        for (const TempoPoint& point : song.tempo.tempi()) {
            const Frames at = toFrames(song.tempo.timeAt(point.at), song.rate);
            if (point.isPinned && at >= range->from && at <= range->to) {
                pins.push_back(point.at);
                isOne = isOne || own == &point;
            }
        }
    }
    return isOne && pins.size() > 1 ? pins : std::vector{line};
}

Result<Song> Following::shifted(Beats line, Seconds time) const
{
    const auto lines = meant(line);
    return shiftLines(
        session_.song(), lines.front(), lines.back(), time - session_.song().tempo.timeAt(line)
    );
}

void Following::free()
{
    if (!isPinned(line_)) {
        session_.say(tr("%1 is not pinned").arg(lineName(line_)));
        return;
    }
    const auto places = meant(line_);
    session_.document.apply(
        freeLines(session_.song(), places),
        places.size() > 1 ? tr("Unpin %1 lines").arg(places.size())
                          : tr("Unpin %1").arg(lineName(line_))
    );
}

void Following::keep()
{
    session_.document.apply(
        keepLine(session_.song(), line_), tr("Confirm %1").arg(lineName(line_))
    );
}

void Following::countFrom()
{
    const QString name = lineName(line_);
    const Beats place = line_;
    line_ = Beats(0.0);
    session_.document.apply(
        beginBarsAt(session_.song(), place), tr("Count bars from %1").arg(name)
    );
}

void Following::turnRamp()
{
    const bool isRamp = isRampUpTo(session_.song().tempo, line_);
    session_.document.apply(
        shareUpTo(session_.song(), line_, isRamp ? Sharing::Evenly : Sharing::AsRamp),
        (isRamp ? tr("One tempo up to %1") : tr("Ramp up to %1")).arg(lineName(line_))
    );
}

void Following::hear()
{
    const Song& song = session_.song();
    const Beats beat = song.tempo.meterOfBar(song.tempo.barAt(line_)).beatLength();
    session_.player.playRange(
        std::max(Frames(0), toFrames(song.tempo.timeAt(line_ - beat * 2.0), song.rate)),
        toFrames(song.tempo.timeAt(line_ + beat * 2.0), song.rate)
    );
}

std::optional<Seconds> Following::attackNear(Seconds time, Seconds reach) const
{
    std::optional<Seconds> best;
    for (const auto* all : {&attacks_, &guideStarts_}) {
        const auto next = std::ranges::lower_bound(*all, time);
        for (const auto at : {next, next == all->begin() ? next : std::prev(next)}) {
            if (at == all->end() || std::abs((*at - time).count()) > reach.count()) {
                continue;
            }
            if (!best || std::abs((*at - time).count()) < std::abs((*best - time).count())) {
                best = *at;
            }
        }
    }
    return best;
}

// ---- doubtful bars

void Following::refresh()
{
    const TempoMap& map = session_.song().tempo;
    if (guide_ != session_.song().guide) {
        guide_ = session_.song().guide;
        guideStarts_ = guide_ ? guide_->starts() : std::vector<Seconds>{};
    }
    if (!(madeFrom_ == map)) {
        madeFrom_ = map;
        doubtful_ = doubtfulBars(map);
        place_ = std::min(place_, doubtful_.empty() ? 0 : doubtful_.size() - 1);
        pictures_.clear();
        asked_.clear();
        ++edition_;
    }
    Q_EMIT changed();
}

void Following::choose(std::size_t place)
{
    if (place >= doubtful_.size()) {
        return;
    }
    place_ = place;
    line_ = doubtful_[place].place;
    const Song& song = session_.song();
    const Frames at = toFrames(song.tempo.timeAt(line_), song.rate);
    session_.player.seek(std::max(at, Frames(0)));
    session_.shown.reveal(at);
    Q_EMIT changed();
}

const BarPicture* Following::picture(std::size_t place)
{
    if (const auto found = pictures_.find(place); found != pictures_.end()) {
        return &found->second;
    }
    if (place >= doubtful_.size() || !asked_.insert(place).second) {
        return nullptr;
    }
    const Song& song = session_.song();
    session_.jobs.run(
        {.key = {},
         .title = {},
         .holds = [this, edition = edition_] { return edition == edition_; },
         .isQuick = true},
        this,
        [song = session_.document.song(),
         sources = session_.document.sources(),
         track = session_.choice.track(),
         at = toFrames(song.tempo.timeAt(doubtful_[place].place), song.rate)](const Work&) {
            BarPicture picture;
            picture.before = toFrames(kBefore, song->rate);
            picture.samples = samplesHeard(
                *song,
                *sources,
                track,
                at - picture.before,
                picture.before + toFrames(kAfter, song->rate)
            );
            return picture;
        },
        [this, place](BarPicture read) {
            pictures_[place] = std::move(read);
            Q_EMIT changed();
        }
    );
    return nullptr;
}

QString Following::status() const
{
    const TempoMap& map = session_.song().tempo;
    std::int64_t pins = 0;
    double least = map.bpmAt(Beats(0.0));
    double most = least;
    for (const TempoPoint& point : map.tempi()) {
        pins += point.isPinned ? 1 : 0;
        least = std::min(least, point.bpm);
        most = std::max(most, point.bpm);
    }
    const QString range = most - least < 0.005
                              ? tr("%1 bpm").arg(least, 0, 'f', 2)
                              : tr("%1 to %2 bpm").arg(least, 0, 'f', 1).arg(most, 0, 'f', 1);
    return tr("%1 · %2 · %3")
        .arg(
            range,
            counted(pins, tr("pin"), tr("pins")),
            counted(
                static_cast<std::int64_t>(doubtful_.size()), tr("doubtful bar"), tr("doubtful bars")
            )
        );
}

}  // namespace orthochron::app
