#include "app/views/Session.h"

#include <ebur128.h>

#include "app/controls/Counted.h"

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

Session::Session(JobQueue& jobQueue, Document& doc, engine::Player& thePlayer, QObject* parent)
    : QObject(parent),
      jobs(jobQueue),
      document(doc),
      player(thePlayer),
      card(thePlayer, jobQueue, this),
      waves(jobQueue, this)
{
    connect(&document, &Document::opened, this, &Session::forget);
    connect(&document, &Document::songChanged, this, &Session::songChanged);
    connect(&document, &Document::failed, this, &Session::failed);
    connect(&jobs, &JobQueue::broke, this, &Session::failed);
    connect(&waves, &WaveCache::changed, this, &Session::scaleChanged);
}

std::function<bool()> Session::whileThisSong() const
{
    return [this, opening = document.opening()] { return opening == document.opening(); };
}

std::function<bool()> Session::whileUnedited() const
{
    return [this, from = document.song()] { return from == document.song(); };
}

std::optional<Frames> Session::heardOn(TrackId id, Frames takeTime) const
{
    const auto track = song().track(id);
    for (const Clip& clip : track->clips) {
        if (track->isMarked(clip)) {
            if (const auto at = clip.songTimeOf(takeTime)) {
                return at;
            }
        }
    }
    return std::nullopt;
}

std::optional<Frames> Session::takeTimeAt(TrackId id, Frames songTime) const
{
    const auto track = song().track(id);
    for (const Clip& clip : track->clips) {
        if (songTime >= clip.at && songTime < clip.end() && track->isMarked(clip)) {
            return clip.sound.takeTimeOf(clip.soundTimeOf(songTime, songTime + Frames(1)));
        }
    }
    return std::nullopt;
}

const std::vector<HeardMark>& Session::marksOf(TrackId id) const
{
    TrackMarks& known = marks_[id];
    if (auto track = song().track(id); track != known.track) {
        known.marks = track ? marksHeard(*track, track->clips, WhichMarks::EvenOff)
                            : std::vector<HeardMark>();
        std::ranges::stable_sort(known.marks, {}, &HeardMark::at);
        known.track = std::move(track);
    }
    return known.marks;
}

void Session::say(const QString& sentence)
{
    Q_EMIT said(sentence);
}

// ---- where one looks

void Session::clampView()
{
    const auto length = static_cast<double>(song().length().count());
    const double span = scale_.framesPerPixel * viewWidth_;
    scale_.left =
        std::clamp(scale_.left, -0.05 * span, std::max(-0.05 * span, length - 0.5 * span));
}

void Session::setScale(TimeScale scale)
{
    scale_ = scale;
    clampView();
    Q_EMIT scaleChanged();
}

void Session::setViewWidth(int pixels)
{
    viewWidth_ = std::max(pixels, 100);
    clampView();
    Q_EMIT scaleChanged();
}

void Session::zoom(double factor, double x)
{
    scale_.zoom(factor, x);
    clampView();
    Q_EMIT scaleChanged();
}

void Session::zoomTo(TimeRange range)
{
    const auto length = static_cast<double>((range.to - range.from).count());
    scale_.framesPerPixel = std::clamp(length / viewWidth_ * 1.06, 1.0 / 16.0, 131072.0);
    scale_.left = static_cast<double>(range.from.count()) - 0.03 * length;
    clampView();
    Q_EMIT scaleChanged();
}

void Session::zoomToAll()
{
    zoomTo({Frames(0), std::max(song().length(), Frames(48000))});
}

void Session::reveal(Frames songTime)
{
    const double x = scale_.xOf(songTime);
    if (x < 0.05 * viewWidth_ || x > 0.95 * viewWidth_) {
        scale_.left =
            static_cast<double>(songTime.count()) - 0.3 * viewWidth_ * scale_.framesPerPixel;
        clampView();
        Q_EMIT scaleChanged();
    }
}

void Session::setFollows(bool follows)
{
    follows_ = follows;
    Q_EMIT choiceChanged();
}

// ---- what is chosen

void Session::setTrack(TrackId track)
{
    if (track_ != track) {
        const MicSet* before = set();
        track_ = track;
        mark_ = MarkId();
        if (set() != before) {
            // Joins and findings are those of the set one is at.
            allFindings_.clear();
            refreshCuts();
            orderJoins();
            Q_EMIT findingsChanged();
        }
        Q_EMIT choiceChanged();
        refreshPreview();
    }
}

