#pragma once

#include <QWidget>

#include "app/session/Session.h"

class QLabel;

namespace orthochron::app {

// Findings that lie at no join: spans strained more than their material bears, one after the other, with
// what would help. Not seen where there are none.
class StrainedSpans final : public QWidget {
    Q_OBJECT

public:
    StrainedSpans(Session& session, QWidget* parent);

private:
    void fill();
    void showNext();
    void accept();
    // In the order of the song.
    [[nodiscard]] std::vector<Finding> found() const;

    Session& session_;
    QLabel* about_ = nullptr;
    std::optional<Frames> looked_;  // where the one that is told of lies
};

}  // namespace orthochron::app
