#include "app/stages/tune/TuneStage.h"

#include <QMouseEvent>

#include "app/controls/Counted.h"
#include "app/stages/tune/TuneBench.h"

#include <algorithm>

namespace orthochron::app {

namespace {

constexpr double kLadderPart = 0.72;  // of the sheet
constexpr double kCents = 0.05;       // semitones of a fine step

}  // namespace

TuneStage::TuneStage(Session& session, LanesView& lanes, QObject* parent)
    : Stage(session, lanes, parent),
      hands_(session, this),
      notes_(session, hands_),
      ladder_(session, lanes, hands_, notes_),
      bench_(new TuneBench(session, hands_, notes_, ladder_))
{
    connect(&hands_, &TuneHands::changed, this, [this] {
        if (bench_->isVisible()) {
            hands_.look();
        }
        lanes_.update();
    });
    connect(bench_, &TuneBench::looked, this, [this] { lanes_.update(); });
}

QWidget* TuneStage::bench()
{
    return bench_;
}

bool TuneStage::isWorkedOn() const
{
    return std::ranges::any_of(session_.song().tracks, [](const auto& track) {
        return std::ranges::any_of(track->clips, [](const Clip& clip) {
            return clip.sound.treatment && !clip.sound.treatment->pitch.empty();
        });
    });
}

void TuneStage::entered()
{
    hands_.look();
}

QString TuneStage::status() const
{
    const Sung* sung = hands_.sung();
    if (sung == nullptr) {
        return tr("%1: notes not found yet").arg(hands_.trackName());
    }
    if (const auto trouble = hands_.trouble()) {
        return *trouble;
    }
    const auto [before, after] = hands_.meanOff();
    return tr("%1, off by %2 cents, now %3")
        .arg(counted(std::ssize(sung->notes), tr("note"), tr("notes")))
        .arg(before, 0, 'f', 0)
        .arg(after, 0, 'f', 0);
}

int TuneStage::footHeight() const
{
    return static_cast<int>(kLadderPart * lanes_.sheet().height());
}

bool TuneStage::pressFoot(QMouseEvent& event)
{
    return event.pos().x() >= lanes_.foot().left() && ladder_.press(lanes_.foot(), event);
}

std::pair<QString, Qt::CursorShape> TuneStage::hintInFoot(QPoint place) const
{
    return ladder_.hintAt(lanes_.foot(), place);
}

void TuneStage::move(QMouseEvent& event)
{
    ladder_.move(event);
    lanes_.update();
}

void TuneStage::release(QMouseEvent& event)
{
    ladder_.release(event);
    lanes_.update();
}

bool TuneStage::run(Command command)
{
    switch (command) {
    case Command::NoteUp: hands_.shift(1.0); return true;
    case Command::NoteDown: hands_.shift(-1.0); return true;
    case Command::NoteUpFine: hands_.shift(kCents); return true;
    case Command::NoteDownFine: hands_.shift(-kCents); return true;
    case Command::OctaveUp: hands_.shift(12.0); return true;
    case Command::OctaveDown: hands_.shift(-12.0); return true;
    case Command::CorrectOctaveUp: notes_.readOctave(1); return true;
    case Command::CorrectOctaveDown: notes_.readOctave(-1); return true;
    default: return false;
    }
}

// The notes of the take: there is no other scope.
void TuneStage::selectAll()
{
    if (const Sung* sung = hands_.sung()) {
        std::set<std::size_t> all;
        for (std::size_t i = 0; i < sung->notes.size(); ++i) {
            all.insert(i);
        }
        hands_.choose(std::move(all));
    }
}

void TuneStage::mainAction()
{
    if (hands_.sung() == nullptr) {
        hands_.look();
    } else {
        hands_.putRightGently();
    }
}

QString TuneStage::mainActionName() const
{
    return hands_.sung() == nullptr ? tr("Find notes") : tr("Correct gently");
}

}  // namespace orthochron::app
