#include "app/stages/shape/ShapeBench.h"

#include <QButtonGroup>
#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QListWidget>
#include <QPainter>
#include <QStyledItemDelegate>

#include "app/controls/Counted.h"
#include "app/stages/Bench.h"
#include "app/stages/shape/SpeedBench.h"
#include "app/theme/Theme.h"
#include "app/views/ShapePainter.h"
#include "core/shape/Bend.h"

#include <algorithm>

namespace orthochron::app {

namespace {

constexpr double kBent = 0.6;     // what the pictures of over and under bend by
constexpr double kAlmost = 0.02;  // bends that count as straight
constexpr double kSameBars = 5e-4;
constexpr double kSameLevel = 0.05;  // dB

enum PieceShape { Straight, Over, Under, Step };

// A piece of a line drawn small.
QPixmap drawnSmall(PieceShape shape, const QColor& ink)
{
    constexpr int kWide = 34;
    constexpr int kTall = 18;
    QPixmap picture(kWide * 2, kTall * 2);
    picture.setDevicePixelRatio(2.0);
    picture.fill(Qt::transparent);
    QPainter painter(&picture);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(ink, 1.5));
    QPolygonF line;
    for (int x = 3; x <= kWide - 3; ++x) {
        const double part = (x - 3.0) / (kWide - 6.0);
        const double bend = shape == Over ? -kBent : shape == Under ? kBent : 0.0;
        const double come = shape == Step ? (part < 0.8 ? 0.0 : 1.0) : bentPart(part, bend);
        line << QPointF(x, 3.0 + come * (kTall - 6.0));
    }
    painter.drawPolyline(line);
    return picture;
}

// In ink, and on a button that is pressed, which is ink itself, in paper.
QIcon pictureOf(PieceShape shape)
{
    QIcon icon;
    icon.addPixmap(drawnSmall(shape, Theme::palette().ink), QIcon::Normal, QIcon::Off);
    icon.addPixmap(drawnSmall(shape, Theme::palette().paper), QIcon::Normal, QIcon::On);
    icon.addPixmap(drawnSmall(shape, Theme::palette().secondInk), QIcon::Disabled, QIcon::Off);
    return icon;
}

// A row of the list: whose it is, and at the right what.
class ItemPainter final : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    [[nodiscard]] QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override
    {
        return {100, 24};
    }
    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index)
        const override
    {
        const Palette& colours = Theme::palette();
        const bool isChosen = (option.state & QStyle::State_Selected) != 0;
        painter->fillRect(option.rect, isChosen ? colours.straw : colours.lane);
        const QRect row = option.rect.adjusted(8, 0, -8, 0);
        const QString means = index.data(Qt::UserRole).toString();
        painter->setFont(Theme::label(9));
        const int wide = painter->fontMetrics().horizontalAdvance(means);
        painter->setPen(isChosen ? colours.ink : colours.secondInk);
        painter->drawText(row, Qt::AlignRight | Qt::AlignVCenter, means);
        painter->setFont(Theme::label(10, means.isEmpty() ? QFont::Normal : QFont::DemiBold));
        painter->setPen(colours.ink);
        const QString what = painter->fontMetrics().elidedText(
            index.data().toString(), Qt::ElideRight, row.width() - wide - 8
        );
        painter->drawText(row, Qt::AlignLeft | Qt::AlignVCenter, what);
    }
};

}  // namespace

ShapeBench::ShapeBench(Session& session, ShapeHands& hands, SpeedHands& speed)
    : session_(session), hands_(hands), speed_(speed)
{
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(20, 10, 20, 10);
    row->setSpacing(28);
    row->addWidget(makeLine(), 5);
    row->addWidget(makeHush(), 5);
    row->addWidget(makeFade(), 5);
    row->addWidget(makeList(), 7);
    connect(&hands_, &ShapeHands::changed, this, &ShapeBench::fill);
    connect(&session_.choice, &Choice::changed, this, &ShapeBench::fill);
    fill();
}

NumberField* ShapeBench::field(
    QVBoxLayout& column, const QString& label, const char* name, const NumberStyle& style
)
{
    auto* made = new NumberField(label, style, false, this);
    made->setObjectName(QLatin1String(name));
    column.addWidget(made);
    return made;
}

QPushButton* ShapeBench::button(QWidget* parent, const QString& text, const char* name, bool isMain)
{
    auto* made = benchButton(text, QLatin1String(name), isMain, parent);
    made->setStyleSheet(QStringLiteral("padding-left:8px;padding-right:8px"));
    return made;
}

