#pragma once

#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <list>
#include <mutex>

namespace orthochron {

// The sound files a program holds open for reading. A song may have hundreds of takes and a
// process only so many descriptors, so at most kMost stay open: the one idle for longest is closed
// when another is needed, and opened again when it is read.
//
// Threads: any, for different files; one thread at a time for one file.
class OpenFiles {
public:
    static constexpr std::size_t kMost = 64;

    // A file that may be open, one for each reader. Known to the list only while it is.
    class File {
    public:
        explicit File(std::filesystem::path path);
        File(const File&) = delete;
        File& operator=(const File&) = delete;
        ~File();

    private:
        friend class OpenFiles;
        friend class Hold;
        // What tells a file from another that took its place.
        struct Identity {
            std::uint64_t device = 0;
            std::uint64_t inode = 0;
            std::uint64_t bytes = 0;
            std::int64_t modified = 0;
            bool operator==(const Identity&) const = default;
        };
        [[nodiscard]] bool isStillTheSame();

        std::filesystem::path path_;
        Identity identity_;
        bool wasOpened_ = false;
        bool isHeld_ = false;
        void* handle_ = nullptr;
        std::list<File*>::iterator place_;
    };

    // Keeps a file open as long as it lives, opened now if need be.
    class Hold {
    public:
        explicit Hold(File& file);
        Hold(const Hold&) = delete;
        Hold& operator=(const Hold&) = delete;
        ~Hold();

        // libsndfile's; null when the file cannot be opened, or is no longer the one that was
        // opened first.
        [[nodiscard]] void* handle() const { return file_.handle_; }
        // It was opened by this: reading starts at frame 0.
        [[nodiscard]] bool isFresh() const { return isFresh_; }

    private:
        File& file_;
        bool isFresh_ = false;
    };

private:
    [[nodiscard]] static OpenFiles& all();
    void makeRoom();

    std::mutex mutex_;
    std::list<File*> open_;  // the one used last at the front
};

}  // namespace orthochron
