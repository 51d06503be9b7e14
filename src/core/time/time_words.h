// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// One moment of the shot in the words of those who cut, animate and simulate.
#include <string>

#include "time/frame_rate.h"

namespace wyc {

/// How a moment is read: by its frame number, or counted from the shot's first frame (`origin`) in seconds or in
/// hours:minutes:seconds:frames. A timecode's second has as many frames as the rate when it is rounded; none are
/// dropped (SMPTE ST 12-1, non-drop).
enum class TimeReading { Frames, Seconds, Timecode };

/// "1009.5", "1.500 s", "00:00:01:12"; a minus where it lies before the origin.
[[nodiscard]] std::string timeText(double frame, TimeReading reading, const FrameRate& rate, double origin);
/// The frame that a person means. Whatever the reading, what ends with "s" is seconds and what has colons a timecode
/// (parts in front may be left out); a number alone is of the reading, of a timecode its frames.
[[nodiscard]] Result<double> parseTime(const std::string& text, TimeReading reading, const FrameRate& rate,
                                       double origin);

} // namespace wyc
