// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// One place between two threads, in which only the newest order lies.
#include <condition_variable>
#include <mutex>
#include <optional>
#include <utility>

namespace wyc::app {

template<class Order> class Newest {
  public:
    /// Replaces an order that has not been taken.
    void put(Order order) {
        {
            const std::lock_guard lock(mutex_);
            order_ = std::move(order);
        }
        wake_.notify_one();
    }
    /// Waits for an order; nothing once it ends.
    [[nodiscard]] std::optional<Order> take() {
        std::unique_lock lock(mutex_);
        wake_.wait(lock, [&] { return ended_ || order_.has_value(); });
        return ended_ ? std::nullopt : std::exchange(order_, std::nullopt);
    }
    void end() {
        {
            const std::lock_guard lock(mutex_);
            ended_ = true;
        }
        wake_.notify_all();
    }

  private:
    std::mutex mutex_;
    std::condition_variable wake_;
    std::optional<Order> order_;
    bool ended_ = false;
};

} // namespace wyc::app
