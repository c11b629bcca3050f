#pragma once

#include "core/base/Result.h"

#include <filesystem>
#include <span>

namespace orthochron {

// A file about to be written: made beside its final name and put in place at the end, so that at
// every moment there is either the old file or the new one. Dropped without commit() it leaves
// nothing behind. A link is written through: the file it leads to is replaced and keeps its
// permissions, the link stays.
class Replacement {
public:
    // Sweeps up what killed runs left of this file. Errors: BadArgument when something other than
    // a regular file has that name (a folder, a device, a pipe); nothing is opened or changed.
    [[nodiscard]] static Result<Replacement> of(const std::filesystem::path& path);
    Replacement(Replacement&& other) noexcept;
    Replacement& operator=(Replacement&& other) noexcept;
    Replacement(const Replacement&) = delete;
    Replacement& operator=(const Replacement&) = delete;
    ~Replacement();

    // What to write to; does not exist yet.
    [[nodiscard]] const std::filesystem::path& beside() const { return beside_; }
    [[nodiscard]] const std::filesystem::path& target() const { return target_; }

    // Puts it in place. Errors: Failed, saying why; what was there is unharmed.
    [[nodiscard]] Result<void> commit();

private:
    friend Result<void> commitAll(std::span<Replacement> replacements);
    Replacement(std::filesystem::path target, std::filesystem::path beside);
    [[nodiscard]] Result<void> exchange();
    void undo() noexcept;
    void drop() noexcept;

    std::filesystem::path target_;
    std::filesystem::path beside_;  // empty when nothing is left to do
    bool replacedOld_ = false;      // after exchange(): the old file now stands at beside_
};

// Puts all of them in place, or none. Errors: Failed, naming the first that could not be.
[[nodiscard]] Result<void> commitAll(std::span<Replacement> replacements);

// Whether two names lead to one file, be it there or not yet.
[[nodiscard]] bool isSameFile(const std::filesystem::path& one, const std::filesystem::path& other);

// Checked before anything is written: no output is one of `kept` (takes, the song), none is a
// song, no two are one file, and only regular files are replaced. Errors: BadArgument, naming the
// output.
[[nodiscard]] Result<void> checkOutputs(
    std::span<const std::filesystem::path> outputs, std::span<const std::filesystem::path> kept
);

}  // namespace orthochron
