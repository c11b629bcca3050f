#include "OneShots.h"

#include <fmt/format.h>

#include "core/audio/SoundFile.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <set>

namespace orthochron {

namespace {

std::vector<float> attackOn(const std::filesystem::path& path)
{
    constexpr float kStart = 0.01F;  // of the peak, -40 dB
    const auto read =
        SoundFileReader::open(path).and_then([](auto file) { return readAll(*file); });
    if (!read) {
        fmt::print(stderr, "{}\n", read.error().message);
        std::exit(1);
    }
    const std::span<const float> samples = (*read)->channel(0);
    const auto loudness = [](float sample) { return std::abs(sample); };
    const float peak = loudness(*std::ranges::max_element(samples, {}, loudness));
    const auto start = std::ranges::find_if(samples, [&](float sample) {
        return loudness(sample) >= kStart * peak;
    });
    std::vector<float> attack(start, samples.end());
    for (float& sample : attack) {
        sample /= std::max(peak, 1e-9F);
    }
    return attack;
}

// Four points, third order (Catmull and Rom 1974).
std::vector<float> slower(std::span<const float> samples, double stretch)
{
    const auto at = [&](std::size_t i) { return i < samples.size() ? samples[i] : 0.0F; };
    std::vector<float> out(static_cast<std::size_t>(static_cast<double>(samples.size()) * stretch));
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double place = static_cast<double>(i) / stretch;
        const auto k = static_cast<std::size_t>(place);
        const auto x = static_cast<float>(place - std::floor(place));
        const float before = k > 0 ? at(k - 1) : 0.0F;
        const float slope = 0.5F * (at(k + 1) - before);
        const float next = 0.5F * (at(k + 2) - at(k));
        const float step = at(k + 1) - at(k);
        out[i] = at(k) + x * (slope + x * (3.0F * step - 2.0F * slope - next +
                                           x * (slope + next - 2.0F * step)));
    }
    return out;
}

}  // namespace

OneShots::OneShots(const std::filesystem::path& folder) : name_(folder.filename().string())
{
    std::set<std::filesystem::path> files;  // in the order of their names
    for (const auto& entry : std::filesystem::directory_iterator(folder)) {
        files.insert(entry.path());
    }
    const std::array<std::pair<std::string_view, Ways*>, 10> kinds{
        {{"kick", &ways_[0]},
         {"snare", &ways_[1]},
         {"tom", &ways_[2]},
         {"hat", &ways_[3]},
         {"ride", &ways_[4]},
         {"crash", &ways_[5]},
         {"floor", &ways_[6]},
         {"stick", &sticks_},
         {"open", &openHats_},
         {"pedal", &pedals_}}};
    for (const auto& path : files) {
        const std::string name = path.stem().string();
        const std::string_view kind = std::string_view(name).substr(0, name.find('-'));
        for (const auto& [word, ways] : kinds) {
            if (kind == word) {
                const auto way =
                    static_cast<std::size_t>(std::atoi(name.c_str() + kind.size() + 1));
                ways->resize(std::max(ways->size(), way));
                ways->at(way - 1).push_back(attackOn(path));
            }
        }
    }
}

const OneShots::Strokes* OneShots::strokesFor(const demo::DemoHit& hit, demo::Random& random) const
{
    const Ways* ways = &ways_[static_cast<std::size_t>(hit.drum)];
    const double chance = random.even();
    if (hit.drum == demo::Drum::Snare && !sticks_.empty() && hit.velocity > 0.3 && chance < 0.06) {
        ways = &sticks_;
    }
    if (hit.isByFoot && !pedals_.empty()) {
        ways = &pedals_;
    } else if (hit.drum == demo::Drum::Hat && !openHats_.empty() && !hit.isByFoot && chance < 0.08) {
        ways = &openHats_;
    }
    if (ways->empty()) {
        return nullptr;
    }
    // Mostly the first way.
    const double other = random.even();
    const auto way =
        other < 0.75
            ? 0
            : static_cast<std::size_t>((other - 0.75) * 4.0 * static_cast<double>(ways->size()));
    return &ways->at(std::min(way, ways->size() - 1));
}

std::vector<float>
OneShots::blow(const demo::DemoHit& hit, double stretch, demo::Random& random) const
{
    const Strokes* strokes = strokesFor(hit, random);
    if (strokes == nullptr || strokes->empty()) {
        return {};
    }
    const auto top = static_cast<double>(strokes->size() - 1);
    const double hard = hit.velocity * top + random.between(-0.5, 0.5);
    const auto which = static_cast<std::size_t>(std::lround(std::clamp(hard, 0.0, top)));
    auto sound = slower((*strokes)[which], stretch * random.between(0.985, 1.015));
    constexpr std::array<double, demo::kDrums> kPeaks{1.0, 1.0, 0.85, 0.5, 0.35, 0.6, 0.85};
    const auto level =
        static_cast<float>(hit.velocity * kPeaks[static_cast<std::size_t>(hit.drum)]);
    for (float& sample : sound) {
        sample *= level;
    }
    return sound;
}

std::vector<OneShots> oneShotKits(const std::filesystem::path& folder)
{
    std::set<std::filesystem::path> folders;
    for (const auto& entry : std::filesystem::directory_iterator(folder)) {
        if (entry.is_directory()) {
            folders.insert(entry.path());
        }
    }
    std::vector<OneShots> kits;
    for (const auto& path : folders) {
        kits.emplace_back(path);
    }
    return kits;
}

}  // namespace orthochron
