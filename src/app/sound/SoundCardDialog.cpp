#include "app/sound/SoundCardDialog.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLabel>
#include <QPushButton>

namespace orthochron::app {

SoundCardDialog::SoundCardDialog(SoundCard& card, QWidget* parent) : QDialog(parent), card_(card)
{
    setWindowTitle(tr("Sound card"));
    setObjectName(QStringLiteral("soundCardDialog"));
    auto* layout = new QFormLayout(this);
    device_ = new QComboBox(this);
    device_->setObjectName(QStringLiteral("soundDevice"));
    device_->setMinimumWidth(360);
    device_->addItem(tr("Looking for sound cards…"));
    device_->setEnabled(false);
    outputs_ = new QComboBox(this);
    outputs_->setObjectName(QStringLiteral("soundOutputs"));
    block_ = new QComboBox(this);
    block_->setObjectName(QStringLiteral("soundBlock"));
    for (const int frames : {64, 128, 256, 512, 1024, 2048}) {
        block_->addItem(tr("%1 frames").arg(frames), frames);
    }
    now_ = new QLabel(this);
    now_->setObjectName(QStringLiteral("soundNow"));
    now_->setTextFormat(Qt::PlainText);
    now_->setWordWrap(true);
    layout->addRow(tr("Device"), device_);
    layout->addRow(tr("Outputs"), outputs_);
    layout->addRow(tr("Buffer"), block_);
    layout->addRow(tr("Status"), now_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    buttons->button(QDialogButtonBox::Close)->setIcon(QIcon());
    auto* again = buttons->addButton(tr("Refresh"), QDialogButtonBox::ActionRole);
    layout->addRow(buttons);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(again, &QPushButton::clicked, &card_, &SoundCard::look);
    connect(&card_, &SoundCard::found, this, &SoundCardDialog::list);
    connect(&card_, &SoundCard::changed, this, &SoundCardDialog::refresh);
    connect(device_, &QComboBox::activated, this, [this] {
        fillOutputs();
        choose();
    });
    connect(outputs_, &QComboBox::activated, this, &SoundCardDialog::choose);
    connect(block_, &QComboBox::activated, this, &SoundCardDialog::choose);
    refresh();
    card_.look();
}

void SoundCardDialog::list(const std::vector<engine::DeviceFacts>& devices)
{
    devices_ = devices;
    // Some systems do not list a device that is in use.
    const engine::DeviceChoice choice = SoundCard::choice();
    const bool isListed =
        choice.device.empty() ||
        std::ranges::any_of(devices, [&](const engine::DeviceFacts& device) {
            return device.system == choice.system && device.device == choice.device;
        });
    if (!isListed) {
        devices_.push_back({choice.system, choice.device, choice.firstChannel + 2, false});
    }
    device_->clear();
    device_->setEnabled(true);
    device_->addItem(tr("First available system"));
    for (const engine::DeviceFacts& device : devices_) {
        const QString name = QString::fromStdString(device.device);
        device_->addItem(
            name.isEmpty()
                ? tr("Simulated sound card (silent)")
                : tr("%1: %2").arg(QString::fromStdString(engine::systemName(device.system)), name)
        );
    }
    refresh();
}

// Shows what is chosen, and what it is played on now.
void SoundCardDialog::refresh()
{
    const engine::DeviceChoice choice = SoundCard::choice();
    if (!devices_.empty()) {
        int index = 0;
        for (std::size_t i = 0; i < devices_.size(); ++i) {
            const bool isChosen = devices_[i].system == choice.system &&
                                  (devices_[i].device == choice.device ||
                                   (choice.device.empty() && devices_[i].isUsual));
            index = isChosen ? static_cast<int>(i) + 1 : index;
        }
        device_->setCurrentIndex(index);
    }
    fillOutputs();
    outputs_->setCurrentIndex(std::max(0, outputs_->findData(choice.firstChannel)));
    if (block_->findData(choice.blockFrames) < 0) {
        block_->addItem(tr("%1 frames").arg(choice.blockFrames), choice.blockFrames);
    }
    block_->setCurrentIndex(block_->findData(choice.blockFrames));
    now_->setText(card_.description());
}

void SoundCardDialog::fillOutputs()
{
    const int index = device_->currentIndex() - 1;
    const int channels = index >= 0 && index < static_cast<int>(devices_.size())
                             ? devices_[static_cast<std::size_t>(index)].channels
                             : 2;
    outputs_->clear();
    for (int first = 0; first + 1 < channels; first += 2) {
        outputs_->addItem(tr("%1, %2").arg(first + 1).arg(first + 2), first);
    }
}

void SoundCardDialog::choose()
{
    engine::DeviceChoice choice;
    if (const int index = device_->currentIndex() - 1;
        index >= 0 && index < static_cast<int>(devices_.size())) {
        choice.system = devices_[static_cast<std::size_t>(index)].system;
        choice.device = devices_[static_cast<std::size_t>(index)].device;
    }
    choice.firstChannel = std::max(0, outputs_->currentData().toInt());
    choice.blockFrames = block_->currentData().toInt();
    card_.choose(choice);
}

}  // namespace orthochron::app
