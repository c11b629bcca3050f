#include "app/views/JoinViews.h"

#include <QPainter>
#include <QPainterPath>
#include <QWheelEvent>

#include "app/theme/Theme.h"
#include "core/render/Render.h"

namespace orthochron::app {

namespace {

constexpr Seconds kPictureReach = milliseconds(40.0);
constexpr Seconds kFollowing = milliseconds(150.0);  // after a join: holds the hit it leads to
constexpr int kFrameHeight = 96;

// How alike the sides of a join are on one microphone; 0 where it has none or cannot be read.
double likenessAt(const std::vector<Clip>& clips, PartId join, const Sources& sources)
{
    const auto after = std::ranges::find(clips, join, &Clip::part);
    return after == clips.begin() || after == clips.end()
               ? 0.0
               : sources.likeness(*std::prev(after), *after).value_or(0.0);
}

void paintCrossfade(QPainter& painter, QRectF zone, const SetJoin& join, double likeness)
{
    QPainterPath out;
    QPainterPath in;
    for (int i = 0; i <= 16; ++i) {
        const double part = i / 16.0;
        const FadeGains gains = fadeGains(join.shape, likeness, part);
        const double x = zone.left() + part * zone.width();
        const auto y = [&](double gain) {
            return zone.bottom() - std::min(gain, 1.0) * zone.height();
        };
        if (i == 0) {
            out.moveTo(x, y(gains.out));
            in.moveTo(x, y(gains.in));
        } else {
            out.lineTo(x, y(gains.out));
            in.lineTo(x, y(gains.in));
        }
    }
    painter.drawPath(out);
    painter.drawPath(in);
}

}  // namespace

QString findingText(const Finding& finding)
{
    const auto text = [](std::string_view word) {
        return QString::fromUtf8(word.data(), static_cast<qsizetype>(word.size()));
    };
    if (finding.kind == FindingKind::Strain) {
        return QStringLiteral("%1 ×%2")
            .arg(text(wordOf(finding.kind)))
            .arg(finding.value, 0, 'f', 2);
    }
    QString value =
        QString::number(finding.value, 'f', finding.kind == FindingKind::CutInAttack ? 1 : 0);
    value.replace(QLatin1Char('-'), QChar(0x2212));
    return QStringLiteral("%1 %2 %3")
        .arg(text(wordOf(finding.kind)), value, text(unitOf(finding.kind)));
}

JoinPictures::JoinPictures(Session& session, QObject* parent) : QObject(parent), session_(session)
{
    connect(&session_.document, &Document::songChanged, this, [this] {
        pictures_.clear();
        asked_.clear();
        Q_EMIT changed();
    });
}

const JoinPicture* JoinPictures::of(std::size_t join)
{
    if (const auto found = pictures_.find(join); found != pictures_.end()) {
        return &found->second;
    }
    const MicSet* set = session_.choice.set();
    if (set == nullptr || join >= session_.review.joins().size() || !asked_.insert(join).second) {
        return nullptr;
    }
    const SetJoin& what = session_.review.joins()[join];
    session_.jobs.run(
        {.key = {}, .title = {}, .holds = session_.document.whileUnedited(), .isQuick = true},
        this,
        [song = session_.document.song(),
         sources = session_.document.sources(),
         tracks = set->tracks,
         id = what.id,
         at = what.middle()](const Work&) {
            const Frames reach = toFrames(kPictureReach, song->rate);
            JoinPicture picture;
            picture.from = at - reach;
            for (const TrackId track : tracks) {
                AudioBuffer sound(1, reach + reach);
                // A take that cannot be read is drawn as silence; the song says so elsewhere.
                const auto& clips = song->track(track)->clips;
                (void)renderClips(clips, *sources, picture.from, sound);
                const auto samples = sound.channel(0);
                picture.edited.emplace_back(samples.begin(), samples.end());
                picture.likeness.push_back(likenessAt(clips, id, *sources));
                AudioBuffer following(1, toFrames(kFollowing, song->rate));
                (void)renderClips(clips, *sources, at, following);
                float highest = 1e-4F;
                for (const float value : following.channel(0)) {
                    highest = std::max(highest, std::abs(value));
                }
                picture.hit.push_back(highest);
            }
            return picture;
        },
        [this, join](JoinPicture read) {
            pictures_[join] = std::move(read);
            Q_EMIT changed();
        }
    );
    return nullptr;
}

ContactSheet::ContactSheet(Session& session, JoinPictures& pictures, QWidget* parent)
    : FrameSheet(kFrameHeight, parent), session_(session), pictures_(pictures)
{
    setObjectName(QStringLiteral("contactSheet"));
    setAccessibleName(tr("All joins, worst first"));
    connect(&pictures_, &JoinPictures::changed, this, [this] { update(); });
    connect(&session_.review, &JoinReview::changed, this, [this] { update(); });
    connect(&session_.choice, &Choice::changed, this, [this] { update(); });
}

std::size_t ContactSheet::chosenPlace() const
{
    const auto& order = session_.review.joinsWorstFirst();
    return static_cast<std::size_t>(
        std::ranges::find(order, session_.review.join()) - order.begin()
    );
}

void ContactSheet::choose(std::size_t place)
{
    const std::size_t join = session_.review.joinsWorstFirst()[place];
    session_.review.setJoin(join);
    Q_EMIT chosen(join);
}

QString ContactSheet::emptyText() const
{
    return tr("No joins yet. Cut and join in Fit; joins are listed here.");
}

void ContactSheet::paintFrame(QPainter& painter, QRect frame, std::size_t place)
{
    const Palette& colours = Theme::palette();
    const std::size_t join = session_.review.joinsWorstFirst()[place];
    const SetJoin& what = session_.review.joins()[join];
    const Finding* finding = session_.review.worstOf(join);
    const PlaceText where = placeText(session_.song(), what.middle());
    paintHead(
        painter,
        frame,
        session_.review.join() == join,
        finding != nullptr,
        where.place + QStringLiteral("  ") + where.off,
        finding != nullptr ? findingText(*finding)
        : what.isLocked    ? tr("locked")
                           : tr("clean")
    );
    const JoinPicture* picture = pictures_.of(join);
    if (picture == nullptr) {
        return;
    }
    const auto microphone = static_cast<std::size_t>(finding != nullptr ? finding->microphone : 0);
    const auto& sound = picture->edited[std::min(microphone, picture->edited.size() - 1)];
    const QRectF area = QRectF(frame).adjusted(4, 20, -4, -4);
    // Against the hit that follows: noise looks like noise.
    const auto highest =
        static_cast<double>(picture->hit[std::min(microphone, picture->hit.size() - 1)]);
    painter.setPen(QPen(colours.wave, 1.0));
    paintSamples(painter, sound, area, area.height() / 2.0 / highest);
    const double perFrame = area.width() / static_cast<double>(sound.size());
    const QRectF zone(
        area.left() + static_cast<double>((what.at - picture->from).count()) * perFrame,
        area.top(),
        std::max(3.0, static_cast<double>(what.length.count()) * perFrame),
        area.height()
    );
    painter.setPen(QPen(finding != nullptr ? colours.late : colours.secondInk, 1.3));
    paintCrossfade(
        painter, zone, what, picture->likeness[std::min(microphone, picture->likeness.size() - 1)]
    );
}

Loupe::Loupe(Session& session, JoinPictures& pictures, QWidget* parent)
    : QWidget(parent), session_(session), pictures_(pictures)
{
    setAccessibleName(tr("Detail"));
    setMouseTracking(true);
    setToolTip(
        tr("Every microphone and the next hit. Wheel: enlarge. Drag the crossfade's middle: bend.")
    );
    connect(&pictures_, &JoinPictures::changed, this, [this] { update(); });
    connect(&session_.choice, &Choice::changed, this, [this] { update(); });
}

QRectF Loupe::zone()
{
    if (session_.review.join() >= session_.review.joins().size()) {
        return {};
    }
    const SetJoin& join = session_.review.joins()[session_.review.join()];
    const JoinPicture* picture = pictures_.of(session_.review.join());
    if (picture == nullptr || picture->edited.empty()) {
        return {};
    }
    const QRectF area = QRectF(rect()).adjusted(4, 4, -4, -4);
    const double perFrame = area.width() / static_cast<double>(picture->edited.front().size());
    const double left =
        area.left() + static_cast<double>((join.at - picture->from).count()) * perFrame;
    const double wide = std::max(2.0, static_cast<double>(join.length.count()) * perFrame);
    return {left, area.top(), wide, area.height()};
}

float Loupe::middleAt(double x)
{
    const QRectF place = zone();
    return static_cast<float>(std::clamp((x - place.left()) / place.width(), 0.1, 0.9));
}

void Loupe::mousePressEvent(QMouseEvent* event)
{
    const QRectF place = zone();
    if (place.width() >= 12.0 && place.contains(event->position())) {
        bending_ = middleAt(event->position().x());
        update();
    }
}

void Loupe::mouseMoveEvent(QMouseEvent* event)
{
    if (bending_) {
        bending_ = middleAt(event->position().x());
    }
    setCursor(zone().contains(event->position()) ? Qt::SizeHorCursor : Qt::ArrowCursor);
    update();
}

void Loupe::wheelEvent(QWheelEvent* event)
{
    enlarged_ =
        std::clamp(event->angleDelta().y() > 0 ? enlarged_ * 2.0 : enlarged_ / 2.0, 1.0, 64.0);
    update();
    event->accept();
}

void Loupe::mouseReleaseEvent(QMouseEvent*)
{
    if (const auto middle = std::exchange(bending_, std::nullopt)) {
        Q_EMIT bent(*middle);
    }
}

void Loupe::paintEvent(QPaintEvent*)
{
    const Palette& colours = Theme::palette();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), colours.lane);
    painter.setPen(QPen(colours.barLine, 1));
    painter.drawRect(rect().adjusted(0, 0, -1, -1));
    const MicSet* set = session_.choice.set();
    if (session_.review.join() >= session_.review.joins().size() || set == nullptr) {
        return;
    }
    SetJoin join = session_.review.joins()[session_.review.join()];
    join.fadeMiddle = bending_.value_or(join.fadeMiddle);
    const JoinPicture* picture = pictures_.of(session_.review.join());
    if (picture == nullptr || picture->edited.empty()) {
        return;
    }
    const QRectF area = QRectF(rect()).adjusted(4, 4, -4, -4);
    const double perFrame = area.width() / static_cast<double>(picture->edited.front().size());
    const auto x = [&](Frames at) {
        return area.left() + static_cast<double>((at - picture->from).count()) * perFrame;
    };
    QColor straw = colours.straw;
    straw.setAlpha(150);
    const QRectF place = zone();
    painter.fillRect(place, straw);
    const double laneHeight = area.height() / static_cast<double>(picture->edited.size());
    for (std::size_t m = 0; m < picture->edited.size(); ++m) {
        const QRectF lane(
            area.left(), area.top() + static_cast<double>(m) * laneHeight, area.width(), laneHeight
        );
        const auto highest = static_cast<double>(picture->hit[m]);
        painter.setPen(QPen(colours.wave, 1.0));
        paintSamples(painter, picture->edited[m], lane, enlarged_ * 0.48 * lane.height() / highest);
        // Names stand on a strip of the sheet, or the wave would run through them.
        const QString name =
            tr("%1  hit %2 dB")
                .arg(QString::fromStdString(session_.song().track(set->tracks[m])->name))
                .arg(toDecibels(highest), 0, 'f', 0)
                .replace(QLatin1Char('-'), QChar(0x2212));
        painter.setFont(Theme::label(7.5));
        const QRectF label(
            lane.left() + 2.0,
            lane.top(),
            painter.fontMetrics().horizontalAdvance(name) + 3.0,
            painter.fontMetrics().height() - 2.0
        );
        QColor strip = colours.lane;
        strip.setAlpha(225);
        painter.fillRect(label, strip);
        painter.setPen(colours.secondInk);
        painter.drawText(label, Qt::AlignLeft | Qt::AlignVCenter, name);
    }
    if (enlarged_ > 1.0) {
        painter.setFont(Theme::label(8, QFont::DemiBold));
        painter.setPen(colours.secondInk);
        painter.drawText(
            area, Qt::AlignRight | Qt::AlignTop, tr("enlarged %1 times").arg(enlarged_, 0, 'f', 0)
        );
    }
    painter.setPen(QPen(colours.ink, 1.6));
    paintCrossfade(painter, place, join, picture->likeness.front());
    if (place.width() >= 12.0) {
        const double half = place.left() + static_cast<double>(join.fadeMiddle) * place.width();
        painter.setBrush(colours.lane);
        painter.drawEllipse(QPointF(half, place.center().y()), 3.5, 3.5);
    }
    // The hits around it: where each is heard, and where its attack would be heard twice.
    painter.setFont(Theme::label(8, QFont::DemiBold));
    for (const PlayedHit& hit : session_.fitting.preview().origin.hits) {
        const Frames at = session_.review.heardAt(hit.start);
        if (at > picture->from && x(at) < area.right()) {
            painter.setPen(QPen(colours.ink, 1.2, Qt::DashLine));
            painter.drawLine(QPointF(x(at), area.top()), QPointF(x(at), area.bottom()));
            painter.drawText(QPointF(x(at) + 3, area.bottom() - 4), tr("hit"));
        }
    }
}

}  // namespace orthochron::app
