#include "app/document/WaveCache.h"

#include <QStandardPaths>

namespace orthochron::app {

namespace {

constexpr std::size_t kMostPages = 256;  // 16 MB

std::filesystem::path cacheFile(const Take& take)
{
    const QString folder = QStandardPaths::writableLocation(QStandardPaths::CacheLocation);
    return std::filesystem::path(folder.toStdString()) / (take.hash + ".peaks");
}

// Reads a take at the song's rate through the shared sources.
class TakeView final : public SampleSource {
public:
    TakeView(std::shared_ptr<const Sources> sources, TakeId take, Hertz rate)
        : sources_(std::move(sources)), take_(take), rate_(rate)
    {}
    [[nodiscard]] Hertz rate() const override { return rate_; }
    [[nodiscard]] Frames frames() const override { return sources_->frames(take_); }
    [[nodiscard]] int channels() const override { return sources_->channels(take_); }
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into) override
    {
        return sources_->read(take_, from, into);
    }

private:
    std::shared_ptr<const Sources> sources_;
    TakeId take_;
    Hertz rate_;
};

}  // namespace

WaveCache::WaveCache(JobQueue& jobs, QObject* parent) : QObject(parent), jobs_(jobs) {}

void WaveCache::setSources(const Song& song, std::shared_ptr<const Sources> sources)
{
    if (sources_ != sources) {
        // What is read from the same file as before stays as it is drawn.
        const auto isOther = [before = sources_, &sources](TakeId take) {
            return !before || !before->isAlike(take, *sources);
        };
        std::erase_if(peaks_, [&](const auto& each) { return isOther(each.first); });
        std::erase_if(pages_, [&](const auto& each) { return isOther(std::get<0>(each.first)); });
        std::erase_if(asked_, [&](const PageKey& key) { return isOther(std::get<0>(key)); });
        sources_ = std::move(sources);
    }
    for (const Take& take : song.takes) {
        if (!peaks_.contains(take.id) && sources_->has(take.id)) {
            peaks_[take.id] = nullptr;
            build(take);
        }
    }
}

void WaveCache::build(const Take& take)
{
    auto view = std::make_shared<TakeView>(sources_, take.id, Hertz(48000.0));
    const auto work = [view, take](const Work& given) -> std::shared_ptr<const Peaks> {
        const auto file = cacheFile(take);
        if (auto kept = Peaks::load(file); kept && kept->frames() == take.frames) {
            return std::make_shared<const Peaks>(std::move(*kept));
        }
        auto built = Peaks::build(*view, given);
        if (!built) {
            return nullptr;
        }
        std::error_code ignored;
        std::filesystem::create_directories(file.parent_path(), ignored);
        // A cache that cannot be written only costs time.
        (void)built->save(file);
        return std::make_shared<const Peaks>(std::move(*built));
    };
    jobs_.run(
        {.key = QStringLiteral("wave %1").arg(take.id.value),
         .title = tr("Drawing %1").arg(QString::fromStdString(take.name)),
         .holds = stillRead(take.id)},
        this,
        work,
        [this, id = take.id](std::shared_ptr<const Peaks> built) {
            peaks_[id] = std::move(built);
            Q_EMIT peaksChanged();
            Q_EMIT changed();
        }
    );
}

std::function<bool()> WaveCache::stillRead(TakeId take) const
{
    return [this, take, sources = sources_] { return sources->isAlike(take, *sources_); };
}

const Peaks* WaveCache::peaks(TakeId take) const
{
    const auto found = peaks_.find(take);
    return found == peaks_.end() ? nullptr : found->second.get();
}

std::span<const float> WaveCache::samples(TakeId take, int channel, Frames from, std::int64_t count)
{
    // Pages overlap by half, so that any stretch up to half a page lies in one.
    const std::int64_t half = kPage / 2;
    const std::int64_t index = std::max<std::int64_t>(0, from.count()) / half;
    const PageKey key{take, channel, index};
    if (const auto found = pages_.find(key); found != pages_.end()) {
        const std::int64_t offset = from.count() - index * half;
        if (offset < 0 || offset + count > static_cast<std::int64_t>(found->second.size())) {
            return {};
        }
        return std::span(found->second)
            .subspan(static_cast<std::size_t>(offset), static_cast<std::size_t>(count));
    }
    if (sources_ && asked_.insert(key).second) {
        jobs_.run(
            {.key = {}, .title = {}, .holds = stillRead(take), .isQuick = true},
            this,
            [sources = sources_, take, channel, index, half](const Work&) {
                std::vector<float> page(static_cast<std::size_t>(kPage));
                if (!sources->read(take, channel, Frames(index * half), page)) {
                    page.clear();
                }
                return page;
            },
            [this, key](std::vector<float> page) {
                if (pages_.size() >= kMostPages) {
                    pages_.clear();
                    asked_.clear();
                }
                pages_[key] = std::move(page);
                Q_EMIT changed();
            }
        );
    }
    return {};
}

}  // namespace orthochron::app
