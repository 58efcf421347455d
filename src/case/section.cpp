#include "case/section.hpp"

#include <algorithm>
#include <cmath>

#include "base/names.hpp"
#include "base/nearest_name.hpp"

namespace anvilcast {
namespace {

/// Keys of earlier versions, and what they are called today; empty for a key that never was one.
std::string_view new_name_of(std::string_view key) {
    constexpr std::array<std::array<std::string_view, 2>, 4> kRenamed{{{"per_circle", "per_turn"},
                                                                       {"equal_first", "plateau"},
                                                                       {"first_aspect", "first_flatness"},
                                                                       {"last_aspect", "last_flatness"}}};
    for (const auto& [before, now] : kRenamed)
        if (key == before) return now;
    return "";
}

}  // namespace

void Section::finish() const {
    for (const auto& [key, node] : table_) {
        const std::string_view name = key.str();
        if (std::find(known_.begin(), known_.end(), name) != known_.end()) continue;
        const int line = static_cast<int>(key.source().begin.line);
        if (const std::string_view now = new_name_of(name);
            std::find(known_.begin(), known_.end(), now) != known_.end())
            fail(line, fmt::format("\"{}\" in {} is called \"{}\" now", name, name_, now));
        if (const std::string_view nearest = nearest_name(name, known_); !nearest.empty())
            fail(line, fmt::format("unknown key \"{}\" in {}; did you mean \"{}\"?", name, name_, nearest));
        fail(line, fmt::format("unknown key \"{}\" in {}; known are: {}", name, name_, fmt::join(known_, ", ")));
    }
}

std::optional<std::string> Section::text(const char* key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    if (!node->is_string()) wrong_type(*node, key, "a text in quotes");
    std::string value = **node->as_string();
    if (value.empty()) fail(line_of(*node), fmt::format("{} = \"\" is empty", path(key)));
    return value;
}

std::string Section::required_text(const char* key, const char* example) {
    auto value = text(key);
    if (!value) fail(fmt::format("{} is missing; write for example {} = \"{}\"", path(key), key, example));
    return *value;
}

std::optional<std::string> Section::name(const char* key, const char* example) {
    const auto value = example != nullptr ? std::optional(required_text(key, example)) : text(key);
    if (!value) return std::nullopt;
    if (const std::string fault = base::fault_of_name(*value); !fault.empty())
        fail(line_of(*find(key)), fmt::format("{} is no name: it {}", path(key), fault));
    return value;
}

std::optional<double> Section::number(const char* key, double least, double most) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    if (!node->is_number()) wrong_type(*node, key, "a number");
    const double value = number_of(*node);
    if (!(value >= least && value <= most))
        fail(line_of(*node),
             fmt::format("{} = {} is out of range; it must be from {} to {}", path(key), value, least, most));
    return value;
}

std::optional<int> Section::count(const char* key, int least, int most) {
    const auto value = number(key, least, most);
    if (!value) return std::nullopt;
    if (*value != std::floor(*value))
        fail(line_of(*find(key)), fmt::format("{} is {:.6g}; it must be a whole number", path(key), *value));
    return static_cast<int>(*value);
}

std::optional<double> Section::length(const char* key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    return length_of(*node, key);
}

double Section::required_length(const char* key, const char* example) {
    auto value = length(key);
    if (!value) fail(fmt::format("{} is missing; write for example {} = \"{}\"", path(key), key, example));
    return *value;
}

double Section::positive_length(const char* key) {
    const auto value = length(key);
    if (value && !(*value > 0))
        fail(line_of(*find(key)), fmt::format("{} is {:.6g} {}; it must be a positive length", path(key),
                                              *value / unit_.metres, unit_.name));
    return value.value_or(0);
}

std::optional<Vec3> Section::point(const char* key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    return point_of(*node, key);
}

Vec3 Section::required_point(const char* key) {
    auto value = point(key);
    if (!value) fail(fmt::format("{} is missing; write for example {} = [0, 0, 120]", path(key), key));
    return *value;
}

std::optional<Box> Section::box(const char* key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    const toml::array* list = node->as_array();
    if (list == nullptr || list->size() != 2) wrong_type(*node, key, "two opposite corners, [[x, y, z], [x, y, z]]");
    Box out;
    out.include(point_of((*list)[0], key));
    out.include(point_of((*list)[1], key));
    return out;
}

