#include "app/document/FileNames.h"

#include <QFileDialog>
#include <QStringDecoder>

#include <algorithm>
#include <string_view>

namespace orthochron::app {

namespace {

constexpr char16_t kFirstEscape = 0xDC00;  // plus the byte, which is 0x80 at least
constexpr char16_t kLowestEscape = 0xDC80;
constexpr char16_t kHighestEscape = 0xDCFF;
const QString kScheme = QStringLiteral("file://");

bool isLoneEscape(const QString& name, qsizetype i)
{
    const char16_t unit = name[i].unicode();
    return unit >= kLowestEscape && unit <= kHighestEscape &&
           !(i > 0 && name[i - 1].isHighSurrogate());
}

// How many bytes at the front are one character of UTF-8; 0 where there is none.
std::size_t characterAt(std::string_view bytes)
{
    constexpr std::size_t kLongest = 4;
    for (std::size_t length = 1; length <= std::min(kLongest, bytes.size()); ++length) {
        QStringDecoder decoder(QStringDecoder::Utf8, QStringDecoder::Flag::Stateless);
        const QString text = decoder(QByteArrayView(bytes.data(), static_cast<qsizetype>(length)));
        if (!decoder.hasError() && !text.isEmpty()) {
            return length;
        }
    }
    return 0;
}

QUrl startOf(const QString& name)
{
    const QString address = addressOf(name);
    return address == name ? QUrl::fromLocalFile(name) : QUrl(address);
}

}  // namespace

QString nameOf(const std::filesystem::path& file)
{
    const std::string& all = file.native();
    QStringDecoder decoder(QStringDecoder::Utf8, QStringDecoder::Flag::Stateless);
    QString whole = decoder(QByteArrayView(all));
    if (!decoder.hasError()) {
        return whole;
    }
    QString name;
    std::string_view bytes = all;
    while (!bytes.empty()) {
        if (const std::size_t length = characterAt(bytes); length > 0) {
            name += QString::fromUtf8(bytes.data(), static_cast<qsizetype>(length));
            bytes.remove_prefix(length);
        } else {
            name += QChar(
                static_cast<char16_t>(kFirstEscape + static_cast<unsigned char>(bytes.front()))
            );
            bytes.remove_prefix(1);
        }
    }
    return name;
}

std::filesystem::path fileOf(const QString& name)
{
    std::string bytes;
    qsizetype from = 0;
    for (qsizetype i = 0; i <= name.size(); ++i) {
        if (i < name.size() && !isLoneEscape(name, i)) {
            continue;
        }
        bytes += name.mid(from, i - from).toStdString();
        if (i < name.size()) {
            bytes += static_cast<char>(name[i].unicode() - kFirstEscape);
        }
        from = i + 1;
    }
    return {bytes};
}

QString nameOf(const QUrl& address)
{
    if (!address.isLocalFile()) {
        return {};
    }
    const QByteArray escaped = address.path(QUrl::FullyEncoded).toLatin1();
    return nameOf(std::filesystem::path(QByteArray::fromPercentEncoding(escaped).toStdString()));
}

QString nameOfArgument(const char* argument)
{
    const std::string_view text = argument;
    if (text.starts_with("file:")) {
        return nameOf(QUrl(QString::fromLatin1(text.data(), static_cast<qsizetype>(text.size()))));
    }
    return nameOf(std::filesystem::path(text));
}

QString addressOf(const QString& name)
{
    bool isText = true;
    for (qsizetype i = 0; i < name.size(); ++i) {
        isText = isText && !isLoneEscape(name, i);
    }
    if (isText && !name.startsWith(QLatin1String("file:"))) {
        return name;
    }
    const std::string bytes = std::filesystem::absolute(fileOf(name)).string();
    const QByteArray escaped = QByteArray::fromStdString(bytes).toPercentEncoding("/");
    return kScheme + QString::fromLatin1(escaped);
}

QString askForFile(QWidget* parent, const QString& title, const QString& filter)
{
    return nameOf(QFileDialog::getOpenFileUrl(parent, title, QUrl(), filter));
}

QStringList askForFiles(QWidget* parent, const QString& title, const QString& filter)
{
    QStringList names;
    for (const QUrl& url : QFileDialog::getOpenFileUrls(parent, title, QUrl(), filter)) {
        names << nameOf(url);
    }
    names.removeAll(QString());
    return names;
}

QString askForFolder(QWidget* parent, const QString& title, const QString& at)
{
    return nameOf(QFileDialog::getExistingDirectoryUrl(parent, title, startOf(at)));
}

QString askForNewFile(
    QWidget* parent, const QString& title, const QString& suggestion, const QString& filter
)
{
    return nameOf(QFileDialog::getSaveFileUrl(parent, title, startOf(suggestion), filter));
}

}  // namespace orthochron::app
