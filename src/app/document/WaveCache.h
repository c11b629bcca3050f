#pragma once

#include "app/document/JobQueue.h"
#include "core/audio/Peaks.h"
#include "core/render/Sources.h"

#include <filesystem>
#include <map>
#include <set>

namespace orthochron::app {

// What lanes are drawn from: peaks of every take, and the samples themselves where the zoom shows
// them. Both are read by jobs; until then there is nothing to draw.
class WaveCache final : public QObject {
    Q_OBJECT

public:
    WaveCache(JobQueue& jobs, QObject* parent);

    void setSources(const Song& song, std::shared_ptr<const Sources> sources);
    [[nodiscard]] const Peaks* peaks(TakeId take) const;  // null until built
    // Samples of a stretch, or empty while they are being read. Asks for them when needed.
    [[nodiscard]] std::span<const float>
    samples(TakeId take, int channel, Frames from, std::int64_t count);

Q_SIGNALS:
    void changed();       // peaks or samples
    void peaksChanged();  // these alone

private:
    static constexpr std::int64_t kPage = 16384;
    using PageKey = std::tuple<TakeId, int, std::int64_t>;

    void build(const Take& take);
    // Whether a take is still read from the file it is read from now.
    [[nodiscard]] std::function<bool()> stillRead(TakeId take) const;

    JobQueue& jobs_;
    std::shared_ptr<const Sources> sources_;
    std::map<TakeId, std::shared_ptr<const Peaks>> peaks_;
    std::map<PageKey, std::vector<float>> pages_;
    std::set<PageKey> asked_;
};

}  // namespace orthochron::app