std::optional<std::vector<Vec3>> Section::points(const char* key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    const toml::array* list = node->as_array();
    if (list == nullptr || list->empty()) wrong_type(*node, key, "a point, [x, y, z], or a list of points");
    if (!(*list)[0].is_array()) return std::vector<Vec3>{point_of(*node, key)};
    std::vector<Vec3> out;
    for (const toml::node& item : *list) out.push_back(point_of(item, key));
    return out;
}

std::optional<Vec2> Section::plane_point(const char* key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    return plane_point_of(*node, key);
}

Vec2 Section::required_plane_point(const char* key) {
    const auto p = plane_point(key);
    if (!p) fail(fmt::format("{} is missing: a place in the plane, [x, y]", path(key)));
    return *p;
}

std::optional<std::vector<Vec2>> Section::plane_points(const char* key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    const toml::array* list = node->as_array();
    if (list == nullptr || list->empty()) wrong_type(*node, key, "a list of places in the plane, [[x, y], [x, y]]");
    std::vector<Vec2> out;
    for (const toml::node& item : *list) out.push_back(plane_point_of(item, key));
    return out;
}

std::optional<Vec3> Section::fractions(const char* key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    const toml::array* list = node->as_array();
    Vec3 out;
    if (list == nullptr || list->size() != 3)
        wrong_type(*node, key, "three shares of the body's extent, e.g. [-0.5, 0, 1.2]");
    for (int axis = 0; axis < 3; ++axis) {
        const toml::node& number = (*list)[static_cast<std::size_t>(axis)];
        if (!number.is_number())
            wrong_type(*node, key, "three shares of the body's extent: bare numbers, 0 and 1 are its sides");
        out[axis] = number_of(number);
    }
    if (!is_finite(out)) fail(line_of(*node), fmt::format("{} is not finite", path(key)));
    return out;
}

std::optional<double> Section::optional_quantity(const char* key, double (*parse)(std::string_view)) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    if (!node->is_number() && !node->is_string())
        wrong_type(*node, key, "a number, or a text with a number and a unit");
    try {
        const double value = node->is_number() ? number_of(*node) : 0;
        return node->is_number() ? parse(fmt::format("{:.17g}", value)) : parse(**node->as_string());
    } catch (const InputError& e) {
        fail(line_of(*node), fmt::format("{}: {}", path(key), e.what()));
    }
}

double Section::quantity(const char* key, double (*parse)(std::string_view), const char* example) {
    const auto value = optional_quantity(key, parse);
    if (!value) fail(fmt::format("{} is missing; write for example {} = \"{}\"", path(key), key, example));
    if (!(*value > 0)) fail(fmt::format("{} must be positive", path(key)));
    return *value;
}

std::optional<double> Section::distance(const char* key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    const double value = length_of(*node, key);
    if (value < 0) fail(line_of(*node), fmt::format("{} must be 0 or a positive length", path(key)));
    return value;
}

std::optional<Reach> Section::reach(const char* key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    const double value = node->is_number() ? number_of(*node) : length_of(*node, key);
    if (!(value >= 0) || !std::isfinite(value))
        fail(line_of(*node),
             fmt::format(
                 "{} is negative: distances are measured outwards from the body's extent, so that a larger number "
                 "makes a larger surround (a bare number counts body lengths along the flow); for coordinates write "
                 "from and to",
                 path(key)));
    return Reach{value, node->is_number()};
}

std::optional<std::vector<std::string>> Section::texts(const char* key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    const toml::array* list = node->as_array();
    if (list == nullptr || list->empty()) wrong_type(*node, key, "a list of names, e.g. [\"body*\"]");
    std::vector<std::string> out;
    for (const toml::node& item : *list) {
        if (!item.is_string()) wrong_type(item, key, "a list of names, e.g. [\"body*\"]");
        out.push_back(**item.as_string());
    }
    return out;
}

std::optional<bool> Section::truth(const char* key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    if (!node->is_boolean()) wrong_type(*node, key, "true or false");
    return **node->as_boolean();
}

