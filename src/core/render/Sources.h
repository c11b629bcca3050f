#pragma once

#include "core/audio/Channel.h"
#include "core/audio/SampleSource.h"
#include "core/base/Work.h"
#include "core/song/Song.h"
#include "core/stretch/SpliceSection.h"

#include <filesystem>
#include <map>
#include <memory>
#include <mutex>
#include <span>
#include <vector>

namespace orthochron {

class StretchPlan;

// A song's takes, opened for reading at the song's rate, and what is measured of them while they are
// played.
//
// Threads: what is const may be called from any thread; reads of one take wait for each other.
class Sources {
public:
    Sources();

    // Opens every take of the song. `songFolder` is where relative paths start.
    // Errors: BadInput, naming the first take that is missing or unreadable.
    [[nodiscard]] static Result<std::shared_ptr<Sources>>
    open(const Song& song, const std::filesystem::path& songFolder);

    // Adds or replaces a take's source, before the sources are read by others; it must have the song's rate. `file` is what it was read
    // from; empty when it was made.
    void
    put(TakeId take, std::unique_ptr<SampleSource> source, const std::filesystem::path& file = {});
    // Adds a take as `others` have it, and shares it with them. False when they have not.
    bool share(TakeId take, const Sources& others);
    // Whether a take is read from the very same file, opened once, here and there.
    [[nodiscard]] bool isAlike(TakeId take, const Sources& others) const;
    // A take that is not to be read: it reads as silence, and its file counts among files().
    void silence(TakeId take, const std::filesystem::path& file);
    // The files they were read from: what is printed of them must never land on one.
    [[nodiscard]] std::vector<std::filesystem::path> files() const;
    // The one a take was read from; empty when it was made, or is not here.
    [[nodiscard]] std::filesystem::path file(TakeId take) const;
    [[nodiscard]] bool has(TakeId take) const { return sourceOf(take) != nullptr; }
    [[nodiscard]] int channels(TakeId take) const;  // 0 for an unknown take
    [[nodiscard]] Frames frames(TakeId take) const;

    // All channels of a take from `from` (take time) on, silence outside it. A take that is not
    // here reads as silence too: the song says elsewhere that it is missing.
    [[nodiscard]] Result<void> read(TakeId take, Frames from, AudioBuffer& into) const;
    // One channel of it.
    [[nodiscard]] Result<void>
    read(TakeId take, int channel, Frames from, std::span<float> into) const;

    // A sound, likewise, from `from` (sound time) on: all its channels, or the one it plays, or the
    // first. Errors: the take's; BadArgument for a treatment that cannot be.
    [[nodiscard]] Result<void> read(const Sound& sound, Frames from, AudioBuffer& into) const;
    [[nodiscard]] Result<void> read(const Sound& sound, Frames from, std::span<float> into) const;

    // Where a sound is spliced in [from, to) of sound time; nowhere when it is as recorded.
    [[nodiscard]] Result<std::vector<Splice>>
    splices(const Sound& sound, Frames from, Frames to) const;

    // Makes ready what takes long to make of a sound from `from` to `to`, sound time, and whether reading it at a
    // place would wait; see StretchPlan. Errors: as for reading; Cancelled.
    [[nodiscard]] Result<void>
    makeReady(const Sound& sound, Frames from, Frames to, const Work& work = {}) const;
    [[nodiscard]] bool isReady(const Sound& sound, Frames at) const;

    // The same takes for one pass of playing: what takes long to make and is not ready when it is read is heard as a
    // quick engine makes it, until the next passage.
    [[nodiscard]] std::shared_ptr<const Sources> whilePlaying() const;
    // That pass leaps, and is heard from there on as it can be by now.
    void leap() const;
    // Makes ready what stands in for what is not ready in [from, to) of sound time, and whether playing could begin at a
    // place without waiting. Errors: as for makeReady().
    [[nodiscard]] Result<void>
    makeStandIn(const Sound& sound, Frames from, Frames to, const Work& work = {}) const;
    [[nodiscard]] bool isReadyToPlay(const Sound& sound, Frames at) const;

    // How alike the two sides of a crossfade are where they overlap, on the first channel each plays:
    // their correlation, 1 where they do not overlap. Measured once. Errors: the takes'.
    [[nodiscard]] Result<double> likeness(const Clip& before, const Clip& after) const;

    // One channel of a take, read from these sources, which must outlive it.
    [[nodiscard]] Channel channel(TakeId take, int channel) const;

private:
    struct Opened {
        std::unique_ptr<SampleSource> source;  // null for silence
        std::filesystem::path file;
        std::mutex mutex;
        AudioBuffer scratch;
    };

    struct Measured;  // and what was made ready, for copies of these sources too
    struct Played;    // of one pass of playing
    class OfTake;

    [[nodiscard]] const SampleSource* sourceOf(TakeId take) const;
    [[nodiscard]] Result<std::shared_ptr<Opened>> treated(const Sound& sound) const;
    // Null for a sound as it was recorded.
    [[nodiscard]] Result<std::shared_ptr<StretchPlan>> planOf(const Sound& sound) const;
    [[nodiscard]] std::vector<Channel> witnessesOf(const Sound& sound) const;
    [[nodiscard]] std::vector<int> heardAs(const Sound& sound) const;

    std::map<TakeId, std::shared_ptr<Opened>> takes_;
    std::shared_ptr<Measured> measured_;
    std::shared_ptr<Played> played_;  // none while nothing may stand in
};

[[nodiscard]] std::filesystem::path
pathOf(const Take& take, const std::filesystem::path& songFolder);

}  // namespace orthochron