QWidget* ShapeBench::makeLine()
{
    auto* line = new QWidget(this);
    auto* column = benchColumn(line);
    lineOf_ = benchTitle(QString(), line);
    lineOf_->setObjectName(QStringLiteral("lineOf"));
    column->addWidget(lineOf_);
    which_ = benchNote(QString(), line);
    which_->setObjectName(QStringLiteral("linePoint"));
    column->addWidget(which_);
    place_ =
        field(*column, tr("Position"), "pointPlace", {tr("bars"), 3, -1000.0, 100000.0, 1.0, 0.01});
    level_ = field(
        *column,
        tr("Level"),
        "pointLevel",
        {QStringLiteral("dB"), 1, kLeastLevel, kMostLevel, 0.0, 0.1}
    );
    level_->setMeaning(tr("The lowest value is silence."));
    bend_ = field(
        *column,
        tr("Curve to next"),
        "pointBend",
        {QStringLiteral("%"), 0, -100.0 * kMostBend, 100.0 * kMostBend, 0.0, 0.5}
    );
    auto* pictures = new QHBoxLayout;
    pictures->setSpacing(6);
    shapes_ = new QButtonGroup(this);
    shapes_->setExclusive(true);
    for (const auto& [shape, text, name] :
         {std::tuple{Straight, tr("straight"), "pieceStraight"},
          std::tuple{Over, tr("convex"), "pieceOver"},
          std::tuple{Under, tr("concave"), "pieceUnder"},
          std::tuple{Step, tr("step"), "pieceStep"}}) {
        auto* made = new QPushButton(line);
        made->setObjectName(QLatin1String(name));
        made->setIcon(pictureOf(shape));
        made->setIconSize({34, 18});
        made->setToolTip(text);
        made->setAccessibleName(text);
        made->setCheckable(true);
        made->setStyleSheet(QStringLiteral("padding:3px 4px"));
        shapes_->addButton(made, shape);
        pictures->addWidget(made);
    }
    column->addLayout(pictures);
    stays_ = new QCheckBox(tr("Keep in time"), line);
    stays_->setObjectName(QStringLiteral("lineStays"));
    column->addWidget(stays_);
    auto* actions = new QHBoxLayout;
    clear_ = button(line, tr("Clear range"), "clearRange");
    reset_ = button(line, tr("Reset line"), "resetLine");
    lineEnds_ = button(line, tr("Line ends"), "lineEnds");
    lineEnds_->setToolTip(tr("Selects the ends of the lines of all selected lanes."));
    actions->addWidget(lineEnds_);
    actions->addWidget(clear_);
    actions->addWidget(reset_);
    column->addLayout(actions);
    column->addStretch(1);
    connect(place_, &NumberField::finished, this, &ShapeBench::applyPoint);
    connect(level_, &NumberField::finished, this, &ShapeBench::applyPoint);
    connect(bend_, &NumberField::finished, this, &ShapeBench::applyPoint);
    connect(shapes_, &QButtonGroup::idClicked, this, &ShapeBench::shapePiece);
    connect(lineEnds_, &QPushButton::clicked, &hands_, &ShapeHands::chooseEnds);
    connect(stays_, &QCheckBox::clicked, this, [this](bool isOn) {
        hands_.holdLine(isOn ? Keeps::Time : Keeps::Bars);
    });
    connect(clear_, &QPushButton::clicked, &hands_, &ShapeHands::clearRange);
    connect(reset_, &QPushButton::clicked, &hands_, &ShapeHands::resetLine);
    return line;
}

