#pragma once

#include "core/audio/OpenFiles.h"
#include "core/audio/SampleSource.h"
#include "core/base/Replacement.h"
#include "core/base/Work.h"

#include <filesystem>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace orthochron {

// What a sound file says of itself, checked for sense.
struct SoundFacts {
    Hertz rate{0.0};
    Frames frames{0};
    int channels = 0;
    std::string format;               // for people: "WAV, 24 bit"
    int formatCode = 0;               // libsndfile's, to write the same again
    std::optional<Frames> timeStamp;  // broadcast-WAV: place on the recorder's clock
};

constexpr int kMostChannels = 64;
constexpr Hertz kLowestRate{8000.0};
constexpr Hertz kHighestRate{192000.0};

// A sound file opened for reading, at its own rate. Reading checks every sample of a
// floating-point file for NaN and infinity. It may be closed between two reads (OpenFiles); when
// another file stands in its place then, reading says so.
class SoundFileReader final : public SampleSource {
public:
    // Errors: BadInput when the file is missing, no sound file, empty, shorter than its header
    // claims, or of a rate or channel count that cannot be meant.
    [[nodiscard]] static Result<std::unique_ptr<SoundFileReader>>
    open(const std::filesystem::path& path);
    SoundFileReader(const SoundFileReader&) = delete;
    SoundFileReader& operator=(const SoundFileReader&) = delete;

    [[nodiscard]] const SoundFacts& facts() const { return facts_; }
    [[nodiscard]] const std::filesystem::path& path() const { return path_; }
    [[nodiscard]] Hertz rate() const override { return facts_.rate; }
    [[nodiscard]] Frames frames() const override { return facts_.frames; }
    [[nodiscard]] int channels() const override { return facts_.channels; }
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into) override;

private:
    explicit SoundFileReader(const std::filesystem::path& path) : path_(path), file_(path) {}
    void readFacts(void* handle);
    [[nodiscard]] Result<void>
    readRun(void* handle, Frames from, std::int64_t count, AudioBuffer& into, std::int64_t at);

    std::filesystem::path path_;
    SoundFacts facts_;
    OpenFiles::File file_;
    std::int64_t position_ = 0;
    bool checkFinite_ = false;
    std::vector<float> interleaved_;
};

enum class PrintFormat { Same, Wav16, Wav24, Wav32Float, Flac };

// Errors: BadArgument for a word that is none of same, wav16, wav24, wav32f, flac.
[[nodiscard]] Result<PrintFormat> parsePrintFormat(std::string_view word);

struct WriteSettings {
    Hertz rate{48000.0};
    int channels = 1;
    PrintFormat format = PrintFormat::Wav24;
    int sameAs = 0;       // SoundFacts::formatCode, for PrintFormat::Same
    bool dither = false;  // triangular, 2 LSB wide, before rounding to 16 or 24 bit
    Frames frames{0};     // how long it will be, as far as known: WAV beyond 4 GiB becomes RF64
};

// Writes a sound file beside its final name and renames it into place on finish(): a failed or
// dropped writer leaves nothing behind and never harms a file that was there.
class SoundFileWriter {
public:
    // Errors: Failed when the folder is missing or cannot be written to; BadArgument when what has
    // that name is no regular file.
    [[nodiscard]] static Result<std::unique_ptr<SoundFileWriter>>
    create(const std::filesystem::path& path, const WriteSettings& settings);
    SoundFileWriter(const SoundFileWriter&) = delete;
    SoundFileWriter& operator=(const SoundFileWriter&) = delete;
    ~SoundFileWriter();

    // Appends every frame of `audio`, which has the settings' channels. Values over full scale
    // are clipped in whole-number formats and counted. Errors: Failed (disk full).
    [[nodiscard]] Result<void> write(const AudioBuffer& audio);
    [[nodiscard]] Result<void> finish();
    // Finishes all of them: every file is put in place or none.
    [[nodiscard]] static Result<void>
    finishAll(std::span<const std::unique_ptr<SoundFileWriter>> writers);
    [[nodiscard]] std::int64_t clipped() const { return clipped_; }

private:
    explicit SoundFileWriter(Replacement replacement) : replacement_(std::move(replacement)) {}
    [[nodiscard]] Result<void> close();

    std::filesystem::path path_;
    Replacement replacement_;
    void* file_ = nullptr;
    int channels_ = 1;
    int bits_ = 0;  // 16 or 24 when whole numbers are written, otherwise 0
    bool dither_ = false;
    std::uint64_t noise_ = 0x9E3779B97F4A7C15ULL;
    std::int64_t clipped_ = 0;
    std::vector<float> interleaved_;
};

}  // namespace orthochron
