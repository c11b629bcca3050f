#include "cli/Streams.h"

#include <unistd.h>

#include <array>
#include <cstdio>
#include <cstdlib>
#include <memory>
#include <system_error>

namespace orthochron::cli {

namespace {

using File = std::unique_ptr<std::FILE, int (*)(std::FILE*)>;

File openFile(const std::filesystem::path& path, const char* mode)
{
    return {std::fopen(path.c_str(), mode), &std::fclose};
}

bool copyAll(std::FILE* from, std::FILE* to)
{
    std::array<char, 1U << 16U> block{};
    while (const std::size_t count = std::fread(block.data(), 1, block.size(), from)) {
        if (std::fwrite(block.data(), 1, count, to) != count) {
            return false;
        }
    }
    return std::ferror(from) == 0 && std::fflush(to) == 0;
}

}  // namespace

Streams::~Streams()
{
    if (!folder_.empty()) {
        std::error_code ignored;
        std::filesystem::remove_all(folder_, ignored);
    }
}

Result<std::filesystem::path> Streams::folder()
{
    if (folder_.empty()) {
        std::error_code error;
        std::string name =
            (std::filesystem::temp_directory_path(error) / "orthochron-XXXXXX").string();
        if (error || mkdtemp(name.data()) == nullptr) {
            return failed("no temporary folder can be created for '-'; set TMPDIR");
        }
        folder_ = name;
    }
    return folder_;
}

Result<std::string> Streams::input()
{
    const auto where = folder();
    if (!where) {
        return tl::unexpected(where.error());
    }
    const auto path = *where / "standard input";
    const File file = openFile(path, "wb");
    if (file == nullptr || !copyAll(stdin, file.get())) {
        return badInput("standard input cannot be read, or TMPDIR has no space for it");
    }
    return path.string();
}

Result<std::string> Streams::output()
{
    const auto where = folder();
    if (!where) {
        return tl::unexpected(where.error());
    }
    output_ = (*where / "standard output").string();
    return output_;
}

Result<void> Streams::finish() const
{
    if (output_.empty()) {
        return {};
    }
    const File file = openFile(output_, "rb");
    if (file == nullptr || !copyAll(file.get(), stdout)) {
        return failed("cannot write to standard output");
    }
    return {};
}

}  // namespace orthochron::cli
