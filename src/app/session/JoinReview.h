#pragma once

#include <QObject>

#include "app/document/Document.h"
#include "app/document/JobQueue.h"
#include "app/session/Choice.h"
#include "core/audit/SongAudit.h"
#include "core/edits/FitEdits.h"

namespace orthochron::app {

// The joins of the set one is at, and what checking them turned up. Looked for anew when its cuts are
// others; a check still under way is dropped then.
class JoinReview final : public QObject {
    Q_OBJECT

public:
    JoinReview(Document& document, Choice& choice, SongView& view, JobQueue& jobs, QObject* parent);

    [[nodiscard]] const std::vector<SetJoin>& joins() const { return joins_; }
    [[nodiscard]] const std::vector<std::size_t>& joinsWorstFirst() const { return worstFirst_; }
    [[nodiscard]] const std::vector<Finding>& findings() const
    {
        return findings_;
    }  // not accepted
    [[nodiscard]] const Finding* worstOf(std::size_t join) const;

    [[nodiscard]] std::size_t join() const { return join_; }  // the one looked at, in joins()
    void setJoin(std::size_t join);

    // Where a recorded moment of the set is heard now, by the piece that plays it.
    [[nodiscard]] Frames heardAt(Frames recorded) const;

    void refresh();  // from song and choice as they are

Q_SIGNALS:
    void changed();
    void joinChanged();

private:
    void audit();
    void order();

    Document& document_;
    Choice& choice_;
    SongView& view_;
    JobQueue& jobs_;
    std::vector<std::shared_ptr<const Track>> tracks_;  // what the rest was made from
    std::vector<SetJoin> joins_;
    std::vector<SetPart> parts_;
    std::vector<Finding> all_;
    std::vector<Finding> findings_;
    std::vector<std::size_t> worstFirst_;
    std::vector<std::optional<std::size_t>> worst_;  // of each join, in findings_
    std::size_t join_ = 0;
};

}  // namespace orthochron::app
