#pragma once

#include <QObject>

#include "app/document/Document.h"
#include "app/document/WaveCache.h"
#include "app/sound/SoundCard.h"
#include "app/views/TimeScale.h"
#include "core/audit/SongAudit.h"
#include "core/edits/ClipChoice.h"
#include "core/edits/FitEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/TakeEdits.h"
#include "engine/playback/Player.h"

namespace orthochron::app {

struct TimeRange {
    Frames from;
    Frames to;
};

// What the views and stages share beside the song: where one looks, what is chosen, what was
// computed. Computed things are dropped when the song they came from changes.
class Session final : public QObject {
    Q_OBJECT

public:
    Session(JobQueue& jobs, Document& document, engine::Player& player, QObject* parent = nullptr);

    JobQueue& jobs;
    Document& document;
    engine::Player& player;
    SoundCard card;
    WaveCache waves;

    [[nodiscard]] const Song& song() const { return *document.song(); }
    // For what a job computes: holds until another song is opened, or until this one is edited.
    [[nodiscard]] std::function<bool()> whileThisSong() const;
    [[nodiscard]] std::function<bool()> whileUnedited() const;

    // ---- where one looks
    [[nodiscard]] const TimeScale& scale() const { return scale_; }
    void setScale(TimeScale scale);
    void setViewWidth(int pixels);
    void zoom(double factor, double x);
    void zoomTo(TimeRange range);
    void zoomToAll();
    void reveal(Frames songTime);  // scrolls when it is outside the view
    [[nodiscard]] bool follows() const { return follows_; }
    void setFollows(bool follows);

    // ---- what is chosen
    [[nodiscard]] TrackId track() const { return track_; }
    void setTrack(TrackId track);
    [[nodiscard]] const MicSet*
    set() const;  // that of the chosen track, or the first; null for none
    [[nodiscard]] MarkId mark() const { return mark_; }
    void setMark(TrackId track, MarkId mark);
    [[nodiscard]] const ClipChoice& clips() const { return clips_; }
    void setClips(ClipChoice clips);
    [[nodiscard]] const std::optional<TimeRange>& range() const { return range_; }
    void setRange(std::optional<TimeRange> range);
    [[nodiscard]] std::size_t join() const { return join_; }  // index into joins()
    void setJoin(std::size_t join);

    // ---- the fit being looked at
    FitRequest request;
    void requestChanged();  // after changing `request`: the preview is made anew
    [[nodiscard]] const FitPreview& preview() const { return preview_; }
    void setRangeOfBars(std::optional<BarRange> bars);
    // The lead and section the amounts, the chart and the dial are about; none for all.
    [[nodiscard]] TrackId focusLead() const { return focusLead_; }
    [[nodiscard]] SectionId focusSection() const { return focusSection_; }
    void setFocus(TrackId lead, SectionId section);
    [[nodiscard]] bool isInFocus(const JudgedHit& hit) const;
    // The amounts of the focus, which are the general ones until they are changed there.
    [[nodiscard]] OwnAmounts amounts() const;
    void setAmounts(double drift, double feel, double stray);
    // Gives hits a deviation from their line of their own (none: the fit's), as one edit.
    void askOfHits(const std::vector<std::size_t>& hits, std::optional<Seconds> wanted, Seconds by);

    // ---- detection
    [[nodiscard]] const SetAnalysis* analysis() const
    {
        return analysis_ ? analysis_.get() : nullptr;
    }
    void detect(std::function<void()> then = {});

    // ---- joins and findings
    [[nodiscard]] const std::vector<SetJoin>& joins() const { return joins_; }
    [[nodiscard]] const std::vector<Finding>& findings() const
    {
        return findings_;
    }  // not accepted ones
    [[nodiscard]] const std::vector<std::size_t>& joinsWorstFirst() const { return worstFirst_; }
    [[nodiscard]] const Finding* worstOf(std::size_t join) const;
    void applyFit();

    // Where a recorded moment of the chosen set is heard now, by the piece that plays it.
    [[nodiscard]] Frames heardAt(Frames recorded) const;
    // Where a track's clips play a moment of the take its marks are of: the first that does; none when
    // none does.
    [[nodiscard]] std::optional<Frames> heardOn(TrackId track, Frames takeTime) const;
    // The moment of that take that is heard at a song time; none where its clips do not play it.
    [[nodiscard]] std::optional<Frames> takeTimeAt(TrackId track, Frames songTime) const;

    // A track's marks wherever its clips play them, those that are off too; in order of song time.
    [[nodiscard]] const std::vector<HeardMark>& marksOf(TrackId track) const;

    void say(const QString& sentence);  // in the status line

Q_SIGNALS:
    void scaleChanged();
    void choiceChanged();
    void prescaleChanged();
    void findingsChanged();
    void said(const QString& sentence);
    void failed(const QString& sentence);

private:
    void forget();
    void songChanged();
    void clampView();
    void refreshPreview();
    void refreshCuts();
    void audit();
    void orderJoins();

    TimeScale scale_;
    int viewWidth_ = 1000;
    bool follows_ = true;
    TrackId track_;
    MarkId mark_;
    std::optional<TimeRange> range_;
    ClipChoice clips_;
    std::size_t join_ = 0;

    FitPreview preview_;
    SetHits judgedHits_;
    struct JudgedBy {
        GridSettings grid;
        TempoMap tempo;
        std::vector<Section> sections;
        std::vector<DriftPoint> driftLine;

        bool operator==(const JudgedBy&) const = default;
    };
    JudgedBy judgedBy_;
    std::vector<SetPart> parts_;
    TrackId focusLead_;
    SectionId focusSection_;

    std::shared_ptr<const SetAnalysis> analysis_;
    std::uint64_t analysedWhat_ = 0;
    std::vector<SetJoin> joins_;
    std::vector<Finding> findings_;
    std::vector<Finding> allFindings_;
    std::vector<std::size_t> worstFirst_;
    std::vector<std::shared_ptr<const Track>> auditedTracks_;
    struct TrackMarks {
        std::shared_ptr<const Track> track;  // as it was when they were looked for
        std::vector<HeardMark> marks;
    };
    mutable std::map<TrackId, TrackMarks> marks_;
};

// "17 · 3" and "+12 ms" apart, as the place is said everywhere.
struct PlaceText {
    QString place;
    QString off;
    double offMs = 0.0;
};
[[nodiscard]] PlaceText placeText(const Song& song, Frames songTime);

}  // namespace orthochron::app