QWidget* ShapeBench::makeHush()
{
    auto* hush = new QWidget(this);
    auto* column = benchColumn(hush);
    column->addWidget(benchTitle(tr("Hush"), hush));
    label_ = new QLineEdit(hush);
    label_->setObjectName(QStringLiteral("hushLabel"));
    label_->setAccessibleName(tr("Name"));
    label_->setPlaceholderText(tr("name"));
    column->addWidget(label_);
    from_ = field(*column, tr("From"), "hushFrom", {tr("bars"), 3, -1000.0, 100000.0, 1.0, 0.01});
    bars_ = field(*column, tr("Length"), "hushLength", {tr("bars"), 3, 0.0, 100000.0, 1.0, 0.01});
    edge_ =
        field(*column, tr("Edges"), "hushEdge", {QStringLiteral("ms"), 1, 0.0, 10000.0, 5.0, 0.1});
    goes_ = new QComboBox(hush);
    goes_->setObjectName(QStringLiteral("hushGoes"));
    goes_->setAccessibleName(tr("Moves with"));
    goes_->addItems({tr("moves with bars"), tr("keeps its time"), tr("moves with clips")});
    column->addWidget(goes_);
    hush_ = button(hush, QString(), "hushBars", true);
    column->addWidget(hush_);
    auto* actions = new QHBoxLayout;
    every_ = new NumberField(tr("Every"), {tr("bars"), 0, 1.0, 999.0, 4.0, 0.1}, false, hush);
    every_->setObjectName(QStringLiteral("hushEvery"));
    every_->setValue(4.0);
    again_ = button(hush, tr("Repeat"), "hushAgain");
    unhush_ = button(hush, tr("Delete"), "takeHushAway");
    actions->addWidget(every_, 1);
    actions->addWidget(again_);
    actions->addWidget(unhush_);
    column->addLayout(actions);
    column->addStretch(1);
    connect(label_, &QLineEdit::editingFinished, this, [this] {
        const auto placed = hands_.hush();
        const std::string label = label_->text().toStdString();
        if (!isFilling_ && placed && placed->hush.label != label) {
            hands_.changeHush({.label = label}, tr("Name hush"));
        }
    });
    connect(from_, &NumberField::finished, this, &ShapeBench::applyHush);
    connect(bars_, &NumberField::finished, this, &ShapeBench::applyHush);
    connect(edge_, &NumberField::finished, this, [this](double ms) {
        hands_.changeHush({.edge = milliseconds(ms)}, tr("Set hush edges"));
    });
    connect(goes_, &QComboBox::activated, this, [this](int goes) {
        hands_.changeHush(
            {.staysInTime = goes == 1, .goesWithClips = goes == 2}, tr("Set what hush moves with")
        );
    });
    connect(hush_, &QPushButton::clicked, &hands_, &ShapeHands::switchHush);
    connect(again_, &QPushButton::clicked, this, [this] {
        hands_.repeatHush(static_cast<int>(every_->value()), 1);
    });
    connect(unhush_, &QPushButton::clicked, &hands_, &ShapeHands::removeHush);
    return hush;
}

QWidget* ShapeBench::makeFade()
{
    auto* fades = new QWidget(this);
    auto* column = benchColumn(fades);
    auto* head = new QHBoxLayout;
    head->addWidget(benchTitle(tr("Fade"), fades));
    whose_ = new QComboBox(fades);
    whose_->setObjectName(QStringLiteral("fadeWhose"));
    whose_->setAccessibleName(tr("Fade target"));
    whose_->addItems({tr("the song"), QString()});
    head->addWidget(whose_, 1);
    column->addLayout(head);
    fadeBars_ = field(*column, tr("Length"), "fadeBars", {tr("bars"), 2, 0.01, 10000.0, 8.0, 0.05});
    fadeBars_->setValue(8.0);
    fadeBars_->setOtherUnit({tr("s"), 2, 0.01, 10000.0, 12.0, 0.05});
    fadeShape_ = new QComboBox(fades);
    fadeShape_->setObjectName(QStringLiteral("fadeShape"));
    fadeShape_->setAccessibleName(tr("Shape"));
    fadeShape_->addItems({tr("straight"), tr("convex"), tr("concave")});
    fadeShape_->setIconSize({34, 18});
    auto* shape = new QHBoxLayout;
    shape->addWidget(fadeShape_, 1);
    auto* out = button(fades, tr("Fade out"), "fadeOut", true);
    auto* in = button(fades, tr("Fade in"), "fadeIn");
    shape->addWidget(out);
    shape->addWidget(in);
    column->addLayout(shape);
    auto* end = new QHBoxLayout;
    ends_ = benchNote(QString(), fades);
    ends_->setObjectName(QStringLiteral("songEnds"));
    endHere_ = button(fades, tr("End here"), "endHere");
    endHere_->setToolTip(tr("Ends the song at the playhead; or drag its end in the ruler."));
    end->addWidget(ends_, 1);
    end->addWidget(endHere_);
    column->addLayout(end);
    column->addSpacing(4);
    column->addWidget(new SpeedBench(session_, speed_, fades));
    column->addStretch(1);
    connect(out, &QPushButton::clicked, this, [this] { fade(true); });
    connect(in, &QPushButton::clicked, this, [this] { fade(false); });
    connect(endHere_, &QPushButton::clicked, this, [this] {
        const bool isSet = session_.song().endMark.has_value();
        hands_.setEnd(isSet ? std::nullopt : std::optional(session_.player.position()));
    });
    return fades;
}

