#pragma once

#include <string_view>

// What the two directions of the song format must agree on.
namespace orthochron {

constexpr std::string_view kFormatName = "orthochron song";

// What a clip is besides its place, one bit each, in the formats before the third.
enum ClipFlag : int { kLocked = 1, kMuted = 2, kReversed = 4, kByHand = 8 };

}  // namespace orthochron
