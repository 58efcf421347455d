// One table of a case file, read key by key.
#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <anvilcast/surround.hpp>
#include <anvilcast/units.hpp>
#include <anvilcast/vectors.hpp>
#include <array>
#include <optional>
#include <string>
#include <vector>

#define TOML_EXCEPTIONS 1
// The parser asserts what a damaged file may have, and tells it in words right after.
#define TOML_ASSERT(expr) static_cast<void>(0)
#include <toml++/toml.h>

namespace anvilcast {

/// Where something stands; a value that was put in has no place.
struct NodePlace {
    int line = 0;
    std::string file;  ///< empty: that of its table
};

/// One table of the case file. Every key is read by name; finish() complains about those that nobody read.
class Section {
  public:
    Section(const toml::table& table, std::string name, std::string file, LengthUnit unit)
        : table_(table), name_(std::move(name)), file_(std::move(file)), unit_(std::move(unit)) {
        // A table of a base is told with the base's own file.
        if (table.source().path) file_ = *table.source().path;
    }

    const std::string& name() const { return name_; }
    int line() const { return static_cast<int>(table_.source().begin.line); }

    /// What messages about the table begin with.
    std::string where() const { return fmt::format("{}, line {}: ", file_, line()); }

    [[noreturn]] void fail(const NodePlace& at, const std::string& what) const {
        const std::string& file = at.file.empty() ? file_ : at.file;
        throw InputError(at.line > 0 ? fmt::format("{}, line {}: {}", file, at.line, what)
                                     : fmt::format("{}: {}", file, what));
    }
    [[noreturn]] void fail(int line, const std::string& what) const { fail(NodePlace{line, {}}, what); }
    [[noreturn]] void fail(const std::string& what) const { fail(line(), what); }

    const toml::node* find(const char* key) {
        if (std::find(known_.begin(), known_.end(), key) == known_.end()) known_.emplace_back(key);
        return table_.get(key);
    }
    bool has(const char* key) { return find(key) != nullptr; }

    std::optional<std::string> text(const char* key);
    std::string required_text(const char* key, const char* example);
    /// What can be a name; with an example it must be there.
    std::optional<std::string> name(const char* key, const char* example = nullptr);
    std::optional<double> number(const char* key, double least, double most);
    /// A number without a fraction.
    std::optional<int> count(const char* key, int least, int most);
    std::optional<double> length(const char* key);
    double required_length(const char* key, const char* example);
    /// A length above 0; 0 when it is left out.
    double positive_length(const char* key);
    std::optional<Vec3> point(const char* key);
    Vec3 required_point(const char* key);
    /// Two lengths, [x, y].
    std::optional<Vec2> plane_point(const char* key);
    Vec2 required_plane_point(const char* key);
    std::optional<std::vector<Vec2>> plane_points(const char* key);
    std::optional<Box> box(const char* key);
    /// One point, or a list of points.
    std::optional<std::vector<Vec3>> points(const char* key);
    /// Three bare numbers.
    std::optional<Vec3> fractions(const char* key);
    /// A number or a text, by a parser of texts.
    std::optional<double> optional_quantity(const char* key, double (*parse)(std::string_view));
    double quantity(const char* key, double (*parse)(std::string_view), const char* example);
    /// A length that is not negative.
    std::optional<double> distance(const char* key);
    /// A bare number counts body lengths; a text is a length.
    std::optional<Reach> reach(const char* key);
    std::optional<std::vector<std::string>> texts(const char* key);
    std::optional<bool> truth(const char* key);
    /// A direction: three bare numbers, of any length but 0.
    std::optional<Vec3> direction(const char* key);
    Vec3 required_direction(const char* key);
    /// One direction, or a list of two that are not along each other.
    std::optional<std::vector<Vec3>> directions(const char* key);
    /// Least and most, bare numbers in the square of the file's unit.
    std::optional<std::array<double, 2>> area_range(const char* key);
    std::optional<Section> table(const char* key, const char* example, const LengthUnit& unit);
    /// Of a table in the list that the key holds.
    Section item(const toml::table& table, const char* key, const LengthUnit& unit) const;
    template <typename Parse>
    auto parsed(const char* key, Parse parse) -> std::optional<decltype(parse(std::string()))> {
        const toml::node* node = find(key);
        const auto value = text(key);
        if (!value) return std::nullopt;
        try {
            return parse(*value);
        } catch (const InputError& e) {
            fail(line_of(*node), fmt::format("{}: {}", path(key), e.what()));
        }
    }

    /// Names the nearest known key for each one that was never asked for.
    void finish() const;

    std::string path(const char* key) const { return fmt::format("{} {}", name_, key); }
    /// As a double, rounded where an integer has more digits than that holds.
    static double number_of(const toml::node& node) {
        if (const auto* integer = node.as_integer()) return static_cast<double>(**integer);
        return **node.as_floating_point();
    }
    static NodePlace line_of(const toml::node& node) {
        return {static_cast<int>(node.source().begin.line), node.source().path ? *node.source().path : ""};
    }

    [[noreturn]] void wrong_type(const toml::node& node, const char* key, const char* expected) const {
        fail(line_of(node), fmt::format("{} must be {}", path(key), expected));
    }

  private:
    double length_of(const toml::node& node, const char* key) const;
    Vec3 point_of(const toml::node& node, const char* key) const;
    Vec3 direction_of(const toml::array& numbers, const char* key) const;
    Vec2 plane_point_of(const toml::node& node, const char* key) const;

    const toml::table& table_;
    std::string name_, file_;
    LengthUnit unit_;
    std::vector<std::string> known_;
};

}  // namespace anvilcast
