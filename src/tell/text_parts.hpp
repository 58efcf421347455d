// Small pieces that several texts are made of.
#pragma once

#include <fmt/format.h>
#include <anvilcast/tell.hpp>
#include <anvilcast/vectors.hpp>

#include <algorithm>
#include <cmath>
#include <string>

namespace anvilcast::tell {

/// Marks that show on a terminal; who prints elsewhere takes them out: without_marks().
inline std::string bold(const std::string& text) { return "\x1b[1m" + text + "\x1b[0m"; }
inline std::string good(const std::string& text) { return "\x1b[32m" + text + "\x1b[0m"; }
inline std::string bad(const std::string& text) { return "\x1b[31m" + text + "\x1b[0m"; }

inline std::string place(const Vec3& p, const LengthUnit& unit) {
    auto clean = [&](double v) { return std::abs(v) < 1e-9 ? 0.0 : v / unit.metres; };
    return fmt::format("[{:.5g}, {:.5g}, {:.5g}]", clean(p.x), clean(p.y), clean(p.z));
}

/// Of a section in a plane.
inline std::string flat_extent(const Box& b, const LengthUnit& unit) {
    const Vec3 e = b.extent();
    return fmt::format("{:.4g} x {:.4g} {}", e.x / unit.metres, e.y / unit.metres, unit.name);
}

inline std::string extent(const Box& b, const LengthUnit& unit) {
    const Vec3 e = b.extent();
    return fmt::format("{:.4g} x {:.4g} x {:.4g} {}", e.x / unit.metres, e.y / unit.metres, e.z / unit.metres,
                       unit.name);
}

/// Of a region: a volume, or in a plane mesh an area.
inline std::string format_content(double v, bool is_plane, const LengthUnit& unit) {
    return is_plane ? format_area(v, unit) : format_volume(v, unit);
}
/// Of a zone: an area, or in a plane mesh a length.
inline std::string format_side(double v, bool is_plane, const LengthUnit& unit) {
    return is_plane ? format_length(v, unit) : format_area(v, unit);
}

inline std::string grouped(std::size_t n) { return format_count(n); }

std::size_t name_width(const auto& list) {
    std::size_t width = 8;
    for (const auto& item : list) width = std::max(width, item.name.size());
    return width + 2;
}

std::string mendings_text(const std::vector<Mending>& mendings, const LengthUnit& unit);
std::string periodic_text(const std::vector<PeriodicPair>& pairs, const LengthUnit& unit);
std::string absorbed_text(const AbsorbReport& a, const LengthUnit& unit);
/// A few names, and how many more.
std::string names_text(const std::vector<std::string>& names);

/// How wide a text is on a terminal: the degree sign and its like take two bytes.
inline std::size_t seen_width(const std::string& text) {
    return static_cast<std::size_t>(std::count_if(text.begin(), text.end(), [](char c) { return (c & 0xC0) != 0x80; }));
}
inline std::string padded(const std::string& text, std::size_t width) {
    const std::size_t seen = seen_width(text);
    return text + std::string(seen < width ? width - seen : 1, ' ');
}

}  // namespace anvilcast::tell
