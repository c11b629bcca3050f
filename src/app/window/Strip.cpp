#include "app/window/Strip.h"

#include <QActionGroup>
#include <QFile>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QPainter>
#include <QPushButton>
#include <QSvgRenderer>
#include <QToolButton>

#include "app/theme/Theme.h"

namespace orthochron::app {

namespace {

// Our icons are drawn in ink; by night in the night's ink.
QIcon inkIcon(const QString& name)
{
    QFile file(QStringLiteral(":/icons/%1.svg").arg(name));
    if (!file.open(QIODevice::ReadOnly)) {
        return {};
    }
    QByteArray drawing = file.readAll();
    drawing.replace("#22303C", Theme::palette().ink.name().toLatin1());
    QSvgRenderer renderer(drawing);
    QPixmap pixmap(44, 44);
    pixmap.fill(Qt::transparent);
    QPainter painter(&pixmap);
    renderer.render(&painter);
    painter.end();
    pixmap.setDevicePixelRatio(2.0);
    return QIcon(pixmap);
}

QLabel* label(QWidget* parent, const QFont& font, bool isSecond = false)
{
    auto* made = new QLabel(parent);
    made->setTextFormat(Qt::PlainText);  // a song's name is shown as it stands
    made->setFont(font);
    if (isSecond) {
        made->setForegroundRole(QPalette::PlaceholderText);
    }
    return made;
}

QVBoxLayout* pair(QWidget* first, QWidget* second)
{
    auto* layout = new QVBoxLayout;
    layout->setSpacing(0);
    layout->addStretch();
    layout->addWidget(first);
    layout->addWidget(second);
    layout->addStretch();
    return layout;
}

}  // namespace

LevelMeter::LevelMeter(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    setAccessibleName(tr("Level"));
    setMinimumWidth(150);
}

void LevelMeter::tick()
{
    const auto peaks = session_.player.peaks();
    for (std::size_t c = 0; c < 2; ++c) {
        const double now = toDecibels(static_cast<double>(peaks[c]));
        level_[c] = std::max(now, std::max(level_[c] - 1.2, -90.0));
        held_ = std::max(held_ - 0.15, now);
    }
    update();
}

void LevelMeter::paintEvent(QPaintEvent*)
{
    const Palette& colours = Theme::palette();
    QPainter painter(this);
    const auto width = static_cast<double>(this->width() - 4);
    const auto x = [&](double decibels) {
        return std::clamp((decibels + 60.0) / 60.0, 0.0, 1.0) * width;
    };
    for (int c = 0; c < 2; ++c) {
        const QRectF bar(2, 5 + c * 8, width, 5);
        painter.fillRect(bar, colours.lane);
        const double level = level_[static_cast<std::size_t>(c)];
        painter.fillRect(
            QRectF(bar.left(), bar.top(), x(level), bar.height()),
            level > -0.1 ? colours.late : colours.ink
        );
    }
    painter.setFont(Theme::label(8));
    painter.setPen(colours.secondInk);
    QString peak = held_ > -80.0 ? QStringLiteral("%1 dB · ").arg(held_, 0, 'f', 1) : QString();
    peak.replace(QLatin1Char('-'), QChar(0x2212));
    const QString device = session_.player.isMakingReady() ? tr("stretching ahead…")
                           : session_.player.trouble().empty()
                               ? QString::fromStdString(session_.player.device().name())
                               : QString::fromStdString(session_.player.trouble());
    const QString dropouts = session_.player.dropouts() > 0
                                 ? tr(" · %1 dropouts").arg(session_.player.dropouts())
                                 : QString();
    painter.drawText(
        QRect(2, 20, this->width() - 4, 14),
        Qt::AlignLeft | Qt::AlignVCenter,
        painter.fontMetrics().elidedText(
            peak + device + dropouts, Qt::ElideRight, this->width() - 4
        )
    );
}

Strip::Strip(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    setFixedHeight(qRound(46 * std::max(1.0, Theme::fontScale())));
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(16, 0, 16, 0);
    layout->setSpacing(10);
    song_ = label(this, Theme::text(10.5, QFont::DemiBold));
    state_ = label(this, Theme::label(8.5), true);
    state_->setObjectName(QStringLiteral("songState"));
    song_->setFixedWidth(168);
    state_->setFixedWidth(168);
    layout->addLayout(pair(song_, state_));
    recorded_ = new QPushButton(tr("Recorded"), this);
    edited_ = new QPushButton(tr("Edited"), this);
    recorded_->setObjectName(QStringLiteral("recordedSide"));
    edited_->setObjectName(QStringLiteral("editedSide"));
    auto* sides = new QHBoxLayout;
    sides->setSpacing(0);
    for (QPushButton* side : {recorded_, edited_}) {
        side->setCheckable(true);
        side->setFocusPolicy(Qt::TabFocus);
        sides->addWidget(side);
    }
    layout->addLayout(sides);
    const auto tool = [this](const QString& name, const QString& tip) {
        auto* button = new QToolButton(this);
        button->setAutoRaise(true);
        button->setIconSize(QSize(22, 22));
        button->setToolTip(tip);
        button->setAccessibleName(tip);
        button->setObjectName(name);
        button->setFocusPolicy(Qt::TabFocus);
        return button;
    };
    auto* back = tool(QStringLiteral("back"), tr("Go to start"));
    back->setIcon(inkIcon(QStringLiteral("back")));
    play_ = tool(QStringLiteral("play"), tr("Play or stop"));
    play_->setIcon(inkIcon(QStringLiteral("play")));
    loop_ = tool(QStringLiteral("loop"), tr("Loop selected range"));
    loop_->setIcon(inkIcon(QStringLiteral("loop")));
    loop_->setCheckable(true);
    layout->addSpacing(4);
    layout->addWidget(back);
    layout->addWidget(play_);
    layout->addWidget(loop_);
    place_ = label(this, Theme::text(15, QFont::DemiBold));
    place_->setObjectName(QStringLiteral("place"));
    place_->setFixedWidth(74);
    place_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    off_ = label(this, Theme::text(9.5, QFont::DemiBold));
    off_->setFixedWidth(64);
    layout->addWidget(place_);
    layout->addWidget(off_);
    clock_ = label(this, Theme::text(9.5));
    clock_->setFixedWidth(70);
    auto* line = label(this, Theme::label(8.5), true);
    line->setText(tr("time"));
    off_->setToolTip(tr("Distance from the nearest beat."));
    layout->addLayout(pair(clock_, line));
    tempo_ = label(this, Theme::text(9.5, QFont::DemiBold));
    meter_ = label(this, Theme::label(8.5), true);
    layout->addLayout(pair(tempo_, meter_));
    layout->addSpacing(8);
    click_ = new QPushButton(this);
    click_->setObjectName(QStringLiteral("click"));
    click_->setFlat(true);
    click_->setStyleSheet(QStringLiteral(
        "border:0;padding:0;text-align:left;background:transparent;color:palette(window-text)"
    ));
    click_->setFont(Theme::text(9.5, QFont::DemiBold));
    clickAbout_ = label(this, Theme::label(8.5), true);
    layout->addLayout(pair(click_, clickAbout_));
    layout->addSpacing(8);
    rate_ = new RateButton(session_, this);
    layout->addLayout(pair(rate_, rate_->about()));
    layout->addStretch();
    levels_ = new LevelMeter(session_, this);
    layout->addWidget(levels_);

    auto* menu = new QMenu(click_);
    auto* sounds = new QActionGroup(menu);
    auto* onOff = menu->addAction(tr("Click on"), this, &Strip::toggleClick);
    onOff->setCheckable(true);
    menu->addSeparator();
    for (const auto& [text, sound] :
         {std::pair{tr("Wood"), engine::ClickSound::Wood},
          std::pair{tr("Bell"), engine::ClickSound::Bell},
          std::pair{tr("Tick"), engine::ClickSound::Tick}}) {
        auto* action = menu->addAction(text, this, [this, kind = sound] {
            auto click = session_.player.click();
            click.sound = kind;
            session_.player.setClick(click);
            fill();
        });
        action->setActionGroup(sounds);
    }
    menu->addSeparator();
    for (const double level : {0.0, -6.0, -12.0, -18.0, -24.0}) {
        menu->addAction(tr("%1 dB").arg(level), this, [this, level] {
            auto click = session_.player.click();
            click.decibels = level;
            session_.player.setClick(click);
            fill();
        });
    }
    connect(menu, &QMenu::aboutToShow, this, [this, onOff] {
        onOff->setChecked(session_.player.click().isOn);
    });
    click_->setMenu(menu);
    connect(recorded_, &QPushButton::clicked, this, [this] {
        session_.player.setSide(engine::Side::Recorded);
        fill();
    });
    connect(edited_, &QPushButton::clicked, this, [this] {
        session_.player.setSide(engine::Side::Edited);
        fill();
    });
    connect(back, &QToolButton::clicked, this, [this] {
        session_.player.seek(Frames(0));
        session_.shown.reveal(Frames(0));
    });
    connect(play_, &QToolButton::clicked, this, &Strip::togglePlay);
    connect(loop_, &QToolButton::clicked, this, &Strip::toggleLoop);
    connect(&session_.document, &Document::songChanged, this, &Strip::fill);
    connect(&session_.document, &Document::stateChanged, this, &Strip::fill);
    connect(&session_.choice, &Choice::changed, this, &Strip::fill);
    fill();
}

void Strip::togglePlay()
{
    if (session_.player.isPlaying()) {
        session_.player.stop();
    } else if (const auto& loop = session_.player.loop();
               loop && (session_.player.position() < loop->from ||
                        session_.player.position() >= loop->to)) {
        session_.player.seek(loop->from);
        session_.player.play();
    } else {
        session_.player.play();
    }
}

void Strip::toggleSide()
{
    const bool isEdited = session_.player.side() == engine::Side::Edited;
    session_.player.setSide(isEdited ? engine::Side::Recorded : engine::Side::Edited);
    fill();
}

void Strip::toggleLoop()
{
    if (session_.player.loop()) {
        session_.player.setLoop(std::nullopt);
    } else if (const auto& range = session_.choice.range()) {
        session_.player.setLoop(engine::LoopRange{range->from, range->to});
    } else {
        session_.say(tr("Select a range first: drag in the ruler"));
    }
    fill();
}

void Strip::toggleClick()
{
    auto click = session_.player.click();
    click.isOn = !click.isOn;
    session_.player.setClick(click);
    fill();
}

void Strip::fill()
{
    const Song& song = session_.song();
    const QString name = song.name.empty() ? tr("New song") : QString::fromStdString(song.name);
    song_->setText(song_->fontMetrics().elidedText(name, Qt::ElideRight, 164));
    const QString saved = session_.document.path().isEmpty() ? tr("not saved yet")
                          : session_.document.isChanged()    ? tr("unsaved changes")
                                                             : tr("saved");
    const MicSet* set = session_.choice.set();
    const bool isKit = set != nullptr && !set->isLone();
    state_->setText(
        isKit ? tr("%1 · %2 takes in the %3")
                    .arg(saved)
                    .arg(set->tracks.size())
                    .arg(QString::fromStdString(set->name).toLower())
              : saved
    );
    recorded_->setChecked(session_.player.side() == engine::Side::Recorded);
    edited_->setChecked(session_.player.side() == engine::Side::Edited);
    loop_->setChecked(session_.player.loop().has_value());
    showTempo();
    const auto& click = session_.player.click();
    click_->setText(click.isOn ? tr("Click on") : tr("Click off"));
    const QString sound = click.sound == engine::ClickSound::Wood   ? tr("wood")
                          : click.sound == engine::ClickSound::Bell ? tr("bell")
                                                                    : tr("tick");
    clickAbout_->setText(QStringLiteral("%1, %2 dB")
                             .arg(sound)
                             .arg(click.decibels)
                             .replace(QLatin1Char('-'), QChar(0x2212)));
    tick();
}

// Where the playhead is; a map of one point is steady.
void Strip::showTempo()
{
    const Song& song = session_.song();
    const TempoMap& map = song.tempo;
    const Beats here = map.beatsAt(toSeconds(session_.player.position(), song.rate));
    const bool isSteady = map.tempi().size() == 1;
    tempo_->setText(
        isSteady ? tr("%1 bpm").arg(map.bpmAt(here)) : tr("%1 bpm").arg(map.bpmAt(here), 0, 'f', 1)
    );
    const Meter meter = map.meterOfBar(map.barAt(here));
    meter_->setText((isSteady ? tr("%1/%2 · steady") : tr("%1/%2 · follows"))
                        .arg(meter.numerator)
                        .arg(meter.denominator));
}

void Strip::tick()
{
    showTempo();
    const Song& song = session_.song();
    const Frames at = session_.player.position();
    const PlaceText place = placeText(song, at);
    place_->setText(place.place);
    off_->setText(place.off);
    QPalette colours = off_->palette();
    colours.setColor(QPalette::WindowText, Theme::colourOf(place.offMs, 0.5));
    off_->setPalette(colours);
    const double seconds = toSeconds(at, song.rate).count();
    clock_->setText(QStringLiteral("%1:%2")
                        .arg(static_cast<int>(seconds) / 60)
                        .arg(std::fmod(seconds, 60.0), 6, 'f', 3, QLatin1Char('0')));
    const bool isPlaying = session_.player.isPlaying();
    if (isPlaying != showsStop_) {
        showsStop_ = isPlaying;
        play_->setIcon(inkIcon(isPlaying ? QStringLiteral("stop") : QStringLiteral("play")));
    }
    levels_->tick();
}

void Strip::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.fillRect(rect(), Theme::palette().edge);
    painter.setPen(QPen(Theme::palette().barLine, 1));
    painter.drawLine(0, height() - 1, width(), height() - 1);
}

}  // namespace orthochron::app
