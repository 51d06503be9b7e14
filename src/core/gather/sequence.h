// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Numbered sequences in a list of file names: what belongs together, what is missing, doubled or padded
// otherwise.
#include <string>
#include <vector>

#include "base/file.h"
#include "formats/format.h"

namespace wyc {

struct MissingRun {
    double first = 0.0;
    double last = 0.0;
};

struct DoubledFrame {
    double frame = 0.0;
    fs::path used;
    std::vector<fs::path> others;
};

struct FileSequence {
    fs::path folder;
    std::string pattern;             // file name with # per digit, one # where the padding is mixed
    std::string name;                // the pattern's words, for the item
    std::vector<SequenceFile> files; // rising, one file a frame
    double step = 1.0;               // commonest distance of neighbours
    std::vector<std::size_t> digits; // lengths met, rising
    std::vector<MissingRun> missing; // at that step
    std::vector<DoubledFrame> doubled;
    [[nodiscard]] fs::path patternPath() const { return folder / pattern; }
    /// Padding that is neither fixed nor none (1 … 9, 10, 11 without zeros is none).
    [[nodiscard]] bool mixedPadding() const;
};

struct FileGroups {
    std::vector<FileSequence> sequences;
    std::vector<fs::path> singles;
};

/// Groups files of one folder. A number that is the same in all names is no frame number; `-` is a sign only
/// after
/// `.`, `_`, a blank or at the start of the name.
[[nodiscard]] FileGroups groupFiles(const fs::path& folder, const std::vector<std::string>& names);

/// The sequence that a pattern with # names; an error when it matches no file.
[[nodiscard]] Result<FileSequence> sequenceOfPattern(const fs::path& pattern);

} // namespace wyc
