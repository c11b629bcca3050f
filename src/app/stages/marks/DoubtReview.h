#pragma once

#include "app/session/Session.h"
#include "core/edits/Doubts.h"

namespace orthochron::app {

// A lead and a microphone beside it around a doubtful moment, read for drawing.
struct DoubtPicture {
    std::vector<float> lead;
    std::vector<float> beside;
    Frames before;  // of the moment: how much of it comes first
};

// The doubtful hits of the chosen set: which one is looked at, what it sounds like, and deciding. The
// list is made anew when the song or what detection found changes.
class DoubtReview final : public QObject {
    Q_OBJECT

public:
    DoubtReview(Session& session, QObject* parent);

    // Those that are heard somewhere, worst first.
    [[nodiscard]] const std::vector<DoubtfulHit>& doubts() const { return doubts_; }
    [[nodiscard]] std::size_t place() const { return place_; }
    [[nodiscard]] const DoubtfulHit* chosen() const;  // null when nothing is doubtful
    void choose(std::size_t place);
    void refresh();

    [[nodiscard]] std::vector<DoubtfulHit> kind() const;  // all that are like the chosen one
    void keep(bool wholeKind);
    void dismiss(bool wholeKind);
    void hear();

    [[nodiscard]] Frames heardAt(std::size_t place) const { return heard_[place]; }
    // The microphone drawn beside the lead: the one that argues against it, or the first other lead.
    [[nodiscard]] TrackId beside(const DoubtfulHit& doubt) const;
    // Null while it is being read.
    [[nodiscard]] const DoubtPicture* picture(std::size_t place);

    [[nodiscard]] QString question(const DoubtfulHit& doubt) const;  // "ring of Kick in?"
    [[nodiscard]] QString reason(const DoubtfulHit& doubt) const;
    [[nodiscard]] QString kindName(const DoubtfulHit& doubt, std::size_t count) const;

Q_SIGNALS:
    void changed();

private:
    void decide(bool isHit, bool wholeKind);
    [[nodiscard]] QString nameOf(TrackId track) const;

    Session& session_;
    std::vector<DoubtfulHit> doubts_;
    std::vector<Frames> heard_;  // song time of each
    std::size_t place_ = 0;
    std::shared_ptr<const Song> madeFrom_;
    const SetAnalysis* madeWith_ = nullptr;
    std::map<std::size_t, DoubtPicture> pictures_;
    std::set<std::size_t> asked_;
    std::uint64_t edition_ = 0;  // of the list: pictures of an older one are dropped
};

}  // namespace orthochron::app
