#pragma once

#include <span>
#include <vector>

namespace orthochron {

// How loud each microphone (row) hears a loud blow of each drum (column), in one band: first of each one's own, then of
// those that have no microphone.
using Mixing = std::vector<std::vector<double>>;

// By how much what is heard there grows with a drum's blows, by least squares, and what chance may hide of it; of
// fewer than twelve blows it says nothing (infinity).
[[nodiscard]] double growthOf(std::span<const double> blows, std::span<const double> there);

// Where another drum seems to be heard almost as loud as the microphone's own, the two may just be struck together always:
// no more of it is believed than grows with its blows.
void leaveOutCompany(Mixing& mixing, const Mixing& growth);

// Takes what microphones hear apart by drum.
class Unmixing {
public:
    explicit Unmixing(const Mixing& mixing);

    // How much of each drum there is in what they hear: the sum of blows nearest to it of which none is negative, each
    // value weighted by its inverse (multiplicative updates, Lee and Seung 2001). 1 is a loud blow.
    [[nodiscard]] std::vector<double> gainsOf(std::span<const double> heard) const;

private:
    std::vector<double> parts_;  // row by row
};

}  // namespace orthochron
