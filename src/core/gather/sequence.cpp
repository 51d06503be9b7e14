// SPDX-License-Identifier: GPL-3.0-or-later
#include "gather/sequence.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <fmt/format.h>

#include "base/text.h"

namespace wyc {
namespace {

bool isDigit(char c) {
    return c >= '0' && c <= '9';
}

// A name as words and the numbers between them: words.size() == numbers.size() + 1.
struct SplitName {
    std::vector<std::string> words{std::string()};
    std::vector<std::string> numbers; // digits with a sign where there is one
};

SplitName splitName(const std::string& name) {
    SplitName result;
    for (std::size_t i = 0; i < name.size();) {
        const bool signPlace = i == 0 || name[i - 1] == '.' || name[i - 1] == '_' || name[i - 1] == ' ';
        const bool sign = name[i] == '-' && signPlace && i + 1 < name.size() && isDigit(name[i + 1]);
        if (!sign && !isDigit(name[i])) {
            result.words.back() += name[i++];
            continue;
        }
        std::size_t end = i + 1;
        while (end < name.size() && isDigit(name[end]))
            ++end;
        result.numbers.push_back(name.substr(i, end - i));
        result.words.emplace_back();
        i = end;
    }
    return result;
}

// "_v002" is a version: two of them are two things, not two frames of one.
bool isVersion(const SplitName& name, std::size_t slot) {
    const std::string& before = name.words[slot];
    if (before.size() < 2 || (before.back() != 'v' && before.back() != 'V'))
        return false;
    const char edge = before[before.size() - 2];
    return edge == '_' || edge == '.' || edge == '-' || edge == ' ';
}

std::size_t digitsOf(const std::string& number) {
    return number.size() - (number.front() == '-' ? 1 : 0);
}

// Everything of a name but the number at `slot`.
std::string keyWithout(const SplitName& name, std::size_t slot) {
    std::string key;
    for (std::size_t i = 0; i < name.words.size(); ++i) {
        key += name.words[i] + '\x1f';
        if (i < name.numbers.size())
            key += (i == slot ? std::string("#") : name.numbers[i]) + '\x1f';
    }
    return key;
}

struct Member {
    std::string fileName;
    SplitName split;
};

std::string itemName(const SplitName& name, std::size_t slot) {
    std::string text;
    for (std::size_t i = 0; i < name.words.size(); ++i) {
        text += name.words[i];
        if (i < name.numbers.size() && i != slot)
            text += name.numbers[i];
    }
    if (const auto dot = text.rfind('.'); dot != std::string::npos)
        text.resize(dot); // the extension
    const auto edge = [](char c) { return c == '.' || c == '_' || c == '-' || c == ' '; };
    while (!text.empty() && edge(text.back()))
        text.pop_back();
    while (!text.empty() && edge(text.front()))
        text.erase(text.begin());
    std::string result; // "bell__final" where a number stood inside
    for (const char c : text)
        if (result.empty() || !edge(c) || result.back() != c)
            result += c;
    return result.empty() ? "sequence" : result;
}

void findMissing(FileSequence& sequence) {
    std::map<double, std::size_t> steps;
    for (std::size_t i = 1; i < sequence.files.size(); ++i)
        ++steps[sequence.files[i].frame - sequence.files[i - 1].frame];
    std::size_t most = 0;
    for (const auto& [step, count] : steps) {
        if (count > most) {
            most = count;
            sequence.step = step;
        }
    }
    for (std::size_t i = 1; i < sequence.files.size(); ++i) {
        const double before = sequence.files[i - 1].frame;
        const double here = sequence.files[i].frame;
        if (here - before > sequence.step + 0.5)
            sequence.missing.push_back({before + sequence.step, here - sequence.step});
    }
}

FileSequence makeSequence(const fs::path& folder, const std::vector<const Member*>& members, std::size_t slot) {
    FileSequence sequence;
    sequence.folder = folder;
    std::map<std::size_t, std::size_t> widths;
    std::map<double, std::vector<const Member*>> byFrame;
    for (const Member* member : members) {
        const std::string& number = member->split.numbers[slot];
        ++widths[digitsOf(number)];
        byFrame[parseNumber(number).value_or(0.0)].push_back(member);
    }
    for (const auto& [width, count] : widths)
        sequence.digits.push_back(width);
    const auto commonest = std::max_element(widths.begin(), widths.end(),
                                            [](const auto& a, const auto& b) { return a.second < b.second; });
    for (auto& [frame, files] : byFrame) {
        // Two files of one number: the commonest padding wins, and the finding names both.
        std::stable_sort(files.begin(), files.end(), [&](const Member* a, const Member* b) {
            const auto far = [&](const Member* m) {
                return digitsOf(m->split.numbers[slot]) == commonest->first ? 0 : 1;
            };
            return far(a) < far(b);
        });
        sequence.files.push_back({frame, folder / files.front()->fileName});
        if (files.size() > 1) {
            DoubledFrame doubled{frame, sequence.files.back().path, {}};
            for (std::size_t i = 1; i < files.size(); ++i)
                doubled.others.push_back(folder / files[i]->fileName);
            sequence.doubled.push_back(std::move(doubled));
        }
    }
    const SplitName& first = members.front()->split;
    for (std::size_t i = 0; i < first.words.size(); ++i) {
        sequence.pattern += first.words[i];
        if (i < first.numbers.size())
            sequence.pattern +=
                i == slot ? std::string(widths.size() == 1 ? widths.begin()->first : 1, '#') : first.numbers[i];
    }
    sequence.name = itemName(first, slot);
    findMissing(sequence);
    return sequence;
}

} // namespace

bool FileSequence::mixedPadding() const {
    if (digits.size() < 2)
        return false;
    if (!doubled.empty()) // two names of one number are two paddings of it
        return true;
    // A sign often takes the place of a zero: "-003" and "0002" are one padding.
    std::set<std::size_t> lengths;
    for (const SequenceFile& file : files)
        lengths.insert(file.path.filename().string().size());
    if (lengths.size() == 1)
        return false;
    for (const SequenceFile& file : files) {
        const SplitName split = splitName(file.path.filename().string());
        for (const std::string& number : split.numbers)
            if (parseNumber(number) == file.frame && digitsOf(number) > 1 &&
                number[number.front() == '-' ? 1 : 0] == '0')
                return true; // zeros in front on some, other lengths on others
    }
    return false;
}

FileGroups groupFiles(const fs::path& folder, const std::vector<std::string>& names) {
    FileGroups result;
    std::vector<Member> members;
    for (const std::string& name : names)
        members.push_back({name, splitName(name)});
    std::sort(members.begin(), members.end(), [](const Member& a, const Member& b) { return a.fileName < b.fileName; });
    std::set<const Member*> taken;
    std::size_t mostNumbers = 0;
    for (const Member& member : members)
        mostNumbers = std::max(mostNumbers, member.split.numbers.size());
    // The last number of a name is the likeliest frame number: try from the right.
    for (std::size_t fromRight = 0; fromRight < mostNumbers; ++fromRight) {
        std::map<std::string, std::vector<const Member*>> groups;
        for (const Member& member : members)
            if (!taken.contains(&member) && member.split.numbers.size() > fromRight &&
                !isVersion(member.split, member.split.numbers.size() - 1 - fromRight))
                groups[keyWithout(member.split, member.split.numbers.size() - 1 - fromRight)].push_back(&member);
        for (const auto& [key, group] : groups) {
            if (group.size() < 2)
                continue;
            const std::size_t slot = group.front()->split.numbers.size() - 1 - fromRight;
            result.sequences.push_back(makeSequence(folder, group, slot));
            taken.insert(group.begin(), group.end());
        }
    }
    for (const Member& member : members)
        if (!taken.contains(&member))
            result.singles.push_back(folder / member.fileName);
    std::sort(result.sequences.begin(), result.sequences.end(),
              [](const FileSequence& a, const FileSequence& b) { return a.pattern < b.pattern; });
    return result;
}

Result<FileSequence> sequenceOfPattern(const fs::path& pattern) {
    const std::string name = pattern.filename().string();
    // The longest run of # stands for the number, of equally long ones the last: a name may have a # of its own.
    std::size_t from = std::string::npos;
    std::size_t to = 0;
    for (auto at = name.find('#'); at != std::string::npos; at = name.find('#', at)) {
        const auto end = std::min(name.size(), name.find_first_not_of('#', at));
        if (from == std::string::npos || end - at >= to - from) {
            from = at;
            to = end;
        }
        at = end;
    }
    if (from == std::string::npos)
        return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is no pattern", name))
                        .withAdvice("Write one run of # where the number stands, as sheet.####.obj"));
    const std::string front = name.substr(0, from);
    const std::string back = name.substr(to);
    const fs::path folder = folderOf(pattern);
    std::error_code code;
    std::vector<std::string> names;
    for (fs::directory_iterator it(folder, code), end; !code && it != end; it.increment(code)) {
        const std::string file = it->path().filename().string();
        if (file.size() <= front.size() + back.size() || !file.starts_with(front) || !file.ends_with(back))
            continue;
        std::string_view middle(file);
        middle = middle.substr(front.size(), file.size() - front.size() - back.size());
        const std::size_t width = to - from;
        const std::string_view digits = middle.front() == '-' ? middle.substr(1) : middle;
        const bool fits = !digits.empty() && std::all_of(digits.begin(), digits.end(), isDigit) &&
                          (width == 1 || digits.size() == width || (digits.size() > width && digits.front() != '0'));
        if (fits)
            names.push_back(file);
    }
    if (code)
        return fail(makeError(ErrorKind::NotFound, "the folder cannot be read").inFile(folder.string()));
    if (names.empty())
        return fail(
            makeError(ErrorKind::NotFound, fmt::format("no file fits the pattern '{}'", name)).inFile(folder.string()));
    std::vector<Member> members;
    for (const std::string& file : names) {
        SplitName split; // just the number the pattern marks
        split.words = {front, back};
        split.numbers = {file.substr(front.size(), file.size() - front.size() - back.size())};
        members.push_back({file, split});
    }
    std::vector<const Member*> pointers;
    for (const Member& member : members)
        pointers.push_back(&member);
    FileSequence sequence = makeSequence(folder, pointers, 0);
    return sequence;
}

} // namespace wyc
