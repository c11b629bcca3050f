#pragma once

#include <QObject>

#include "app/document/Document.h"
#include "app/document/JobQueue.h"
#include "app/session/Choice.h"
#include "engine/playback/Player.h"

namespace orthochron::app {

// Makes the recorded side as loud as the edited one (EBU R 128), so that neither is preferred for being
// louder. Measured anew when the cuts of the set one is at are others; no trim where nothing was fitted.
class MatchedLoudness final : public QObject {
    Q_OBJECT

public:
    MatchedLoudness(
        Document& document, Choice& choice, engine::Player& player, JobQueue& jobs, QObject* parent
    );

    void refresh();  // from song and choice as they are

private:
    Document& document_;
    Choice& choice_;
    engine::Player& player_;
    JobQueue& jobs_;
    std::vector<std::shared_ptr<const Track>> tracks_;  // what the trim was measured on
};

}  // namespace orthochron::app