const MicSet* Session::set() const
{
    if (const MicSet* chosen = song().setOf(track_)) {
        return chosen;
    }
    return song().sets.empty() ? nullptr : &song().sets.front();
}

void Session::setMark(TrackId track, MarkId mark)
{
    setTrack(track);
    mark_ = mark;
    Q_EMIT choiceChanged();
}

void Session::setClips(ClipChoice clips)
{
    clips_ = std::move(clips);
    Q_EMIT choiceChanged();
}

void Session::setRange(std::optional<TimeRange> range)
{
    range_ = range;
    if (player.loop()) {
        player.setLoop(
            range ? std::optional(engine::LoopRange{range->from, range->to}) : std::nullopt
        );
    }
    Q_EMIT choiceChanged();
}

void Session::setJoin(std::size_t join)
{
    join_ = join;
    if (join < joins_.size()) {
        reveal(joins_[join].at);
    }
    Q_EMIT choiceChanged();
}

// ---- the fit being looked at

void Session::requestChanged()
{
    refreshPreview();
}

void Session::setRangeOfBars(std::optional<BarRange> bars)
{
    request.bars = bars;
    refreshPreview();
}

void Session::setFocus(TrackId lead, SectionId section)
{
    focusLead_ = lead;
    focusSection_ = section;
    Q_EMIT choiceChanged();
    Q_EMIT prescaleChanged();
}

bool Session::isInFocus(const JudgedHit& hit) const
{
    const Performance& performance = preview_.performance;
    const auto lead = static_cast<std::size_t>(hit.played.lead);
    const bool isLead = !focusLead_.isValid() ||
                        (lead < performance.leads.size() && performance.leads[lead] == focusLead_);
    const auto section = static_cast<std::size_t>(hit.section);
    const bool isSection =
        !focusSection_.isValid() ||
        (hit.section != JudgedHit::kNoSection && section < performance.sections.size() &&
         performance.sections[section] == focusSection_);
    return isLead && isSection;
}

OwnAmounts Session::amounts() const
{
    for (const OwnAmounts& own : request.fit.own) {
        if (own.lead == focusLead_ && own.section == focusSection_) {
            return own;
        }
    }
    return {focusSection_, focusLead_, request.fit.drift, request.fit.feel, request.fit.stray};
}

void Session::setAmounts(double drift, double feel, double stray)
{
    FitSettings& fit = request.fit;
    if (!focusLead_.isValid() && !focusSection_.isValid()) {
        fit.drift = drift;
        fit.feel = feel;
        fit.stray = stray;
        return;
    }
    const OwnAmounts wanted{focusSection_, focusLead_, drift, feel, stray};
    if (wanted == amounts()) {
        return;
    }
    std::erase_if(fit.own, [this](const OwnAmounts& own) {
        return own.lead == focusLead_ && own.section == focusSection_;
    });
    fit.own.push_back(wanted);
}

void Session::askOfHits(
    const std::vector<std::size_t>& hits, std::optional<Seconds> wanted, Seconds by
)
{
    Song edited = song();
    for (const std::size_t i : hits) {
        const HitOrigin& origin = preview_.origin.origins[i];
        std::optional<Seconds> asked = wanted;
        if (by.count() != 0.0) {
            asked = preview_.moves.hits[i].left + by;
        }
        auto next = setMarkWanted(edited, origin.track, origin.mark, asked);
        if (!next) {
            Q_EMIT failed(QString::fromStdString(next.error().message));
            return;
        }
        edited = std::move(*next);
    }
    document.apply(
        std::move(edited), hits.size() == 1 ? tr("Place a hit by hand") : tr("Place hits by hand")
    );
}

void Session::refreshPreview()
{
    const MicSet* chosen = set();
    if (chosen == nullptr) {
        preview_ = {};
        Q_EMIT prescaleChanged();
        return;
    }
    // Judging is needed only when hits or grid changed; moving a slider is the rest.
    SetHits hits = hitsOf(song(), *chosen);
    const JudgedBy by{request.grid, song().tempo, song().sections, request.fit.driftLine};
    if (hits.hits != judgedHits_.hits || hits.leads != judgedHits_.leads || by != judgedBy_ ||
        preview_.performance.hits.size() != hits.hits.size()) {
        preview_.performance = judgeSet(song(), hits, request);
        judgedBy_ = by;
        judgedHits_ = hits;
    }
    preview_.origin = std::move(hits);
    preview_.moves = planMoves(preview_.performance, request.fit);
    Q_EMIT prescaleChanged();
}

