#include "app/controls/NumberField.h"

#include <QContextMenuEvent>
#include <QKeyEvent>
#include <QLineEdit>
#include <QMenu>
#include <QPainter>
#include <QRegularExpression>

#include "app/theme/Theme.h"

#include <cmath>

namespace orthochron::app {

std::optional<double> readNumber(const QString& text, const NumberStyle& style)
{
    static const QRegularExpression kForm(
        QStringLiteral(R"(^\s*([+\-−]?\d*[.,]?\d+)(?:\s*/\s*(\d+))?\s*([a-zA-Z%]*)\s*$)")
    );
    const auto match = kForm.match(text);
    if (!match.hasMatch()) {
        return std::nullopt;
    }
    QString digits = match.captured(1);
    digits.replace(QLatin1Char(','), QLatin1Char('.')).replace(QChar(0x2212), QLatin1Char('-'));
    double value = digits.toDouble();
    if (!match.captured(2).isEmpty()) {
        const double divisor = match.captured(2).toDouble();
        if (divisor == 0.0) {
            return std::nullopt;
        }
        value /= divisor;
    }
    const QString unit = match.captured(3).toLower();
    const QString own = style.unit.toLower();
    if (unit.isEmpty() || unit == own) {
        return value;
    }
    // Times into each other; anything else must fit as it is.
    const auto toMs = [&](const QString& name) -> std::optional<double> {
        if (name == QStringLiteral("ms")) {
            return 1.0;
        }
        if (name == QStringLiteral("s")) {
            return 1000.0;
        }
        if (name == QStringLiteral("smp")) {
            return 1000.0 / style.sampleRate;
        }
        return std::nullopt;
    };
    const auto from = toMs(unit);
    const auto to = toMs(own);
    if (from && to) {
        return value * *from / *to;
    }
    return std::nullopt;
}

NumberField::NumberField(
    const QString& label, const NumberStyle& style, bool withSlider, QWidget* parent
)
    : QWidget(parent), label_(label), style_(style), withSlider_(withSlider), value_(style.usual)
{
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(label);
    setCursor(Qt::SizeVerCursor);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    explain();
}

void NumberField::explain()
{
    QString text =
        tr("Type or drag; while typing, Delete resets to %1 %2").arg(style_.usual).arg(style_.unit);
    if (other_) {
        text += tr("; or in %1").arg(other_->unit);
    }
    setToolTip(meaning_.isEmpty() ? text : meaning_ + QLatin1Char('\n') + text);
}

void NumberField::setMeaning(const QString& meaning)
{
    meaning_ = meaning;
    explain();
}

void NumberField::setOtherUnit(const NumberStyle& style)
{
    other_ = style;
    explain();
}

void NumberField::switchUnit()
{
    std::swap(style_, *other_);
    explain();
    setValue(style_.usual);
    Q_EMIT unitSwitched();
}

QSize NumberField::sizeHint() const
{
    const int line = QFontMetrics(Theme::text(10)).height();
    return {150, withSlider_ ? line + 18 : line + 6};
}

QString NumberField::text() const
{
    if (isMixed_) {
        return QStringLiteral("–");
    }
    QString number = QString::number(value_, 'f', style_.decimals);
    number.replace(QLatin1Char('-'), QChar(0x2212));
    return style_.unit.isEmpty() ? number : number + QChar(0x00A0) + style_.unit;
}

QRectF NumberField::track() const
{
    return {6.0, height() - 11.0, width() - 12.0, 3.0};
}

void NumberField::setValue(double value)
{
    value_ = std::clamp(value, style_.least, style_.most);
    isMixed_ = false;
    setAccessibleDescription(text());
    update();
}

void NumberField::setLabel(const QString& label)
{
    label_ = label;
    setAccessibleName(label);
    update();
}

void NumberField::setMixed(bool isMixed)
{
    isMixed_ = isMixed;
    update();
}

void NumberField::change(double value, bool isFinal)
{
    const double step = std::pow(10.0, -style_.decimals);
    setValue(std::round(value / step) * step);
    Q_EMIT changed(value_);
    if (isFinal) {
        Q_EMIT finished(value_);
    }
}

void NumberField::paintEvent(QPaintEvent*)
{
    const Palette& colours = Theme::palette();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const int line = withSlider_ ? height() - 16 : height();
    painter.setFont(Theme::text(10));
    painter.setPen(isEnabled() ? colours.ink : colours.secondInk);
    painter.drawText(QRect(4, 0, width() - 8, line), Qt::AlignLeft | Qt::AlignVCenter, label_);
    painter.setFont(Theme::text(10, QFont::DemiBold));
    painter.drawText(QRect(4, 0, width() - 8, line), Qt::AlignRight | Qt::AlignVCenter, text());
    if (withSlider_) {
        const QRectF bar = track();
        const double part = (value_ - style_.least) / (style_.most - style_.least);
        painter.fillRect(bar, colours.barLine);
        painter.fillRect(
            QRectF(bar.left(), bar.top(), bar.width() * part, bar.height()),
            isEnabled() ? colours.ink : colours.secondInk
        );
        painter.setPen(QPen(colours.ink, 1.6));
        painter.setBrush(colours.lane);
        painter.drawEllipse(QPointF(bar.left() + bar.width() * part, bar.center().y()), 5.5, 5.5);
    }
    if (hasFocus()) {
        painter.setPen(QPen(colours.ink, 1, Qt::DotLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

void NumberField::mousePressEvent(QMouseEvent* event)
{
    if (event->button() != Qt::LeftButton) {
        return;
    }
    pressed_ = event->pos();
    pressedValue_ = value_;
    isDragging_ = false;
    onSlider_ = withSlider_ && event->position().y() > track().top() - 8.0;
    if (onSlider_) {
        isDragging_ = true;
        mouseMoveEvent(event);
    }
}

void NumberField::mouseMoveEvent(QMouseEvent* event)
{
    if ((event->buttons() & Qt::LeftButton) == 0) {
        return;
    }
    if (onSlider_) {
        const double part =
            std::clamp((event->position().x() - track().left()) / track().width(), 0.0, 1.0);
        change(style_.least + part * (style_.most - style_.least), false);
        return;
    }
    const int up = pressed_.y() - event->pos().y();
    if (!isDragging_ && std::abs(up) < 4) {
        return;
    }
    isDragging_ = true;
    const double fine = (event->modifiers() & Qt::ShiftModifier) != 0 ? 0.1 : 1.0;
    change(pressedValue_ + up * style_.perPixel * fine, false);
}

void NumberField::mouseReleaseEvent(QMouseEvent* event)
{
    if (event->button() != Qt::LeftButton) {
        return;
    }
    if (isDragging_) {
        Q_EMIT finished(value_);
    } else {
        startTyping(QString::number(value_, 'f', style_.decimals));
    }
}

void NumberField::startTyping(const QString& text)
{
    if (editor_ == nullptr) {
        editor_ = new QLineEdit(this);
        editor_->setAccessibleName(label_);
        editor_->setFont(Theme::text(10, QFont::DemiBold));
        editor_->setAlignment(Qt::AlignRight);
        editor_->installEventFilter(this);
        connect(editor_, &QLineEdit::editingFinished, this, [this] { endTyping(true); });
    }
    editor_->setGeometry(width() / 2, 0, width() / 2, withSlider_ ? height() - 14 : height());
    editor_->setText(text);
    editor_->selectAll();
    editor_->show();
    editor_->setFocus();
}

// The keys belong to the song again: the next digit is no value but a stage.
void NumberField::endTyping(bool isMeant)
{
    if (!editor_->isVisible()) {
        return;
    }
    editor_->hide();
    editor_->clearFocus();
    clearFocus();
    if (!isMeant) {
        return;
    }
    auto value = readNumber(editor_->text(), style_);
    if (!value && other_) {
        value = readNumber(editor_->text(), *other_);
        if (value) {
            switchUnit();
        }
    }
    if (value) {
        change(*value, true);
    }
}

// Enter and Esc end here: passed on to the field, Enter would begin to type anew. Delete resets the value
// while its text is selected; in a field that is not typed into, it belongs to the stage.
bool NumberField::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == editor_ && event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Escape || key == Qt::Key_Return || key == Qt::Key_Enter) {
            endTyping(key != Qt::Key_Escape);
            return true;
        }
        const bool isWhole = editor_->selectedText() == editor_->text();
        if (key == Qt::Key_Delete && isWhole) {
            endTyping(false);
            change(style_.usual, true);
            return true;
        }
    }
    return QWidget::eventFilter(watched, event);
}

void NumberField::wheelEvent(QWheelEvent* event)
{
    change(value_ + event->angleDelta().y() / 120.0 * 10.0 * style_.perPixel, true);
    event->accept();
}

void NumberField::keyPressEvent(QKeyEvent* event)
{
    const double step =
        (event->modifiers() & Qt::ShiftModifier) != 0 ? style_.perPixel : 10.0 * style_.perPixel;
    switch (event->key()) {
    case Qt::Key_Up:
    case Qt::Key_Right: change(value_ + step, true); return;
    case Qt::Key_Down:
    case Qt::Key_Left: change(value_ - step, true); return;
    case Qt::Key_Return:
    case Qt::Key_Enter: startTyping(QString::number(value_, 'f', style_.decimals)); return;
    case Qt::Key_Escape: clearFocus(); return;
    default: QWidget::keyPressEvent(event);
    }
}

void NumberField::contextMenuEvent(QContextMenuEvent* event)
{
    QMenu menu(this);
    menu.addAction(tr("Reset to %1 %2").arg(style_.usual).arg(style_.unit), this, [this] {
        change(style_.usual, true);
    });
    menu.addAction(tr("Type value"), this, [this] {
        startTyping(QString::number(value_, 'f', style_.decimals));
    });
    if (other_) {
        menu.addAction(tr("Unit: %1").arg(other_->unit), this, &NumberField::switchUnit);
    }
    menu.exec(event->globalPos());
}

}  // namespace orthochron::app
