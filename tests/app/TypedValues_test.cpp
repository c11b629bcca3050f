#include <gtest/gtest.h>

#include "app/controls/NumberField.h"

#include <cmath>
#include <random>

namespace orthochron::app {
namespace {

// Anything may be typed: what is taken for a number is one.
TEST(TypedValues, AreNumbersOrNothing)
{
    const QString letters = QStringLiteral("0123456789.,-+/eE ms%dBbpmpKHzsmp\u221E\u0661\n");
    std::mt19937 random(9);
    int taken = 0;
    for (const char* unit : {"ms", "%", "dB", "bpm", "st", ""}) {
        NumberStyle style;
        style.unit = QString::fromLatin1(unit);
        for (int i = 0; i < 5000; ++i) {
            QString text;
            for (auto count = random() % 9; count-- > 0;) {
                text += letters[static_cast<qsizetype>(
                    random() % static_cast<std::size_t>(letters.size())
                )];
            }
            if (const auto value = readNumber(text, style)) {
                EXPECT_TRUE(std::isfinite(*value)) << text.toStdString();
                ++taken;
            }
        }
        for (const char* wrong : {"nan", "inf", "-inf", "1e999", "0x10", "1/0", "--3"}) {
            const auto value = readNumber(QString::fromLatin1(wrong), style);
            EXPECT_TRUE(!value || std::isfinite(*value)) << wrong;
        }
    }
    EXPECT_GT(taken, 100);
}

}  // namespace
}  // namespace orthochron::app