void Session::applyFit()
{
    const MicSet* chosen = set();
    if (chosen == nullptr) {
        Q_EMIT failed(tr("There is nothing to fit: import takes first"));
        return;
    }
    say(tr("Cutting…"));
    jobs.run(
        {.key = QStringLiteral("fit"), .title = tr("Cut and join"), .holds = whileThisSong()},
        this,
        [song = document.song(), sources = document.sources(), id = chosen->id, wanted = request](
            const Work& work
        ) {
            return std::pair{song, cutFit(*song, id, wanted, *sources, work)};
        },
        [this](const std::pair<std::shared_ptr<const Song>, Result<FitOutcome>>& done) {
            const auto& [from, outcome] = done;
            if (!outcome) {
                if (outcome.error().kind == ErrorKind::Cancelled) {
                    say(tr("Stopped; nothing was changed"));
                } else {
                    Q_EMIT failed(QString::fromStdString(outcome.error().message));
                }
                return;
            }
            if (from != document.song()) {
                say(tr("The song was edited meanwhile; fit again"));
                return;
            }
            const QString sentence = QString::fromStdString(sentenceOf(*outcome));
            document.apply(outcome->song, sentence);
            say(sentence);
        }
    );
}

// ---- detection

void Session::detect(std::function<void()> then)
{
    const MicSet* chosen = set();
    if (chosen == nullptr) {
        Q_EMIT failed(tr("There is nothing to listen to: import takes first"));
        return;
    }
    jobs.run(
        {.key = QStringLiteral("hits"), .title = tr("Finding hits"), .holds = whileThisSong()},
        this,
        [song = document.song(), sources = document.sources(), id = chosen->id](const Work& work) {
            return analyseSet(*song, id, *sources, work);
        },
        [this, id = chosen->id, next = std::move(then)](Result<SetAnalysis> found) {
            if (!found) {
                if (found.error().kind != ErrorKind::Cancelled) {
                    Q_EMIT failed(QString::fromStdString(found.error().message));
                }
                return;
            }
            analysis_ = std::make_shared<const SetAnalysis>(std::move(*found));
            if (document.apply(placeMarks(song(), id, *analysis_, {}), tr("Find hits"))) {
                std::size_t count = 0;
                for (const auto& [track, each] : *analysis_) {
                    count += song().track(track)->marks.size();
                }
                const QString hits = counted(static_cast<qsizetype>(count), tr("hit"), tr("hits"));
                const auto leads = static_cast<qsizetype>(analysis_->size());
                say(leads > 1 ? tr("Found %1 on %2 leads").arg(hits).arg(leads)
                              : tr("Found %1").arg(hits));
            }
            if (next) {
                next();
            }
        }
    );
}

// ---- joins and findings

const Finding* Session::worstOf(std::size_t join) const
{
    const Finding* worst = nullptr;
    for (const Finding& finding : findings_) {
        if (finding.join == join && (worst == nullptr || isWorse(finding, *worst))) {
            worst = &finding;
        }
    }
    return worst;
}

void Session::orderJoins()
{
    findings_.clear();
    for (const Finding& finding : allFindings_) {
        if (!isAccepted(song(), finding)) {
            findings_.push_back(finding);
        }
    }
    std::ranges::sort(findings_, isWorse);
    worstFirst_.clear();
    std::vector<bool> isTaken(joins_.size(), false);
    for (const Finding& finding : findings_) {
        if (finding.join && *finding.join < joins_.size() && !isTaken[*finding.join]) {
            isTaken[*finding.join] = true;
            worstFirst_.push_back(*finding.join);
        }
    }
    for (std::size_t i = 0; i < joins_.size(); ++i) {
        if (!isTaken[i]) {
            worstFirst_.push_back(i);
        }
    }
}