QWidget* ShapeBench::makeList()
{
    auto* all = new QWidget(this);
    auto* column = benchColumn(all);
    column->addWidget(benchTitle(tr("All lines and hushes"), all));
    list_ = new QListWidget(all);
    list_->setObjectName(QStringLiteral("shapeList"));
    list_->setAccessibleName(tr("All lines and hushes"));
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    list_->setItemDelegate(new ItemPainter(list_));
    column->addWidget(list_, 1);
    connect(list_, &QListWidget::currentRowChanged, this, [this](int row) {
        if (!isFilling_ && row >= 0 && static_cast<std::size_t>(row) < items_.size()) {
            hands_.look(items_[static_cast<std::size_t>(row)]);
        }
    });
    return all;
}

// ---- what is shown

namespace {

// Bars and parts of a bar, counted from 1.
double barsAt(const TempoMap& map, Seconds time)
{
    const Beats place = map.beatsAt(time);
    const int bar = map.barAt(place);
    return bar + (place - map.startOfBar(bar)) / map.meterOfBar(bar).barLength();
}

Seconds timeOfBars(const TempoMap& map, double bars)
{
    const int bar = static_cast<int>(std::floor(bars));
    return map.timeAt(map.startOfBar(bar) + map.meterOfBar(bar).barLength() * (bars - bar));
}

}  // namespace

void ShapeBench::fill()
{
    isFilling_ = true;
    fillLine();
    fillHush();
    fillList();
    for (int shape = 0; shape < fadeShape_->count(); ++shape) {
        fadeShape_->setItemIcon(shape, pictureOf(static_cast<PieceShape>(shape)));
    }
    const bool hasTracks = !hands_.tracks().empty();
    whose_->setItemText(1, hands_.tracksName());
    whose_->setEnabled(hasTracks);
    const Song& song = session_.song();
    ends_->setText(
        song.endMark ? tr("Ends at %1 (set)").arg(placeText(song, song.end()).place)
                     : tr("Ends with the last sound")
    );
    endHere_->setText(song.endMark ? tr("Reset end") : tr("End here"));
    isFilling_ = false;
}

void ShapeBench::fillLine()
{
    const Song& song = session_.song();
    const LevelLine& line = hands_.line();
    lineOf_->setText(tr("Level line of %1").arg(hands_.ownerName()));
    const auto chosen = hands_.point();
    which_->setText(
        line.isEmpty()        ? tr("0 dB throughout. Click the line in the lane to add a point.")
        : hands_.areSeveral() ? tr("%1: typed values apply to all").arg(hands_.pointsName())
        : chosen              ? tr("Point %1 of %2").arg(*chosen + 1).arg(line.points.size())
                              : tr("%1; click one, or drag between two")
                       .arg(counted(std::ssize(line.points), tr("point"), tr("points")))
    );
    for (QWidget* part : std::initializer_list<QWidget*>{place_, level_, bend_}) {
        part->setEnabled(chosen.has_value());
    }
    const bool hasNext = chosen && *chosen + 1 < line.points.size() && !hands_.areSeveral();
    bend_->setEnabled(hasNext);
    for (QAbstractButton* shape : shapes_->buttons()) {
        shape->setEnabled(hasNext);
        shape->setIcon(pictureOf(static_cast<PieceShape>(shapes_->id(shape))));
    }
    stays_->setChecked(line.keeps == Keeps::Time);
    stays_->setEnabled(!line.isEmpty());
    clear_->setEnabled(!line.isEmpty() && session_.choice.range().has_value());
    reset_->setEnabled(!line.isEmpty());
    lineEnds_->setEnabled(!lastPoints(song, hands_.tracks()).empty());
    if (!chosen) {
        shapes_->setExclusive(false);
        for (QAbstractButton* shape : shapes_->buttons()) {
            shape->setChecked(false);
        }
        shapes_->setExclusive(true);
        return;
    }
    const LevelPoint& point = line.points[*chosen];
    place_->setValue(barsAt(song.tempo, timeOf(point.at, line.keeps, song.tempo)));
    level_->setValue(std::max(point.level, kLeastLevel));
    bend_->setValue(100.0 * point.bend);
    const PieceShape shape = point.isStep                     ? Step
                             : std::abs(point.bend) < kAlmost ? Straight
                             : point.bend > 0.0               ? Over
                                                              : Under;
    shapes_->button(shape)->setChecked(true);
}

