// SPDX-License-Identifier: GPL-3.0-or-later
#include "gather/sequence.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
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

// In front of the point.
std::size_t digitsOf(const std::string& number) {
    return std::min(number.find('.'), number.size()) - (number.front() == '-' ? 1 : 0);
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
    std::optional<double> frame = {}; // where its number alone does not say it: thirds of a frame

    [[nodiscard]] double frameAt(std::size_t slot) const {
        return frame ? *frame : parseNumber(split.numbers[slot]).value_or(0.0);
    }
};

// The number at `slot` and the one behind it as one: "1001.25".
SplitName joinedAt(const SplitName& name, std::size_t slot) {
    SplitName joined = name;
    const auto at = static_cast<std::ptrdiff_t>(slot);
    joined.numbers[slot] += "." + joined.numbers[slot + 1];
    joined.numbers.erase(joined.numbers.begin() + at + 1);
    joined.words.erase(joined.words.begin() + at + 1);
    return joined;
}

std::size_t digitsBehindPoint(const std::string& number) {
    const auto point = number.find('.');
    return point == std::string::npos ? 0 : number.size() - point - 1;
}

// In how many parts a frame is cut where these are the fractions of its samples, all of them: 00 25 50 75, or 0 333
// 667. Nothing where they are no such parts: pieces by two numbers, and other things.
std::optional<int> partsOfAFrame(const std::set<std::string>& fractions) {
    const auto parts = static_cast<int>(fractions.size());
    if (parts < 2)
        return std::nullopt;
    int k = 0;
    for (const std::string& fraction : fractions) { // of one width, so in the order of what they say
        const double unit = std::pow(10.0, -static_cast<double>(fraction.size()));
        const double says = parseNumber("0." + fraction).value_or(-1.0);
        if (std::abs(says - static_cast<double>(k++) / parts) >= unit)
            return std::nullopt;
    }
    return parts;
}

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
        if (here - before > sequence.step + 0.5 * std::min(1.0, sequence.step))
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
        byFrame[member->frameAt(slot)].push_back(member);
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
    std::size_t behindPoint = 0;
    for (const Member* member : members)
        behindPoint = std::max(behindPoint, digitsBehindPoint(member->split.numbers[slot]));
    const std::string number = std::string(widths.size() == 1 ? widths.begin()->first : 1, '#') +
                               (behindPoint > 0 ? "." + std::string(behindPoint, '#') : std::string());
    const SplitName& first = members.front()->split;
    for (std::size_t i = 0; i < first.words.size(); ++i) {
        sequence.pattern += first.words[i];
        if (i < first.numbers.size())
            sequence.pattern += i == slot ? number : first.numbers[i];
    }
    sequence.name = itemName(first, slot);
    findMissing(sequence);
    return sequence;
}

