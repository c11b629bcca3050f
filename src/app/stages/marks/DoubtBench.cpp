#include "app/stages/marks/DoubtBench.h"

#include <QHBoxLayout>
#include <QPainter>

#include "app/controls/Counted.h"
#include "app/stages/Bench.h"
#include "app/theme/Theme.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr int kFrameHeight = 106;

QString sureText(double confidence)
{
    return QObject::tr("confidence %1").arg(confidence, 0, 'f', 2);
}

double gainFor(std::span<const float> samples, double height)
{
    float highest = 1e-3F;  // noise is not drawn as a roar
    for (const float sample : samples) {
        highest = std::max(highest, std::abs(sample));
    }
    return height / 2.0 / static_cast<double>(highest);
}

}  // namespace

DoubtSheet::DoubtSheet(Session& session, DoubtReview& review, QWidget* parent)
    : FrameSheet(kFrameHeight, parent), session_(session), review_(review)
{
    setObjectName(QStringLiteral("doubtSheet"));
    setAccessibleName(tr("All doubtful marks, worst first"));
    connect(&review_, &DoubtReview::changed, this, [this] { update(); });
}

QString DoubtSheet::emptyText() const
{
    if (!std::ranges::any_of(session_.song().tracks, [](const auto& track) {
            return !track->marks.empty();
        })) {
        return tr("No hits yet. Find hits to list doubtful marks here.");
    }
    return session_.hits.analysis() == nullptr
               ? tr("No doubtful marks. Find hits again to list possible misses.")
               : tr("No doubtful marks: every hit is certain or confirmed.");
}

void DoubtSheet::paintFrame(QPainter& painter, QRect frame, std::size_t place)
{
    const Palette& colours = Theme::palette();
    const DoubtfulHit& doubt = review_.doubts()[place];
    const PlaceText where = placeText(session_.song(), review_.heardAt(place));
    paintHead(
        painter,
        frame,
        review_.place() == place,
        false,
        where.place + QStringLiteral("  ") + where.off,
        sureText(doubt.confidence)
    );
    const QRectF waves = QRectF(frame).adjusted(5, 22, -5, -21);
    const DoubtPicture* picture = review_.picture(place);
    double moment = waves.left() + 0.6 * waves.width();
    if (picture != nullptr) {
        const QRectF lead(waves.left(), waves.top(), waves.width(), 0.55 * waves.height());
        const QRectF beside(
            waves.left(), waves.top() + 0.55 * waves.height(), waves.width(), 0.45 * waves.height()
        );
        painter.setPen(QPen(colours.wave, 1.0));
        paintSamples(painter, picture->lead, lead, gainFor(picture->lead, lead.height()));
        painter.setPen(QPen(colours.secondInk, 1.0));
        paintSamples(painter, picture->beside, beside, gainFor(picture->beside, beside.height()));
        if (const auto other = session_.song().track(review_.beside(doubt))) {
            painter.setFont(Theme::label(7.5));
            const QString name = QString::fromStdString(other->name);
            const QRectF ground = painter.boundingRect(beside, Qt::AlignLeft | Qt::AlignTop, name);
            painter.fillRect(ground, colours.lane);
            painter.drawText(beside, Qt::AlignLeft | Qt::AlignTop, name);
        }
        moment = waves.left() + waves.width() * static_cast<double>(picture->before.count()) /
                                    static_cast<double>(picture->lead.size());
    }
    painter.setPen(QPen(colours.finding, 1.5, doubt.isMissing() ? Qt::DashLine : Qt::SolidLine));
    painter.drawLine(QPointF(moment, waves.top()), QPointF(moment, waves.bottom()));
    painter.setPen(QPen(colours.finding, 1.5));
    painter.setBrush(doubt.isMissing() ? colours.lane : colours.finding);
    painter.drawEllipse(QPointF(moment, waves.bottom()), 3.0, 3.0);
    painter.setFont(Theme::label(8.5, QFont::DemiBold));
    painter.drawText(
        frame.adjusted(7, 0, -7, -4),
        Qt::AlignLeft | Qt::AlignBottom,
        painter.fontMetrics().elidedText(
            review_.question(doubt), Qt::ElideRight, frame.width() - 14
        )
    );
}

