// Geometry as text that a page can hold: places in single precision from the corner of a box, numbers in base64.
#pragma once

#include <anvilcast/report.hpp>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

namespace anvilcast::figures {

/// Polygons over shared points, each with some bytes that say what it is.
struct PagePolygons {
    std::vector<Vec3> points;
    std::vector<Index> corners;
    std::vector<std::uint8_t> counts;  ///< corners of each
    std::vector<std::vector<std::uint8_t>> tags;

    std::size_t size() const { return counts.size(); }
};

std::string base64(const void* data, std::size_t bytes);

/// At most so many polygons: points that are near each other become one, until it is so. False when nothing was done.
bool simplify(PagePolygons& polygons, std::size_t most);

/// {"points", "corners", "counts", tag names...}, points from the lower corner of the box.
nlohmann::ordered_json json_of(const PagePolygons& polygons, const Box& box, const std::vector<const char*>& tag_names);

/// The page: head, styles, libraries, data and scripts, in one file. `script`: "report", "inspection" or "study".
std::string page_of(const std::string& title, const nlohmann::ordered_json& data, const char* script);

}  // namespace anvilcast::figures
