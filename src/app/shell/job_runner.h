// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Long work beside the window: one thing after another on a thread of its own, with explicit states.
#include <condition_variable>
#include <deque>
#include <functional>
#include <memory>
#include <mutex>
#include <thread>

#include <QElapsedTimer>
#include <QObject>
#include <QString>

#include "base/progress.h"

namespace wyc::app {

enum class JobState { Queued, Running, Finished, Cancelled, Failed };

/// What is known of one piece of work, as a value.
struct JobStatus {
    int id = 0;
    QString title;
    JobState state = JobState::Queued;
    double fraction = 0.0;
    QString words;
    double secondsLeft = -1.0; // < 0 = not known
    QString error;
};

class JobRunner : public QObject {
    Q_OBJECT
  public:
    /// Runs on the worker thread and returns what to do afterwards on the window's thread.
    using Done = std::function<void()>;
    using Work = std::function<Result<Done>(const Progress&)>;

    explicit JobRunner(QObject* parent = nullptr);
    ~JobRunner() override;
    /// Queues work. `failed` is called on the window's thread on an error that is not a cancel.
    int start(const QString& title, Work work, std::function<void(const Error&)> failed = {});
    /// Stops one piece of work: what is queued never runs, what runs is asked to end.
    void cancel(int id);
    void cancelAll();
    [[nodiscard]] bool busy() const { return !live_.empty(); }
    [[nodiscard]] JobStatus current() const { return current_; }

  signals:
    void changed(const wyc::app::JobStatus& status);
    void idle();

  private:
    struct Entry {
        int id;
        QString title;
        Work work;
        std::function<void(const Error&)> failed;
        std::shared_ptr<CancelToken> token;
    };
    void loop();
    void publish(JobStatus status);
    void finish(int id, JobStatus status, const Done& done);
    std::mutex mutex_;
    std::condition_variable wake_;
    std::deque<Entry> queue_;
    std::shared_ptr<CancelToken> runningToken_;
    int runningId_ = 0;
    bool ending_ = false;
    int lastId_ = 0;
    std::vector<int> live_; // window's thread only
    JobStatus current_;
    std::thread thread_;
};

} // namespace wyc::app
Q_DECLARE_METATYPE(wyc::app::JobStatus)
