#include "core/tempo/Beats.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <span>
#include <utility>

namespace orthochron {

namespace {

constexpr double kFrame = 0.01;      // seconds, about: two steps of the onset strength
constexpr std::size_t kPlaces = 24;  // of a beat
constexpr double kFaster = 1.45;     // than the tempo that was asked for
constexpr double kSlower = 1.5;
constexpr double kSteady = 60.0;  // how unlikely a beat of another length than the one before is
constexpr double kOctaves = 0.3;  // how near the first beats are to the tempo that was asked for
constexpr int kRounds = 4;
constexpr float kLeastMean = 0.02F;  // of a strength; no place is ever quite without

// What begins in each band, frame by frame.
struct Moments {
    Seconds step;
    std::vector<std::array<float, kBands>> values;
};

Moments momentsOf(const OnsetBands& bands)
{
    const auto pair =
        static_cast<std::size_t>(std::max(1.0, std::round(kFrame / bands.step.count())));
    Moments frames;
    frames.step = bands.step * static_cast<double>(pair);
    frames.values.resize(bands.size() / pair);
    for (std::size_t n = 0; n < frames.values.size(); ++n) {
        for (std::size_t band = 0; band < kBands; ++band) {
            for (std::size_t k = 0; k < pair; ++k) {
                frames.values[n][band] =
                    std::max(frames.values[n][band], bands.values[band][n * pair + k]);
            }
        }
    }
    return frames;
}

using Means = std::array<float, kBands>;

// The mean strength of what begins clearly, for each band.
Means clearOnes(const Moments& frames)
{
    constexpr float kClear = 0.05F;  // of the strongest
    Means means{};
    for (std::size_t band = 0; band < kBands; ++band) {
        float strongest = 0.0F;
        for (const auto& value : frames.values) {
            strongest = std::max(strongest, value[band]);
        }
        double sum = 0.0;
        std::size_t count = 0;
        for (const auto& value : frames.values) {
            if (value[band] > kClear * strongest) {
                sum += static_cast<double>(value[band]);
                ++count;
            }
        }
        means[band] = count > 0 ? static_cast<float>(sum / static_cast<double>(count)) : 0.0F;
    }
    return means;
}

// A strength is exponentially distributed around the mean of its place.
class Likelihood {
public:
    explicit Likelihood(const Means& means)
    {
        for (std::size_t band = 0; band < kBands; ++band) {
            const float mean = std::max(means[band], kLeastMean);
            inverse_[band] = 1.0F / mean;
            logarithms_ += std::log(mean);
        }
    }

    // The logarithm.
    [[nodiscard]] float of(const std::array<float, kBands>& strengths) const
    {
        float sum = -logarithms_;
        for (std::size_t band = 0; band < kBands; ++band) {
            sum -= strengths[band] * inverse_[band];
        }
        return sum;
    }

private:
    Means inverse_{};
    float logarithms_ = 0.0F;
};

// The lengths a beat may have, in frames, and how likely one follows another.
class Lengths {
public:
    Lengths(double beatsPerMinute, Seconds frame)
    {
        const double beat = 60.0 / beatsPerMinute / frame.count();
        shortest_ = std::max(2, static_cast<int>(std::ceil(beat / kFaster)));
        const int longest = std::max(shortest_ + 1, static_cast<int>(beat * kSlower));
        count_ = static_cast<std::size_t>(std::min(longest - shortest_ + 1, kMostLengths));
        for (std::size_t index = 0; index < count_; ++index) {
            const double octaves = std::log2(beat / (*this)[index]) / kOctaves;
            beginnings_.push_back(-0.5 * octaves * octaves);
            costs_.push_back(kSteady * std::log(static_cast<double>((*this)[index])));
        }
        for (std::size_t from = 0; from < count_; ++from) {
            double sum = 0.0;
            for (const double cost : costs_) {
                sum += std::exp(-std::abs(cost - costs_[from]));
            }
            all_.push_back(std::log(sum));
        }
    }

