#include "app/window/UnsavedDialog.h"

#include <QDateTime>
#include <QDialogButtonBox>
#include <QLabel>
#include <QListWidget>
#include <QLocale>
#include <QMessageBox>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/stages/Bench.h"
#include "app/theme/Theme.h"

#include <algorithm>

namespace orthochron::app {

namespace {

constexpr QSize kPicture(200, 56);

// Every clip where it lies on its lane: enough to know a song by.
QPixmap pictureOf(const Song& song)
{
    QPixmap pixmap(kPicture);
    pixmap.fill(Theme::palette().lane);
    QPainter painter(&pixmap);
    const double length = std::max(1.0, static_cast<double>(song.length().count()));
    const double scale = kPicture.width() / length;
    const double height =
        kPicture.height() / std::max(1.0, static_cast<double>(song.tracks.size()));
    for (std::size_t t = 0; t < song.tracks.size(); ++t) {
        const double top = height * static_cast<double>(t);
        for (const Clip& clip : song.tracks[t]->clips) {
            // A gap of one pixel shows where it is cut, as long as there is room for it.
            const double width = static_cast<double>(clip.length.count()) * scale;
            painter.fillRect(
                QRectF(
                    static_cast<double>(clip.at.count()) * scale,
                    top + 1.0,
                    std::max(1.0, width - 1.0),
                    std::max(1.0, height - 2.0)
                ),
                Theme::palette().wave
            );
        }
    }
    painter.setPen(Theme::palette().edge);
    painter.drawRect(pixmap.rect().adjusted(0, 0, -1, -1));
    return pixmap;
}

}  // namespace

UnsavedDialog::UnsavedDialog(std::vector<UnsavedSong> songs, QWidget* parent)
    : QDialog(parent), songs_(std::move(songs))
{
    setWindowTitle(tr("Unsaved songs"));
    resize(560, 400);
    auto* layout = new QVBoxLayout(this);
    auto* words = new QLabel(
        tr("These songs were never saved. Each is kept until you save or discard it."), this
    );
    words->setWordWrap(true);
    layout->addWidget(words);
    list_ = new QListWidget(this);
    list_->setObjectName(QStringLiteral("unsavedSongs"));
    list_->setAccessibleName(tr("Unsaved songs"));
    list_->setIconSize(kPicture);
    list_->setSpacing(Theme::kGrid);
    layout->addWidget(list_);
    auto* buttons = new QDialogButtonBox(this);
    open_ = benchButton(tr("Open"), QStringLiteral("openUnsaved"), true, this);
    open_->setDefault(true);
    discard_ = benchButton(tr("Discard…"), QStringLiteral("discardUnsaved"), false, this);
    buttons->addButton(open_, QDialogButtonBox::AcceptRole);
    buttons->addButton(discard_, QDialogButtonBox::DestructiveRole);
    buttons->addButton(tr("Later"), QDialogButtonBox::RejectRole);
    layout->addWidget(buttons);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(discard_, &QPushButton::clicked, this, &UnsavedDialog::discardChosen);
    connect(list_, &QListWidget::itemActivated, this, &QDialog::accept);
    fill();
}

std::filesystem::path UnsavedDialog::chosen() const
{
    return songs_[static_cast<std::size_t>(list_->currentRow())].file;
}

void UnsavedDialog::fill()
{
    list_->clear();
    for (const UnsavedSong& each : songs_) {
        const QString name =
            each.song->name.empty() ? tr("Unnamed song") : QString::fromStdString(each.song->name);
        const auto time = QDateTime::fromSecsSinceEpoch(each.secondsSinceEpoch);
        const std::size_t count = each.song->tracks.size();
        QString tracks = count == 1 ? tr("1 track") : tr("%1 tracks").arg(count);
        if (!each.song->tracks.empty()) {
            tracks += tr(", the first %1").arg(QString::fromStdString(each.song->tracks[0]->name));
        }
        // The same when it is chosen: a tinted picture is hard to know a song by.
        const QPixmap picture = pictureOf(*each.song);
        QIcon icon(picture);
        icon.addPixmap(picture, QIcon::Selected);
        list_->addItem(new QListWidgetItem(
            icon,
            QStringLiteral("%1\n%2\n%3")
                .arg(name, QLocale().toString(time, QLocale::ShortFormat), tracks)
        ));
    }
    list_->setCurrentRow(0);
    open_->setEnabled(!songs_.empty());
    discard_->setEnabled(!songs_.empty());
}

void UnsavedDialog::discardChosen()
{
    if (QMessageBox::question(
            this,
            tr("Discard song?"),
            tr("This cannot be undone. Takes are kept."),
            QMessageBox::Discard | QMessageBox::Cancel
        ) != QMessageBox::Discard) {
        return;
    }
    const auto row = static_cast<std::size_t>(list_->currentRow());
    // Another window may have opened it since.
    if (const auto place = UnsavedPlace::take(songs_[row].file)) {
        std::error_code ignored;
        std::filesystem::remove(songs_[row].file, ignored);
    }
    songs_.erase(songs_.begin() + list_->currentRow());
    if (songs_.empty()) {
        reject();
        return;
    }
    fill();
}

}  // namespace orthochron::app
