#include "core/demo/DrumVoices.h"

#include <cmath>
#include <numbers>

namespace orthochron::demo {

namespace {

constexpr double kTurn = 2.0 * std::numbers::pi;

// A head's mode: a sine whose pitch falls from `hertz * (1 + bend)` to `hertz`.
struct Mode {
    double hertz;
    double level;
    double decay;  // seconds to 1/e
    double bend;
    double bendTime;
};

void addMode(std::span<float> out, double rate, const Mode& mode, double rise)
{
    const double fall = std::exp(-1.0 / (mode.decay * rate));
    const double relax = std::exp(-1.0 / (mode.bendTime * rate));
    const double settle = std::exp(-1.0 / (rise * rate));
    double phase = 0.0;
    double level = mode.level;
    double bend = mode.bend;
    double missing = 1.0;  // of the rise
    for (std::size_t i = 0; i < out.size() && level > 1e-5; ++i) {
        out[i] += static_cast<float>(level * (1.0 - missing) * std::sin(phase));
        phase += kTurn * mode.hertz * (1.0 + bend) / rate;
        level *= fall;
        bend *= relax;
        missing *= settle;
    }
}

// Noise between two corners (one pole each), dying away.
struct Noise {
    double level;
    double lowHertz;
    double highHertz;
    double decay;
    double rise;
};

void addNoise(std::span<float> out, double rate, const Noise& noise, Random& random)
{
    const double low = -std::expm1(-kTurn * noise.lowHertz / rate);
    const double high = -std::expm1(-kTurn * noise.highHertz / rate);
    const double fall = std::exp(-1.0 / (noise.decay * rate));
    double slow = 0.0;
    double smooth = 0.0;
    double level = noise.level;
    const double settle = std::exp(-1.0 / (noise.rise * rate));
    double missing = 1.0;  // of the rise
    for (std::size_t i = 0; i < out.size() && level > 1e-5; ++i, level *= fall, missing *= settle) {
        smooth += high * (random.between(-1.0, 1.0) - smooth);
        slow += low * (smooth - slow);
        out[i] += static_cast<float>(level * (smooth - slow) * (1.0 - missing));
    }
}

// A plate's mode as a two-pole recursion: no sine for each sample.
struct Partial {
    Partial(double rate, double hertz, double level, double decay)
        : now(level * std::sin(kTurn * hertz / rate)),
          length(static_cast<std::size_t>(decay * rate * 8.0))
    {
        const double fall = std::exp(-1.0 / (decay * rate));
        turn = 2.0 * fall * std::cos(kTurn * hertz / rate);
        square = fall * fall;
    }

