// What the readers and writers of surfaces share.
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/units.hpp>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace anvilcast::io {

std::string_view trimmed(std::string_view s);
/// Without the three bytes that some editors put before UTF-8.
std::string_view without_byte_order_mark(std::string_view text);
/// Does text begin with a word, given in lower case, in any case?
bool starts_with_word(std::string_view text, std::string_view word);
/// The name of a file without directory and endings: "a/body.stl.gz" is "body".
std::string stem_of(const std::string& name);
std::string lower_ending(std::string_view name);

/// Far beyond any body, and far below what the predicates cannot hold any more. Metres.
inline constexpr double kLargestLength = 1e15;

/// Lengths to metres. What is no length of a body is refused, and what is too small to matter is 0.
/// `place` is called for the place in the file when that is needed.
template <typename Place>
double to_metres(double value, const LengthUnit& unit, Place place);
[[noreturn]] void refuse_coordinate(double value, const std::string& place);

/// Reads text line by line, whatever ends the lines.
class LineReader {
  public:
    LineReader(std::string_view content, std::string name) : content_(content), name_(std::move(name)) {}

    bool at_end() const { return at_ >= content_.size(); }
    /// The next line, without blanks at its ends.
    std::string_view next();
    std::size_t line() const { return line_; }
    std::size_t offset() const { return at_; }
    std::string place() const;
    [[noreturn]] void fail(const std::string& what) const;

  private:
    std::string_view content_;
    std::string name_;
    std::size_t at_ = 0;
    std::size_t line_feed_ = 0;
    std::size_t line_ = 0;
};

/// Takes the first word off the text; empty at its end.
std::string_view take_word(std::string_view& text);
/// Takes a number off the text; nothing when it does not begin with a finite one.
std::optional<double> take_number(std::string_view& text);

/// The zone of that name, added when there is none yet.
Index zone_named(Surface& surface, const std::string& name);

/// A flat or nearly flat polygon of surface points as triangles, turned as it is.
std::vector<Triangle> triangles_of(const std::vector<Vec3>& points, const std::vector<Index>& polygon);

/// The last step of every reader: welds equal points, drops triangles that have lost a corner (returns how many) and
/// unused points; throws when nothing is left.
std::size_t finish(Surface& surface, const std::string& name);

}  // namespace anvilcast::io

#include <anvilcast/predicates.hpp>
#include <cmath>

template <typename Place>
double anvilcast::io::to_metres(double value, const LengthUnit& unit, Place place) {
    const double metres = value * unit.metres;
    if (!(std::abs(metres) <= kLargestLength)) refuse_coordinate(value, place());
    return std::abs(metres) < kMinCoordinate ? 0.0 : metres;
}
