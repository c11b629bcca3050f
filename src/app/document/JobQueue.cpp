#include "app/document/JobQueue.h"

#include <QCoreApplication>
#include <QMetaObject>
#include <QThread>

#include <algorithm>

namespace orthochron::app {

JobQueue::JobQueue(QObject* parent) : QObject(parent)
{
    // Two, so that a long print never holds up what the window waits for.
    for (int i = 0; i < 2; ++i) {
        workers_.emplace_back([this](const std::stop_token& stopped) { serve(stopped); });
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
    const QString& name,
    bool shown,
    QObject* receiver,
    std::function<std::string(const Work&)> work,
    std::function<void()> done
)
{
    if (!name.isEmpty()) {
        for (const auto& other : entries_) {
            if (other->name == name) {
                other->isDropped = true;
                other->stop.request_stop();
            }
        }
    }
    auto entry = std::make_shared<Entry>();
    entry->name = name;
    entry->isShown = shown;
    entry->receiver = receiver;
    entry->work = std::move(work);
    entry->done = std::move(done);
    entries_.push_back(entry);
    {
        const std::scoped_lock lock(mutex_);
        waiting_.push_back(entry);
    }
    wake_.notify_one();
    Q_EMIT progressed();
}

void JobQueue::serve(const std::stop_token& stopped)
{
    while (!stopped.stop_requested()) {
        std::shared_ptr<Entry> entry;
        {
            std::unique_lock lock(mutex_);
            if (!wake_.wait(lock, stopped, [this] { return !waiting_.empty(); })) {
                return;
            }
            entry = waiting_.front();
            waiting_.pop_front();
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
    if (!entry->isDropped && !entry->trouble.empty()) {
        Q_EMIT broke(entry->name + QStringLiteral(": ") + QString::fromStdString(entry->trouble));
    } else if (!entry->isDropped && entry->receiver) {
        entry->done();
    }
    Q_EMIT progressed();
}

QString JobQueue::shownName() const
{
    for (const auto& entry : entries_) {
        if (entry->isShown && !entry->isDropped) {
            return entry->name;
        }
    }
    return {};
}

double JobQueue::shownProgress() const
{
    for (const auto& entry : entries_) {
        if (entry->isShown && !entry->isDropped) {
            return entry->progress.load(std::memory_order_relaxed);
        }
    }
    return 0.0;
}

void JobQueue::stopShown()
{
    for (const auto& entry : entries_) {
        if (entry->isShown) {
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
