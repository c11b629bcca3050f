#include "core/audio/SoundFile.h"

#include <fmt/format.h>
#include <sndfile.h>
#include <unistd.h>

#include <array>
#include <bit>
#include <cmath>
#include <cstring>
#include <fstream>
#include <utility>

namespace orthochron {

namespace {

SNDFILE* handle(void* file)
{
    return static_cast<SNDFILE*>(file);
}

std::string formatName(int code)
{
    SF_FORMAT_INFO major{};
    major.format = code & SF_FORMAT_TYPEMASK;
    sf_command(nullptr, SFC_GET_FORMAT_INFO, &major, sizeof major);
    std::string name = major.name != nullptr ? major.name : "unknown";
    if (const auto bracket = name.find(" ("); bracket != std::string::npos) {
        name.resize(bracket);
    }
    switch (code & SF_FORMAT_SUBMASK) {
    case SF_FORMAT_PCM_S8:
    case SF_FORMAT_PCM_U8: return name + ", 8 bit";
    case SF_FORMAT_PCM_16: return name + ", 16 bit";
    case SF_FORMAT_PCM_24: return name + ", 24 bit";
    case SF_FORMAT_PCM_32: return name + ", 32 bit";
    case SF_FORMAT_FLOAT: return name + ", 32 bit float";
    case SF_FORMAT_DOUBLE: return name + ", 64 bit float";
    default: return name;
    }
}

std::uint32_t littleEndian(const std::array<unsigned char, 8>& chunk)
{
    return static_cast<std::uint32_t>(chunk[4]) | static_cast<std::uint32_t>(chunk[5]) << 8U |
           static_cast<std::uint32_t>(chunk[6]) << 16U |
           static_cast<std::uint32_t>(chunk[7]) << 24U;
}

// The library quietly shortens a WAV file whose data chunk claims more than the file holds; a
// producer must hear of it. Sizes 0 and 2^32-1 mean "unknown" in recordings that were streamed.
Result<void> checkWavLength(const std::filesystem::path& path)
{
    std::ifstream file(path, std::ios::binary);
    std::array<char, 12> head{};
    if (!file.read(head.data(), head.size())) {
        return {};
    }
    std::error_code error;
    const std::uintmax_t size = std::filesystem::file_size(path, error);
    if (std::memcmp(head.data(), "RF64", 4) == 0 || std::memcmp(head.data(), "BW64", 4) == 0) {
        // Its sizes of 64 bits stand in the first chunk: of the whole, then of the sound.
        std::array<unsigned char, 24> sizes{};
        file.read(reinterpret_cast<char*>(sizes.data()), sizes.size());
        std::uint64_t claimed = 0;
        for (std::size_t byte = 8; byte > 0; --byte) {
            claimed = claimed << 8U | sizes[15 + byte];
        }
        if (file && std::memcmp(sizes.data(), "ds64", 4) == 0 && claimed > size) {
            return badInput(fmt::format(
                "{}: is truncated: it declares {} bytes of audio and is {} bytes long; copy it "
                "again from its source",
                path.string(),
                claimed,
                size
            ));
        }
        return {};
    }
    if (std::memcmp(head.data(), "RIFF", 4) != 0) {
        return {};
    }
    std::uintmax_t at = head.size();
    std::array<unsigned char, 8> chunk{};
    while (file.seekg(static_cast<std::streamoff>(at)) &&
           file.read(reinterpret_cast<char*>(chunk.data()), chunk.size())) {
        const std::uint32_t length = littleEndian(chunk);
        const std::uintmax_t held = size - at - chunk.size();
        if (std::memcmp(chunk.data(), "data", 4) == 0) {
            if (length != 0 && length != 0xFFFFFFFFU && length > held) {
                return badInput(fmt::format(
                    "{}: is truncated: it declares {} bytes of audio and contains {}; copy it "
                    "again from its source",
                    path.string(),
                    length,
                    held
                ));
            }
            return {};
        }
        at += chunk.size() + length + (length & 1U);
    }
    return {};
}

Result<void> checkFacts(const std::filesystem::path& path, const SoundFacts& facts)
{
    if (facts.rate < kLowestRate || facts.rate > kHighestRate) {
        return badInput(fmt::format(
            "{}: declares a rate of {:g} Hz; only 8 to 192 kHz can be used",
            path.string(),
            facts.rate.count()
        ));
    }
    if (facts.channels < 1 || facts.channels > kMostChannels) {
        return badInput(fmt::format(
            "{}: has {} channels; at most {} can be read, so split it first",
            path.string(),
            facts.channels,
            kMostChannels
        ));
    }
    if (facts.frames <= Frames(0)) {
        return badInput(fmt::format("{}: is empty; it contains no audio", path.string()));
    }
    std::error_code error;
    const std::uintmax_t size = std::filesystem::file_size(path, error);
    // No format in use squeezes sound more than a thousandfold; silence in FLAC comes closest.
    const double frames = static_cast<double>(facts.frames.count()) * facts.channels;
    if (!error && frames > 4096.0 * static_cast<double>(size)) {
        return badInput(fmt::format(
            "{}: declares {} frames in {} bytes; the file is damaged",
            path.string(),
            facts.frames.count(),
            size
        ));
    }
    return checkWavLength(path);
}

}  // namespace

Result<std::unique_ptr<SoundFileReader>> SoundFileReader::open(const std::filesystem::path& path)
{
    std::error_code error;
    if (!std::filesystem::exists(path, error)) {
        return badInput(fmt::format("{}: not found; check the name and the folder", path.string()));
    }
    if (!std::filesystem::is_regular_file(path, error)) {
        return badInput(fmt::format("{}: is not a regular file", path.string()));
    }
    // Before it is opened: files of the kernel say they are empty, and reading them may never end.
    if (std::filesystem::file_size(path, error) == 0) {
        return badInput(fmt::format("{}: is empty; it contains no audio", path.string()));
    }
    std::unique_ptr<SoundFileReader> reader(new SoundFileReader(path));
    const OpenFiles::Hold hold(reader->file_);
    if (hold.handle() == nullptr) {
        return badInput(fmt::format(
            "{}: cannot be read as audio ({}); check that it plays elsewhere",
            path.string(),
            sf_strerror(nullptr)
        ));
    }
    reader->readFacts(hold.handle());
    if (auto sane = checkFacts(path, reader->facts_); !sane) {
        return tl::unexpected(sane.error());
    }
    return reader;
}

void SoundFileReader::readFacts(void* file)
{
    SF_INFO info{};
    sf_command(handle(file), SFC_GET_CURRENT_SF_INFO, &info, sizeof info);
    facts_.rate = Hertz(info.samplerate);
    facts_.frames = Frames(info.frames);
    facts_.channels = info.channels;
    facts_.formatCode = info.format;
    facts_.format = formatName(info.format);
    const int sub = info.format & SF_FORMAT_SUBMASK;
    checkFinite_ = sub == SF_FORMAT_FLOAT || sub == SF_FORMAT_DOUBLE;
    SF_BROADCAST_INFO broadcast{};
    if (sf_command(handle(file), SFC_GET_BROADCAST_INFO, &broadcast, sizeof broadcast) == SF_TRUE) {
        const std::uint64_t stamp =
            std::uint64_t{broadcast.time_reference_high} << 32U | broadcast.time_reference_low;
        // A week at 192 kHz; more is a field that was never written.
        if (stamp > 0 && stamp < 120'000'000'000ULL) {
            facts_.timeStamp = Frames(static_cast<std::int64_t>(stamp));
        }
    }
}

Result<void> SoundFileReader::read(Frames from, AudioBuffer& into)
{
    const std::int64_t wanted = into.frames().count();
    const std::int64_t first = std::clamp<std::int64_t>(-from.count(), 0, wanted);
    const std::int64_t last =
        std::clamp<std::int64_t>((facts_.frames - from).count(), first, wanted);
    for (int c = 0; c < into.channels(); ++c) {
        const auto target = into.channel(c);
        std::fill(target.begin(), target.begin() + first, 0.0F);
        std::fill(target.begin() + last, target.end(), 0.0F);
    }
    if (last <= first) {
        return {};
    }
    const OpenFiles::Hold hold(file_);
    if (hold.handle() == nullptr) {
        return badInput(fmt::format(
            "{}: is missing or was replaced; restore the original file and reopen the song",
            path_.string()
        ));
    }
    position_ = hold.isFresh() ? 0 : position_;
    return readRun(hold.handle(), from + Frames(first), last - first, into, first);
}

Result<void> SoundFileReader::readRun(
    void* file, Frames from, std::int64_t count, AudioBuffer& into, std::int64_t at
)
{
    constexpr std::int64_t kRun = 16384;
    if (position_ != from.count() && sf_seek(handle(file), from.count(), SEEK_SET) < 0) {
        return badInput(fmt::format("{}: cannot be read at frame {}", path_.string(), from.count())
        );
    }
    const auto channels = static_cast<std::size_t>(facts_.channels);
    if (channels > 1) {
        interleaved_.resize(static_cast<std::size_t>(std::min(count, kRun)) * channels);
    }
    for (std::int64_t done = 0; done < count;) {
        const std::int64_t run = std::min(kRun, count - done);
        const auto used =
            channels > 1 ? std::span(interleaved_).first(static_cast<std::size_t>(run) * channels)
                         : into.channel(0).subspan(
                               static_cast<std::size_t>(at + done), static_cast<std::size_t>(run)
                           );
        const std::int64_t got = sf_readf_float(handle(file), used.data(), run);
        if (got != run) {
            position_ = -1;
            return badInput(fmt::format(
                "{}: is truncated: it declares {} frames and ends at frame {}; copy it again from "
                "its source",
                path_.string(),
                facts_.frames.count(),
                from.count() + done + std::max<std::int64_t>(got, 0)
            ));
        }
        for (std::size_t c = 0; c < channels && channels > 1; ++c) {
            float* target = into.channel(static_cast<int>(c)).data() + at + done;
            const float* source = interleaved_.data() + c;
            for (std::int64_t i = 0; i < run; ++i, source += channels) {
                target[i] = *source;
            }
        }
        if (checkFinite_) {
            const auto bad =
                std::ranges::find_if_not(used, [](float v) { return std::isfinite(v); });
            if (bad != used.end()) {
                position_ = -1;
                const auto frame =
                    static_cast<std::int64_t>((bad - used.begin())) / facts_.channels;
                return badInput(fmt::format(
                    "{}: contains an invalid sample at frame {}; repair or replace the file",
                    path_.string(),
                    from.count() + done + frame
                ));
            }
        }
        done += run;
    }
    position_ = from.count() + count;
    return {};
}

Result<PrintFormat> parsePrintFormat(std::string_view word)
{
    if (word == "same") {
        return PrintFormat::Same;
    }
    if (word == "wav16") {
        return PrintFormat::Wav16;
    }
    if (word == "wav24") {
        return PrintFormat::Wav24;
    }
    if (word == "wav32f") {
        return PrintFormat::Wav32Float;
    }
    if (word == "flac") {
        return PrintFormat::Flac;
    }
    return badArgument(fmt::format("unknown format '{}'; use wav16, wav24, wav32f or flac", word));
}

namespace {

int formatCodeOf(const WriteSettings& settings)
{
    switch (settings.format) {
    case PrintFormat::Wav16: return SF_FORMAT_WAV | SF_FORMAT_PCM_16;
    case PrintFormat::Wav24: return SF_FORMAT_WAV | SF_FORMAT_PCM_24;
    case PrintFormat::Wav32Float: return SF_FORMAT_WAV | SF_FORMAT_FLOAT;
    case PrintFormat::Flac: return SF_FORMAT_FLAC | SF_FORMAT_PCM_24;
    case PrintFormat::Same: break;
    }
    return settings.sameAs;
}

// Plain WAV ends at 4 GiB. RF64 is written only where it is needed: not every program reads it.
int containerFor(int code, const WriteSettings& settings)
{
    constexpr double kPlainLimit = 4.0e9;
    const int container = code & SF_FORMAT_TYPEMASK;
    const bool isWav = container == SF_FORMAT_WAV || container == SF_FORMAT_WAVEX;
    const double most = 8.0 * settings.channels * static_cast<double>(settings.frames.count());
    return isWav && most > kPlainLimit ? (code & ~SF_FORMAT_TYPEMASK) | SF_FORMAT_RF64 : code;
}

int bitsOf(int code)
{
    switch (code & SF_FORMAT_SUBMASK) {
    case SF_FORMAT_PCM_16: return 16;
    case SF_FORMAT_PCM_24: return 24;
    default: return 0;
    }
}

}  // namespace

Result<std::unique_ptr<SoundFileWriter>>
SoundFileWriter::create(const std::filesystem::path& path, const WriteSettings& settings)
{
    auto replacement = Replacement::of(path);
    if (!replacement) {
        return tl::unexpected(replacement.error());
    }
    std::unique_ptr<SoundFileWriter> writer(new SoundFileWriter(std::move(*replacement)));
    writer->path_ = path;
    writer->channels_ = settings.channels;
    const int code = formatCodeOf(settings);
    writer->bits_ = bitsOf(code);
    writer->dither_ = settings.dither && writer->bits_ > 0;
    SF_INFO info{};
    info.samplerate = static_cast<int>(settings.rate.count());
    info.channels = settings.channels;
    info.format = containerFor(code, settings);
    if (sf_format_check(&info) == 0) {
        return badArgument(fmt::format(
            "{}: this format cannot hold {} channels at {:g} Hz; use another format",
            path.string(),
            settings.channels,
            settings.rate.count()
        ));
    }
    SNDFILE* file = sf_open(writer->replacement_.beside().c_str(), SFM_WRITE, &info);
    if (file == nullptr) {
        return failed(fmt::format(
            "{}: cannot be written ({}); check the folder and its permissions",
            path.string(),
            sf_strerror(nullptr)
        ));
    }
    writer->file_ = file;
    sf_command(file, SFC_SET_CLIPPING, nullptr, SF_TRUE);
    // The peak chunk carries the time of writing, so that equal prints would differ.
    sf_command(file, SFC_SET_ADD_PEAK_CHUNK, nullptr, SF_FALSE);
    return writer;
}

SoundFileWriter::~SoundFileWriter()
{
    if (file_ != nullptr) {
        sf_close(handle(file_));
    }
}

Result<void> SoundFileWriter::write(const AudioBuffer& audio)
{
    const auto channels = static_cast<std::size_t>(channels_);
    const auto frames = static_cast<std::size_t>(audio.frames().count());
    interleaved_.resize(frames * channels);
    const float step = bits_ > 0 ? std::ldexp(1.0F, 1 - bits_) : 0.0F;
    for (std::size_t c = 0; c < channels; ++c) {
        const auto source = audio.channel(static_cast<int>(c));
        for (std::size_t i = 0; i < frames; ++i) {
            float value = source[i];
            if (dither_) {
                // Two uniform draws from one 64-bit xorshift (Marsaglia 2003) make a triangle.
                noise_ ^= noise_ << 13U;
                noise_ ^= noise_ >> 7U;
                noise_ ^= noise_ << 17U;
                const auto a = static_cast<float>(noise_ & 0xFFFFFFU);
                const auto b = static_cast<float>((noise_ >> 32U) & 0xFFFFFFU);
                value += step * (a - b) * 0x1p-24F;
            }
            interleaved_[i * channels + c] = value;
            clipped_ += bits_ > 0 && std::abs(value) > 1.0F ? 1 : 0;
        }
    }
    const auto wanted = static_cast<sf_count_t>(frames);
    if (sf_writef_float(handle(file_), interleaved_.data(), wanted) != wanted) {
        return failed(fmt::format(
            "{}: writing failed ({}); free disk space and try again. Nothing was changed",
            path_.string(),
            sf_strerror(handle(file_))
        ));
    }
    return {};
}

Result<void> SoundFileWriter::close()
{
    if (sf_close(handle(std::exchange(file_, nullptr))) != 0) {
        return failed(fmt::format(
            "{}: writing failed at the end; free disk space and try again", path_.string()
        ));
    }
    return {};
}

Result<void> SoundFileWriter::finish()
{
    auto closed = close();
    return closed ? replacement_.commit() : closed;
}

Result<void> SoundFileWriter::finishAll(std::span<const std::unique_ptr<SoundFileWriter>> writers)
{
    std::vector<Replacement> replacements;
    for (const auto& writer : writers) {
        if (auto closed = writer->close(); !closed) {
            return closed;
        }
    }
    replacements.reserve(writers.size());
    for (const auto& writer : writers) {
        replacements.push_back(std::move(writer->replacement_));
    }
    return commitAll(replacements);
}

}  // namespace orthochron
