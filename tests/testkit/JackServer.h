#pragma once

#include <sys/types.h>

#include <string>
#include <vector>

namespace orthochron::testkit {

// A real JACK server of its own, with the driver that needs no card. It runs as long as this lives.
class JackServer {
public:
    explicit JackServer(int rate, int blockFrames = 256, int outputs = 2);
    JackServer(const JackServer&) = delete;
    JackServer& operator=(const JackServer&) = delete;
    ~JackServer();

    // False where there is no such server to be started: tests that need one are skipped then.
    [[nodiscard]] bool isRunning() const { return child_ > 0; }
    // As if it crashed.
    void kill();

private:
    pid_t child_ = 0;
    std::string name_;
    int turn_ = -1;  // held as long as it lives
};

// Listens to what a client sends to the server's outputs.
class JackEar {
public:
    // Connects to both outputs of `client` as soon as it has them, and keeps `seconds` of sound.
    JackEar(const std::string& client, int rate, double seconds);
    JackEar(const JackEar&) = delete;
    JackEar& operator=(const JackEar&) = delete;
    ~JackEar();

    [[nodiscard]] bool isConnected() const { return isConnected_; }
    // The names of the server's ports the client's first two outputs lead to.
    [[nodiscard]] std::vector<std::string> leadsTo() const;
    // Waits until all is heard, and gives it, interleaved.
    [[nodiscard]] std::vector<float> heard();

private:
    struct Shared;
    Shared* shared_;
    std::string client_;
    bool isConnected_ = false;
};

// A MIDI keyboard on the server.
class JackKeyboard {
public:
    explicit JackKeyboard(const std::string& name);
    JackKeyboard(const JackKeyboard&) = delete;
    JackKeyboard& operator=(const JackKeyboard&) = delete;
    ~JackKeyboard();

    // Waits until something listens to it.
    [[nodiscard]] bool isHeard() const;
    void play(unsigned char status, unsigned char note, unsigned char velocity);

private:
    struct Shared;
    Shared* shared_;
};

}  // namespace orthochron::testkit
