#include "app/document/FileNames.h"

#include "app/WindowFixture.h"

// Names of files that are no UTF-8, as old disks hold them, in the real window.
namespace orthochron::app {
namespace {

namespace fs = std::filesystem;

const std::string kLatin = "Fl\xFCgel \xE9t\xE9";  // as a Latin-1 disk wrote it

TEST(FileNames, EveryNameLeadsBackToItsBytes)
{
    for (const std::string& name :
         {std::string("plain"),
          std::string("Fl\xC3\xBCgel"),
          kLatin,
          std::string("\xFF\xFE\x80"),
          std::string("cut off \xE2\x82"),
          std::string("a lone half \xED\xB2\x80"),
          std::string("drum \xF0\x9F\xA5\x81 and \xF0\x9F\x92\x80"),
          std::string("not known \xEF\xBF\xBD \xFF"),
          std::string()}) {
        EXPECT_EQ(fileOf(nameOf(fs::path(name))).string(), name);
        const QString rooted = nameOf(fs::path("/a b%20#?/" + name));
        EXPECT_EQ(nameOfArgument(addressOf(rooted).toUtf8().constData()), rooted);
        EXPECT_EQ(
            nameOf(QUrl::fromLocalFile(QStringLiteral("/a%41/b"))), QStringLiteral("/a%41/b")
        );
    }
    EXPECT_EQ(nameOf(fs::path("Fl\xC3\xBCgel")), QString::fromUtf8("Fl\xC3\xBCgel"));
    EXPECT_TRUE(nameOf(QUrl(QStringLiteral("https://example.org/a.wav"))).isEmpty());
}

class OddNames : public Window {
protected:
    OddNames()
    {
        fs::create_directories(folder());
        fs::copy_file(
            Kit::shared().folder() / "Tom.wav", take(), fs::copy_options::overwrite_existing
        );
        fs::remove(saved());
    }
    static fs::path folder() { return Kit::shared().folder().path() / ("Bandsalat " + kLatin); }
    static fs::path take() { return folder() / (kLatin + ".wav"); }
    static fs::path saved() { return folder() / (kLatin + ".orthochron"); }
    static QUrl addressOfFile(const fs::path& file) { return {addressOf(nameOf(file))}; }
    bool isHeard()
    {
        AudioBuffer block(1, Frames(48000));
        EXPECT_TRUE(document_->sources()->read(song().takes[0].id, Frames(0), block));
        return std::ranges::any_of(block.channel(0), [](float x) { return x != 0.0F; });
    }
};

TEST_F(OddNames, AFolderIsDroppedSavedAndOpenedAgainFromRecent)
{
    dropAddresses({addressOfFile(folder())});
    ASSERT_EQ(song().takes.size(), 1U);
    EXPECT_EQ(song().takes[0].path, take().string());
    EXPECT_TRUE(isHeard());

    ASSERT_TRUE(document_->save(nameOf(saved())));
    EXPECT_TRUE(fs::exists(saved()));
    EXPECT_EQ(song().takes[0].path, kLatin + ".wav");

    open();
    ASSERT_FALSE(Document::recent().isEmpty());
    ASSERT_EQ(fileOf(Document::recent().front()), saved());
    window_->openFiles({Document::recent().front()});
    settle();
    ASSERT_EQ(song().takes.size(), 1U);
    EXPECT_TRUE(document_->troubles().empty());
    EXPECT_TRUE(isHeard());
}

TEST_F(OddNames, OneFileIsDroppedAndAnAddressOfAnotherKindIsNot)
{
    dropAddresses({addressOfFile(take()), QUrl(QStringLiteral("https://example.org/a.wav"))});
    ASSERT_EQ(song().takes.size(), 1U);
    EXPECT_TRUE(isHeard());
}

TEST_F(OddNames, PrintsIntoSuchAFolder)
{
    openSong();
    press(Qt::Key_9);
    child<QLineEdit>("printFolder")->setText(nameOf(folder()));
    choose("printWhat", 0);
    click("print");
    EXPECT_TRUE(fs::exists(folder() / "Small kit.wav")) << status();
}

}  // namespace
}  // namespace orthochron::app
