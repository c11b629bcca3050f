#include "app/document/JobQueue.h"

#include <QCoreApplication>
#include <QMetaObject>
#include <QThread>

#include <algorithm>

namespace orthochron::app {

JobQueue::JobQueue(QObject* parent) : QObject(parent)
{
    // Two for long work, so that a print does not hold up a fit.
    for (Lane* lane : {&long_, &long_, &quick_}) {
        workers_.emplace_back([this, lane](const std::stop_token& stopped) {
            serve(*lane, stopped);
        });
    }
}

JobQueue::~JobQueue()
{
    for (const auto& entry : entries_) {
        entry->stop.request_stop();
    }
    for (auto& worker : workers_) {
        worker.request_stop();
    }
    workers_.clear();
}

void JobQueue::enqueue(
    JobTag tag,
    QObject* receiver,
    std::function<std::string(const Work&)> work,
    std::function<void()> done
)
{
    drop(tag.key);
    Lane& lane = tag.isQuick ? quick_ : long_;
    auto entry = std::make_shared<Entry>();
    entry->tag = std::move(tag);
    entry->receiver = receiver;
    entry->work = std::move(work);
    entry->done = std::move(done);
    entries_.push_back(entry);
    {
        const std::scoped_lock lock(mutex_);
        lane.waiting.push_back(entry);
    }
    lane.wake.notify_one();
    Q_EMIT progressed();
}

void JobQueue::drop(const QString& key)
{
    for (const auto& entry : entries_) {
        if (!key.isEmpty() && entry->tag.key == key) {
            entry->isDropped = true;
            entry->stop.request_stop();
        }
    }
}

void JobQueue::serve(Lane& lane, const std::stop_token& stopped)
{
    while (!stopped.stop_requested()) {
        std::shared_ptr<Entry> entry;
        {
            std::unique_lock lock(mutex_);
            if (!lane.wake.wait(lock, stopped, [&lane] { return !lane.waiting.empty(); })) {
                return;
            }
            entry = lane.waiting.front();
            lane.waiting.pop_front();
        }
        // One that was stopped while it waited still runs, so that it can say that it was stopped.
        if (!entry->isDropped) {
            const Work work{entry->stop.get_token(), [this, entry](double done) {
                                entry->progress.store(done, std::memory_order_relaxed);
                                QMetaObject::invokeMethod(
                                    this, [this] { Q_EMIT progressed(); }, Qt::QueuedConnection
                                );
                            }};
            entry->trouble = entry->work(work);
        }
        QMetaObject::invokeMethod(
            this, [this, entry] { deliver(entry); }, Qt::QueuedConnection
        );
    }
}

void JobQueue::deliver(const std::shared_ptr<Entry>& entry)
{
    std::erase(entries_, entry);
    const bool wanted = isWanted(*entry);
    if (wanted && !entry->trouble.empty()) {
        const QString& name = entry->tag.title.isEmpty() ? entry->tag.key : entry->tag.title;
        Q_EMIT broke(name + QStringLiteral(": ") + QString::fromStdString(entry->trouble));
    } else if (wanted) {
        entry->done();
    }
    Q_EMIT progressed();
}

bool JobQueue::isWanted(const Entry& entry)
{
    return !entry.isDropped && entry.receiver && (!entry.tag.holds || entry.tag.holds());
}

bool JobQueue::isRunning(const QString& key) const
{
    return std::ranges::any_of(entries_, [&](const auto& entry) {
        return entry->tag.key == key && isWanted(*entry);
    });
}

const JobQueue::Entry* JobQueue::shown() const
{
    const auto found = std::ranges::find_if(entries_, [](const auto& entry) {
        return !entry->tag.title.isEmpty() && !entry->isDropped;
    });
    return found == entries_.end() ? nullptr : found->get();
}

QString JobQueue::shownName() const
{
    const Entry* entry = shown();
    return entry != nullptr ? entry->tag.title : QString();
}

double JobQueue::shownProgress() const
{
    const Entry* entry = shown();
    return entry != nullptr ? entry->progress.load(std::memory_order_relaxed) : 0.0;
}

void JobQueue::stopShown()
{
    for (const auto& entry : entries_) {
        if (!entry->tag.title.isEmpty()) {
            entry->stop.request_stop();
        }
    }
}

void JobQueue::finish()
{
    while (isBusy()) {
        QThread::msleep(1);
        QCoreApplication::sendPostedEvents(this);
    }
}

}  // namespace orthochron::app