void ShapeBench::fillHush()
{
    const Song& song = session_.song();
    const auto placed = hands_.hush();
    for (QWidget* part : std::initializer_list<QWidget*>{
             label_, from_, bars_, edge_, goes_, again_, every_, unhush_}) {
        part->setEnabled(placed.has_value());
    }
    const auto& range = session_.choice.range();
    hush_->setEnabled(range && !hands_.tracks().empty());
    hush_->setText(range ? tr("Hush %1 here").arg(hands_.tracksName()) : tr("Hush selection"));
    hush_->setToolTip(tr("Hush: silences what lies under it. First drag over bars."));
    if (!placed) {
        label_->clear();
        return;
    }
    const Hush& hush = placed->hush;
    label_->setText(QString::fromStdString(hush.label));
    const double from = barsAt(song.tempo, timeOf(hush.from, hush.keeps, song.tempo));
    const double to = barsAt(song.tempo, timeOf(hush.to, hush.keeps, song.tempo));
    from_->setValue(from);
    bars_->setValue(to - from);
    edge_->setValue(inMilliseconds(hush.edge));
    goes_->setCurrentIndex(hush.goesWithClips ? 2 : hush.keeps == Keeps::Time ? 1 : 0);
}

void ShapeBench::fillList()
{
    items_ = shapeItemsOf(session_.song());
    list_->clear();
    const auto hush = hands_.hush();
    for (std::size_t i = 0; i < items_.size(); ++i) {
        const auto& item = items_[i];
        auto* row = new QListWidgetItem(item.what, list_);
        row->setData(Qt::UserRole, item.means);
        const bool isChosen =
            hush ? item.hush == hush->hush.id : item.isLine && item.owner == hands_.owner();
        if (isChosen) {
            list_->setCurrentRow(static_cast<int>(i));
        }
    }
    if (items_.empty()) {
        auto* none = new QListWidgetItem(tr("None yet; drag over bars and press Shift+H"), list_);
        none->setFlags(Qt::NoItemFlags);
    }
}

// ---- what is done

void ShapeBench::applyPoints()
{
    const Song& song = session_.song();
    const LevelLine& line = hands_.line();
    const LevelPoint& point = line.points[*hands_.point()];
    const double was = barsAt(song.tempo, timeOf(point.at, line.keeps, song.tempo));
    const double level = level_->value() <= kLeastLevel ? kSilence : level_->value();
    if (std::abs(was - place_->value()) > kSameBars) {
        const Frames at = toFrames(timeOfBars(song.tempo, place_->value()), song.rate);
        auto placed = placePoints(song, hands_.points(), at);
        if (!placed) {
            // Several of one line: the one looked at comes there, and the others go along.
            const Frames now = HeardLine(line, song.tempo, song.rate).timeOfPoint(*hands_.point());
            placed = movePoints(song, hands_.points(), at - now, 0.0);
        }
        hands_.changePoints(std::move(placed), tr("Move %1"));
    } else if (std::abs(level_->value() - std::max(point.level, kLeastLevel)) > kSameLevel) {
        hands_.changePoints(levelPoints(song, hands_.points(), level), tr("Set level of %1"));
    }
}

void ShapeBench::applyPoint()
{
    if (hands_.areSeveral() && hands_.point()) {
        applyPoints();
        return;
    }
    const Song& song = session_.song();
    const Keeps keeps = hands_.line().keeps;
    hands_.changePoint(
        [&](LevelPoint& point) {
            const double was = barsAt(song.tempo, timeOf(point.at, keeps, song.tempo));
            if (std::abs(was - place_->value()) > kSameBars) {
                point.at = placeOf(timeOfBars(song.tempo, place_->value()), keeps, song.tempo);
            }
            point.level = level_->value() <= kLeastLevel ? kSilence : level_->value();
            point.bend = bend_->value() / 100.0;
        },
        tr("Change point on line of %1")
    );
}

void ShapeBench::shapePiece(int shape)
{
    hands_.changePoint(
        [&](LevelPoint& point) {
            point.isStep = shape == Step;
            point.bend = shape == Over ? kBent : shape == Under ? -kBent : 0.0;
        },
        tr("Shape line of %1")
    );
}

void ShapeBench::applyHush()
{
    const auto placed = hands_.hush();
    if (!placed) {
        return;
    }
    const Song& song = session_.song();
    const auto place = [&](double bars) {
        return placeOf(timeOfBars(song.tempo, bars), placed->hush.keeps, song.tempo);
    };
    hands_.changeHush(
        {.from = place(from_->value()), .to = place(from_->value() + bars_->value())},
        tr("Change hush")
    );
}

void ShapeBench::fade(bool isOut)
{
    LongFade fade;
    fade.isOut = isOut;
    if (fadeBars_->unit() == tr("s")) {
        fade.length.time = Seconds(fadeBars_->value());
    } else {
        fade.length.bars = fadeBars_->value();
    }
    fade.bend = fadeShape_->currentIndex() == 1   ? kBent
                : fadeShape_->currentIndex() == 2 ? -kBent
                                                  : 0.0;
    hands_.fade(fade, whose_->currentIndex() == 1);
}

}  // namespace orthochron::app
