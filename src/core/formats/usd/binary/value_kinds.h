// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Numbers by which the binary container tells kinds of values.
#include <array>
#include <optional>

#include "formats/usd/layer/value.h"

namespace wyc::usd {

enum ValueKind : unsigned {
    kBool = 1,
    kString = 10,
    kToken = 11,
    kAsset = 12,
    kMatrix2 = 13,
    kMatrix3 = 14,
    kMatrix4 = 15,
    kDictionary = 31,
    kTokenList = 32,
    kStringList = 33,
    kPathList = 34,
    kReferenceList = 35,
    kIntList = 36,
    kInt64List = 37,
    kUIntList = 38,
    kUInt64List = 39,
    kPathVector = 40,
    kTokenVector = 41,
    kSpecifier = 42,
    kPermission = 43,
    kVariability = 44,
    kVariantSelections = 45,
    kTimeSamples = 46,
    kPayload = 47,
    kDoubleVector = 48,
    kOffsetVector = 49,
    kStringVector = 50,
    kBlock = 51,
    kValue = 52,
    kUnregistered = 53,
    kUnregisteredList = 54,
    kPayloadList = 55,
    kTimeCode = 56,
    kPathExpression = 57,
    kRelocates = 58,
    kSpline = 59,
    kAnimationBlock = 60,
    kDuration = 61
};
inline constexpr unsigned kKindCount = 62;

/// What stands at a path.
enum SpecKind : std::uint32_t {
    kAttributeSpec = 1,
    kPrimSpec = 6,
    kRootSpec = 7,
    kRelationshipSpec = 8,
    kVariantSpec = 10,
    kVariantSetSpec = 11
};

inline constexpr std::uint64_t kBootstrapBytes = 88;
/// Shorter arrays are never packed.
inline constexpr std::uint64_t kFewestPacked = 16;

/// Numbers by the number of their kind; base None for all else.
[[nodiscard]] inline Type numberType(unsigned kind) {
    switch (kind) {
    case kBool: return {Base::Bool};
    case 2: return {Base::UChar};
    case 3: return {Base::Int};
    case 4: return {Base::UInt};
    case 5: return {Base::Int64};
    case 6: return {Base::UInt64};
    case 7: return {Base::Half};
    case 8: return {Base::Float};
    case 9: return {Base::Double};
    case kMatrix2: return {Base::Double, 4, false, false, true};
    case kMatrix3: return {Base::Double, 9};
    case kMatrix4: return {Base::Double, 16};
    case 16: return {Base::Double, 4, true};
    case 17: return {Base::Float, 4, true};
    case 18: return {Base::Half, 4, true};
    case kTimeCode: return {Base::TimeCode};
    case kDuration: return {Base::Duration};
    default: break;
    }
    if (kind >= 19 && kind <= 30) {
        constexpr std::array<Base, 4> kBases{Base::Double, Base::Float, Base::Half, Base::Int};
        return {kBases[(kind - 19) % 4], static_cast<std::uint8_t>(2 + (kind - 19) / 4)};
    }
    return {};
}

/// Of numbers and texts, arrays or not; nothing where the container has none.
[[nodiscard]] inline std::optional<unsigned> kindOf(const Type& type) {
    switch (type.base) {
    case Base::String: return kString;
    case Base::Token: return kToken;
    case Base::Asset: return kAsset;
    case Base::PathExpression: return kPathExpression;
    default: break;
    }
    for (unsigned kind = 1; kind < kKindCount; ++kind)
        if (const Type one = numberType(kind); one.base != Base::None && one == type.single())
            return kind;
    return std::nullopt;
}

} // namespace wyc::usd