// Files whose last two numbers are a frame and parts of it: one number from here on. Whole frames may be without.
void joinPartsOfFrames(std::vector<Member>& members) {
    std::map<std::pair<std::string, std::size_t>, std::vector<Member*>> groups; // without both numbers, by digits
    for (Member& member : members) {
        const SplitName& split = member.split;
        const std::size_t count = split.numbers.size();
        if (count < 2 || split.words[count - 1] != "." || split.numbers[count - 1].front() == '-' ||
            isVersion(split, count - 2))
            continue;
        const SplitName joined = joinedAt(split, count - 2);
        groups[{keyWithout(joined, count - 2), split.numbers[count - 1].size()}].push_back(&member);
    }
    for (const auto& [key, group] : groups) {
        std::set<std::string> fractions;
        std::set<std::string> wholes;
        for (const Member* member : group) {
            fractions.insert(member->split.numbers.back());
            wholes.insert(member->split.numbers[member->split.numbers.size() - 2]);
        }
        std::vector<Member*> without;
        for (Member& member : members)
            if (!member.split.numbers.empty() && keyWithout(member.split, member.split.numbers.size() - 1) == key.first)
                without.push_back(&member);
        if (!without.empty())
            fractions.insert(std::string(key.second, '0'));
        for (const Member* member : without)
            wholes.insert(member->split.numbers.back());
        const auto parts = partsOfAFrame(fractions);
        if (!parts || wholes.size() < 2)
            continue;
        for (Member* member : group) {
            const std::size_t slot = member->split.numbers.size() - 2;
            const double whole = parseNumber(member->split.numbers[slot]).value_or(0.0);
            const double part = parseNumber("0." + member->split.numbers.back()).value_or(0.0);
            const double share = std::round(part * *parts) / *parts;
            member->frame = member->split.numbers[slot].front() == '-' ? whole - share : whole + share;
            member->split = joinedAt(member->split, slot);
        }
    }
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
    joinPartsOfFrames(members);
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

namespace {

// Where the number stands in a pattern: "front####back", or with parts of a frame "front####.##back".
struct Place {
    std::size_t from = 0;
    std::size_t to = 0;
    std::size_t width = 0;
    std::size_t behindPoint = 0;
};

// Files of the folder that fit: the number stands at the place.
std::vector<Member> membersAt(const std::string& pattern, const Place& place, const std::vector<std::string>& files) {
    const std::string front = pattern.substr(0, place.from);
    const std::string back = pattern.substr(place.to);
    std::vector<Member> members;
    for (const std::string& file : files) {
        if (file.size() <= front.size() + back.size() || !file.starts_with(front) || !file.ends_with(back))
            continue;
        const std::string number = file.substr(front.size(), file.size() - front.size() - back.size());
        std::string_view digits = number;
        if (digits.front() == '-')
            digits.remove_prefix(1);
        const auto allDigits = [](std::string_view part) {
            return !part.empty() && std::all_of(part.begin(), part.end(), isDigit);
        };
        if (const auto point = digits.find('.'); place.behindPoint > 0 && point != std::string_view::npos) {
            const std::string_view part = digits.substr(point + 1);
            if (part.size() != place.behindPoint || !allDigits(part))
                continue;
            digits = digits.substr(0, point);
        }
        const bool fits = allDigits(digits) && (place.width == 1 || digits.size() == place.width ||
                                                (digits.size() > place.width && digits.front() != '0'));
        if (!fits)
            continue;
        SplitName split; // just the number the pattern marks
        split.words = {front, back};
        split.numbers = {number};
        if (const auto point = number.find('.'); point != std::string::npos) {
            split.words = {front, ".", back};
            split.numbers = {number.substr(0, point), number.substr(point + 1)};
        }
        members.push_back({file, std::move(split)});
    }
    return members;
}

} // namespace

Result<FileSequence> sequenceOfPattern(const fs::path& pattern) {
    const std::string name = pattern.filename().string();
    // The longest run of # stands for the number, of equally long ones the last: a name may have a # of its own.
    Place place{std::string::npos, 0, 0, 0};
    for (auto at = name.find('#'); at != std::string::npos; at = name.find('#', at)) {
        const auto end = std::min(name.size(), name.find_first_not_of('#', at));
        if (place.from == std::string::npos || end - at >= place.width)
            place = {at, end, end - at, 0};
        at = end;
    }
    if (place.from == std::string::npos)
        return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is no pattern", name))
                        .withAdvice("Write one run of # where the number stands, as sheet.####.obj"));
    // "####.##": a frame and parts of it, whichever of the two is longer.
    std::optional<Place> parted;
    if (place.from >= 2 && name.substr(place.from - 2, 2) == "#.") {
        const std::size_t from = name.find_last_not_of('#', place.from - 2) + 1;
        parted = Place{from, place.to, place.from - 1 - from, place.width};
    } else if (name.substr(place.to, 2) == ".#") {
        const std::size_t to = std::min(name.size(), name.find_first_not_of('#', place.to + 1));
        parted = Place{place.from, to, place.width, to - place.to - 1};
    }
    const fs::path folder = folderOf(pattern);
    std::error_code code;
    std::vector<std::string> files;
    for (fs::directory_iterator it(folder, code), end; !code && it != end; it.increment(code))
        files.push_back(it->path().filename().string());
    if (code)
        return fail(makeError(ErrorKind::NotFound, "the folder cannot be read").inFile(folder.string()));
    std::vector<Member> members;
    if (parted)
        members = membersAt(name, *parted, files);
    if (std::none_of(members.begin(), members.end(),
                     [](const Member& member) { return member.split.numbers.size() > 1; }))
        members.clear(); // no file has parts: the name has a # of its own
    if (!members.empty()) {
        joinPartsOfFrames(members);
        if (std::any_of(members.begin(), members.end(),
                        [](const Member& member) { return member.split.numbers.size() != 1; }))
            return fail(
                makeError(ErrorKind::BadInput, fmt::format("the numbers of '{}' are no frames and parts of them", name))
                    .inFile(folder.string())
                    .withAdvice("Parts of a frame are evenly apart, as 00, 25, 50 and 75"));
    } else {
        members = membersAt(name, place, files);
    }
    if (members.empty())
        return fail(
            makeError(ErrorKind::NotFound, fmt::format("no file fits the pattern '{}'", name)).inFile(folder.string()));
    std::vector<const Member*> pointers;
    for (const Member& member : members)
        pointers.push_back(&member);
    return makeSequence(folder, pointers, 0);
}

} // namespace wyc
