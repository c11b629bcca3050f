#include <QAbstractButton>
#include <QRegularExpression>
#include <QToolTip>

#include "app/WindowFixture.h"
#include "app/stages/Stages.h"

#include <filesystem>
#include <sstream>

namespace orthochron::app {

namespace {

// A string of the sources, with the pieces it is written in put together.
struct Words {
    std::string text;
    std::string place;
};

// Past a quoted literal that begins at `at`; what it holds is added to `text`.
std::size_t readLiteral(const std::string& code, std::size_t at, std::string& text)
{
    for (++at; at < code.size() && code[at] != '"'; ++at) {
        text += code[at];
        if (code[at] == '\\') {
            text += code[++at];
        }
    }
    return at + 1;
}

// The strings of a file that somebody may read: of the window those that can be translated, elsewhere those
// of more than one word.
std::vector<Words> wordsOf(const std::filesystem::path& file, bool isOfWindow)
{
    std::ifstream stream(file);
    std::stringstream whole;
    whole << stream.rdbuf();
    const std::string code = whole.str();
    std::vector<Words> found;
    std::string text;
    std::string before;  // what stands before it, without spaces
    bool isIn = false;
    const auto finish = [&] {
        const bool isShown =
            isOfWindow ? !before.ends_with("StringLiteral(") && !before.ends_with("QLatin1String(")
                       : text.find(' ') != std::string::npos;
        if (isIn && isShown) {
            found.push_back({text, file.filename().string()});
        }
        isIn = false;
        text.clear();
    };
    for (std::size_t at = 0; at < code.size();) {
        if (code.compare(at, 2, "//") == 0 || code[at] == '#') {
            at = code.find('\n', at);
        } else if (code.compare(at, 2, "R\"") == 0) {
            finish();
            const std::size_t open = code.find('(', at);
            const std::string end = ")" + code.substr(at + 2, open - at - 2) + "\"";
            at = code.find(end, open) + end.size();
        } else if (code[at] == '"') {
            isIn = true;
            at = readLiteral(code, at, text);
        } else if (code[at] == '\'' && (at == 0 || std::isalnum(code[at - 1]) == 0)) {
            finish();
            at += code[at + 1] == '\\' ? 4U : 3U;
        } else {
            if (std::isspace(static_cast<unsigned char>(code[at])) == 0) {
                finish();
                before += code[at];
            }
            ++at;
        }
    }
    finish();
    return found;
}

std::vector<Words> allWords()
{
    std::vector<Words> all;
    for (const std::string folder : {"app", "core", "cli", "engine"}) {
        for (const auto& entry : std::filesystem::recursive_directory_iterator(
                 std::string(ORTHOCHRON_SOURCE "/src/") + folder
             )) {
            const auto ending = entry.path().extension();
            const bool isTable = entry.path().filename() == "BeliefTrees.cpp";
            if ((ending == ".cpp" || ending == ".h") && !isTable) {
                const auto words = wordsOf(entry.path(), folder == "app");
                all.insert(all.end(), words.begin(), words.end());
            }
        }
    }
    return all;
}

int countWords(const QString& text)
{
    QString plain = text;
    plain.remove(QLatin1Char('&'));
    return static_cast<int>(
        plain.split(QRegularExpression(QStringLiteral("\\s+")), Qt::SkipEmptyParts).size()
    );
}

// Words of our own, or out of use, that a producer would have to learn for nothing.
const char* const kGone =
    R"(\b(tooth|teeth|rungs?|witness(es)?|squeezed|unheard|told of|put right|putting away|put away|)"
    R"(tak(e|es|en) (\w+ )?(away|out|off)|way round|other ways?|chosen|choose|hears?|heard|sees|alike|backwards|)"
    R"(anew|nowhere|yields?|goes round|goes along|laid in|soon done|stands (in|out|nowhere)|stand here|)"
    R"(night sheet|is no (file|number|groove|list|way|letter|length)|cannot be had|nobody|spare)\b)";

}  // namespace

TEST(Words, AreFoundInTheSources)
{
    const auto all = allWords();

    EXPECT_GT(all.size(), 1500U);
    EXPECT_TRUE(std::ranges::any_of(all, [](const Words& each) {
        return each.text == "Drag to move the hush. Ctrl: copy.";
    }));
}

TEST(Words, ThatLeftTheProgramDoNotComeBack)
{
    const QRegularExpression gone(QLatin1String(kGone), QRegularExpression::CaseInsensitiveOption);
    EXPECT_TRUE(gone.match(QStringLiteral("Hear the other way kept")).hasMatch());

    for (const Words& each : allWords()) {
        const auto match = gone.match(QString::fromStdString(each.text));
        EXPECT_FALSE(match.hasMatch())
            << each.place << ": " << match.captured().toStdString() << " in: " << each.text;
    }
}

// "Take" names a recording; what it would do as a verb has words of its own.
TEST(Words, TakeIsANoun)
{
    const QRegularExpression verb(QStringLiteral("^Take [a-z]|\\bto take\\b|\\btaken\\b"));

    for (const Words& each : allWords()) {
        EXPECT_FALSE(verb.match(QString::fromStdString(each.text)).hasMatch())
            << each.place << ": " << each.text;
    }
}

class WordsOnScreen : public Window {
protected:
    void forEachStage(const std::function<void(const QWidget&)>& look)
    {
        openSong();
        for (int stage = 0; stage < static_cast<int>(stageTable().size()); ++stage) {
            window_->showStage(stage);
            QCoreApplication::processEvents();
        }
        for (const QWidget* widget : window_->findChildren<QWidget*>()) {
            look(*widget);
        }
    }
};

TEST_F(WordsOnScreen, ButtonsHaveThreeWordsAtMost)
{
    int buttons = 0;
    forEachStage([&](const QWidget& widget) {
        const auto* button = qobject_cast<const QAbstractButton*>(&widget);
        if (button == nullptr || button->text().isEmpty()) {
            return;
        }
        ++buttons;
        // Counts and values are no words of the label.
        QString text = button->text();
        text.remove(QRegularExpression(QStringLiteral("[\\d.,−+%]+")));
        EXPECT_LE(countWords(text), 3)
            << button->objectName().toStdString() << ": " << button->text().toStdString();
    });
    EXPECT_GT(buttons, 80);
}

TEST_F(WordsOnScreen, CommandsHaveThreeWordsAtMost)
{
    for (const CommandSpec& spec : commandTable()) {
        EXPECT_LE(countWords(spec.text), 3) << spec.text.toStdString();
    }
}

TEST_F(WordsOnScreen, TipsAreOneShortSentence)
{
    int tips = 0;
    forEachStage([&](const QWidget& widget) {
        // The second line of a field's tip says how it is typed into.
        const QString tip = widget.toolTip().section(QLatin1Char('\n'), 0, 0);
        if (tip.isEmpty() || tip.startsWith(QLatin1String("<qt>"))) {
            return;
        }
        ++tips;
        EXPECT_LE(countWords(tip), 15)
            << widget.objectName().toStdString() << ": " << tip.toStdString();
    });
    EXPECT_GT(tips, 20);
}

}  // namespace orthochron::app
