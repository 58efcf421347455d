#include "figures/page_data.hpp"

#include <anvilcast/version.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <unordered_map>

#include "figures/page_parts.hpp"

namespace anvilcast::figures {
namespace {

/// Points where polygons of different tags, or sharply bent ones, meet: what the eye holds on to.
std::vector<char> marked_points(const PagePolygons& in) {
    constexpr double kSharp = 0.77;  // cosine of 40 degrees
    std::vector<Vec3> normal(in.points.size());
    std::vector<Index> polygon_at(in.points.size(), kNone);
    std::vector<char> out(in.points.size(), 0);
    std::size_t first = 0;
    for (Index f = 0; f < in.size(); first += in.counts[f++]) {
        const auto corner = [&](std::size_t k) { return in.points[in.corners[first + k]]; };
        const Vec3 n = normalized(triangle_normal(corner(0), corner(1), corner(2)));
        for (std::size_t k = 0; k < in.counts[f]; ++k) {
            const Index p = in.corners[first + k], other = polygon_at[p];
            if (other == kNone) {
                polygon_at[p] = f;
                normal[p] = n;
                continue;
            }
            const bool is_border = !in.tags.empty() && in.tags[0][f] != in.tags[0][other];
            if (is_border || dot(n, normal[p]) < kSharp) out[p] = 1;
        }
    }
    return out;
}

/// Points on the same place of a lattice become one, the first marked one of them or else the first; polygons that fall
/// together go.
PagePolygons clustered(const PagePolygons& in, const std::vector<char>& is_marked, double step, const Vec3& origin) {
    std::unordered_map<std::uint64_t, Index> at;
    std::vector<Index> point(in.points.size());
    std::vector<char> has_mark;
    PagePolygons out;
    out.tags.resize(in.tags.size());
    for (std::size_t i = 0; i < in.points.size(); ++i) {
        std::uint64_t key = 0;
        for (int axis = 0; axis < 3; ++axis)
            key = key << 21 | static_cast<std::uint64_t>(std::max(0.0, (in.points[i][axis] - origin[axis]) / step));
        const auto [entry, is_new] = at.try_emplace(key, static_cast<Index>(out.points.size()));
        point[i] = entry->second;
        if (is_new) {
            out.points.push_back(in.points[i]);
            has_mark.push_back(is_marked[i]);
        } else if (is_marked[i] != 0 && has_mark[point[i]] == 0) {
            out.points[point[i]] = in.points[i];
            has_mark[point[i]] = 1;
        }
    }
    std::size_t first = 0;
    std::vector<Index> polygon;
    for (std::size_t f = 0; f < in.size(); first += in.counts[f++]) {
        polygon.clear();
        for (std::size_t k = first; k < first + in.counts[f]; ++k)
            if (polygon.empty() || polygon.back() != point[in.corners[k]]) polygon.push_back(point[in.corners[k]]);
        while (polygon.size() > 1 && polygon.back() == polygon.front()) polygon.pop_back();
        if (polygon.size() < 3) continue;
        out.corners.insert(out.corners.end(), polygon.begin(), polygon.end());
        out.counts.push_back(static_cast<std::uint8_t>(polygon.size()));
        for (std::size_t t = 0; t < in.tags.size(); ++t) out.tags[t].push_back(in.tags[t][f]);
    }
    return out;
}

/// For a script within a page: what would end it must not be in it.
std::string harmless(std::string text) {
    // In JSON they stand in texts alone.
    for (std::size_t at = text.find('<'); at != std::string::npos; at = text.find('<', at))
        text.replace(at, 1, "\\u003c");
    return text;
}

std::string escaped(const std::string& text) {
    std::string out;
    for (const char c : text) out += c == '<' ? "&lt;" : c == '&' ? "&amp;" : std::string(1, c);
    return out;
}

}  // namespace

std::string base64(const void* data, std::size_t bytes) {
    constexpr std::string_view kDigits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    const auto* in = static_cast<const unsigned char*>(data);
    std::string out;
    out.reserve((bytes + 2) / 3 * 4);
    for (std::size_t i = 0; i < bytes; i += 3) {
        const std::size_t n = std::min<std::size_t>(3, bytes - i);
        std::uint32_t v = 0;
        for (std::size_t k = 0; k < 3; ++k) v = v << 8 | (k < n ? in[i + k] : 0U);
        for (std::size_t k = 0; k < 4; ++k) out += k <= n ? kDigits[v >> (18 - 6 * k) & 63] : '=';
    }
    return out;
}

bool simplify(PagePolygons& polygons, std::size_t most) {
    if (polygons.size() <= most) return false;
    Box box;
    for (const Vec3& p : polygons.points) box.include(p);
    // Twice the step leaves about a quarter.
    double step = box.diagonal() / (2 * std::sqrt(static_cast<double>(most)));
    const std::vector<char> is_marked = marked_points(polygons);
    PagePolygons out = clustered(polygons, is_marked, step, box.lo);
    while (out.size() > most) out = clustered(polygons, is_marked, step *= 1.2, box.lo);
    polygons = std::move(out);
    return true;
}

nlohmann::ordered_json json_of(const PagePolygons& polygons, const Box& box,
                               const std::vector<const char*>& tag_names) {
    std::vector<float> places;
    for (const Vec3& p : polygons.points)
        for (int axis = 0; axis < 3; ++axis) places.push_back(static_cast<float>(p[axis] - box.lo[axis]));
    nlohmann::ordered_json out{{"points", base64(places.data(), sizeof(float) * places.size())},
                               {"corners", base64(polygons.corners.data(), sizeof(Index) * polygons.corners.size())},
                               {"counts", base64(polygons.counts.data(), polygons.counts.size())}};
    for (std::size_t t = 0; t < tag_names.size(); ++t)
        out[tag_names[t]] = base64(polygons.tags[t].data(), polygons.tags[t].size());
    return out;
}

std::string page_of(const std::string& title, const nlohmann::ordered_json& data, const char* script) {
    const std::string json = data.dump(-1, ' ', false, nlohmann::ordered_json::error_handler_t::replace);
    std::string page = "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n";
    page += "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n";
    page += fmt::format("<meta name=\"generator\" content=\"anvilcast {}\">\n<title>{}</title>\n", version(),
                        escaped(title));
    page += fmt::format("<style>\n{}</style>\n</head>\n<body>\n<main id=\"page\"></main>\n", page_style());
    page += "<noscript>This page draws itself with JavaScript, which is turned off here.</noscript>\n";
    page += fmt::format("<script type=\"application/json\" id=\"data\">{}</script>\n", harmless(json));
    // Under the MIT licence, copyright of the three.js authors.
    page += "<script>/* three.js, copyright 2010-2020 three.js authors, MIT licence */\n";
    page += std::string(three_library()) + "\n" + std::string(orbit_library()) + "</script>\n";
    page += fmt::format("<script>\n{}\n{}</script>\n</body>\n</html>\n", view_script(),
                        std::string_view(script) == "report"  ? report_script()
                        : std::string_view(script) == "study" ? study_script()
                                                              : inspection_script());
    return page;
}

}  // namespace anvilcast::figures
