#pragma once

#include <QString>
#include <QStringList>
#include <QUrl>

#include <filesystem>

class QWidget;

namespace orthochron::app {

// A file's name is any bytes, and old disks hold names that are no UTF-8. In texts of the window each byte that
// is none stands as one lone surrogate (U+DC80 to U+DCFF), so that the name leads back to its file.
[[nodiscard]] QString nameOf(const std::filesystem::path& file);
[[nodiscard]] std::filesystem::path fileOf(const QString& name);

// What a desktop hands over: every byte is kept in the escapes of a "file:" address. Empty for one of another
// kind.
[[nodiscard]] QString nameOf(const QUrl& address);
// An argument of the program: a name, or such an address.
[[nodiscard]] QString nameOfArgument(const char* argument);
// An address for a name that cannot stand as text elsewhere, otherwise the name itself.
[[nodiscard]] QString addressOf(const QString& name);

// The desktop's own dialogs, or ours where it has none; empty when nothing was chosen.
[[nodiscard]] QString askForFile(QWidget* parent, const QString& title, const QString& filter = {});
[[nodiscard]] QStringList askForFiles(QWidget* parent, const QString& title, const QString& filter);
[[nodiscard]] QString askForFolder(QWidget* parent, const QString& title, const QString& at);
[[nodiscard]] QString askForNewFile(
    QWidget* parent, const QString& title, const QString& suggestion, const QString& filter
);

}  // namespace orthochron::app
