#include "core/audio/OpenFiles.h"

#include <sndfile.h>
#include <sys/stat.h>

#include <utility>

namespace orthochron {

OpenFiles& OpenFiles::all()
{
    static OpenFiles files;
    return files;
}

// Those being read stay: there are never more of them than threads.
void OpenFiles::makeRoom()
{
    for (auto place = open_.end(); open_.size() >= kMost && place != open_.begin();) {
        --place;
        File* file = *place;
        if (!file->isHeld_) {
            sf_close(static_cast<SNDFILE*>(std::exchange(file->handle_, nullptr)));
            place = open_.erase(place);
        }
    }
}

OpenFiles::File::File(std::filesystem::path path) : path_(std::move(path)) {}

OpenFiles::File::~File()
{
    OpenFiles& files = all();
    const std::scoped_lock lock(files.mutex_);
    if (handle_ != nullptr) {
        sf_close(static_cast<SNDFILE*>(handle_));
        files.open_.erase(place_);
    }
}

bool OpenFiles::File::isStillTheSame()
{
    struct stat status {};
    if (::stat(path_.c_str(), &status) != 0) {
        return false;
    }
    const Identity now{
        status.st_dev,
        status.st_ino,
        static_cast<std::uint64_t>(status.st_size),
        status.st_mtim.tv_sec * 1'000'000'000 + status.st_mtim.tv_nsec};
    if (!std::exchange(wasOpened_, true)) {
        identity_ = now;
    }
    return identity_ == now;
}

OpenFiles::Hold::Hold(File& file) : file_(file)
{
    OpenFiles& files = all();
    const std::scoped_lock lock(files.mutex_);
    isFresh_ = file.handle_ == nullptr;
    if (isFresh_) {
        files.makeRoom();
        SF_INFO info{};
        file.handle_ =
            file.isStillTheSame() ? sf_open(file.path_.c_str(), SFM_READ, &info) : nullptr;
        if (file.handle_ == nullptr) {
            return;
        }
        files.open_.push_front(&file);
        file.place_ = files.open_.begin();
    } else {
        files.open_.splice(files.open_.begin(), files.open_, file.place_);
    }
    file.isHeld_ = true;
}

OpenFiles::Hold::~Hold()
{
    const std::scoped_lock lock(all().mutex_);
    file_.isHeld_ = false;
}

}  // namespace orthochron
