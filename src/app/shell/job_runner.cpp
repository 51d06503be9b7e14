// SPDX-License-Identifier: GPL-3.0-or-later
#include "shell/job_runner.h"

#include <algorithm>
#include <optional>

#include "base/parallel.h"

namespace wyc::app {

JobRunner::JobRunner(QObject* parent) : QObject(parent), thread_([this] { loop(); }) {}

JobRunner::~JobRunner() {
    {
        const std::lock_guard lock(mutex_);
        ending_ = true;
        queue_.clear();
        if (runningToken_)
            runningToken_->cancel();
    }
    wake_.notify_all();
    thread_.join();
}

int JobRunner::start(const QString& title, Work work, std::function<void(const Error&)> failed) {
    const int id = ++lastId_;
    live_.push_back(id);
    {
        const std::lock_guard lock(mutex_);
        queue_.push_back({id, title, std::move(work), std::move(failed), std::make_shared<CancelToken>()});
    }
    wake_.notify_one();
    return id;
}

void JobRunner::cancel(int id) {
    std::optional<Entry> queued;
    {
        const std::lock_guard lock(mutex_);
        if (runningId_ == id && runningToken_)
            runningToken_->cancel();
        const auto found =
            std::find_if(queue_.begin(), queue_.end(), [&](const Entry& entry) { return entry.id == id; });
        if (found != queue_.end()) {
            queued = std::move(*found);
            queue_.erase(found);
        }
    }
    if (queued)
        finish(id, {id, queued->title, JobState::Cancelled, 0.0, {}, -1.0, {}}, [&] {
            if (queued->failed)
                queued->failed(makeError(ErrorKind::Cancelled, "stopped on request"));
        });
}

void JobRunner::cancelAll() {
    for (const int id : std::vector<int>(live_))
        cancel(id);
}

void JobRunner::publish(JobStatus status) {
    QMetaObject::invokeMethod(
        this,
        [this, status = std::move(status)] {
            current_ = status;
            emit changed(status);
        },
        Qt::QueuedConnection);
}

void JobRunner::finish(int id, JobStatus status, const Done& done) {
    std::erase(live_, id);
    current_ = status;
    if (done)
        done();
    emit changed(status);
    if (live_.empty())
        emit idle();
}

void JobRunner::loop() {
    letWorkersGiveWay();
    giveWay();
    for (;;) {
        Entry entry;
        {
            std::unique_lock lock(mutex_);
            wake_.wait(lock, [&] { return ending_ || !queue_.empty(); });
            if (ending_)
                return;
            entry = std::move(queue_.front());
            queue_.pop_front();
            runningId_ = entry.id;
            runningToken_ = entry.token;
        }
        JobStatus status{entry.id, entry.title, JobState::Running, 0.0, {}, -1.0, {}};
        publish(status);
        QElapsedTimer clock;
        clock.start();
        // Reports come from several threads and far more often than a window can show them.
        auto gate = std::make_shared<std::mutex>();
        auto lastShown = std::make_shared<qint64>(-1000);
        const Progress progress(
            [this, status, clock, gate, lastShown](const ProgressReport& report) {
                const std::lock_guard lock(*gate);
                if (clock.elapsed() - *lastShown < 120)
                    return;
                *lastShown = clock.elapsed();
                JobStatus now = status;
                now.fraction = report.fraction;
                now.words = QString::fromStdString(report.stage + " " + report.words);
                const double elapsed = static_cast<double>(clock.elapsed()) / 1000.0;
                now.secondsLeft = report.fraction > 0.02 ? elapsed * (1.0 / report.fraction - 1.0) : -1.0;
                publish(std::move(now));
            },
            entry.token);
        auto outcome = entry.work(progress);
        {
            const std::lock_guard lock(mutex_);
            runningId_ = 0;
            runningToken_.reset();
        }
        status.fraction = 1.0;
        if (outcome) {
            status.state = JobState::Finished;
            QMetaObject::invokeMethod(
                this, [this, status, done = std::move(*outcome)] { finish(status.id, status, done); },
                Qt::QueuedConnection);
        } else {
            const Error error = outcome.error();
            status.state = error.kind == ErrorKind::Cancelled ? JobState::Cancelled : JobState::Failed;
            status.error = QString::fromStdString(error.text());
            QMetaObject::invokeMethod(
                this,
                [this, status, error, failed = std::move(entry.failed)] {
                    finish(status.id, status, [&] {
                        if (failed)
                            failed(error);
                    });
                },
                Qt::QueuedConnection);
        }
    }
}

} // namespace wyc::app
