#include "io/surfaces/surface_text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <anvilcast/naming.hpp>
#include <anvilcast/polygon.hpp>
#include <anvilcast/weld.hpp>
#include <charconv>
#include <filesystem>

#include "base/names.hpp"

namespace anvilcast::io {
namespace {

bool is_blank(char c) { return c == ' ' || (c >= '\t' && c <= '\r'); }

std::size_t first_not_blank(std::string_view s) {
    std::size_t i = 0;
    while (i < s.size() && is_blank(s[i])) ++i;
    return i;
}

char lower(char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c; }

}  // namespace

std::string_view trimmed(std::string_view s) {
    s.remove_prefix(first_not_blank(s));
    while (!s.empty() && is_blank(s.back())) s.remove_suffix(1);
    return s;
}

std::string_view without_byte_order_mark(std::string_view text) {
    constexpr std::string_view kMark = "\xEF\xBB\xBF";
    return text.starts_with(kMark) ? text.substr(kMark.size()) : text;
}

bool starts_with_word(std::string_view text, std::string_view word) {
    return text.size() >= word.size() &&
           std::equal(word.begin(), word.end(), text.begin(), [](char a, char b) { return a == lower(b); });
}

std::string lower_ending(std::string_view name) {
    std::string ending = std::filesystem::path(name).extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(), lower);
    return ending;
}

std::string stem_of(const std::string& name) {
    std::filesystem::path stem = std::filesystem::path(name).stem();
    if (lower_ending(name) == ".gz") stem = stem.stem();
    return stem.empty() ? "surface" : stem.string();
}

void refuse_coordinate(double value, const std::string& place) {
    throw InputError(fmt::format(
        "{}: coordinate {} is no length of a body (more than {:g} m, or not a number): the file is damaged, "
        "or is not what its name says; export the surface again",
        place, value, kLargestLength));
}

std::string_view LineReader::next() {
    // The next line feed is kept, so that a file without any is not searched to its end for each line.
    if (at_ > line_feed_ || line_ == 0) line_feed_ = std::min(content_.find('\n', at_), content_.size());
    const std::size_t end = std::min(content_.substr(0, line_feed_).find('\r', at_), line_feed_);
    const std::string_view line = content_.substr(at_, end - at_);
    at_ = end + (content_.substr(end, 2) == "\r\n" ? 2 : 1);
    ++line_;
    return trimmed(line);
}

std::string LineReader::place() const { return fmt::format("{}, line {}", name_, line_); }

void LineReader::fail(const std::string& what) const { throw InputError(fmt::format("{}: {}", place(), what)); }

std::string_view take_word(std::string_view& text) {
    const std::size_t first = first_not_blank(text);
    std::size_t last = first;
    while (last < text.size() && !is_blank(text[last])) ++last;
    const std::string_view word = text.substr(first, last - first);
    text.remove_prefix(last);
    return word;
}

std::optional<double> take_number(std::string_view& text) {
    std::string_view rest = text.substr(first_not_blank(text));
    if (!rest.empty() && rest.front() == '+') rest.remove_prefix(1);
    double value = 0;
    const auto [end, status] = std::from_chars(rest.data(), rest.data() + rest.size(), value);
    const auto used = static_cast<std::size_t>(end - rest.data());
    if (used == 0 || status == std::errc::invalid_argument) return std::nullopt;
    // A number too small for a double is 0; from_chars reports it like one that is too large.
    if (status == std::errc::result_out_of_range) {
        const std::string_view digits = rest.substr(0, used);
        const auto exponent = digits.find_first_of("eE");
        if (exponent == std::string_view::npos || digits.substr(exponent + 1, 1) != "-") return std::nullopt;
        value = 0;
    }
    if (!std::isfinite(value)) return std::nullopt;
    rest.remove_prefix(used);
    if (!rest.empty() && !is_blank(rest.front())) return std::nullopt;
    text = rest;
    return value;
}

Index zone_named(Surface& surface, const std::string& name) {
    const auto it =
        std::find_if(surface.zones.begin(), surface.zones.end(), [&](const Zone& z) { return z.name == name; });
    if (it != surface.zones.end()) return static_cast<Index>(it - surface.zones.begin());
    surface.zones.push_back({name, Role::wall});
    return static_cast<Index>(surface.zones.size() - 1);
}

std::vector<Triangle> triangles_of(const std::vector<Vec3>& points, const std::vector<Index>& polygon) {
    std::vector<Triangle> fan;
    for (std::size_t k = 2; k < polygon.size(); ++k) fan.push_back({polygon[0], polygon[k - 1], polygon[k]});
    if (polygon.size() == 3) return fan;
    Vec3 normal;
    for (const Triangle& t : fan) normal += triangle_normal(points[t[0]], points[t[1]], points[t[2]]);
    normal = normalized(normal);
    const Vec3 u = normalized(std::abs(normal.x) < 0.7 ? cross(normal, Vec3{1, 0, 0}) : cross(normal, Vec3{0, 1, 0}));
    const Vec3 v = cross(normal, u);
    std::vector<Vec2> flat;
    for (const Index p : polygon)
        flat.push_back({dot(points[p] - points[polygon[0]], u), dot(points[p] - points[polygon[0]], v)});
    try {
        std::vector<Triangle> out = triangulate_polygon(flat);
        for (Triangle& t : out) t = {polygon[t[0]], polygon[t[1]], polygon[t[2]]};
        return out;
    } catch (const GeometryError&) {
        return fan;  // it crosses itself or has no area: the health check will tell
    }
}

std::size_t finish(Surface& surface, const std::string& name) {
    if (surface.triangles.empty()) throw InputError(fmt::format("{}: there is no triangle in it", name));
    std::size_t dropped = weld(surface).triangles_dropped;
    // Triangles that name a corner twice were there before the weld.
    std::size_t n = 0;
    for (std::size_t t = 0; t < surface.triangles.size(); ++t) {
        const Triangle& c = surface.triangles[t];
        if (c[0] == c[1] || c[1] == c[2] || c[2] == c[0]) continue;
        surface.triangles[n] = c;
        surface.zone_of[n++] = surface.zone_of[t];
    }
    dropped += surface.triangles.size() - n;
    surface.triangles.resize(n);
    surface.zone_of.resize(n);
    if (n == 0) throw InputError(fmt::format("{}: all its triangles are without area", name));
    drop_unused_points(surface);
    for (Zone& zone : surface.zones) {
        zone.part = base::tidy_name(zone.part.empty() ? stem_of(name) : zone.part);
        zone.name = base::tidy_name(zone.name);
        zone.role = guess_role(zone.name);
        zone.role_is_guess = true;
    }
    return dropped;
}

}  // namespace anvilcast::io