void Session::audit()
{
    const MicSet* chosen = set();
    jobs.drop(QStringLiteral("check joins"));
    allFindings_.clear();
    if (chosen == nullptr || joins_.empty()) {
        orderJoins();
        Q_EMIT findingsChanged();
        return;
    }
    jobs.run(
        {.key = QStringLiteral("check joins"),
         .title = {},
         .holds = [this, from = auditedTracks_] { return from == auditedTracks_; }},
        this,
        [song = document.song(), sources = document.sources(), id = chosen->id](const Work& work) {
            return auditSet(*song, id, *sources, work);
        },
        [this](Result<std::vector<Finding>> done) {
            if (done) {
                allFindings_ = std::move(*done);
                orderJoins();
                Q_EMIT findingsChanged();
            }
        }
    );
}

Frames Session::heardAt(Frames recorded) const
{
    const SetPart* holding = partHolding(parts_, recorded);
    return holding != nullptr ? recorded + *holding->move : recorded;
}

// Nothing of the song before is meant for the one that was opened.
void Session::forget()
{
    request = FitRequest();
    focusLead_ = TrackId();
    focusSection_ = SectionId();
    analysis_.reset();
    range_.reset();
    clips_.clear();
    mark_ = MarkId();
}

void Session::songChanged()
{
    waves.setSources(song(), document.sources());
    if (!song().track(track_)) {
        track_ = song().tracks.empty() ? TrackId() : song().tracks.front()->id;
        mark_ = MarkId();
    }
    if (!clips_.empty()) {
        ClipChoice left;
        for (const PlacedClip& placed : clipsOf(song(), clips_)) {
            left.push_back(placed.clip.id);
        }
        clips_ = std::move(left);
    }
    refreshCuts();
    orderJoins();
    player.setSong(document.song(), document.sources());
    refreshPreview();
    Q_EMIT choiceChanged();
    Q_EMIT findingsChanged();
    Q_EMIT scaleChanged();
}

// What depends on where the set one is at is cut.
void Session::refreshCuts()
{
    const MicSet* chosen = set();
    std::vector<std::shared_ptr<const Track>> tracks;
    if (chosen != nullptr) {
        for (const TrackId id : chosen->tracks) {
            tracks.push_back(song().track(id));
        }
    }
    const bool cutsChanged =
        !std::ranges::equal(tracks, auditedTracks_, [](const auto& a, const auto& b) {
            return a == b || (a->id == b->id && a->clips == b->clips);
        });
    auditedTracks_ = tracks;
    if (cutsChanged) {
        joins_ = chosen != nullptr ? joinsOf(song(), *chosen) : std::vector<SetJoin>();
        parts_ = chosen != nullptr ? partsOf(song(), *chosen) : std::vector<SetPart>();
        join_ = joins_.empty() ? 0 : std::min(join_, joins_.size() - 1);
        jobs.drop(QStringLiteral("loudness"));
        player.setRecordedTrim(0.0);
        if (chosen != nullptr && chosen->recipe) {
            jobs.run(
                {.key = QStringLiteral("loudness"), .title = {}, .holds = whileThisSong()},
                this,
                [song = document.song(), sources = document.sources()](const Work& work) {
                    return loudnessDifference(
                        *song, engine::asRecorded(*song, Frames(0)), *sources, work
                    );
                },
                [this](double difference) { player.setRecordedTrim(difference); }
            );
        }
        audit();
    }
}

PlaceText placeText(const Song& song, Frames songTime)
{
    const Seconds time = toSeconds(songTime, song.rate);
    const Beats musical = song.tempo.beatsAt(time);
    // The nearest beat is the one a musician would name; the rest is said in milliseconds.
    const int bar = song.tempo.barAt(musical);
    const Beats beat = song.tempo.meterOfBar(bar).beatLength();
    const double beats = std::round((musical - song.tempo.startOfBar(bar)) / beat);
    const Beats nearest = song.tempo.startOfBar(bar) + beat * beats;
    const BarBeat place = song.tempo.placeAt(nearest);
    const double off = inMilliseconds(time - song.tempo.timeAt(nearest));
    return {
        QStringLiteral("%1 · %2").arg(place.bar).arg(place.beat),
        QStringLiteral("%1%2 ms")
            .arg(off < 0.0 ? QStringLiteral("−") : QStringLiteral("+"))
            .arg(std::abs(off), 0, 'f', 0),
        off};
}

}  // namespace orthochron::app