    double turn = 0.0;
    double square = 0.0;
    double before = 0.0;
    double now;
    std::size_t length;
};

// Adds some partials from a frame on, as long as all of them sound: each waits for its own frame before, and the others go
// on meanwhile.
template<std::size_t kTogether>
std::size_t addTogether(std::span<float> out, std::span<Partial, kTogether> partials, std::size_t n)
{
    std::size_t last = out.size();
    for (const Partial& partial : partials) {
        last = std::min(last, partial.length);
    }
    for (; n < last; ++n) {
        float sum = out[n];
        for (Partial& partial : partials) {
            sum += static_cast<float>(partial.now);
            const double next = partial.turn * partial.now - partial.square * partial.before;
            partial.before = partial.now;
            partial.now = next;
        }
        out[n] = sum;
    }
    return n;
}

struct Plate {
    int partials;
    double lowHertz, highHertz;
    double level;
    double longest;  // decay of the lowest partials, seconds
    double tilt;     // how much sooner the high ones die
};

void addPlate(std::span<float> out, double rate, const Plate& plate, Random& random)
{
    const double top = std::min(plate.highHertz, 0.45 * rate);
    std::vector<Partial> partials;
    for (int i = 0; i < plate.partials; ++i) {
        const double place = (i + random.even()) / plate.partials;
        const double hertz = plate.lowHertz * std::pow(top / plate.lowHertz, place);
        const double decay = plate.longest * std::pow(hertz / plate.lowHertz, -plate.tilt);
        partials.emplace_back(rate, hertz, plate.level * random.between(-1.0, 1.0), decay);
    }
    constexpr std::size_t kTogether = 8;
    for (std::size_t k = 0; k < partials.size(); k += kTogether) {
        const auto some = std::span(partials).subspan(k, std::min(kTogether, partials.size() - k));
        const std::size_t n =
            some.size() == kTogether ? addTogether(out, some.first<kTogether>(), 0) : 0;
        for (Partial& partial : some) {
            addTogether(out, std::span<Partial, 1>(&partial, 1), n);
        }
    }
}

std::vector<float> room(double seconds, double rate)
{
    return std::vector<float>(static_cast<std::size_t>(seconds * rate), 0.0F);
}

std::vector<float> kick(double v, double rate, const KitTuning& tuning, Random& random)
{
    auto out = room(0.7, rate);
    addMode(out, rate, {tuning.kickHertz, 0.85 * v, 0.13, 1.9, 0.012}, 0.0005);
    addMode(out, rate, {tuning.kickHertz * 1.62, 0.22 * v, 0.07, 0.9, 0.010}, 0.0005);
    addMode(out, rate, {tuning.kickHertz * 3.4, 0.10 * v, 0.03, 0.4, 0.006}, 0.0003);
    addNoise(out, rate, {1.1 * v * v, 1200.0, 5200.0, 0.0045, 0.0001}, random);
    return out;
}

std::vector<float> snare(double v, double rate, const KitTuning& tuning, Random& random)
{
    auto out = room(0.6, rate);
    const double detune = 1.0 + 0.01 * random.bell();
    addMode(out, rate, {tuning.snareHertz * detune, 0.50 * v, 0.075, 0.25, 0.010}, 0.0003);
    addMode(out, rate, {tuning.snareHertz * 1.59 * detune, 0.28 * v, 0.050, 0.18, 0.008}, 0.0003);
    addMode(out, rate, {tuning.snareHertz * 2.31, 0.16 * v, 0.035, 0.10, 0.006}, 0.0003);
    addNoise(out, rate, {1.3 * v * std::sqrt(v), 1800.0, 9000.0, 0.006, 0.0001}, random);
    addNoise(out, rate, {0.55 * v, 1500.0, 8000.0, 0.085, 0.0012}, random);
    return out;
}

std::vector<float> tom(double v, double hertz, double rate, Random& random)
{
    auto out = room(1.1, rate);
    addMode(out, rate, {hertz, 0.75 * v, 0.22, 0.45, 0.030}, 0.0004);
    addMode(out, rate, {hertz * 1.55, 0.30 * v, 0.11, 0.30, 0.020}, 0.0004);
    addMode(out, rate, {hertz * 2.2, 0.14 * v, 0.06, 0.20, 0.012}, 0.0003);
    addNoise(out, rate, {0.8 * v * v, 900.0, 6000.0, 0.005, 0.0001}, random);
    return out;
}

std::vector<float> hat(double v, double rate, const KitTuning& tuning, Random& random)
{
    auto out = room(0.25, rate);
    addPlate(out, rate, {26, 3200.0, 15000.0, 0.05 * v, 0.040 * tuning.cymbalDecay, 0.3}, random);
    addNoise(out, rate, {0.65 * v, 6500.0, 16000.0, 0.028, 0.0002}, random);
    return out;
}

std::vector<float> ride(double v, double rate, const KitTuning& tuning, Random& random)
{
    auto out = room(2.2 * tuning.cymbalDecay, rate);
    addPlate(out, rate, {44, 420.0, 14000.0, 0.030 * v, 1.1 * tuning.cymbalDecay, 0.45}, random);
    addPlate(out, rate, {7, 2600.0, 6500.0, 0.11 * v, 0.09, 0.2}, random);
    addNoise(out, rate, {0.30 * v, 5000.0, 15000.0, 0.010, 0.0002}, random);
    return out;
}

std::vector<float> crash(double v, double rate, const KitTuning& tuning, Random& random)
{
    auto out = room(4.0 * tuning.cymbalDecay, rate);
    addPlate(out, rate, {72, 280.0, 15000.0, 0.055 * v, 1.7 * tuning.cymbalDecay, 0.38}, random);
    addNoise(out, rate, {0.50 * v, 2500.0, 15000.0, 0.28, 0.0015}, random);
    return out;
}

// Swelling in and out around a moment.
double bulge(double time, double middle, double width)
{
    const double off = (time - middle) / width;
    return std::abs(off) < 5.0 ? std::exp(-0.5 * off * off) : 0.0;
}

// What a drum's two heads and its shell do after the blow; nothing of it at the blow itself.
struct Rebound {
    double hertz;
    double swell;  // of the head that was not struck, again and again
    Seconds after;
    double beating;  // two close modes
    double breath;   // of the shell
};

void addRebound(std::span<float> out, double v, double rate, const Rebound& rebound, Random& random)
{
    const double first = rebound.after.count() * random.between(0.85, 1.15);
    const double hertz = rebound.hertz * random.between(0.95, 1.1);
    const double phase = random.between(0.0, kTurn);
    const double apart = random.between(4.0, 9.0);  // half of what lies between the two, Hz
    const double breathAt = 0.04 * random.between(0.85, 1.15);
    double slow = 0.0;
    double smooth = 0.0;
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double time = static_cast<double>(i) / rate;
        const double swell = rebound.swell * (bulge(time, first, 0.18 * first) +
                                              0.5 * bulge(time, 2.0 * first, 0.25 * first));
        smooth += -std::expm1(-kTurn * 900.0 / rate) * (random.between(-1.0, 1.0) - smooth);
        slow += -std::expm1(-kTurn * 250.0 / rate) * (smooth - slow);
        const double beat = rebound.beating * (1.0 - std::exp(-time / 0.012)) *
                            std::exp(-time / 0.25) * std::sin(kTurn * apart * time) *
                            std::sin(kTurn * 1.05 * rebound.hertz * time + phase);
        const double breath = 4.0 * rebound.breath * bulge(time, breathAt, 0.012) * (smooth - slow);
        const double after = -std::expm1(-time / 0.007);
        out[i] += static_cast<float>(
            v * after * (swell * std::sin(kTurn * hertz * time + phase) + beat + breath)
        );
    }
}

void addRebound(
    std::span<float> out, Drum drum, double v, double rate, const KitTuning& tuning, Random& random
)
{
    const Liveliness& lively = tuning.lively;
    const Rebound kick{
        tuning.kickHertz, lively.swell, lively.swellAfter, lively.beating, lively.breath};
    switch (drum) {
    case Drum::Kick: addRebound(out, v, rate, kick, random); break;
    case Drum::Snare:
        addRebound(
            out,
            v,
            rate,
            {tuning.snareHertz,
             0.5 * lively.swell,
             lively.swellAfter * 0.3,
             0.5 * lively.beating,
             0.5 * lively.breath},
            random
        );
        break;
    case Drum::Tom:
    case Drum::FloorTom:
        addRebound(
            out,
            v,
            rate,
            {drum == Drum::Tom ? tuning.tomHertz : tuning.floorTomHertz,
             0.6 * lively.swell,
             lively.swellAfter * 0.7,
             lively.beating,
             0.2 * lively.breath},
            random
        );
        break;
    case Drum::Hat:
    case Drum::Ride:
    case Drum::Crash: break;
    }
}

// The beater is heard ahead of the body of its drum: the sound begins with its click.
std::vector<float>
withClick(std::vector<float> body, double v, double rate, const Liveliness& lively, Random& random)
{
    const double ahead = lively.clickAhead.count() * random.between(0.85, 1.15);
    body.insert(body.begin(), static_cast<std::size_t>(ahead * rate), 0.0F);
    addNoise(body, rate, {6.0 * v * lively.click, 1800.0, 6500.0, 0.0006, 0.00005}, random);
    return body;
}

// A soft stroke is a dull one.
void soften(std::span<float> out, double v, double rate, double octaves)
{
    const double hertz = 14000.0 * std::pow(2.0, -octaves * (1.0 - v));
    const auto smooth =
        static_cast<float>(-std::expm1(-kTurn * std::min(hertz, 0.4 * rate) / rate));
    float held = 0.0F;
    for (float& sample : out) {
        held += smooth * (sample - held);
        sample = held;
    }
}

// A soft stroke presses more than it strikes.
void slowDown(std::span<float> out, double v, double rate, Seconds slowness)
{
    const double rise = slowness.count() * (1.0 - v) * (1.0 - v);
    for (std::size_t i = 0; i < out.size() && static_cast<double>(i) < rise * rate; ++i) {
        const double part = static_cast<double>(i) / (rise * rate);
        out[i] *= static_cast<float>(part * part);
    }
}

std::vector<float>
plainSoundOf(Drum drum, double velocity, Hertz rate, const KitTuning& tuning, Random& random)
{
    switch (drum) {
    case Drum::Kick: return kick(velocity, rate.count(), tuning, random);
    case Drum::Snare: return snare(velocity, rate.count(), tuning, random);
    case Drum::Tom: return tom(velocity, tuning.tomHertz, rate.count(), random);
    case Drum::FloorTom: return tom(velocity, tuning.floorTomHertz, rate.count(), random);
    case Drum::Hat: return hat(velocity, rate.count(), tuning, random);
    case Drum::Ride: return ride(velocity, rate.count(), tuning, random);
    case Drum::Crash: break;
    }
    return crash(velocity, rate.count(), tuning, random);
}

}  // namespace

