#pragma once

#include <functional>
#include <memory>
#include <mutex>
#include <thread>
#include <vector>

namespace orthochron::engine {

// Every MIDI keyboard of the machine, through ALSA and JACK.
class MidiKeys {
public:
    // Called from a thread of the MIDI system's with a note (0 to 127, 60 is middle C) that goes down or up.
    using Hear = std::function<void(int note, bool isDown)>;

    explicit MidiKeys(Hear hear);
    MidiKeys(const MidiKeys&) = delete;
    MidiKeys& operator=(const MidiKeys&) = delete;
    ~MidiKeys();  // `hear` is called no more once it returns

    // Opens keyboards that were plugged in since, and lets go of those that went. How many are open; where there
    // is no MIDI at all that is none.
    std::size_t look();
    // Looks now and every two seconds from now on, on a thread of its own: a server may keep one waiting.
    void watch();

private:
    struct Input;
    struct System;

    Hear hear_;
    std::mutex mutex_;  // of what is open
    std::vector<std::unique_ptr<System>> systems_;
    std::jthread watching_;
};

}  // namespace orthochron::engine
