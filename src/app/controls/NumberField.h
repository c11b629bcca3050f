#pragma once

#include <QWidget>

#include <functional>
#include <optional>

class QLineEdit;

namespace orthochron::app {

// How a number is written and read.
struct NumberStyle {
    QString unit;  // shown behind it: "ms", "%", "bpm"
    int decimals = 1;
    double least = 0.0;
    double most = 100.0;
    double usual = 0.0;           // the Delete key and the field's menu go back to it
    double perPixel = 0.1;        // of a drag
    double sampleRate = 48000.0;  // for values typed in samples
};

// Reads a number with a unit: "12ms", "480smp", "0.02s", "-3dB", "1/64" as a part, "35". None when
// it is no number or its unit does not fit the style's.
[[nodiscard]] std::optional<double> readNumber(const QString& text, const NumberStyle& style);

// A number as a field: click to type, drag up and down, wheel, arrows; Delete goes back to the
// usual value. With a slider under it when it has one.
class NumberField final : public QWidget {
    Q_OBJECT

public:
    NumberField(
        const QString& label, const NumberStyle& style, bool withSlider, QWidget* parent = nullptr
    );

    [[nodiscard]] double value() const { return value_; }
    void setValue(double value);          // no signal
    void setLabel(const QString& label);  // where it says now one thing, now another
    void setMixed(bool isMixed);          // shows a dash: several different values
    // What the number says; its tip goes on with how it is changed.
    void setMeaning(const QString& meaning);
    // Another unit its number may be in: typed with it, or chosen in the field's menu.
    void setOtherUnit(const NumberStyle& style);
    [[nodiscard]] const QString& unit() const { return style_.unit; }
    // Shows its number in the other unit; whoever fills it is told, and nothing is changed.
    void switchUnit();
    [[nodiscard]] QSize sizeHint() const override;
    [[nodiscard]] QSize minimumSizeHint() const override { return sizeHint(); }

Q_SIGNALS:
    void changed(double value);   // while dragging too
    void finished(double value);  // once the hand is off
    void unitSwitched();

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

private:
    void change(double value, bool isFinal);
    void startTyping(const QString& text);
    void endTyping(bool isMeant);
    void explain();
    [[nodiscard]] QString text() const;
    [[nodiscard]] QRectF track() const;

    QString label_;
    QString meaning_;
    NumberStyle style_;
    std::optional<NumberStyle> other_;
    bool withSlider_ = false;
    double value_ = 0.0;
    bool isMixed_ = false;
    QLineEdit* editor_ = nullptr;
    QPoint pressed_;
    double pressedValue_ = 0.0;
    bool isDragging_ = false;
    bool onSlider_ = false;
};

}  // namespace orthochron::app
