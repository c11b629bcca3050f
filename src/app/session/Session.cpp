#include "app/session/Session.h"

#include "app/document/Errors.h"

namespace orthochron::app {

Session::Session(JobQueue& jobQueue, Document& doc, engine::Player& thePlayer, QObject* parent)
    : QObject(parent),
      jobs(jobQueue),
      document(doc),
      player(thePlayer),
      card(thePlayer, jobQueue, this),
      waves(jobQueue, this),
      shown(doc, this),
      choice(doc, thePlayer, this),
      fitting(doc, choice, jobQueue, this),
      hits(doc, choice, jobQueue, this),
      review(doc, choice, shown, jobQueue, this),
      loudness_(doc, choice, thePlayer, jobQueue, this)
{
    connect(&document, &Document::opened, this, &Session::forget);
    connect(&document, &Document::songChanged, this, &Session::songChanged);
    connect(&document, &Document::failed, this, &Session::failed);
    connect(&jobs, &JobQueue::broke, this, [this](const QString& sentence) {
        Q_EMIT failed(failure(sentence));
    });
    connect(&waves, &WaveCache::changed, &shown, &SongView::changed);
    connect(&choice, &Choice::trackChanged, this, [this] {
        review.refresh();
        loudness_.refresh();
        fitting.refresh();
    });
    // A field that was typed into says again what is there, not what was refused.
    connect(&document, &Document::failed, &choice, &Choice::changed);
    connect(&fitting, &Fitting::said, this, &Session::said);
    connect(&fitting, &Fitting::failed, this, &Session::failed);
    connect(&hits, &Hits::said, this, &Session::said);
    connect(&hits, &Hits::failed, this, &Session::failed);
    // What is marked as chosen shows these too.
    connect(&shown, &SongView::followsChanged, &choice, &Choice::changed);
    connect(&fitting, &Fitting::focusChanged, &choice, &Choice::changed);
    connect(&review, &JoinReview::joinChanged, &choice, &Choice::changed);
}

void Session::say(const QString& sentence)
{
    Q_EMIT said(sentence);
}

// Nothing of the song before is meant for the one that was opened.
void Session::forget()
{
    fitting.forget();
    hits.forget();
    choice.forget();
}

void Session::songChanged()
{
    waves.setSources(song(), document.sources());
    choice.songChanged();
    review.refresh();
    loudness_.refresh();
    player.setSong(document.song(), document.sources());
    fitting.refresh();
    Q_EMIT choice.changed();
    Q_EMIT shown.changed();
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
