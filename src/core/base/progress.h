// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Progress and cancel for long work. Work polls by amount done, so that a cancel is seen within 0.2 s.
#include <atomic>
#include <functional>
#include <memory>
#include <string>

#include "base/error.h"

namespace wyc {

/// A shared flag that a person (or a signal) raises to stop long work.
class CancelToken {
  public:
    void cancel() { flag_.store(true, std::memory_order_relaxed); }
    [[nodiscard]] bool cancelled() const { return flag_.load(std::memory_order_relaxed); }

  private:
    std::atomic<bool> flag_{false};
};

struct ProgressReport {
    double fraction = 0.0; // 0 … 1 of the whole act
    std::string stage;     // "writing", "proving", …
    std::string words;     // what exactly: a file, a frame
};

/// Handed to long work. The default reports to nobody and is never cancelled. Safe to call from any thread.
class Progress {
  public:
    using Sink = std::function<void(const ProgressReport&)>;
    Progress() = default;
    Progress(Sink sink, std::shared_ptr<CancelToken> token) : sink_(std::move(sink)), token_(std::move(token)) {}

    void report(double fraction, const std::string& stage, const std::string& words) const {
        if (sink_)
            sink_({from_ + fraction * (to_ - from_), stage, words});
    }
    [[nodiscard]] bool cancelled() const { return token_ && token_->cancelled(); }
    /// An error of kind Cancelled if a cancel was asked for.
    [[nodiscard]] Status poll() const {
        if (cancelled())
            return fail(ErrorKind::Cancelled, "stopped on request");
        return {};
    }
    /// The same sink and token for a part of the act, from fraction `from` to `to` of this one.
    [[nodiscard]] Progress part(double from, double to) const {
        Progress result = *this;
        result.from_ = from_ + from * (to_ - from_);
        result.to_ = from_ + to * (to_ - from_);
        return result;
    }

  private:
    Sink sink_;
    std::shared_ptr<CancelToken> token_;
    double from_ = 0.0;
    double to_ = 1.0;
};

} // namespace wyc