DoubtBench::DoubtBench(Session& session, DoubtReview& review, QWidget* parent)
    : QWidget(parent), review_(review), session_(session)
{
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(20);
    auto* left = new QVBoxLayout;
    title_ = benchTitle(QString(), this);
    title_->setObjectName(QStringLiteral("doubtTitle"));
    left->addWidget(title_);
    sheet_ = new DoubtSheet(session_, review_, this);
    left->addWidget(sheet_, 1);
    layout->addLayout(left, 5);
    auto* right = new QVBoxLayout;
    right->setSpacing(5);
    place_ = benchTitle(QString(), this);
    place_->setObjectName(QStringLiteral("doubtPlace"));
    why_ = benchNote(QString(), this);
    why_->setObjectName(QStringLiteral("doubtWhy"));
    kind_ = benchTitle(QString(), this);
    kind_->setObjectName(QStringLiteral("doubtKind"));
    right->addWidget(place_);
    right->addWidget(why_);
    right->addSpacing(4);
    right->addWidget(kind_);
    auto* all = new QHBoxLayout;
    allAway_ = benchButton(tr("Delete all"), QStringLiteral("doubtAllAway"), true, this);
    keepAll_ = benchButton(tr("Keep all"), QStringLiteral("doubtKeepAll"), false, this);
    all->addWidget(allAway_);
    all->addWidget(keepAll_);
    right->addLayout(all);
    right->addWidget(benchTitle(tr("This mark"), this));
    auto* one = new QHBoxLayout;
    keep_ = benchButton(tr("Keep"), QStringLiteral("doubtKeep"), false, this);
    away_ = benchButton(tr("Delete"), QStringLiteral("doubtAway"), false, this);
    hear_ = benchButton(tr("Play"), QStringLiteral("doubtHear"), false, this);
    for (QPushButton* button : {keep_, away_, hear_}) {
        one->addWidget(button);
    }
    right->addLayout(one);
    right->addWidget(
        benchNote(tr("D and A: step. Y: keep. Delete: delete. Decisions are kept."), this)
    );
    right->addStretch();
    layout->addLayout(right, 2);
    connect(allAway_, &QPushButton::clicked, this, [this] { review_.dismiss(true); });
    connect(keepAll_, &QPushButton::clicked, this, [this] { review_.keep(true); });
    connect(keep_, &QPushButton::clicked, this, [this] { review_.keep(false); });
    connect(away_, &QPushButton::clicked, this, [this] { review_.dismiss(false); });
    connect(hear_, &QPushButton::clicked, this, [this] { review_.hear(); });
    connect(&review_, &DoubtReview::changed, this, &DoubtBench::fill);
    fill();
}

void DoubtBench::fill()
{
    const auto& doubts = review_.doubts();
    const auto missing = std::ranges::count_if(doubts, &DoubtfulHit::isMissing);
    title_->setText(
        doubts.empty() ? tr("Doubtful marks")
                       : tr("Doubtful marks, worst first: %1, and %2 possibly missed")
                             .arg(static_cast<std::int64_t>(doubts.size()) - missing)
                             .arg(missing)
    );
    const DoubtfulHit* doubt = review_.chosen();
    for (QWidget* widget :
         std::initializer_list<QWidget*>{allAway_, keepAll_, keep_, away_, hear_}) {
        widget->setEnabled(doubt != nullptr);
    }
    if (doubt == nullptr) {
        place_->setText(tr("This mark"));
        why_->setText({});
        kind_->setText({});
        return;
    }
    const PlaceText where = placeText(session_.song(), review_.heardAt(review_.place()));
    const auto track = session_.song().track(doubt->track);
    place_->setText(
        tr("%1 %2, %3")
            .arg(where.place, where.off, track ? QString::fromStdString(track->name) : QString())
    );
    why_->setText(review_.reason(*doubt) + QLatin1Char('\n') + sureText(doubt->confidence));
    const auto kind = review_.kind();
    kind_->setText(review_.kindName(*doubt, kind.size()));
    const bool isMissing = doubt->isMissing();
    const auto count = static_cast<std::int64_t>(kind.size());
    if (count == 1) {
        allAway_->setText(isMissing ? tr("Dismiss") : tr("Delete"));
    } else {
        allAway_->setText((isMissing ? tr("Dismiss all %1") : tr("Delete all %1")).arg(count));
    }
    keepAll_->setText(
        count == 1 ? (isMissing ? tr("Add mark") : tr("Keep"))
                   : (isMissing ? tr("Add all") : tr("Keep all"))
    );
    keep_->setText(isMissing ? tr("Add mark") : tr("Keep"));
    away_->setText(isMissing ? tr("Dismiss") : tr("Delete"));
}

}  // namespace orthochron::app
