// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Everything that a node says in numbers, held against what the source says at the moments that the steps mean.
#include <optional>
#include <string>
#include <vector>

#include "delivery/proof/shown.h"
#include "formats/format.h"

namespace wyc {

class ShownChannels {
  public:
    /// What of the source's elements a node has: all of them with their numbers; its points, in turn, and what goes
    /// with them, while all else is another's; or others.
    enum class Elements { Same, PointsAlone, Others };
    /// `own`: the node of the source. What the format does not keep is told as a loss, and left aside here.
    [[nodiscard]] static ShownChannels of(const Scene& meant, std::size_t node, const Scene& source, std::size_t own,
                                          const Intention& intention, const Format& format, Elements elements);
    [[nodiscard]] const std::vector<Channel>& meant() const { return meantChannels_; }
    /// At a moment of the result. `whole`: every channel is judged, else those that have a sample there. `end`: what
    /// never changes is judged too.
    [[nodiscard]] Status compareAt(double seconds, bool whole, bool end, Shown& shown);
    /// Channels that are not compared, and why; and those that were lost on the way.
    void tellWhatIsLeftAside(Shown& shown) const;
    /// After all moments: channels that could be judged at none of them.
    void tellWhatWasNeverCompared(Shown& shown) const;

  private:
    struct Pair {
        Channel meant;
        Channel source;
        bool steady = false; // the same at all times on both sides
        std::size_t compared = 0;
        std::size_t skipped = 0;
    };
    /// `words`: what differs.
    struct Judged {
        bool compared = true;
        std::optional<std::string> words;
    };
    /// What the source means at the moment, in the space of its own node; nothing where that cannot be said.
    [[nodiscard]] Result<std::optional<std::vector<double>>> expected(const Pair& pair, double seconds) const;
    [[nodiscard]] Result<Judged> difference(const Pair& pair, double seconds) const;
    [[nodiscard]] bool isMixed(double seconds) const;
    [[nodiscard]] Result<Judged> speedDifference(const Pair& pair, double seconds) const;
    [[nodiscard]] Result<Judged> heldDifference(const Pair& pair, double seconds) const;
    [[nodiscard]] bool durationsFollow(double seconds) const;
    /// When the source says what is said: on a node with points, with them.
    [[nodiscard]] const TimeMap& map() const;

    const Scene* meantScene_ = nullptr;
    std::size_t node_ = 0;
    const Scene* sourceScene_ = nullptr;
    std::size_t own_ = 0;
    const Intention* intention_ = nullptr;
    bool meantMoves_ = false;  // transforms above it change in time
    bool sourceMoves_ = false; // likewise
    std::vector<Channel> meantChannels_;
    std::vector<Pair> pairs_;
    std::vector<std::string> lost_;
    std::vector<std::string> leftAside_;
};

} // namespace wyc
