// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Which frame is shown when: keys, and words for the usual curves.
#include <string>
#include <vector>

#include "base/error.h"
#include "time/frame_rate.h"

namespace wyc {

class RetimeCurve {
  public:
    struct Key {
        double out = 0.0; // frame that shows …
        double in = 0.0;  // … this frame of the source
    };
    /// "1001=1001, 1050=1100", line breaks and ';' part pairs too; "x0.5" (half as fast), "reverse", "there and back",
    /// "hold FRAME", all over the frames that are there.
    [[nodiscard]] static Result<RetimeCurve> parse(const std::string& text, const FrameRange& there);
    [[nodiscard]] const std::vector<Key>& keys() const { return keys_; }
    /// Keys whose frames of the source are not there are an error that names them.
    [[nodiscard]] Status staysWithin(const FrameRange& there) const;
    /// Smooth through the keys, without going beyond any (F. N. Fritsch and R. E. Carlson, 1980): a run for every
    /// frame.
    void smooth();
    /// Ends of the straight runs that it is made of.
    [[nodiscard]] const std::vector<Key>& runs() const { return runs_; }

  private:
    std::vector<Key> keys_;
    std::vector<Key> runs_;
};

} // namespace wyc
