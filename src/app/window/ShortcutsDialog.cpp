#include "app/window/ShortcutsDialog.h"

#include <QCoreApplication>
#include <QDialog>
#include <QDialogButtonBox>
#include <QHeaderView>
#include <QKeySequenceEdit>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

#include "app/controls/Commands.h"

namespace orthochron::app {

bool askForShortcuts(QWidget* parent)
{
    const auto tr = [](const char* words) {
        return QCoreApplication::translate("ShortcutsDialog", words);
    };
    QDialog dialog(parent);
    dialog.setWindowTitle(tr("Shortcuts"));
    dialog.resize(520, 600);
    auto* layout = new QVBoxLayout(&dialog);
    const auto& specs = commandTable();
    auto* table = new QTableWidget(static_cast<int>(specs.size()), 2, &dialog);
    table->setHorizontalHeaderLabels({tr("What"), tr("Keys")});
    table->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    table->verticalHeader()->hide();
    for (int i = 0; i < table->rowCount(); ++i) {
        const CommandSpec& spec = specs[static_cast<std::size_t>(i)];
        auto* item = new QTableWidgetItem(spec.menu + QStringLiteral(" › ") + spec.text);
        item->setFlags(Qt::ItemIsEnabled);
        table->setItem(i, 0, item);
        table->setCellWidget(i, 1, new QKeySequenceEdit(keysOf(spec), table));
    }
    layout->addWidget(table);
    auto* buttons = new QDialogButtonBox(
        QDialogButtonBox::Ok | QDialogButtonBox::Cancel | QDialogButtonBox::RestoreDefaults, &dialog
    );
    layout->addWidget(buttons);
    QObject::connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
    QObject::connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
    QObject::connect(
        buttons->button(QDialogButtonBox::RestoreDefaults),
        &QPushButton::clicked,
        &dialog,
        [table, &specs] {
            for (int i = 0; i < table->rowCount(); ++i) {
                qobject_cast<QKeySequenceEdit*>(table->cellWidget(i, 1))
                    ->setKeySequence(QKeySequence(specs[static_cast<std::size_t>(i)].keys));
            }
        }
    );
    if (dialog.exec() != QDialog::Accepted) {
        return false;
    }
    for (int i = 0; i < table->rowCount(); ++i) {
        const CommandSpec& spec = specs[static_cast<std::size_t>(i)];
        const QKeySequence keys =
            qobject_cast<QKeySequenceEdit*>(table->cellWidget(i, 1))->keySequence();
        setKeys(spec, keys);
    }
    return true;
}

}  // namespace orthochron::app
