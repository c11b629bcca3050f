#pragma once

#include <QObject>
#include <QPointer>
#include <QString>

#include "core/base/Result.h"
#include "core/base/Work.h"

#include <atomic>
#include <condition_variable>
#include <deque>
#include <functional>
#include <memory>
#include <mutex>
#include <new>
#include <string>
#include <thread>
#include <utility>
#include <vector>

namespace orthochron::app {

// What a job is, beside what it does.
struct JobTag {
    QString key;    // what it computes: a newer job of that key replaces it; empty: none does
    QString title;  // on the progress line; empty: not shown
    // Asked when its result is there: whether what it came from is still so. None: it always is.
    std::function<bool()> holds = {};
    // Pictures and what else the window waits for, beside long work and never behind it.
    bool isQuick = false;
};

// Work off the GUI thread. A job is a function of a Work; what it returns comes back on the GUI thread
// and is dropped when its receiver is gone, what it came from no longer holds, or a newer job of the
// same key was started. One that was stopped still says so itself.
//
// Threads: everything public from the GUI thread.
class JobQueue final : public QObject {
    Q_OBJECT

public:
    explicit JobQueue(QObject* parent = nullptr);
    JobQueue(const JobQueue&) = delete;
    JobQueue& operator=(const JobQueue&) = delete;
    ~JobQueue() override;

    // Runs `work` on a worker, then `done` with its result here, if `receiver` still lives.
    // A job that throws has failed: its Result says why; one that gives no Result is not done, and
    // broke() says why.
    template<class Job, class Done>
    void run(JobTag tag, QObject* receiver, Job work, Done done)
    {
        using R = std::invoke_result_t<Job, const Work&>;
        auto result = std::make_shared<R>();
        enqueue(
            std::move(tag),
            receiver,
            [work = std::move(work), result](const Work& given) {
                std::string trouble;
                try {
                    *result = work(given);
                } catch (const std::bad_alloc&) {
                    trouble = "not enough memory; close other programs";
                } catch (const std::exception& error) {
                    trouble = error.what();
                }
                if constexpr (requires(R answer) { answer.error(); }) {
                    if (!trouble.empty()) {
                        *result = failed(std::exchange(trouble, {}));
                    }
                }
                return trouble;
            },
            [done = std::move(done), result] { done(std::move(*result)); }
        );
    }

    // Stops the job of a key, if there is one, and drops its result.
    void drop(const QString& key);
    [[nodiscard]] bool isBusy() const { return !entries_.empty(); }
    // Whether a job of a key waits or runs whose result is still wanted.
    [[nodiscard]] bool isRunning(const QString& key) const;
    // What the progress line shows; empty when nothing shown runs.
    [[nodiscard]] QString shownName() const;
    [[nodiscard]] double shownProgress() const;
    void stopShown();
    // Waits for all jobs and delivers their results; for closing and for tests.
    void finish();

Q_SIGNALS:
    void progressed();
    void broke(const QString& sentence);

private:
    struct Entry {
        JobTag tag;
        QPointer<QObject> receiver;
        std::function<std::string(const Work&)> work;
        std::function<void()> done;
        std::stop_source stop;
        std::atomic<double> progress{0.0};
        std::atomic<bool> isDropped{false};  // its result is not wanted any more
        std::string trouble;                 // what it threw, when its result cannot say so
    };

    // The jobs waiting for one kind of worker.
    struct Lane {
        std::deque<std::shared_ptr<Entry>> waiting;
        std::condition_variable_any wake;
    };

    void enqueue(
        JobTag tag,
        QObject* receiver,
        std::function<std::string(const Work&)> work,
        std::function<void()> done
    );
    void serve(Lane& lane, const std::stop_token& stopped);
    // The job on the progress line; null when there is none.
    [[nodiscard]] const Entry* shown() const;
    void deliver(const std::shared_ptr<Entry>& entry);
    [[nodiscard]] static bool isWanted(const Entry& entry);

    std::vector<std::shared_ptr<Entry>> entries_;  // GUI thread: waiting or running
    std::mutex mutex_;
    Lane long_;
    Lane quick_;
    std::vector<std::jthread> workers_;
};

}  // namespace orthochron::app