    [[nodiscard]] std::size_t count() const { return count_; }
    [[nodiscard]] int operator[](std::size_t index) const
    {
        return shortest_ + static_cast<int>(index);
    }
    [[nodiscard]] int longest() const { return (*this)[count_ - 1]; }
    // Logarithms.
    [[nodiscard]] double beginning(std::size_t index) const { return beginnings_[index]; }
    // What follows beats that end here: for each length the likeliest beat before one of that length, and how
    // likely that is. A beat's length changes by its ratio, so that the cost of a change is the sum of the costs
    // of smaller ones, and two sweeps find all.
    void follow(
        const std::vector<double>& ended, std::vector<double>& best, std::vector<std::uint8_t>& from
    ) const
    {
        for (std::size_t index = 0; index < count_; ++index) {
            best[index] = ended[index] - all_[index];
            from[index] = static_cast<std::uint8_t>(index);
        }
        const auto pass = [&](std::size_t to, std::size_t by) {
            const double value = best[by] - std::abs(costs_[to] - costs_[by]);
            if (value > best[to]) {
                best[to] = value;
                from[to] = from[by];
            }
        };
        for (std::size_t to = 1; to < count_; ++to) {
            pass(to, to - 1);
        }
        for (std::size_t to = count_ - 1; to-- > 0;) {
            pass(to, to + 1);
        }
    }

private:
    static constexpr int kMostLengths = 250;  // so that a byte holds one

    int shortest_ = 2;
    std::size_t count_ = 0;
    std::vector<double> beginnings_;
    std::vector<double> costs_;  // of going from a beat of one frame to one of this length
    std::vector<double> all_;    // logarithms: what may follow each, so that likelihoods sum to 1
};

// What is expected in a beat: a mean for each of its pieces.
struct Piece {
    double from = 0.0;  // of the beat
    int lasts = 0;      // frames; 0 where it goes on to the next piece
    Means means{};
};

// The likelihood of every beat there might be. Sums over the frames before, so that a beat's is a few
// differences, however long it is.
class BeatLikelihood {
public:
    BeatLikelihood(const Moments& frames, const Lengths& lengths, std::span<const Piece> pieces)
        : levels_(pieces.size()), frames_(static_cast<int>(frames.values.size()))
    {
        std::vector<Likelihood> likelihoods;
        for (const Piece& piece : pieces) {
            likelihoods.emplace_back(piece.means);
        }
        sums_.assign((frames.values.size() + 1) * levels_, 0.0);
        for (std::size_t n = 0; n < frames.values.size(); ++n) {
            for (std::size_t level = 0; level < levels_; ++level) {
                sums_[(n + 1) * levels_ + level] =
                    sums_[n * levels_ + level] +
                    static_cast<double>(likelihoods[level].of(frames.values[n]));
            }
        }
        for (std::size_t index = 0; index < lengths.count(); ++index) {
            lengths_.push_back(lengths[index]);
            cuts_.push_back(cutsOf(lengths[index], pieces));
            auto& offsets = offsets_.emplace_back();
            for (const Cut& cut : cuts_.back()) {
                offsets.emplace_back(
                    static_cast<std::size_t>(cut.from) * levels_ + cut.level,
                    static_cast<std::size_t>(cut.to) * levels_ + cut.level
                );
            }
        }
    }

    // Of a beat that begins at a frame, which may lie before the first; only what is within counts.
    [[nodiscard]] double of(int begin, std::size_t length) const
    {
        double sum = 0.0;
        if (begin >= 0 && begin + lengths_[length] <= frames_) {
            const double* sums = sums_.data() + static_cast<std::size_t>(begin) * levels_;
            for (const auto& [from, to] : offsets_[length]) {
                sum += sums[to] - sums[from];
            }
            return sum;
        }
        for (const Cut& cut : cuts_[length]) {
            sum += before(begin + cut.to, cut.level) - before(begin + cut.from, cut.level);
        }
        return sum;
    }

private:
    struct Cut {
        int from = 0;
        int to = 0;
        std::size_t level = 0;
    };

    static int frameOf(double place, int length)
    {
        return static_cast<int>(std::ceil(place * length - 1e-9));
    }
    static std::vector<Cut> cutsOf(int length, std::span<const Piece> pieces)
    {
        std::vector<Cut> cuts;
        for (std::size_t level = 0; level < pieces.size(); ++level) {
            const Piece& piece = pieces[level];
            const int from = frameOf(piece.from, length);
            const bool isLast = level + 1 == pieces.size();
            const int next = isLast ? length : frameOf(pieces[level + 1].from, length);
            const int end = piece.lasts > 0 ? std::min(from + piece.lasts, next) : next;
            cuts.push_back({from, end, level});
            if (end < next) {
                cuts.push_back({end, next, 0});
            }
        }
        std::erase_if(cuts, [](const Cut& cut) { return cut.from >= cut.to; });
        return cuts;
    }
    [[nodiscard]] double before(int frame, std::size_t level) const
    {
        const auto n = static_cast<std::size_t>(std::clamp(frame, 0, frames_));
        return sums_[n * levels_ + level];
    }

