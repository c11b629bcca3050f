#pragma once

#include "core/base/Result.h"

#include <filesystem>
#include <string>

namespace orthochron::cli {

// Standard input and output as files: sound files are read and written out of order, which a pipe does not
// allow. The files are gone when this is.
class Streams {
public:
    Streams() = default;
    Streams(const Streams&) = delete;
    Streams& operator=(const Streams&) = delete;
    ~Streams();

    // All of standard input, read to its end. Errors: BadInput when it cannot be read or kept.
    [[nodiscard]] Result<std::string> input();
    // A name to write to, instead of standard output.
    [[nodiscard]] Result<std::string> output();
    [[nodiscard]] bool hasOutput() const { return !output_.empty(); }
    // Copies what was written to standard output. Errors: Failed.
    [[nodiscard]] Result<void> finish() const;

private:
    [[nodiscard]] Result<std::filesystem::path> folder();

    std::filesystem::path folder_;
    std::string output_;
};

}  // namespace orthochron::cli
