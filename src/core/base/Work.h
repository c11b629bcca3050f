#pragma once

#include <functional>
#include <stop_token>

namespace orthochron {

// What long work is given: a way to be stopped and a way to say how far it is.
// Default constructed, it can neither be stopped nor does it report.
struct Work {
    std::stop_token stop;
    std::function<void(double)> progress;  // 0..1, called on the working thread

    [[nodiscard]] bool stopped() const { return stop.stop_requested(); }
    void report(double done) const
    {
        if (progress) {
            progress(done);
        }
    }
    // The part of this work from `from` to `to`, reported as 0..1 by the one who does it.
    [[nodiscard]] Work part(double from, double to) const
    {
        return {stop, [outer = progress, from, to](double done) {
                    if (outer) {
                        outer(from + (to - from) * done);
                    }
                }};
    }
};

}  // namespace orthochron
