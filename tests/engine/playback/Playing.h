#pragma once

#include <gtest/gtest.h>

#include "core/edits/TakeEdits.h"
#include "engine/device/SimulatedDevice.h"
#include "engine/playback/Player.h"
#include "testkit/Rate.h"

#include <cmath>
#include <numbers>
#include <optional>

namespace orthochron::engine {

// The frequency of a steady tone in interleaved sound, by its rising zeroes.
inline double frequencyOf(std::span<const float> sound)
{
    std::optional<double> first;
    double last = 0.0;
    int periods = -1;
    for (std::size_t i = 2; i < sound.size(); i += 2) {
        if (sound[i - 2] < 0.0F && sound[i] >= 0.0F) {
            const double part = static_cast<double>(sound[i - 2]) /
                                (static_cast<double>(sound[i - 2]) - static_cast<double>(sound[i]));
            last = static_cast<double>(i / 2 - 1) + part;
            first = first.value_or(last);
            ++periods;
        }
    }
    return periods > 0 ? kRate.count() * periods / (last - *first) : 0.0;
}

// A song of sines on a simulated card that is pumped by hand.
class Playing : public testing::Test {
protected:
    Playing()
    {
        auto device = std::make_unique<SimulatedDevice>(SimulatedDevice::Clock::ByHand);
        device_ = device.get();
        player_ = std::make_unique<Player>(std::move(device));
        ClickSettings click;
        click.isOn = false;
        player_->setClick(click);
        sources_ = std::make_shared<Sources>();
    }

    // A track holding one take of `seconds`, its samples given by frame.
    void addTake(double seconds, const std::function<double(std::int64_t)>& value)
    {
        auto audio = std::make_shared<AudioBuffer>(1, toFrames(Seconds(seconds), kRate));
        std::int64_t frame = 0;
        for (float& sample : audio->channel(0)) {
            sample = static_cast<float>(value(frame++));
        }
        Take take;
        take.name = "take";
        take.frames = audio->frames();
        song_ = *addTakes(song_, {{take, false}});
        sources_->put(song_.takes.back().id, std::make_unique<MemorySource>(audio, kRate));
    }
    void load() { player_->setSong(std::make_shared<const Song>(song_), sources_); }
    std::vector<float> pump(int frames)
    {
        player_->settle();
        return device_->pump(Frames(frames));
    }
    // Pumps in small steps, as a card would, so that the reader keeps up.
    std::vector<float> play(int frames)
    {
        std::vector<float> all;
        for (int done = 0; done < frames; done += 512) {
            player_->settle();
            const auto part = device_->pump(Frames(512));
            all.insert(all.end(), part.begin(), part.end());
        }
        return all;
    }
    static double largestStep(const std::vector<float>& sound)
    {
        double most = 0.0;
        for (std::size_t i = 2; i < sound.size(); i += 2) {
            most = std::max(
                most, std::abs(static_cast<double>(sound[i]) - static_cast<double>(sound[i - 2]))
            );
        }
        return most;
    }
    static double sine(std::int64_t frame)
    {
        return 0.5 * std::sin(
                         2.0 * std::numbers::pi * 220.0 * static_cast<double>(frame) / kRate.count()
                     );
    }
    // The largest step of such a sine, through a track in the middle.
    static constexpr double kSineStep = 0.5 * 2.0 * 3.1416 * 220.0 / 48000.0 * 0.7072;

    SimulatedDevice* device_ = nullptr;
    std::unique_ptr<Player> player_;
    Song song_;
    std::shared_ptr<Sources> sources_;
};

}  // namespace orthochron::engine
