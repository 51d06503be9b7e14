// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Memory that was used once is used again: fresh pages would cost more than what is done with them.
#include <memory>
#include <mutex>
#include <vector>

namespace wyc {

/// Lends a T to each of several threads, and lends it again when it comes back. What it held is left in it.
template<class T> class Reused {
  public:
    class Lent {
      public:
        Lent(Reused& from, std::unique_ptr<T> own) : from_(from), own_(std::move(own)) {}
        ~Lent() {
            const std::lock_guard lock(from_.mutex_);
            from_.free_.push_back(std::move(own_));
        }
        Lent(const Lent&) = delete;
        Lent& operator=(const Lent&) = delete;
        T& operator*() { return *own_; }
        T* operator->() { return own_.get(); }

      private:
        Reused& from_;
        std::unique_ptr<T> own_;
    };
    [[nodiscard]] Lent lend() {
        const std::lock_guard lock(mutex_);
        if (free_.empty())
            return {*this, std::make_unique<T>()};
        std::unique_ptr<T> own = std::move(free_.back());
        free_.pop_back();
        return {*this, std::move(own)};
    }

  private:
    std::mutex mutex_;
    std::vector<std::unique_ptr<T>> free_;
};

} // namespace wyc
