#include "app/window/ShortcutsDialog.h"

#include <QCoreApplication>
#include <QDialog>
#include <QDialogButtonBox>
#include <QHeaderView>
#include <QKeySequenceEdit>
#include <QLabel>
#include <QLineEdit>
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
    dialog.resize(620, 640);
    dialog.setObjectName(QStringLiteral("shortcutsDialog"));
    auto* layout = new QVBoxLayout(&dialog);
    const auto& specs = commandTable();
    auto* table = new QTableWidget(static_cast<int>(specs.size()), 3, &dialog);
    table->setHorizontalHeaderLabels({tr("Command"), tr("Key"), tr("Second key")});
    table->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    table->verticalHeader()->hide();
    for (int i = 0; i < table->rowCount(); ++i) {
        const CommandSpec& spec = specs[static_cast<std::size_t>(i)];
        auto* item = new QTableWidgetItem(spec.menu + QStringLiteral(" › ") + spec.text);
        item->setFlags(Qt::ItemIsEnabled);
        table->setItem(i, 0, item);
        for (int second = 0; second < 2; ++second) {
            auto* edit = new QKeySequenceEdit(keysOf(spec).value(second), table);
            // An empty field is empty: the usual words do not fit.
            edit->findChild<QLineEdit*>()->setPlaceholderText(QString());
            edit->setObjectName(spec.id + (second == 0 ? QString() : QStringLiteral("-second")));
            table->setCellWidget(i, 1 + second, edit);
        }
    }
    layout->addWidget(table);
    auto* refusal = new QLabel(&dialog);
    refusal->setObjectName(QStringLiteral("refusal"));
    refusal->setTextFormat(Qt::PlainText);
    layout->addWidget(refusal);
    const auto keysAt = [table](std::size_t row) {
        QList<QKeySequence> keys;
        for (int column = 1; column < 3; ++column) {
            keys << qobject_cast<QKeySequenceEdit*>(table->cellWidget(static_cast<int>(row), column)
            )
                        ->keySequence();
        }
        return keys;
    };
    for (std::size_t row = 0; row < specs.size(); ++row) {
        for (int column = 1; column < 3; ++column) {
            auto* edit =
                qobject_cast<QKeySequenceEdit*>(table->cellWidget(static_cast<int>(row), column));
            QObject::connect(
                edit,
                &QKeySequenceEdit::keySequenceChanged,
                &dialog,
                [=](const QKeySequence& keys) {
                    const CommandSpec* other = alreadyUsing(keys, row, keysAt);
                    refusal->clear();
                    if (other != nullptr) {
                        edit->clear();
                        refusal->setText(
                            tr("%1 is already used by %2")
                                .arg(keys.toString(QKeySequence::NativeText), other->text)
                        );
                    }
                }
            );
        }
    }
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
            // All are cleared first: none is then taken by what is to have another.
            for (int i = 0; i < table->rowCount(); ++i) {
                for (int column = 1; column < 3; ++column) {
                    qobject_cast<QKeySequenceEdit*>(table->cellWidget(i, column))->clear();
                }
            }
            for (int i = 0; i < table->rowCount(); ++i) {
                const CommandSpec& spec = specs[static_cast<std::size_t>(i)];
                for (const auto& [column, keys] : {std::pair{1, spec.keys}, {2, spec.second}}) {
                    qobject_cast<QKeySequenceEdit*>(table->cellWidget(i, column))
                        ->setKeySequence(QKeySequence(keys));
                }
            }
        }
    );
    if (dialog.exec() != QDialog::Accepted) {
        return false;
    }
    for (int i = 0; i < table->rowCount(); ++i) {
        setKeys(specs[static_cast<std::size_t>(i)], keysAt(static_cast<std::size_t>(i)));
    }
    return true;
}

}  // namespace orthochron::app
