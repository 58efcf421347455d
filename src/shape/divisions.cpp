#include "shape/divisions.hpp"

#include <algorithm>
#include <cmath>

namespace anvilcast::shape {

std::vector<Vec3> divided(const std::vector<Vec3>& polyline, const Divisions& division) {
    const auto n = static_cast<std::size_t>(division.count);
    // Lengths of the pieces in a row: growing from the end that is to be fine, or from both ends to the middle.
    std::vector<double> pieces(n, 1);
    const std::size_t steps = division.towards ? n - 1 : (n - 1) / 2;
    if (steps > 0) {
        const double ratio = std::pow(std::max(division.bias, 1 / division.bias), 1.0 / static_cast<double>(steps));
        for (std::size_t i = 0; i < n; ++i)
            pieces[i] = std::pow(ratio, static_cast<double>(division.towards ? i : std::min(i, n - 1 - i)));
    }
    if (division.towards &&
        distance_squared(*division.towards, polyline.back()) < distance_squared(*division.towards, polyline.front()))
        std::reverse(pieces.begin(), pieces.end());
    double whole = 0, length = 0;
    for (const double piece : pieces) whole += piece;
    for (std::size_t i = 0; i + 1 < polyline.size(); ++i) length += distance(polyline[i], polyline[i + 1]);

    std::vector<Vec3> places{polyline.front()};
    double done = 0, wanted = 0;
    std::size_t at = 0;
    for (std::size_t i = 0; i + 1 < n; ++i) {
        wanted += pieces[i] / whole * length;
        while (at + 2 < polyline.size() && done + distance(polyline[at], polyline[at + 1]) < wanted) {
            done += distance(polyline[at], polyline[at + 1]);
            ++at;
        }
        const double segment = distance(polyline[at], polyline[at + 1]);
        const double share = segment > 0 ? std::clamp((wanted - done) / segment, 0.0, 1.0) : 0.0;
        places.push_back(polyline[at] + (polyline[at + 1] - polyline[at]) * share);
    }
    places.push_back(polyline.back());
    return places;
}

}  // namespace anvilcast::shape
