#include "app/stages/shape/SpeedBench.h"

#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QScopedValueRollback>

#include "app/controls/Counted.h"
#include "app/stages/Bench.h"

#include <algorithm>

namespace orthochron::app {

SpeedBench::SpeedBench(Session& session, SpeedHands& hands, QWidget* parent)
    : QWidget(parent), session_(session), hands_(hands)
{
    auto* column = benchColumn(this);
    spinOf_ = benchTitle(QString(), this);
    column->addWidget(spinOf_);
    spinBeats_ =
        new NumberField(tr("Length"), {tr("beats"), 2, 0.0, 10000.0, 2.0, 0.02}, false, this);
    spinBeats_->setObjectName(QStringLiteral("spinBeats"));
    column->addWidget(spinBeats_);
    spinBeats_->setValue(2.0);
    spinBeats_->setOtherUnit({tr("s"), 3, 0.0, 10000.0, 1.0, 0.01});
    spinSpeed_ = new NumberField(
        tr("Target speed"), {QStringLiteral("%"), 0, 0.0, 400.0, 0.0, 0.5}, false, this
    );
    spinSpeed_->setObjectName(QStringLiteral("spinSpeed"));
    column->addWidget(spinSpeed_);
    pointPitch_ = new NumberField(
        tr("Pitch"), {tr("st"), 2, -kMostPitch, kMostPitch, 0.0, 0.02}, false, this
    );
    pointPitch_->setObjectName(QStringLiteral("pointPitch"));
    column->addWidget(pointPitch_);
    spinLevel_ = new QCheckBox(tr("Fade level"), this);
    spinLevel_->setObjectName(QStringLiteral("spinLevel"));
    spinLevel_->setChecked(true);
    auto* spins = new QHBoxLayout;
    auto* down = benchButton(tr("Spin down"), QStringLiteral("spinDown"), false, this);
    auto* up = benchButton(tr("Spin up"), QStringLiteral("spinUp"), false, this);
    down->setToolTip(tr("Spin-down: the clip slows to a standstill, as a stopping tape."));
    up->setToolTip(tr("Spin-up: the clip starts from a standstill, as a starting tape."));
    unspin_ = benchButton(tr("Delete spins"), QStringLiteral("noSpin"), false, this);
    unspin_->setToolTip(tr("Deletes the spins of the selected clips."));
    spins->addWidget(spinLevel_, 1);
    spins->addWidget(down);
    spins->addWidget(up);
    spins->addWidget(unspin_);
    column->addLayout(spins);
    auto* speed = new QHBoxLayout;
    drawSpeed_ = benchButton(tr("Draw speed"), QStringLiteral("drawSpeed"), false, this);
    drawSpeed_->setCheckable(true);
    drawSpeed_->setToolTip(tr("Draw from standstill to four times speed; pitch follows, as on tape."
    ));
    speedKeeps_ = new QComboBox(this);
    speedKeeps_->setObjectName(QStringLiteral("speedKeeps"));
    speedKeeps_->setAccessibleName(tr("What drawing a speed line keeps"));
    speedKeeps_->addItems(
        {tr("keep length"), tr("keep content"), tr("keep content, ripple"), tr("pitch only")}
    );
    speed->addWidget(drawSpeed_);
    pitchRange_ =
        new NumberField(tr("±"), {tr("st"), 1, 0.5, kMostPitch, kMostPitch, 0.1}, false, this);
    pitchRange_->setObjectName(QStringLiteral("pitchRange"));
    pitchRange_->setFixedWidth(84);
    pitchRange_->setMeaning(tr("Semitones from a lane's middle to its edges."));
    // It yields to the field beside it.
    speedKeeps_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    speedKeeps_->setMinimumContentsLength(8);
    speed->addWidget(speedKeeps_, 1);
    speed->addWidget(pitchRange_);
    column->addLayout(speed);
    for (QPushButton* narrow : {down, up, unspin_, drawSpeed_}) {
        narrow->setStyleSheet(QStringLiteral("padding-left:8px;padding-right:8px"));
    }
    connect(drawSpeed_, &QPushButton::toggled, &hands_, &SpeedHands::setDrawsSpeed);
    connect(speedKeeps_, &QComboBox::activated, this, [this](int keeps) {
        hands_.keepSpeed(static_cast<SpeedKeeps>(keeps));
    });
    connect(spinSpeed_, &NumberField::finished, this, [this](double percent) {
        if (!isFilling_) {
            hands_.setPointSpeed(percent / 100.0);
        }
    });
    connect(pointPitch_, &NumberField::finished, this, [this](double semitones) {
        if (!isFilling_) {
            hands_.setPointSpeed(speedOfPitch(semitones));
        }
    });
    connect(pitchRange_, &NumberField::changed, &hands_, &SpeedHands::setPitchRange);
    connect(spinBeats_, &NumberField::finished, this, [this] {
        const auto point = hands_.speedPoint();
        const auto pointed = point ? clipOf(session_.song(), point->clip) : std::nullopt;
        if (!isFilling_ && pointed) {
            const Seconds start = toSeconds(pointed->clip.at, session_.song().rate);
            const TempoMap& map = session_.song().tempo;
            hands_.setPointPlace(map.beatsAt(typedFrom(start, 1.0)) - map.beatsAt(start));
        }
    });
    connect(spinBeats_, &NumberField::unitSwitched, this, &SpeedBench::fill);
    connect(down, &QPushButton::clicked, this, [this] { spin(true); });
    connect(up, &QPushButton::clicked, this, [this] { spin(false); });
    connect(unspin_, &QPushButton::clicked, this, &SpeedBench::takeAway);
    connect(spinLevel_, &QCheckBox::clicked, this, [this](bool isOn) {
        if (unspin_->isEnabled()) {
            hands_.spinLevel(isOn);
        }
    });
    connect(&hands_, &SpeedHands::changed, this, &SpeedBench::fill);
    fill();
}

void SpeedBench::fill()
{
    const QScopedValueRollback filling(isFilling_, true);
    const Song& song = session_.song();
    const ClipChoice spun = hands_.spun();
    const auto placed = clipsOf(song, spun);
    spinOf_->setText(
        session_.choice.clips().size() > 1
            ? tr("Spin of %1").arg(counted(std::ssize(spun), tr("clip"), tr("clips")))
            : tr("Spin of clip")
    );
    const auto spinning = std::ranges::find_if(placed, [](const PlacedClip& each) {
        return each.clip.sound.treatment && !each.clip.sound.treatment->speed.isEmpty();
    });
    unspin_->setEnabled(spinning != placed.end());
    const bool isAtPoint = hands_.speedPoint().has_value();
    spinBeats_->setLabel(isAtPoint ? tr("Position") : tr("Length"));
    spinSpeed_->setLabel(isAtPoint ? tr("Speed") : tr("Target speed"));
    const auto point = hands_.speedPoint();
    const auto pointed = point ? clipOf(song, point->clip) : std::nullopt;
    const bool isOfPitch = pointed && keepsTime(pointed->clip);
    pointPitch_->setVisible(isOfPitch);
    spinSpeed_->setVisible(!isOfPitch);
    pitchRange_->setVisible(hands_.speedKeeps == SpeedKeeps::Time);
    pitchRange_->setValue(hands_.pitchRange());
    if (spinning == placed.end()) {
        return;
    }
    // What is looked at says how it is, where that differs.
    if (const bool isTimed = keepsTime(spinning->clip);
        isTimed != (hands_.speedKeeps == SpeedKeeps::Time)) {
        hands_.speedKeeps = isTimed ? SpeedKeeps::Time : SpeedKeeps::Length;
        speedKeeps_->setCurrentIndex(static_cast<int>(hands_.speedKeeps));
        pitchRange_->setVisible(isTimed);
    }
    const Spins spins = orthochron::spinsOf(spinning->clip);
    const auto& spin = spins.down ? spins.down : spins.up;
    if (pointed) {
        const double speed = speedPointsOf(pointed->clip)[point->index].speed;
        spinSpeed_->setValue(100.0 * speed);
        pointPitch_->setValue(pitchOfSpeed(speed));
        const Seconds start = toSeconds(pointed->clip.at, song.rate);
        const Beats place = song.tempo.beatsAt(start) + hands_.pointPlace();
        sayFrom(start, song.tempo.timeAt(place));
    } else if (spin) {
        const Frames end = spinning->clip.end();
        sayFrom(toSeconds(end - spin->length, song.rate), toSeconds(end, song.rate));
        spinSpeed_->setValue(100.0 * spin->speed);
    }
    spinLevel_->setChecked(spins.followsLevel);
}

Seconds SpeedBench::typedFrom(Seconds place, double way) const
{
    const double value = way * spinBeats_->value();
    const TempoMap& map = session_.song().tempo;
    return spinBeats_->unit() == tr("s") ? place + Seconds(value)
                                         : map.timeAt(map.beatsAt(place) + Beats(value));
}

void SpeedBench::sayFrom(Seconds from, Seconds to)
{
    const TempoMap& map = session_.song().tempo;
    spinBeats_->setValue(
        spinBeats_->unit() == tr("s") ? (to - from).count()
                                      : (map.beatsAt(to) - map.beatsAt(from)).count()
    );
}

void SpeedBench::takeAway()
{
    const auto placed = clipsOf(session_.song(), hands_.spun());
    const auto drawn = std::ranges::find_if(placed, [](const PlacedClip& each) {
        const Spins own = orthochron::spinsOf(each.clip);
        return !own.up && !own.down && !speedPointsOf(each.clip).empty();
    });
    if (drawn != placed.end()) {
        hands_.setSpeedLine(drawn->clip.id, {}, tr("Delete speed line"));
        return;
    }
    for (const bool isDown : {true, false}) {
        const bool isThere = std::ranges::any_of(placed, [&](const PlacedClip& each) {
            const Spins own = orthochron::spinsOf(each.clip);
            return (isDown ? own.down : own.up).has_value();
        });
        if (isThere) {
            hands_.spin(isDown, std::nullopt);
        }
    }
}

void SpeedBench::spin(bool isDown)
{
    const Song& song = session_.song();
    const auto placed = clipsOf(song, hands_.spun());
    if (placed.empty()) {
        session_.say(tr("Select a clip, or place the playhead in one"));
        return;
    }
    const Clip& clip = placed.front().clip;
    const Seconds edge = toSeconds(isDown ? clip.end() : clip.at, song.rate);
    const Seconds other = typedFrom(edge, isDown ? -1.0 : 1.0);
    Spin spin;
    spin.length = toFrames(Seconds(std::abs((other - edge).count())), song.rate);
    spin.speed = spinSpeed_->value() / 100.0;
    hands_.spin(isDown, spin);
}

}  // namespace orthochron::app
