#include "testkit/JackServer.h"

#include <fcntl.h>
#include <jack/jack.h>
#include <jack/midiport.h>
#include <sys/file.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <chrono>
#include <csignal>
#include <cstdlib>
#include <thread>
#include <utility>

namespace orthochron::testkit {

namespace {

void quiet(const char*) {}

jack_client_t* connectTo(const char* name)
{
    jack_set_error_function(quiet);
    jack_set_info_function(quiet);
    return jack_client_open(name, JackNoStartServer, nullptr);
}

template<class Done>
bool waitFor(std::chrono::seconds most, const Done& done)
{
    const auto until = std::chrono::steady_clock::now() + most;
    while (std::chrono::steady_clock::now() < until) {
        if (done()) {
            return true;
        }
        std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
    return false;
}

}  // namespace

JackServer::JackServer(int rate, int blockFrames, int outputs)
{
    // Clients of one name, which the sound library chooses, get in each other's way even on two servers: there is
    // one at a time on this machine. A killed one leaves its name behind, which the next takes up.
    name_ = "orthochron-test";
    turn_ = ::open(("/tmp/" + name_ + ".lock").c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600);
    if (turn_ >= 0) {
        (void)::flock(turn_, LOCK_EX);
    }
    // All clients of this process find it by this, RtAudio's among them.
    ::setenv("JACK_DEFAULT_SERVER", name_.c_str(), 1);
    ::setenv("JACK_NO_AUDIO_RESERVATION", "1", 1);
    const std::string rateText = std::to_string(rate);
    const std::string blockText = std::to_string(blockFrames);
    const std::string outputText = std::to_string(outputs);
    const std::array<const char*, 13> words{
        "jackd",
        "-r",
        "-n",
        name_.c_str(),
        "-d",
        "dummy",
        "-r",
        rateText.c_str(),
        "-p",
        blockText.c_str(),
        "-P",
        outputText.c_str(),
        nullptr};
    const pid_t child = ::fork();
    if (child == 0) {
        const int nowhere = ::open("/dev/null", O_RDWR);
        ::dup2(nowhere, STDOUT_FILENO);
        ::dup2(nowhere, STDERR_FILENO);
        ::execvp("jackd", const_cast<char* const*>(words.data()));
        ::_exit(127);
    }
    child_ = child;
    const bool answers = waitFor(std::chrono::seconds(10), [this] {
        int status = 0;
        if (::waitpid(child_, &status, WNOHANG) == child_) {
            child_ = 0;
            return true;
        }
        jack_client_t* client = connectTo("probe");
        if (client != nullptr) {
            jack_client_close(client);
        }
        return client != nullptr;
    });
    if (!answers) {
        kill();
    }
}

JackServer::~JackServer()
{
    if (child_ > 0) {
        ::kill(child_, SIGTERM);
        ::waitpid(child_, nullptr, 0);
    }
    if (turn_ >= 0) {
        ::close(turn_);
    }
}

void JackServer::kill()
{
    if (child_ > 0) {
        ::kill(child_, SIGKILL);
        ::waitpid(child_, nullptr, 0);
        child_ = 0;
    }
}

struct JackEar::Shared {
    jack_client_t* client = nullptr;
    std::array<jack_port_t*, 2> ports{};
    std::vector<float> sound;  // interleaved
    std::atomic<std::size_t> frames{0};

