// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/parallel.h"

#include <algorithm>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>
#include <vector>

#include <oneapi/tbb/global_control.h>
#include <oneapi/tbb/parallel_for.h>
#include <oneapi/tbb/parallel_pipeline.h>
#include <oneapi/tbb/task_scheduler_observer.h>
#include <sys/resource.h>
#include <unistd.h>

namespace wyc {
namespace {

std::mutex gControlMutex;
std::unique_ptr<oneapi::tbb::global_control> gControl;
int gThreads = 0;

// Keeps the error with the smallest index, so that which error is told does not depend on timing.
class FirstError {
  public:
    void offer(std::size_t index, Error error) {
        const std::lock_guard lock(mutex_);
        if (!error_ || index < index_) {
            index_ = index;
            error_ = std::move(error);
        }
        failed_.store(true, std::memory_order_relaxed);
    }
    [[nodiscard]] bool failed() const { return failed_.load(std::memory_order_relaxed); }
    [[nodiscard]] Status status() {
        if (error_)
            return fail(std::move(*error_));
        return {};
    }

  private:
    std::mutex mutex_;
    std::atomic<bool> failed_{false};
    std::size_t index_ = 0;
    std::optional<Error> error_;
};

// Workers give way as they begin.
class GentleWorkers : public oneapi::tbb::task_scheduler_observer {
  public:
    GentleWorkers() { observe(true); }
    ~GentleWorkers() override { observe(false); }
    void on_scheduler_entry(bool worker) override {
        if (worker)
            giveWay();
    }
};

} // namespace

void giveWay() {
    constexpr int kNice = 10;
    // Of this thread alone; where it is not allowed, all stays as it was.
    (void)::setpriority(PRIO_PROCESS, static_cast<id_t>(::gettid()), kNice);
}

void letWorkersGiveWay() {
    static const GentleWorkers watch;
}

void setThreadCount(int count) {
    const std::lock_guard lock(gControlMutex);
    gControl.reset();
    gThreads = count;
    if (count > 0)
        gControl = std::make_unique<oneapi::tbb::global_control>(oneapi::tbb::global_control::max_allowed_parallelism,
                                                                 static_cast<std::size_t>(count));
}

int threadCount() {
    const std::lock_guard lock(gControlMutex);
    return gThreads > 0 ? gThreads : static_cast<int>(std::max(1u, std::thread::hardware_concurrency()));
}

Status parallelFor(std::size_t count, const Progress& progress, const std::function<Status(std::size_t)>& body) {
    FirstError error;
    oneapi::tbb::parallel_for(std::size_t{0}, count, [&](std::size_t i) {
        if (error.failed())
            return;
        if (progress.cancelled()) {
            error.offer(i, makeError(ErrorKind::Cancelled, "stopped on request"));
            return;
        }
        if (auto status = body(i); !status)
            error.offer(i, std::move(status.error()));
    });
    return error.status();
}

Status orderedPipeline(std::size_t count, std::size_t slots, const Progress& progress,
                       const std::function<Status(std::size_t, std::size_t)>& make,
                       const std::function<Status(std::size_t, std::size_t)>& take) {
    using namespace oneapi::tbb;
    struct Token {
        std::size_t index;
        std::size_t slot;
    };
    FirstError error;
    std::mutex freeMutex;
    std::vector<std::size_t> freeSlots(slots);
    for (std::size_t i = 0; i < slots; ++i)
        freeSlots[i] = i;
    std::size_t next = 0;
    parallel_pipeline(slots, make_filter<void, Token>(filter_mode::serial_in_order, [&](flow_control& flow) -> Token {
                                 if (next >= count || error.failed()) {
                                     flow.stop();
                                     return {0, 0};
                                 }
                                 const std::lock_guard lock(freeMutex);
                                 const std::size_t slot = freeSlots.back();
                                 freeSlots.pop_back();
                                 return {next++, slot};
                             }) & make_filter<Token, Token>(filter_mode::parallel, [&](Token token) {
                                 if (error.failed())
                                     return token;
                                 if (progress.cancelled())
                                     error.offer(token.index, makeError(ErrorKind::Cancelled, "stopped on request"));
                                 else if (auto status = make(token.index, token.slot); !status)
                                     error.offer(token.index, std::move(status.error()));
                                 return token;
                             }) & make_filter<Token, void>(filter_mode::serial_in_order, [&](Token token) {
                                 if (!error.failed()) {
                                     if (auto status = take(token.index, token.slot); !status)
                                         error.offer(token.index, std::move(status.error()));
                                 }
                                 const std::lock_guard lock(freeMutex);
                                 freeSlots.push_back(token.slot);
                             }));
    return error.status();
}

} // namespace wyc