    std::size_t levels_;
    int frames_;
    std::vector<double> sums_;
    std::vector<int> lengths_;
    std::vector<std::vector<Cut>> cuts_;  // for each length
    std::vector<std::vector<std::pair<std::size_t, std::size_t>>>
        offsets_;  // the same, within sums_
};

struct Beat {
    int begin = 0;           // a frame; the first beat may begin before the first one
    std::size_t length = 0;  // an index of Lengths
};

struct BeatPath {
    std::vector<Beat> beats;  // ascending
    double likelihood = 0.0;  // logarithm
};

// The likeliest row of beats that fills the recording, each of any length.
class PathSearch {
public:
    PathSearch(int frames, const Lengths& lengths, std::optional<int> onBeat)
        : frames_(frames), lengths_(lengths), onBeat_(onBeat)
    {}

    Result<BeatPath> run(const BeatLikelihood& likelihood, const Work& work)
    {
        constexpr int kAsk = 4096;  // frames between looks at whether to stop
        const std::size_t count = lengths_.count();
        first_ = 1 - lengths_.longest();
        const auto places = static_cast<std::size_t>(frames_ - first_);
        came_.assign(places * count, kNone);
        // Up to where a beat begins; only the last few are asked again.
        kept_ = static_cast<std::size_t>(lengths_.longest()) + 1;
        values_.assign(kept_ * count, kNever);
        BeatPath best;
        best.likelihood = kNever;
        Beat last;
        std::vector<double> ended(count);
        std::vector<double> followed(count);
        std::vector<std::uint8_t> from(count);
        for (int begin = first_; begin < frames_; ++begin) {
            if (begin % kAsk == 0 && work.stopped()) {
                return cancelled();
            }
            for (std::size_t index = 0; index < count; ++index) {
                const int before = begin - lengths_[index];
                ended[index] = before >= first_ && !isForbidden(before, lengths_[index])
                                   ? value(before, index) + likelihood.of(before, index)
                                   : kNever;
            }
            lengths_.follow(ended, followed, from);
            for (std::size_t to = 0; to < count; ++to) {
                double& here = value(begin, to);
                // Before the first frame a beat may only be the first.
                here = begin <= 0 && begin > -lengths_[to] ? lengths_.beginning(to) : kNever;
                if (begin > 0 && followed[to] > here) {
                    here = followed[to];
                    came(begin, to) = from[to];
                }
                const bool isLast =
                    begin + lengths_[to] >= frames_ && !isForbidden(begin, lengths_[to]);
                const double all = isLast ? here + likelihood.of(begin, to) : kNever;
                if (all > best.likelihood) {
                    best.likelihood = all;
                    last = {begin, to};
                }
            }
        }
        for (Beat beat = last;;) {
            best.beats.push_back(beat);
            const std::uint8_t before = came(beat.begin, beat.length);
            if (before == kNone) {
                break;
            }
            beat = {beat.begin - lengths_[before], before};
        }
        std::ranges::reverse(best.beats);
        return best;
    }

private:
    static constexpr double kNever = -1e18;
    static constexpr std::uint8_t kNone = 255;

    // Whether a beat passes over the moment that is known to begin one.
    [[nodiscard]] bool isForbidden(int begin, int length) const
    {
        return onBeat_ && begin < *onBeat_ - 1 && begin + length > *onBeat_ + 1;
    }
    double& value(int begin, std::size_t length)
    {
        const auto place = static_cast<std::size_t>(begin - first_) % kept_;
        return values_[place * lengths_.count() + length];
    }
    std::uint8_t& came(int begin, std::size_t length)
    {
        return came_[static_cast<std::size_t>(begin - first_) * lengths_.count() + length];
    }