std::vector<float> livened(
    std::vector<float> plain,
    Drum drum,
    double velocity,
    Hertz rate,
    const KitTuning& tuning,
    Random& random
)
{
    const Liveliness& lively = tuning.lively;
    if (lively.swell > 0.0 || lively.beating > 0.0 || lively.breath > 0.0) {
        addRebound(plain, drum, velocity, rate.count(), tuning, random);
    }
    if (lively.softening > 0.0) {
        soften(plain, velocity, rate.count(), lively.softening);
    }
    if (lively.slowness > Seconds(0.0)) {
        slowDown(plain, velocity, rate.count(), lively.slowness);
    }
    if (drum == Drum::Kick && lively.click > 0.0) {
        return withClick(std::move(plain), velocity, rate.count(), lively, random);
    }
    return plain;
}

std::vector<float>
soundOf(Drum drum, double velocity, Hertz rate, const KitTuning& tuning, Random& random)
{
    auto plain = plainSoundOf(drum, velocity, rate, tuning, random);
    return livened(std::move(plain), drum, velocity, rate, tuning, random);
}

std::vector<float>
closedByFoot(double velocity, Hertz rate, const KitTuning& tuning, Random& random)
{
    auto out = room(0.2, rate.count());
    const double decay = 0.030 * tuning.cymbalDecay;
    const double lowest = random.between(350.0, 900.0);
    addPlate(out, rate.count(), {30, lowest, 9000.0, 0.05 * velocity, decay, 0.2}, random);
    addNoise(out, rate.count(), {0.5 * velocity, lowest, 7000.0, 0.022, 0.0012}, random);
    return out;
}

std::vector<float>
wiresAnswering(double velocity, Hertz rate, const KitTuning& tuning, Random& random)
{
    auto out = room(0.4, rate.count());
    addNoise(
        out, rate.count(), {velocity * tuning.lively.wires, 1500.0, 8000.0, 0.06, 0.004}, random
    );
    return out;
}

}  // namespace orthochron::demo
