// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/shape/point_order.h"

#include <charconv>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "base/text.h"

namespace wyc {
namespace {

using nlohmann::json;

constexpr const char* kKind = "point order";
constexpr std::size_t kMostNumbers = 400'000'000;

Error noOrder(std::string why) {
    return makeError(ErrorKind::BadInput, "this is no order of points: " + std::move(why))
        .withAdvice("wyc order A B -o FILE writes one; give the file's path");
}

} // namespace

std::string runsText(const std::vector<std::uint32_t>& numbers) {
    std::string text;
    for (std::size_t i = 0; i < numbers.size();) {
        const auto run = [&](std::uint32_t by) { // unsigned: −1 wraps
            std::size_t end = i + 1;
            while (end < numbers.size() && numbers[end] == numbers[end - 1] + by &&
                   (by == 1U || numbers[end - 1] != 0U))
                ++end;
            return end;
        };
        const std::size_t up = run(1U);
        const std::size_t end = std::max(up, run(~0U));
        if (!text.empty())
            text += ',';
        if (end - i > 2) {
            fmt::format_to(std::back_inserter(text), "{}-{}", numbers[i], numbers[end - 1]);
            i = end;
        } else {
            fmt::format_to(std::back_inserter(text), "{}", numbers[i]);
            ++i;
        }
    }
    return text;
}

Result<std::vector<std::uint32_t>> parseRuns(const std::string& text) {
    std::vector<std::uint32_t> numbers;
    const char* at = text.data();
    const char* const end = at + text.size();
    const auto number = [&](std::uint32_t& value) {
        const auto [next, code] = std::from_chars(at, end, value);
        const bool good = code == std::errc();
        at = good ? next : at;
        return good;
    };
    while (at < end) {
        std::uint32_t first = 0;
        if (!number(first))
            return fail(noOrder(fmt::format("'{}' is no list of numbers", std::string(at, std::min(end, at + 20)))));
        std::uint32_t last = first;
        if (at < end && *at == '-') {
            ++at;
            if (!number(last))
                return fail(noOrder("a run of numbers has no end"));
        }
        const std::size_t count = (last > first ? last - first : first - last) + std::size_t{1};
        if (numbers.size() + count > kMostNumbers)
            return fail(noOrder("it has more numbers than there can be points"));
        for (std::size_t k = 0; k < count; ++k)
            numbers.push_back(last >= first ? first + static_cast<std::uint32_t>(k)
                                            : first - static_cast<std::uint32_t>(k));
        if (at < end && *at++ != ',')
            return fail(noOrder("numbers are parted by commas"));
    }
    return numbers;
}

Status PointOrder::fits(const Topology& before, std::size_t count) const {
    if (count != pointsBefore || before.faceCount() != facesBefore)
        return fail(
            makeError(ErrorKind::BadInput, fmt::format("this order is for {} points and {} faces; here are {} and {}",
                                                       pointsBefore, facesBefore, count, before.faceCount()))
                .withAdvice("Make one for this mesh: wyc order, or the Reconcile desk"));
    if (topologyBefore != 0 && before.hash() != topologyBefore)
        return fail(makeError(ErrorKind::BadInput, "this order is for a mesh with as many points, and other faces")
                        .withAdvice("Make one for this mesh: wyc order, or the Reconcile desk"));
    std::size_t total = 0;
    for (const std::uint32_t p : points)
        if (p >= count)
            return fail(noOrder(fmt::format("it names point {}", p)));
    for (const std::uint32_t f : faces) {
        if (f >= facesBefore)
            return fail(noOrder(fmt::format("it names face {}", f)));
        const auto size = static_cast<std::uint32_t>(before.faceSizes()[f]);
        for (std::uint32_t k = 0; k < size; ++k, ++total)
            if (total >= turns.size() || turns[total] >= size)
                return fail(noOrder("its corners do not go with its faces"));
    }
    if (total != turns.size() || (!corners.empty() && corners.size() != total))
        return fail(noOrder("its corners do not go with its faces"));
    for (const std::uint32_t c : corners)
        if (c >= points.size())
            return fail(noOrder(fmt::format("a corner is at point {}, of {}", c, points.size())));
    return {};
}

std::string PointOrder::text() const {
    json object{{"kind", kKind},
                {"version", 1},
                {"points_before", pointsBefore},
                {"faces_before", facesBefore},
                {"points", runsText(points)},
                {"faces", runsText(faces)},
                {"turns", runsText(turns)}};
    if (!corners.empty())
        object["corners"] = runsText(corners);
    if (topologyBefore != 0)
        object["topology_before"] = fmt::format("{:016x}", topologyBefore);
    return object.dump();
}

Result<PointOrder> PointOrder::parse(const std::string& text) {
    const json object = json::parse(text, nullptr, false);
    if (!object.is_object() || object.value("kind", std::string()) != kKind)
        return fail(noOrder("its kind is another"));
    if (object.value("version", 0) != 1)
        return fail(noOrder("it was written by a later version"));
    PointOrder order;
    const auto count = [&](const char* name, std::size_t& into) {
        const auto found = object.find(name);
        if (found == object.end() || !found->is_number_unsigned())
            return false;
        into = found->get<std::size_t>();
        return true;
    };
    if (!count("points_before", order.pointsBefore) || !count("faces_before", order.facesBefore))
        return fail(noOrder("it does not say for how many points and faces it is"));
    for (const auto& [name, into] : {std::pair{"points", &order.points},
                                     {"faces", &order.faces},
                                     {"turns", &order.turns},
                                     {"corners", &order.corners}}) {
        const auto found = object.find(name);
        if (found == object.end())
            continue;
        if (!found->is_string())
            return fail(noOrder(fmt::format("its {} are no list", name)));
        WYC_TRY(numbers, parseRuns(found->get_ref<const std::string&>()));
        *into = std::move(numbers);
    }
    if (const auto hash = object.find("topology_before"); hash != object.end()) {
        const std::string digits = hash->is_string() ? hash->get<std::string>() : std::string();
        const auto [end, code] =
            std::from_chars(digits.data(), digits.data() + digits.size(), order.topologyBefore, 16);
        if (code != std::errc() || end != digits.data() + digits.size() || digits.empty())
            return fail(noOrder("it does not say for which faces it is"));
    }
    return order;
}

Result<PointOrder> PointOrder::from(const std::string& textOrPath) {
    if (textOrPath.empty())
        return fail(noOrder("nothing is given"));
    if (textOrPath.front() == '{')
        return parse(textOrPath);
    WYC_TRY(bytes, readTextFile(textOrPath, std::uintmax_t{4} << 30));
    auto order = parse(std::string(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
    if (!order)
        return fail(std::move(order.error()).inFile(textOrPath));
    return order;
}

} // namespace wyc
