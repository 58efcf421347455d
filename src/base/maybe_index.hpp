// An index that may be none, and that nobody can take for one without asking.
#pragma once

#include <anvilcast/errors.hpp>
#include <anvilcast/vectors.hpp>

namespace anvilcast {

/// As large as an Index; none is kNone, so that lists of the one can be read as lists of the other.
class MaybeIndex {
  public:
    constexpr MaybeIndex() = default;
    constexpr MaybeIndex(Index i) : value_(i) {}  // NOLINT: an index is one that may be none

    constexpr bool is_none() const { return value_ == kNone; }
    constexpr explicit operator bool() const { return value_ != kNone; }
    /// The index. Throws InternalError when there is none: a wrong decision is told, not followed.
    constexpr Index operator*() const {
        if (value_ == kNone) throw InternalError("an element was asked for where there is none");
        return value_;
    }
    friend constexpr bool operator==(const MaybeIndex&, const MaybeIndex&) = default;

  private:
    Index value_ = kNone;
};

}  // namespace anvilcast