    int frames_;
    const Lengths& lengths_;
    std::optional<int> onBeat_;
    int first_ = 0;
    std::size_t kept_ = 0;
    std::vector<double> values_;
    std::vector<std::uint8_t> came_;  // for each beat the one before it; kNone for the first
};

// Pieces of equal length, the first at the beat.
std::vector<Piece> places()
{
    std::vector<Piece> pieces(kPlaces);
    for (std::size_t place = 0; place < kPlaces; ++place) {
        pieces[place].from = static_cast<double>(place) / kPlaces;
    }
    return pieces;
}

Means partOf(const Means& means, float part)
{
    Means some = means;
    for (float& mean : some) {
        mean *= part;
    }
    return some;
}

// What is expected before anything is learned: most at the beat, much at its half, something at the quarters
// and thirds.
std::vector<Piece> expected(const Means& clear)
{
    std::array<float, kPlaces> part{};
    part.fill(0.12F);
    part[0] = 1.0F;
    part[1] = 0.5F;
    part[kPlaces / 2] = 0.55F;
    part[kPlaces / 2 + 1] = 0.3F;
    part[kPlaces / 4] = part[3 * kPlaces / 4] = 0.25F;
    part[kPlaces / 3] = 0.2F;
    part[2 * kPlaces / 3] = 0.3F;
    std::vector<Piece> pieces = places();
    for (std::size_t place = 0; place < kPlaces; ++place) {
        pieces[place].means = partOf(clear, part[place]);
    }
    return pieces;
}

// What begins at each place of the beats of a path, a little drawn to what begins anywhere.
std::vector<Piece>
learned(const Moments& frames, const Lengths& lengths, std::span<const Beat> beats)
{
    constexpr float kDrawn = 3.0F;  // frames
    const auto count = static_cast<int>(frames.values.size());
    std::vector<Piece> pieces = places();
    std::array<float, kPlaces> counts{};
    Means all{};
    for (const Beat& beat : beats) {
        const int length = lengths[beat.length];
        for (int k = 0; k < length; ++k) {
            const int n = beat.begin + k;
            if (n < 0 || n >= count) {
                continue;
            }
            const auto place =
                static_cast<std::size_t>(k) * kPlaces / static_cast<std::size_t>(length);
            const auto& value = frames.values[static_cast<std::size_t>(n)];
            counts[place] += 1.0F;
            for (std::size_t band = 0; band < kBands; ++band) {
                pieces[place].means[band] += value[band];
                all[band] += value[band];
            }
        }
    }
    for (std::size_t place = 0; place < kPlaces; ++place) {
        for (std::size_t band = 0; band < kBands; ++band) {
            float& mean = pieces[place].means[band];
            const float anywhere = all[band] / static_cast<float>(count);
            mean = (mean + kDrawn * anywhere) / (counts[place] + kDrawn);
        }
    }
    return pieces;
}

// What may begin where in a beat: straight, swung, by quarters. A stroke takes two frames however long the beat
// is, so that fast and slow ways to count are measured alike.
std::array<std::vector<Piece>, 3> usualPatterns(const Means& clear)
{
    constexpr int kLasts = 2;  // frames
    const auto pattern = [&](std::initializer_list<std::pair<double, float>> strokes) {
        std::vector<Piece> pieces{{0.0, 0, partOf(clear, 0.1F)}};  // between the strokes
        for (const auto& [from, part] : strokes) {
            pieces.push_back({from, kLasts, partOf(clear, part)});
        }
        return pieces;
    };
    return {
        pattern({{0.0, 1.0F}, {0.5, 0.5F}}),
        pattern({{0.0, 1.0F}, {0.65, 0.5F}}),
        pattern({{0.0, 1.0F}, {0.25, 0.3F}, {0.5, 0.6F}, {0.75, 0.3F}})};
}

}  // namespace

double countability(const OnsetBands& bands, double beatsPerMinute)
{
    const Moments frames = momentsOf(bands);
    if (frames.values.empty()) {
        return 0.0;
    }
    const auto count = static_cast<int>(frames.values.size());
    const Lengths lengths(beatsPerMinute, frames.step);
    PathSearch search(count, lengths, std::nullopt);
    double best = -std::numeric_limits<double>::infinity();
    for (const auto& pattern : usualPatterns(clearOnes(frames))) {
        const auto path = search.run(BeatLikelihood(frames, lengths, pattern), {});
        best = path ? std::max(best, path->likelihood / count) : best;
    }
    return best;
}

Result<std::vector<Seconds>>
followBeats(const OnsetBands& bands, const BeatSearch& search, const Work& work)
{
    const Moments frames = momentsOf(bands);
    std::vector<Seconds> beats;
    if (frames.values.empty()) {
        return beats;
    }
    const auto count = static_cast<int>(frames.values.size());
    const Lengths lengths(search.perMinute, frames.step);
    std::optional<int> onBeat;
    if (search.onBeat) {
        onBeat =
            std::clamp(static_cast<int>(std::lround(*search.onBeat / frames.step)), 0, count - 1);
    }
    PathSearch paths(count, lengths, onBeat);
    std::vector<Piece> pieces = expected(clearOnes(frames));
    BeatPath path;
    for (int round = 0; round < kRounds; ++round) {
        auto found = paths.run(BeatLikelihood(frames, lengths, pieces), work);
        if (!found) {
            return tl::unexpected(found.error());
        }
        path = std::move(*found);
        pieces = learned(frames, lengths, path.beats);
        work.report(static_cast<double>(round + 1) / kRounds);
    }
    for (const Beat& beat : path.beats) {
        if (beat.begin >= 0) {
            beats.push_back(frames.step * static_cast<double>(beat.begin));
        }
    }
    return beats;
}

}  // namespace orthochron
