#include "app/stages/hand/PitchKeys.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include "app/theme/Theme.h"
#include "core/render/Render.h"

#include <cmath>

namespace orthochron::app {

namespace {

constexpr int kMost = engine::Trial::kMostSemitones;
constexpr int kKeys = 2 * kMost + 1;
constexpr Seconds kLongest{12.0};                 // of what is tried: 25 pitches of it are kept
constexpr Seconds kSeam = milliseconds(3.0);      // at its ends, where it goes round
constexpr int kLookEvery = 100;                   // ms
constexpr int kMiddleC = 60;                      // of MIDI
constexpr int kWordsWide = 62;                    // px, of the words at the left
const QString kUp = QStringLiteral("asdfghjkl");  // 0 to +8
const QString kHigher = QStringLiteral("uiop");   // +9 to +12
const QString kDown = QStringLiteral("zxcvbnm");  // -1 to -7
const QString kLower = QStringLiteral("trewq");   // -8 to -12

// As many semitones up or down as a passage of a song was made to sound, on its own.
Result<AudioBuffer> passageAt(
    const Song& song,
    const Sources& sources,
    const ClipChoice& clips,
    const std::vector<TrackId>& tracks,
    Frames at,
    Frames length,
    double semitones
)
{
    auto moved =
        semitones == 0.0 ? Result<Song>(song) : stretchClips(song, clips, {.semitones = semitones});
    if (!moved) {
        return tl::unexpected(moved.error());
    }
    Song alone = *moved;
    alone.level = {};
    for (const auto& track : moved->tracks) {
        Track changed = *track;
        changed.isMuted = std::ranges::find(tracks, track->id) == tracks.end();
        changed.isSoloed = false;
        putTrack(alone, std::move(changed));
    }
    AudioBuffer sound(2, length);
    if (auto rendered = renderMix(alone, sources, at, sound); !rendered) {
        return tl::unexpected(rendered.error());
    }
    const std::int64_t seam = std::min(toFrames(kSeam, song.rate).count(), length.count() / 2);
    for (int c = 0; c < 2; ++c) {
        auto channel = sound.channel(c);
        for (std::int64_t i = 0; i < seam; ++i) {
            const auto part = static_cast<float>(i) / static_cast<float>(seam);
            channel[static_cast<std::size_t>(i)] *= part;
            channel[channel.size() - 1 - static_cast<std::size_t>(i)] *= part;
        }
    }
    return sound;
}

}  // namespace

std::optional<int> PitchKeys::semitonesOf(int key)
{
    const QString letter = QString(QChar(key)).toLower();
    const auto placeIn = [&](const QString& row) { return static_cast<int>(row.indexOf(letter)); };
    if (key < Qt::Key_A || key > Qt::Key_Z) {
        return std::nullopt;
    }
    if (placeIn(kUp) >= 0) {
        return placeIn(kUp);
    }
    if (placeIn(kHigher) >= 0) {
        return 9 + placeIn(kHigher);
    }
    if (placeIn(kDown) >= 0) {
        return -1 - placeIn(kDown);
    }
    return placeIn(kLower) >= 0 ? std::optional(-8 - placeIn(kLower)) : std::nullopt;
}

PitchKeys::PitchKeys(Session& session, ClipHands& hands, QWidget* parent)
    : QWidget(parent), session_(session), hands_(hands)
{
    setObjectName(QStringLiteral("pitchKeys"));
    setAccessibleName(tr("Try pitches"));
    setToolTip(tr("Hold a key to audition its pitch. Enter applies; Shift restarts."));
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    look_.setInterval(kLookEvery);
    connect(&look_, &QTimer::timeout, this, [this] {
        update();
        if (!trial_ || (trial_->has(kMost) && trial_->has(-kMost))) {
            look_.stop();
        }
    });
    connect(&session_.document, &Document::songChanged, this, &PitchKeys::drop);
    connect(&session_.choice, &Choice::changed, this, [this] {
        if (trial_ && hands_.scope() != tried_) {
            drop();
        }
        update();
    });
}

void PitchKeys::drop()
{
    if (trial_) {
        hold(std::nullopt);
        session_.player.setTrial(nullptr);
        session_.jobs.drop(QStringLiteral("pitches"));
        trial_.reset();
        look_.stop();
        update();
    }
}

Span PitchKeys::passageOf(Span chosen) const
{
    const Song& song = session_.song();
    const Frames longest = toFrames(kLongest, song.rate);
    if (chosen.to - chosen.from <= longest) {
        return chosen;
    }
    const Beats here = song.tempo.beatsAt(toSeconds(session_.player.position(), song.rate));
    const Seconds bar = song.tempo.timeAt(song.tempo.startOfBar(song.tempo.barAt(here)));
    const Frames from = std::clamp(toFrames(bar, song.rate), chosen.from, chosen.to - longest);
    return {from, from + longest};
}

bool PitchKeys::isPast(Span chosen) const
{
    const Frames at = session_.player.position();
    const bool isWithin = at >= trial_->at() && at < trial_->at() + trial_->length();
    return !isWithin && at >= chosen.from && at < chosen.to;
}

void PitchKeys::make()
{
    const ClipChoice clips = hands_.scope();
    const Song& song = session_.song();
    const auto span = spanOf(song, clips);
    const bool isFurther = trial_ && span && isPast(*span);
    if (isFurther) {
        drop();
    }
    if (trial_ || !span) {
        return;
    }
    std::vector<TrackId> tracks;
    for (const PlacedClip& placed : clipsOf(song, clips)) {
        if (std::ranges::find(tracks, placed.track) == tracks.end()) {
            tracks.push_back(placed.track);
        }
    }
    const Span passage = passageOf(*span);
    trial_ = std::make_shared<engine::Trial>(tracks, passage.from, passage.to - passage.from);
    tried_ = clips;
    if (!isFurther) {
        last_.reset();
    }
    session_.player.setTrial(trial_);
    look_.start();
    session_.jobs.run(
        {.key = QStringLiteral("pitches"),
         .title = tr("Preparing pitches"),
         .holds = session_.document.whileOpen()},
        this,
        [song = session_.document.song(),
         sources = session_.document.sources(),
         trial = trial_,
         clips,
         tracks](const Work& work) -> Result<void> {
            // The nearest first: they are tried first.
            for (int k = 0; k < kKeys; ++k) {
                const int semitones = k % 2 == 1 ? (k + 1) / 2 : -k / 2;
                if (work.stopped()) {
                    return cancelled();
                }
                auto sound = passageAt(
                    *song, *sources, clips, tracks, trial->at(), trial->length(), semitones
                );
                if (!sound) {
                    return tl::unexpected(sound.error());
                }
                trial->put(semitones, std::make_shared<const AudioBuffer>(std::move(*sound)));
                work.report(static_cast<double>(k + 1) / kKeys);
            }
            return {};
        },
        [this](const Result<void>& made) {
            if (!made && made.error().kind != ErrorKind::Cancelled) {
                Q_EMIT session_.failed(made.error());
            }
            update();
        }
    );
}

void PitchKeys::hold(std::optional<int> semitones)
{
    if (held_ == semitones) {
        return;
    }
    if (semitones) {
        make();
        if (!trial_) {
            session_.say(tr("Select clips first"));
            return;
        }
        if (!trial_->has(*semitones)) {
            session_.say(tr("This pitch is not ready yet"));
            return;
        }
        last_ = semitones;
    }
    held_ = semitones;
    session_.player.holdPitch(
        held_, QGuiApplication::keyboardModifiers().testFlag(Qt::ShiftModifier)
    );
    update();
}

void PitchKeys::keep()
{
    if (!last_ || !trial_) {
        session_.say(tr("Hold a pitch first; Enter applies the last one"));
        return;
    }
    const int semitones = *last_;
    session_.choice.setClips(tried_);
    drop();
    hands_.stretch({.semitones = static_cast<double>(semitones)});
}

QRectF PitchKeys::keyOf(int semitones) const
{
    const double wide = static_cast<double>(width() - kWordsWide) / kKeys;
    return {kWordsWide + (semitones + kMost) * wide, 4.0, wide, height() - 8.0};
}

std::optional<int> PitchKeys::keyAt(QPointF place) const
{
    const double wide = static_cast<double>(width() - kWordsWide) / kKeys;
    const double key = std::floor((place.x() - kWordsWide) / wide);
    const bool isOn = key >= 0.0 && key < kKeys && place.y() >= 0.0 && place.y() < height();
    return isOn ? std::optional(static_cast<int>(key) - kMost) : std::nullopt;
}

void PitchKeys::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Palette& colours = Theme::palette();
    painter.setFont(Theme::label(9));
    painter.setPen(colours.ink);
    painter.drawText(QRectF(4, 0, kWordsWide - 8, height()), Qt::AlignVCenter, tr("Pitches"));
    for (int semitones = -kMost; semitones <= kMost; ++semitones) {
        const QRectF key = keyOf(semitones).adjusted(0.5, 0.0, -0.5, 0.0);
        const bool isMade = trial_ && trial_->has(semitones);
        const bool isHeld = held_ == semitones;
        painter.fillRect(key, isHeld ? colours.straw : isMade ? colours.lane : colours.edge);
        painter.setPen(
            QPen(last_ == semitones ? colours.ink : colours.barLine, last_ == semitones ? 1.6 : 1.0)
        );
        painter.drawRect(key);
        painter.setPen(isMade ? colours.ink : colours.secondInk);
        painter.setFont(Theme::label(semitones == 0 ? 9 : 8));
        QString text = QString::number(semitones).replace(QLatin1Char('-'), QChar(0x2212));
        painter.drawText(key.adjusted(0, 1, 0, -key.height() / 2), Qt::AlignCenter, text);
        if (hasFocus()) {
            painter.setPen(colours.secondInk);
            for (int letter = Qt::Key_A; letter <= Qt::Key_Z; ++letter) {
                if (semitonesOf(letter) == semitones) {
                    painter.drawText(
                        key.adjusted(0, key.height() / 2, 0, -1),
                        Qt::AlignCenter,
                        QString(QChar(letter)).toLower()
                    );
                }
            }
        }
    }
    if (hasFocus()) {
        painter.setPen(QPen(colours.ink, 1.0, Qt::DotLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

void PitchKeys::showEvent(QShowEvent*)
{
    midi_ = std::make_unique<engine::MidiKeys>([this](int note, bool isDown) {
        QMetaObject::invokeMethod(
            this, [this, note, isDown] { playNote(note, isDown); }, Qt::QueuedConnection
        );
    });
    midi_->watch();
}

void PitchKeys::hideEvent(QHideEvent*)
{
    midi_.reset();
    hold(std::nullopt);
}

void PitchKeys::playNote(int note, bool isDown)
{
    const int semitones = note - kMiddleC;
    if (isDown && std::abs(semitones) <= kMost) {
        hold(semitones);
    } else if (!isDown && held_ == semitones) {
        hold(std::nullopt);
    }
}

void PitchKeys::enterEvent(QEnterEvent*)
{
    // Only what was chosen: who merely passes by asks for nothing.
    if (!session_.choice.clips().empty()) {
        make();
    }
}

void PitchKeys::focusInEvent(QFocusEvent*)
{
    make();
    update();
}

void PitchKeys::focusOutEvent(QFocusEvent*)
{
    hold(std::nullopt);
    update();
}

void PitchKeys::mousePressEvent(QMouseEvent* event)
{
    setFocus();
    hold(keyAt(event->position()));
}

void PitchKeys::mouseMoveEvent(QMouseEvent* event)
{
    if (event->buttons().testFlag(Qt::LeftButton)) {
        if (const auto key = keyAt(event->position())) {
            hold(key);
        }
    }
}

void PitchKeys::mouseReleaseEvent(QMouseEvent*)
{
    hold(std::nullopt);
}

// Its letters are no commands while it has the keys.
bool PitchKeys::event(QEvent* event)
{
    if (event->type() == QEvent::ShortcutOverride) {
        const auto* key = static_cast<QKeyEvent*>(event);
        const bool isEnter = key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter;
        const bool isPlain = (key->modifiers() & ~Qt::ShiftModifier) == 0;
        if (isPlain && (isEnter || semitonesOf(key->key()))) {
            event->accept();
            return true;
        }
    }
    return QWidget::event(event);
}

void PitchKeys::keyPressEvent(QKeyEvent* event)
{
    const auto semitones = semitonesOf(event->key());
    if (event->isAutoRepeat()) {
        return;
    }
    if (semitones) {
        hold(semitones);
    } else if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) {
        keep();
    } else if (event->key() == Qt::Key_Escape) {
        drop();
        clearFocus();
    } else {
        QWidget::keyPressEvent(event);
    }
}

void PitchKeys::keyReleaseEvent(QKeyEvent* event)
{
    if (!event->isAutoRepeat() && held_ && semitonesOf(event->key()) == held_) {
        hold(std::nullopt);
    }
}

}  // namespace orthochron::app
