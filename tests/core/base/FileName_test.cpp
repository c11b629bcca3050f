#include "core/base/FileName.h"

#include <gtest/gtest.h>

namespace orthochron {
namespace {

TEST(FileName, StaysOneFileInItsFolder)
{
    EXPECT_EQ(fileNameOf("Over left", "Track"), "Over left");
    EXPECT_EQ(fileNameOf("../../etc/passwd", "Track"), "Track..-..-etc-passwd");
    EXPECT_EQ(fileNameOf("a\\b\nc", "Track"), "a-b-c");
    EXPECT_EQ(fileNameOf("", "Song"), "Song");
    EXPECT_EQ(fileNameOf(".hidden", "Song"), "Song.hidden");
    EXPECT_EQ(fileNameOf("Gr\xC3\xBC\xC3\x9F", "Song"), "Gr\xC3\xBC\xC3\x9F");  // letters stay
}

}  // namespace
}  // namespace orthochron
