#pragma once

#include <QObject>

#include "app/document/Document.h"
#include "app/document/WaveCache.h"
#include "app/session/Choice.h"
#include "app/session/Fitting.h"
#include "app/session/Hits.h"
#include "app/session/JoinReview.h"
#include "app/session/MatchedLoudness.h"
#include "app/session/SongView.h"
#include "app/sound/SoundCard.h"

namespace orthochron::app {

// What views and stages share: the song and, beside it, one part for each thing one does with it. Each
// part is made from the song and what is chosen, and made anew when what it was made from is other.
class Session final : public QObject {
    Q_OBJECT

public:
    Session(JobQueue& jobs, Document& document, engine::Player& player, QObject* parent = nullptr);

    JobQueue& jobs;
    Document& document;
    engine::Player& player;
    SoundCard card;
    WaveCache waves;
    SongView shown;
    Choice choice;
    Fitting fitting;
    Hits hits;
    JoinReview review;

    [[nodiscard]] const Song& song() const { return *document.song(); }

    void say(const QString& sentence);  // in the status line

Q_SIGNALS:
    void said(const QString& sentence);
    void failed(const orthochron::Error& error);

private:
    void forget();
    void songChanged();

    MatchedLoudness loudness_;
};

// "17 · 3" and "+12 ms" apart, as the place is said everywhere.
struct PlaceText {
    QString place;
    QString off;
    double offMs = 0.0;
};
[[nodiscard]] PlaceText placeText(const Song& song, Frames songTime);

}  // namespace orthochron::app
