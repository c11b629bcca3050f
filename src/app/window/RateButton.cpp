#include "app/window/RateButton.h"

#include <QActionGroup>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QWidgetAction>

#include "app/theme/Theme.h"

#include <array>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr std::array kUsual{0.5, 0.75, 0.9, 1.0, 1.1, 1.25, 1.5, 2.0};
constexpr double kStep = 0.05;

double semitonesAt(double speed)
{
    return 12.0 * std::log2(speed);
}

}  // namespace

std::optional<double> readRate(const QString& text, double songBpm)
{
    QString number = text.trimmed().toLower();
    number.replace(QChar(0x2212), QLatin1Char('-')).replace(QLatin1Char(','), QLatin1Char('.'));
    enum class Unit { Percent, Tempo, Semitones } unit = Unit::Percent;
    for (const auto& [ending, meant] :
         {std::pair{QStringLiteral("bpm"), Unit::Tempo},
          std::pair{QStringLiteral("st"), Unit::Semitones},
          std::pair{QStringLiteral("%"), Unit::Percent}}) {
        if (number.endsWith(ending)) {
            number.chop(ending.size());
            unit = meant;
            break;
        }
    }
    bool isNumber = false;
    const double value = number.trimmed().toDouble(&isNumber);
    const double speed = unit == Unit::Tempo       ? value / songBpm
                         : unit == Unit::Semitones ? std::exp2(value / 12.0)
                                                   : value / 100.0;
    const bool isPossible = speed >= engine::kLeastRate && speed <= engine::kMostRate;
    return isNumber && isPossible ? std::optional(speed) : std::nullopt;
}

RateButton::RateButton(Session& session, QWidget* parent) : QPushButton(parent), session_(session)
{
    setObjectName(QStringLiteral("rate"));
    setAccessibleName(tr("Playback speed"));
    setToolTip(tr("Playback speed; the song does not change"));
    setFlat(true);
    setStyleSheet(QStringLiteral(
        "border:0;padding:0;text-align:left;background:transparent;color:palette(window-text)"
    ));
    setFont(Theme::text(9.5, QFont::DemiBold));
    about_ = new QLabel(parent);
    about_->setObjectName(QStringLiteral("rateAbout"));
    about_->setFont(Theme::label(8.5));
    about_->setForegroundRole(QPalette::PlaceholderText);
    auto* menu = new QMenu(this);
    typed_ = new QLineEdit(menu);
    typed_->setObjectName(QStringLiteral("typedRate"));
    typed_->setAccessibleName(tr("Speed"));
    typed_->setPlaceholderText(tr("80 %, 110 bpm or −2 st"));
    auto* typing = new QWidgetAction(menu);
    typing->setDefaultWidget(typed_);
    menu->addAction(typing);
    menu->addSeparator();
    for (const double speed : kUsual) {
        menu->addAction(tr("%1 %").arg(100.0 * speed, 0, 'f', 0), this, [this, speed] {
            set(speed, session_.player.rate().keepsPitch);
        });
    }
    menu->addSeparator();
    auto* ways = new QActionGroup(menu);
    const auto addWay = [&](const QString& text, bool keepsPitch, bool isInSemitones) {
        auto* way = menu->addAction(text, this, [this, keepsPitch, isInSemitones] {
            isInSemitones_ = isInSemitones;
            set(session_.player.rate().speed, keepsPitch);
        });
        way->setCheckable(true);
        ways->addAction(way);
        return way;
    };
    QAction* kept = addWay(tr("Keep pitch"), true, false);
    QAction* follows = addWay(tr("Pitch follows (tape)"), false, false);
    QAction* inSemitones = addWay(tr("Pitch follows in semitones"), false, true);
    setMenu(menu);
    connect(typed_, &QLineEdit::returnPressed, this, [this, menu] {
        take();
        menu->close();
    });
    connect(menu, &QMenu::aboutToShow, this, [this, kept, follows, inSemitones] {
        const bool isKept = session_.player.rate().keepsPitch;
        kept->setChecked(isKept);
        follows->setChecked(!isKept && !isInSemitones_);
        inSemitones->setChecked(!isKept && isInSemitones_);
        typed_->setText(text());
        typed_->selectAll();
        typed_->setFocus();
    });
    fill();
}

double RateButton::songBpm() const
{
    const Song& song = session_.song();
    return song.tempo.bpmAt(song.tempo.beatsAt(toSeconds(session_.player.position(), song.rate)));
}

void RateButton::take()
{
    if (const auto speed = readRate(typed_->text(), songBpm())) {
        set(*speed, session_.player.rate().keepsPitch);
    } else {
        session_.say(tr("Enter 25 to 400 %, a tempo (110 bpm) or semitones (-2 st)"));
    }
}

void RateButton::set(double speed, bool keepsPitch)
{
    if (!keepsPitch && isInSemitones_) {
        speed = std::exp2(std::round(semitonesAt(speed)) / 12.0);
    }
    session_.player.setRate({speed, keepsPitch});
    fill();
}

void RateButton::step(int by)
{
    const engine::RateSettings& now = session_.player.rate();
    const bool isBySemitones = !now.keepsPitch && isInSemitones_;
    set(isBySemitones ? now.speed * std::exp2(by / 12.0)
                      : std::round(now.speed / kStep + by) * kStep,
        now.keepsPitch);
    session_.say(tr("Playback speed %1").arg(text()));
}

void RateButton::reset()
{
    set(1.0, session_.player.rate().keepsPitch);
}

void RateButton::fill()
{
    const engine::RateSettings& now = session_.player.rate();
    setText(tr("%1 %").arg(100.0 * now.speed, 0, 'f', now.keepsPitch || now.isPlain() ? 0 : 1));
    QString how = now.isPlain()    ? tr("original")
                  : now.keepsPitch ? tr("pitch kept")
                                   : tr("pitch %1 st").arg(semitonesAt(now.speed), 0, 'f', 1);
    about_->setText(how.replace(QLatin1Char('-'), QChar(0x2212)));
}

}  // namespace orthochron::app
