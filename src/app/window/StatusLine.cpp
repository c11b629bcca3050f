#include "app/window/StatusLine.h"

#include <QElapsedTimer>
#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QPushButton>

#include "app/document/Errors.h"
#include "app/session/Session.h"
#include "app/theme/Theme.h"

namespace orthochron::app {

StatusLine::StatusLine(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    setMinimumHeight(26);
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(12, 1, 12, 1);
    text_ = new QLabel(this);
    text_->setTextFormat(Qt::PlainText);
    text_->setObjectName(QStringLiteral("status"));
    text_->setFont(Theme::label(9.5));
    text_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    text_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    layout->addWidget(text_, 1);
    dismiss_ = new QPushButton(tr("Close"), this);
    dismiss_->setObjectName(QStringLiteral("putAway"));
    dismiss_->setStyleSheet(QStringLiteral("padding:0 8px"));
    layout->addWidget(dismiss_);
    findings_ = new QPushButton(this);
    findings_->setObjectName(QStringLiteral("findings"));
    findings_->setFlat(true);
    findings_->setFont(Theme::label(9.5, QFont::DemiBold));
    findings_->setFocusPolicy(Qt::TabFocus);
    layout->addWidget(findings_);
    saidTimer_.setSingleShot(true);
    saidTimer_.setInterval(8000);
    connect(&saidTimer_, &QTimer::timeout, this, [this] {
        said_.clear();
        fill();
    });
    connect(dismiss_, &QPushButton::clicked, this, &StatusLine::putErrorAway);
    connect(&session_.document, &Document::songChanged, this, &StatusLine::putRefusalAway);
    connect(findings_, &QPushButton::clicked, this, &StatusLine::findingsClicked);
    connect(&session_.review, &JoinReview::changed, this, &StatusLine::fill);
    fill();
}

void StatusLine::setStatus(const QString& text)
{
    status_ = text;
    fill();
}

void StatusLine::setHint(const QString& text)
{
    hint_ = text;
    fill();
}

void StatusLine::say(const QString& text)
{
    said_ = text;
    saidTimer_.start();
    putRefusalAway();
    fill();
}

void StatusLine::showError(const Error& error)
{
    error_ = textOf(error);
    isRefusal_ = error.kind == ErrorKind::BadArgument;
    fill();
}

void StatusLine::settleError(const QString& text)
{
    if (error_ == text) {
        putErrorAway();
    }
}

void StatusLine::putErrorAway()
{
    error_.clear();
    fill();
}

void StatusLine::putRefusalAway()
{
    if (isRefusal_) {
        putErrorAway();
    }
}

QString StatusLine::text() const
{
    return shown_;
}

void StatusLine::fill()
{
    const bool isError = !error_.isEmpty();
    shown_ = isError ? error_ : !said_.isEmpty() ? said_ : !hint_.isEmpty() ? hint_ : status_;
    QPalette colours = QGuiApplication::palette();
    colours.setColor(
        QPalette::WindowText, isError ? Theme::palette().finding : Theme::palette().ink
    );
    text_->setPalette(colours);
    dismiss_->setVisible(isError);
    const auto count = session_.review.findings().size();
    findings_->setText(
        count == 0
            ? tr("no findings")
            : tr("%n finding(s)", nullptr, static_cast<int>(count))
                  .replace(
                      QStringLiteral("finding(s)"), count == 1 ? tr("finding") : tr("findings")
                  )
    );
    findings_->setStyleSheet(
        QStringLiteral("border:0;padding:0 4px;background:transparent;color:%1")
            .arg((count == 0 ? Theme::palette().secondInk : Theme::palette().finding).name())
    );
    layout()->activate();
    elide();
}

void StatusLine::resizeEvent(QResizeEvent* event)
{
    QWidget::resizeEvent(event);
    elide();
}

// What does not fit is to be read in the tip.
void StatusLine::elide()
{
    const QString fitting =
        text_->fontMetrics().elidedText(shown_, Qt::ElideRight, std::max(0, text_->width() - 2));
    text_->setText(fitting);
    text_->setToolTip(
        fitting == shown_ ? QString() : QStringLiteral("<qt>%1</qt>").arg(shown_.toHtmlEscaped())
    );
}

void StatusLine::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.fillRect(rect(), Theme::palette().edge);
    painter.setPen(QPen(Theme::palette().barLine, 1));
    painter.drawLine(0, 0, width(), 0);
}

ProgressLine::ProgressLine(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(12, 3, 12, 1);
    text_ = new QLabel(this);
    text_->setTextFormat(Qt::PlainText);
    text_->setObjectName(QStringLiteral("progress"));
    text_->setFont(Theme::label(9));
    layout->addWidget(text_, 1);
    stop_ = new QPushButton(tr("Stop"), this);
    stop_->setObjectName(QStringLiteral("stopWork"));
    stop_->setStyleSheet(QStringLiteral("padding:0 10px"));
    layout->addWidget(stop_);
    connect(stop_, &QPushButton::clicked, this, [this] { session_.jobs.stopShown(); });
    connect(&session_.jobs, &JobQueue::progressed, this, &ProgressLine::fill);
    hide();
}

void ProgressLine::fill()
{
    const QString name = session_.jobs.shownName();
    setVisible(!name.isEmpty());
    text_->setText(tr("%1, %2 %").arg(name).arg(session_.jobs.shownProgress() * 100.0, 0, 'f', 0));
    update();
}

void ProgressLine::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.fillRect(rect(), Theme::palette().edge);
    painter.fillRect(
        QRectF(0, 0, width() * session_.jobs.shownProgress(), 2), Theme::palette().ink
    );
}

}  // namespace orthochron::app
