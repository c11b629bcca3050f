#include "engine/device/MidiKeys.h"

#include <RtMidi.h>

#include "engine/device/QuietLibraries.h"

#include <algorithm>
#include <chrono>
#include <condition_variable>
#include <string>
#include <utility>

namespace orthochron::engine {

namespace {

const std::string kKeysClientName = "Orthochron keys";

// Its complaints come as return values of what is asked, so nothing is written and nothing thrown.
void ignoreError(RtMidiError::Type, const std::string&, void*) {}

std::unique_ptr<RtMidiIn> openSystem(RtMidi::Api api)
{
    try {
        auto input = std::make_unique<RtMidiIn>(api, kKeysClientName);
        input->setErrorCallback(ignoreError);
        return input;
    } catch (const RtMidiError&) {
        return nullptr;
    }
}

}  // namespace

// One keyboard.
struct MidiKeys::Input {
    std::string name;
    const Hear* hear;
    std::unique_ptr<RtMidiIn> port;

    static void take(double, std::vector<unsigned char>* message, void* self)
    {
        constexpr unsigned kKind = 0xF0;
        constexpr unsigned kNoteOn = 0x90;
        constexpr unsigned kNoteOff = 0x80;
        if (message->size() < 3) {
            return;
        }
        const unsigned kind = (*message)[0] & kKind;
        if (kind == kNoteOn || kind == kNoteOff) {
            // A note that begins with no force is one that ends.
            (*static_cast<Input*>(self)->hear)((*message)[1], kind == kNoteOn && (*message)[2] > 0);
        }
    }
};

struct MidiKeys::System {
    RtMidi::Api api;
    std::unique_ptr<RtMidiIn> asked;  // for what there is; null while there is no such system
    std::vector<std::unique_ptr<Input>> inputs;

    [[nodiscard]] std::vector<std::string> names()
    {
        std::vector<std::string> all;
        const unsigned count = asked ? asked->getPortCount() : 0;
        for (unsigned port = 0; port < count; ++port) {
            all.push_back(asked->getPortName(port));
        }
        return all;
    }

    void open(const std::string& name, unsigned port, const Hear& hear)
    {
        auto input = std::make_unique<Input>();
        input->name = name;
        input->hear = &hear;
        input->port = openSystem(api);
        if (!input->port) {
            return;
        }
        input->port->setCallback(&Input::take, input.get());
        input->port->openPort(port, "in");
        inputs.push_back(std::move(input));
    }
};

MidiKeys::MidiKeys(Hear hear) : hear_(std::move(hear))
{
    std::vector<RtMidi::Api> all;
    RtMidi::getCompiledApi(all);
    for (const RtMidi::Api api : all) {
        if (api == RtMidi::LINUX_ALSA || api == RtMidi::UNIX_JACK) {
            systems_.push_back(std::make_unique<System>());
            systems_.back()->api = api;
        }
    }
}

MidiKeys::~MidiKeys() = default;

void MidiKeys::watch()
{
    watching_ = std::jthread([this](const std::stop_token& stop) {
        constexpr std::chrono::seconds kEvery{2};
        std::mutex waiting;
        std::condition_variable_any woken;
        while (!stop.stop_requested()) {
            (void)look();
            std::unique_lock lock(waiting);
            woken.wait_for(lock, stop, kEvery, [] { return false; });
        }
    });
}

std::size_t MidiKeys::look()
{
    const QuietLibraries quiet;
    const std::scoped_lock lock(mutex_);
    std::size_t open = 0;
    for (const auto& system : systems_) {
        if (!system->asked) {
            system->asked = openSystem(system->api);
        }
        const auto names = system->names();
        std::erase_if(system->inputs, [&](const auto& input) {
            return std::ranges::find(names, input->name) == names.end();
        });
        for (std::size_t port = 0; port < names.size(); ++port) {
            const bool isOwn = names[port].find(kKeysClientName) != std::string::npos;
            if (!isOwn && std::ranges::find(system->inputs, names[port], &Input::name) ==
                              system->inputs.end()) {
                system->open(names[port], static_cast<unsigned>(port), hear_);
            }
        }
        open += system->inputs.size();
    }
    return open;
}

}  // namespace orthochron::engine
