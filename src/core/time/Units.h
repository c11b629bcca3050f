#pragma once

#include <cmath>
#include <compare>
#include <cstdint>

// Strong numbers for what is confused most easily. The type carries the unit; the name carries
// the axis: takeTime (in the recording) or songTime (where it is played).
namespace orthochron {

template<class Tag, class Rep>
class Quantity {
public:
    using RepType = Rep;

    constexpr Quantity() = default;
    explicit constexpr Quantity(Rep count) : count_(count) {}

    [[nodiscard]] constexpr Rep count() const { return count_; }
    constexpr auto operator<=>(const Quantity&) const = default;

    constexpr Quantity operator-() const { return Quantity(-count_); }
    constexpr Quantity& operator+=(Quantity other)
    {
        count_ += other.count_;
        return *this;
    }
    constexpr Quantity& operator-=(Quantity other)
    {
        count_ -= other.count_;
        return *this;
    }
    friend constexpr Quantity operator+(Quantity a, Quantity b) { return a += b; }
    friend constexpr Quantity operator-(Quantity a, Quantity b) { return a -= b; }
    friend constexpr Quantity operator*(Quantity a, Rep factor)
    {
        return Quantity(a.count_ * factor);
    }
    friend constexpr Quantity operator/(Quantity a, Rep divisor)
    {
        return Quantity(a.count_ / divisor);
    }
    friend constexpr double operator/(Quantity a, Quantity b)
    {
        return static_cast<double>(a.count_) / static_cast<double>(b.count_);
    }

private:
    Rep count_{};
};

using Frames = Quantity<struct FramesTag, std::int64_t>;  // one sample of each channel
using Seconds = Quantity<struct SecondsTag, double>;
using Beats = Quantity<struct BeatsTag, double>;  // quarter notes, whatever the meter
using Hertz = Quantity<struct HertzTag, double>;

[[nodiscard]] inline Seconds toSeconds(Frames frames, Hertz rate)
{
    return Seconds(static_cast<double>(frames.count()) / rate.count());
}
// The nearest whole frame.
[[nodiscard]] inline Frames toFrames(Seconds time, Hertz rate)
{
    return Frames(std::llround(time.count() * rate.count()));
}
[[nodiscard]] constexpr Seconds milliseconds(double count)
{
    return Seconds(count * 1e-3);
}
[[nodiscard]] constexpr double inMilliseconds(Seconds time)
{
    return time.count() * 1e3;
}

[[nodiscard]] inline double toDecibels(double linear)
{
    return linear > 0.0 ? 20.0 * std::log10(linear) : -200.0;
}
[[nodiscard]] inline double fromDecibels(double decibels)
{
    return std::pow(10.0, decibels / 20.0);
}

}  // namespace orthochron
