#pragma once

#include <QTimer>
#include <QWidget>

#include "core/base/Result.h"

class QLabel;
class QPushButton;

namespace orthochron::app {

class Session;

// The line at the bottom: what the pointer would do, else what was just said, else the stage's
// figures; and the findings. Errors stay until they are put away, but what was only refused gives way to whatever is
// done next.
class StatusLine final : public QWidget {
    Q_OBJECT

public:
    explicit StatusLine(Session& session, QWidget* parent = nullptr);
    void setStatus(const QString& text);
    void setHint(const QString& text);
    void say(const QString& text);
    void showError(const Error& error);
    // An error that has settled itself: takes it away, if it is the one that stands there.
    void settleError(const QString& text);
    [[nodiscard]] QString text() const;

Q_SIGNALS:
    void findingsClicked();

protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    void elide();
    void putErrorAway();
    void putRefusalAway();
    void fill();

    Session& session_;
    QLabel* text_ = nullptr;
    QPushButton* findings_ = nullptr;
    QPushButton* dismiss_ = nullptr;
    QString shown_;  // whole, however much of it there is room for
    QString status_;
    QString hint_;
    QString said_;
    QString error_;
    bool isRefusal_ = false;
    QTimer saidTimer_;
};

// The thin ink line under the strip that grows while long work runs, with a way to stop it.
class ProgressLine final : public QWidget {
    Q_OBJECT

public:
    explicit ProgressLine(Session& session, QWidget* parent = nullptr);

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    void fill();

    Session& session_;
    QLabel* text_ = nullptr;
    QPushButton* stop_ = nullptr;
};

}  // namespace orthochron::app