    static int hear(jack_nframes_t count, void* self)
    {
        auto* shared = static_cast<Shared*>(self);
        std::size_t at = shared->frames.load();
        const std::size_t most = shared->sound.size() / 2;
        const std::array<const float*, 2> in{
            static_cast<const float*>(jack_port_get_buffer(shared->ports[0], count)),
            static_cast<const float*>(jack_port_get_buffer(shared->ports[1], count))};
        for (std::size_t i = 0; i < count && at < most; ++i, ++at) {
            shared->sound[2 * at] = in[0][i];
            shared->sound[2 * at + 1] = in[1][i];
        }
        shared->frames.store(at);
        return 0;
    }
};

JackEar::JackEar(const std::string& client, int rate, double seconds)
    : shared_(new Shared), client_(client)
{
    shared_->client = connectTo("ear");
    if (shared_->client == nullptr) {
        return;
    }
    shared_->sound.resize(2 * static_cast<std::size_t>(rate * seconds));
    for (std::size_t c = 0; c < 2; ++c) {
        shared_->ports[c] = jack_port_register(
            shared_->client, c == 0 ? "left" : "right", JACK_DEFAULT_AUDIO_TYPE, JackPortIsInput, 0
        );
    }
    jack_set_process_callback(shared_->client, &Shared::hear, shared_);
    jack_activate(shared_->client);
    isConnected_ = waitFor(std::chrono::seconds(5), [this] {
        int made = 0;
        for (int c = 0; c < 2; ++c) {
            const std::string from = client_ + ":outport " + std::to_string(c);
            const std::string to = c == 0 ? "ear:left" : "ear:right";
            made += jack_connect(shared_->client, from.c_str(), to.c_str()) == 0 ? 1 : 0;
        }
        return made == 2;
    });
}

JackEar::~JackEar()
{
    if (shared_->client != nullptr) {
        jack_client_close(shared_->client);
    }
    delete shared_;
}

std::vector<std::string> JackEar::leadsTo() const
{
    std::vector<std::string> names;
    for (int c = 0; c < 2; ++c) {
        const std::string name = client_ + ":outport " + std::to_string(c);
        jack_port_t* port = jack_port_by_name(shared_->client, name.c_str());
        const char** connected =
            port != nullptr ? jack_port_get_all_connections(shared_->client, port) : nullptr;
        for (const char** each = connected; each != nullptr && *each != nullptr; ++each) {
            if (std::string(*each).rfind("ear:", 0) != 0) {
                names.emplace_back(*each);
            }
        }
        jack_free(connected);
    }
    return names;
}

std::vector<float> JackEar::heard()
{
    const std::size_t all = shared_->sound.size() / 2;
    (void)waitFor(std::chrono::seconds(30), [&] { return shared_->frames.load() >= all; });
    return {
        shared_->sound.begin(),
        shared_->sound.begin() + static_cast<std::ptrdiff_t>(2 * shared_->frames.load())};
}

struct JackKeyboard::Shared {
    jack_client_t* client = nullptr;
    jack_port_t* port = nullptr;
    std::atomic<std::uint32_t> message{0};  // to be sent next; 0 for none
    std::atomic<std::uint64_t> blocks{0};

    static int send(jack_nframes_t count, void* self)
    {
        auto* shared = static_cast<Shared*>(self);
        void* buffer = jack_port_get_buffer(shared->port, count);
        jack_midi_clear_buffer(buffer);
        ++shared->blocks;
        if (const std::uint32_t message = shared->message.exchange(0); message != 0) {
            const std::array<jack_midi_data_t, 3> bytes{
                static_cast<jack_midi_data_t>(message >> 16),
                static_cast<jack_midi_data_t>(message >> 8 & 0xFF),
                static_cast<jack_midi_data_t>(message & 0xFF)};
            jack_midi_event_write(buffer, 0, bytes.data(), bytes.size());
        }
        return 0;
    }
};

JackKeyboard::JackKeyboard(const std::string& name) : shared_(new Shared)
{
    shared_->client = connectTo(name.c_str());
    if (shared_->client == nullptr) {
        return;
    }
    shared_->port =
        jack_port_register(shared_->client, "out", JACK_DEFAULT_MIDI_TYPE, JackPortIsOutput, 0);
    jack_set_process_callback(shared_->client, &Shared::send, shared_);
    jack_activate(shared_->client);
}

JackKeyboard::~JackKeyboard()
{
    if (shared_->client != nullptr) {
        jack_client_close(shared_->client);
    }
    delete shared_;
}

bool JackKeyboard::isHeard() const
{
    const bool isConnected = waitFor(std::chrono::seconds(5), [this] {
        return shared_->port != nullptr && jack_port_connected(shared_->port) > 0;
    });
    // The server goes by a connection only some blocks later: what is sent until then is lost.
    const std::uint64_t enough = shared_->blocks + 4;
    return isConnected &&
           waitFor(std::chrono::seconds(5), [&] { return shared_->blocks >= enough; });
}

void JackKeyboard::play(unsigned char status, unsigned char note, unsigned char velocity)
{
    shared_->message = static_cast<std::uint32_t>(status << 16 | note << 8 | velocity);
    (void)waitFor(std::chrono::seconds(5), [this] { return shared_->message == 0; });
}

}  // namespace orthochron::testkit