std::optional<Vec3> Section::direction(const char* key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    const toml::array* list = node->as_array();
    if (list == nullptr || list->size() != 3) wrong_type(*node, key, "a direction, [x, y, z]");
    return direction_of(*list, key);
}

Vec3 Section::direction_of(const toml::array& numbers, const char* key) const {
    Vec3 out;
    for (int axis = 0; axis < 3; ++axis) {
        const toml::node& number = numbers[static_cast<std::size_t>(axis)];
        if (!number.is_number()) wrong_type(numbers, key, "a direction, [x, y, z], in bare numbers");
        out[axis] = number_of(number);
    }
    if (!(length_squared(out) > 0) || !std::isfinite(length_squared(out)))
        fail(line_of(numbers), fmt::format("{} has no direction", path(key)));
    return normalized(out);
}

std::optional<std::vector<Vec3>> Section::directions(const char* key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    const toml::array* list = node->as_array();
    if (list == nullptr || list->empty() || !list->front().is_array()) {
        const auto one = direction(key);
        return std::vector<Vec3>{*one};
    }
    std::vector<Vec3> out;
    for (const toml::node& item : *list) {
        const toml::array* numbers = item.as_array();
        if (numbers == nullptr || numbers->size() != 3 || list->size() != 2)
            wrong_type(*node, key, "a direction, [x, y, z], or two of them, [[x, y, z], [x, y, z]]");
        out.push_back(direction_of(*numbers, key));
    }
    constexpr double kAlong = 1e-4;  // the squared sine of half a degree
    if (length_squared(cross(out[0], out[1])) < kAlong)
        fail(line_of(*node), fmt::format("{}: the two directions are along each other", path(key)));
    return out;
}

Vec3 Section::required_direction(const char* key) {
    auto value = direction(key);
    if (!value) fail(fmt::format("{} is missing; write for example {} = [0, 0, 1]", path(key), key));
    return *value;
}

std::optional<std::array<double, 2>> Section::area_range(const char* key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    const toml::array* list = node->as_array();
    if (list == nullptr || list->size() != 2 || !(*list)[0].is_number() || !(*list)[1].is_number())
        wrong_type(*node, key, "the least and the most in square units, e.g. [100, 250]");
    const double square = unit_.metres * unit_.metres;
    const std::array<double, 2> range{number_of((*list)[0]) * square, number_of((*list)[1]) * square};
    if (!(range[0] >= 0 && range[0] <= range[1]))
        fail(line_of(*node), fmt::format("{}: the first must not exceed the second", path(key)));
    return range;
}

std::optional<Section> Section::table(const char* key, const char* example, const LengthUnit& unit) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    if (!node->is_table()) wrong_type(*node, key, fmt::format("a table, e.g. {}", example).c_str());
    return Section(*node->as_table(), path(key), file_, unit);
}

Section Section::item(const toml::table& table, const char* key, const LengthUnit& unit) const {
    return Section(table, path(key), file_, unit);
}

double Section::length_of(const toml::node& node, const char* key) const {
    if (node.is_number()) {
        const double value = number_of(node);
        if (!std::isfinite(value)) fail(line_of(node), fmt::format("{} is not a finite number", path(key)));
        return value * unit_.metres;
    }
    if (!node.is_string()) wrong_type(node, key, "a length: a number, or a text such as \"2.5 mm\"");
    try {
        return parse_length(**node.as_string(), unit_);
    } catch (const InputError& e) {
        fail(line_of(node), fmt::format("{}: {}", path(key), e.what()));
    }
}

Vec3 Section::point_of(const toml::node& node, const char* key) const {
    const toml::array* list = node.as_array();
    if (list == nullptr || list->size() != 3) wrong_type(node, key, "a point, [x, y, z]");
    return {length_of((*list)[0], key), length_of((*list)[1], key), length_of((*list)[2], key)};
}

Vec2 Section::plane_point_of(const toml::node& node, const char* key) const {
    const toml::array* list = node.as_array();
    if (list == nullptr || list->size() != 2) wrong_type(node, key, "a place in the plane, [x, y]");
    return {length_of((*list)[0], key), length_of((*list)[1], key)};
}

}  // namespace anvilcast
