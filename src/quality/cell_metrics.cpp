#include "quality/cell_metrics.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace anvilcast::quality {
namespace {

constexpr double kNan = std::numeric_limits<double>::quiet_NaN();

double degrees(double radians) { return radians * 180.0 / std::numbers::pi; }

/// Cosines as cos |cos|: in the order of cosines, without square roots.
double signed_square(double dot, double squares) { return squares > 0 ? dot * std::abs(dot) / squares : 0; }
double angle_of_square(double s) {
    return degrees(std::acos(std::clamp(std::copysign(std::sqrt(std::abs(s)), s), -1.0, 1.0)));
}
double root_of_square(double s) { return std::copysign(std::sqrt(std::abs(s)), s); }

double& at(CellFigures& f, MetricId id) { return f[static_cast<std::size_t>(id)]; }

double equiangle(double smallest, double largest, double ideal) {
    return std::max((largest - ideal) / (180.0 - ideal), (ideal - smallest) / ideal);
}

/// Longest edge over inradius of the regular cell of each type with edge 1.
constexpr std::array<double, 5> kRegularAspect{4.898979485566356, 3.863703305156273, 2.976067743425169, 2.0, 2.0};

/// The three corners that edges lead to from a corner, in a right-handed order; of a pyramid the base's corners alone.
struct Spokes {
    int corner, a, b, c;
};
constexpr std::array<Spokes, 4> kPyramidSpokes{{{0, 1, 3, 4}, {1, 2, 0, 4}, {2, 3, 1, 4}, {3, 0, 2, 4}}};
constexpr std::array<Spokes, 6> kPrismSpokes{
    {{0, 1, 2, 3}, {1, 2, 0, 4}, {2, 0, 1, 5}, {3, 5, 4, 0}, {4, 3, 5, 1}, {5, 4, 3, 2}}};
constexpr std::array<Spokes, 8> kHexahedronSpokes{
    {{0, 1, 3, 4}, {1, 2, 0, 5}, {2, 3, 1, 6}, {3, 0, 2, 7}, {4, 7, 5, 0}, {5, 4, 6, 1}, {6, 5, 7, 2}, {7, 6, 4, 3}}};

std::span<const Spokes> spokes_of(CellType type) {
    switch (type) {
        case CellType::pyramid:
            return kPyramidSpokes;
        case CellType::prism:
            return kPrismSpokes;
        case CellType::hexahedron:
            return kHexahedronSpokes;
        default:
            return {};
    }
}

/// Determinant of the unit edge vectors at a corner of the regular cell.
double regular_determinant(CellType type) {
    return type == CellType::prism        ? std::numbers::sqrt3 / 2
           : type == CellType::hexahedron ? 1
                                          : std::numbers::sqrt2 / 2;
}

}  // namespace

CellFigures CellProbe::operator()(std::size_t cell) {
    if (mesh_.is_plane()) return of_plane(cell);
    return mesh_.cell_types[cell] == CellType::tetrahedron ? of_tetrahedron(cell) : of_any(cell);
}

/// What of_any() finds on the sheet, from the polygon alone.
CellFigures CellProbe::of_plane(std::size_t cell) const {
    const auto corners = mesh_.cell(cell);
    const std::size_t n = corners.size() / 2;
    const bool is_triangle = n == 3;
    std::array<Vec3, 4> edge{};
    double longest = 0, round = 0;
    std::array<double, 4> lengths{};
    for (std::size_t k = 0; k < n; ++k) {
        edge[k] = mesh_.points[corners[(k + 1) % n]] - mesh_.points[corners[k]];
        lengths[k] = length(edge[k]);
        longest = std::max(longest, lengths[k]);
        round += lengths[k];
    }
    CellFigures out;
    out.fill(kNan);
    const double volume = m_.cell[cell].volume, area = volume / mesh_.plane_depth;
    at(out, MetricId::volume) = volume;
    double smallest = 180, largest = 0, determinant = 1;
    for (std::size_t k = 0; k < n; ++k) {
        const std::size_t b = (k + n - 1) % n;
        const double product = lengths[k] * lengths[b], across = edge[b].x * edge[k].y - edge[b].y * edge[k].x;
        determinant = std::min(determinant, product > 0 ? across / product : 0);
        const double angle = degrees(std::atan2(across, -(edge[k].x * edge[b].x + edge[k].y * edge[b].y)));
        const double inner = angle < 0 ? angle + 360 : angle;
        smallest = std::min(smallest, inner);
        largest = std::max(largest, inner);
    }
    at(out, MetricId::smallest_angle) = smallest;
    at(out, MetricId::largest_angle) = largest;
    at(out, MetricId::equiangle_skewness) = std::clamp(equiangle(smallest, largest, is_triangle ? 60 : 90), 0.0, 1.0);
    const double regular = is_triangle ? 2 * std::numbers::sqrt3 : 2;
    at(out, MetricId::aspect_ratio) =
        area > 0 ? longest * round / (2 * area * regular) : std::numeric_limits<double>::infinity();
    at(out, MetricId::corner_determinant) = determinant / (is_triangle ? std::numbers::sqrt3 / 2 : 1);
    plane_sight(cell, out);
    return out;
}

/// How the cell's centre sees its edges, and its neighbours' centres through them.
void CellProbe::plane_sight(std::size_t cell, CellFigures& out) const {
    const Vec3& center = m_.cell[cell].center;
    const std::size_t end = mesh_.n_faces() - 2 * mesh_.n_cells();
    double orthogonality = 1, visibility = 1;
    for (const Index f : m_.faces.of(cell)) {
        if (f >= end) continue;
        FaceMeasure m = measure_face(mesh_, f);
        const bool is_own = mesh_.owner[f] == cell;
        if (!is_own) m.area = -m.area;
        const double square = length_squared(m.area);
        auto see = [&](const Vec3& place) {
            const Vec3 sight = place - center;
            return signed_square(dot(m.area, sight), square * length_squared(sight));
        };
        const double to_edge = see(m.center);
        visibility = std::min(visibility, to_edge);
        orthogonality = std::min(orthogonality, to_edge);
        if (f < mesh_.n_inner_faces())
            orthogonality = std::min(orthogonality, see(m_.cell[is_own ? mesh_.neighbour[f] : mesh_.owner[f]].center));
    }
    at(out, MetricId::orthogonality) = root_of_square(orthogonality);
    at(out, MetricId::visibility) = root_of_square(visibility);
}

CellFigures CellProbe::of_tetrahedron(std::size_t cell) const {
    const auto corners = mesh_.cell(cell);
    std::array<Vec3, 4> p;
    for (std::size_t k = 0; k < 4; ++k) p[k] = mesh_.points[corners[k]];
    // Edges by their ends; squares of their lengths and one over these.
    constexpr std::array<std::array<std::size_t, 2>, 6> kEnds{{{0, 1}, {0, 2}, {0, 3}, {1, 2}, {1, 3}, {2, 3}}};
    std::array<Vec3, 6> e;
    std::array<double, 6> square, inverse;
    for (std::size_t k = 0; k < 6; ++k) {
        e[k] = p[kEnds[k][1]] - p[kEnds[k][0]];
        square[k] = length_squared(e[k]);
        inverse[k] = square[k] > 0 ? 1 / square[k] : 0;
    }
    // Area vectors (doubled) of the faces over the corners, pointing out.
    const std::array<Vec3, 4> n{cross(e[3], e[4]), cross(e[2], e[1]), cross(e[0], e[2]), cross(e[1], e[0])};
    std::array<double, 4> n_square, n_inverse;
    double surface = 0;
    for (std::size_t k = 0; k < 4; ++k) {
        n_square[k] = length_squared(n[k]);
        n_inverse[k] = n_square[k] > 0 ? 1 / n_square[k] : 0;
        surface += 0.5 * std::sqrt(n_square[k]);
    }
    CellFigures out;
    out.fill(kNan);
    const double volume = m_.cell[cell].volume;
    at(out, MetricId::volume) = volume;

    // Corner angles: at each corner between each two of its edges, both pointing away from it.
    struct Corner {
        std::size_t a, b;
        double sense;
    };
    constexpr std::array<Corner, 12> kCorners{{{0, 1, 1},
                                               {0, 2, 1},
                                               {1, 2, 1},
                                               {0, 3, -1},
                                               {0, 4, -1},
                                               {3, 4, 1},
                                               {1, 3, 1},
                                               {1, 5, -1},
                                               {3, 5, -1},
                                               {2, 4, 1},
                                               {2, 5, 1},
                                               {4, 5, 1}}};
    double least = 2, most = -2;
    for (const Corner& c : kCorners) {
        const double d = c.sense * dot(e[c.a], e[c.b]);
        const double s = d * std::abs(d) * inverse[c.a] * inverse[c.b];
        least = std::min(least, s);
        most = std::max(most, s);
    }
    const double smallest = angle_of_square(most), largest = angle_of_square(least);
    at(out, MetricId::smallest_angle) = smallest;
    at(out, MetricId::largest_angle) = largest;
    at(out, MetricId::equiangle_skewness) = equiangle(smallest, largest, 60);

    least = 2, most = -2;
    for (std::size_t i = 0; i < 4; ++i)
        for (std::size_t j = i + 1; j < 4; ++j) {
            const double d = -dot(n[i], n[j]);
            const double s = d * std::abs(d) * n_inverse[i] * n_inverse[j];
            least = std::min(least, s);
            most = std::max(most, s);
        }
    at(out, MetricId::smallest_dihedral) = angle_of_square(most);
    at(out, MetricId::largest_dihedral) = angle_of_square(least);

    const Vec3 numerator =
        square[0] * cross(e[1], e[2]) + square[1] * cross(e[2], e[0]) + square[2] * cross(e[0], e[1]);
    const double radius = length(numerator) / (12 * volume);
    const double regular = 8 * std::numbers::sqrt3 / 27 * radius * radius * radius;
    at(out, MetricId::equivolume_skewness) = volume > 0 ? std::clamp(1 - volume / regular, 0.0, 1.0) : 1;
    const double longest = std::sqrt(*std::max_element(square.begin(), square.end()));
    at(out, MetricId::aspect_ratio) =
        volume > 0 ? longest * surface / (3 * volume * kRegularAspect[0]) : std::numeric_limits<double>::infinity();
    // The determinant is 6 V over the three edges at a corner: the smallest is where these are longest.
    const double product = std::max({square[0] * square[1] * square[2], square[0] * square[3] * square[4],
                                     square[1] * square[3] * square[5], square[2] * square[4] * square[5]});
    at(out, MetricId::corner_determinant) =
        product > 0 ? std::clamp(6 * volume / std::sqrt(product) * std::numbers::sqrt2, -1.0, 1.0) : 0;

    // Which corner a face is over: the one that its points leave out.
    const std::uint64_t all = std::uint64_t{corners[0]} + corners[1] + corners[2] + corners[3];
    const Vec3 center = m_.cell[cell].center;
    double worst = 1;
    for (const Index f : m_.faces.of(cell)) {
        const auto q = mesh_.face(f);
        const std::uint64_t left = all - q[0] - q[1] - q[2];
        const std::size_t k = left == corners[0] ? 0 : left == corners[1] ? 1 : left == corners[2] ? 2 : 3;
        // From the centroid to a face's it is a third of the way from the corner over it to the centroid.
        const Vec3 to_face = (center - p[k]) * (1.0 / 3);
        worst = std::min(worst, signed_square(dot(n[k], to_face), n_square[k] * length_squared(to_face)));
        if (f < mesh_.n_inner_faces()) {
            const Vec3 to_other = m_.cell[mesh_.owner[f] == cell ? mesh_.neighbour[f] : mesh_.owner[f]].center - center;
            worst = std::min(worst, signed_square(dot(n[k], to_other), n_square[k] * length_squared(to_other)));
        }
    }
    at(out, MetricId::orthogonality) = root_of_square(worst);
    at(out, MetricId::closedness) = 0;  // whatever its corners
    return out;
}

CellFigures CellProbe::of_any(std::size_t cell) {
    gather_sides(cell);
    CellFigures out;
    out.fill(kNan);
    at(out, MetricId::volume) = m_.cell[cell].volume;
    corner_angles(cell, out);
    dihedral_angles(out);
    // A polyhedron may be concave at an edge: whether its centre sees it all is what counts, and `visibility` tells.
    if (mesh_.cell_types[cell] == CellType::polyhedron) {
        at(out, MetricId::largest_dihedral) = kNan;
    } else {
        at(out, MetricId::aspect_ratio) = aspect_ratio(cell);
        at(out, MetricId::corner_determinant) = corner_determinant(cell);
    }
    at(out, MetricId::orthogonality) = orthogonality(cell);
    at(out, MetricId::visibility) = visibility(cell);
    Vec3 sum{};
    double total = 0;
    for (const Side& s : sides_) {
        sum += s.measure.area;
        total += s.area;
    }
    at(out, MetricId::closedness) = total > 0 ? length(sum) / total : 0;
    return out;
}

void CellProbe::gather_sides(std::size_t cell) {
    sides_.clear();
    for (const Index f : m_.faces.of(cell)) {
        Side s{measure_face(mesh_, f), 0, f, mesh_.owner[f] == cell};
        if (!s.is_own) s.measure.area = -s.measure.area;
        s.area = length(s.measure.area);
        sides_.push_back(s);
    }
}

void CellProbe::corner_angles(std::size_t cell, CellFigures& out) const {
    double smallest = 180, largest = 0, skewness = 0;
    for (const Side& s : sides_) {
        const auto p = mesh_.face(s.face);
        double least = 2, most = -2;
        Vec3 before = mesh_.points[p[0]] - mesh_.points[p[p.size() - 1]];
        for (std::size_t k = 0; k < p.size(); ++k) {
            const Vec3 after = mesh_.points[p[(k + 1) % p.size()]] - mesh_.points[p[k]];
            const double cosine = signed_square(-dot(before, after), length_squared(before) * length_squared(after));
            least = std::min(least, cosine);
            most = std::max(most, cosine);
            before = after;
        }
        const double low = angle_of_square(most), high = angle_of_square(least);
        smallest = std::min(smallest, low);
        largest = std::max(largest, high);
        skewness = std::max(skewness, equiangle(low, high, 180.0 - 360.0 / static_cast<double>(p.size())));
    }
    at(out, MetricId::smallest_angle) = smallest;
    at(out, MetricId::largest_angle) = largest;
    if (mesh_.cell_types[cell] != CellType::polyhedron) at(out, MetricId::equiangle_skewness) = skewness;
}

/// Between each two faces that share an edge.
void CellProbe::dihedral_angles(CellFigures& out) {
    edges_.clear();
    for (Index s = 0; s < sides_.size(); ++s) {
        const auto p = mesh_.face(sides_[s].face);
        Index a = p[p.size() - 1];
        for (const Index b : p) {
            edges_.push_back({std::uint64_t{std::min(a, b)} << 32 | std::max(a, b), s});
            a = b;
        }
    }
    std::sort(edges_.begin(), edges_.end(), [](const Edge& a, const Edge& b) {
        return a.points != b.points ? a.points < b.points : a.side < b.side;
    });
    // By cosines; of reflex angles, where faces lean away from each other at the edge, those of what is outside.
    double least = 2, most = -2, most_outside = -2, least_outside = 2;
    for (std::size_t k = 0; k + 1 < edges_.size(); ++k) {
        if (edges_[k].points != edges_[k + 1].points) continue;
        const Side &i = sides_[edges_[k].side], &j = sides_[edges_[k + 1].side];
        const double cosine = signed_square(-dot(i.measure.area, j.measure.area), i.area * i.area * j.area * j.area);
        if (dot(i.measure.area, j.measure.center - i.measure.center) > 0) {
            most_outside = std::max(most_outside, cosine);
            least_outside = std::min(least_outside, cosine);
        } else {
            least = std::min(least, cosine);
            most = std::max(most, cosine);
        }
    }
    const bool has_reflex = most_outside > -2;
    at(out, MetricId::smallest_dihedral) = most > -2 ? angle_of_square(most) : 360 - angle_of_square(least_outside);
    at(out, MetricId::largest_dihedral) = has_reflex ? 360 - angle_of_square(most_outside) : angle_of_square(least);
}

double CellProbe::aspect_ratio(std::size_t cell) const {
    double longest = 0, surface = 0;
    for (const Side& s : sides_) {
        const auto p = mesh_.face(s.face);
        surface += s.area;
        for (std::size_t k = 0; k < p.size(); ++k)
            longest = std::max(longest, distance_squared(mesh_.points[p[k]], mesh_.points[p[(k + 1) % p.size()]]));
    }
    const double volume = m_.cell[cell].volume;
    return volume > 0 ? std::sqrt(longest) * surface /
                            (3 * volume * kRegularAspect[static_cast<std::size_t>(mesh_.cell_types[cell])])
                      : std::numeric_limits<double>::infinity();
}

double CellProbe::corner_determinant(std::size_t cell) const {
    const auto corners = mesh_.cell(cell);
    auto point = [&](int k) { return mesh_.points[corners[static_cast<std::size_t>(k)]]; };
    double worst = 1;
    for (const Spokes& s : spokes_of(mesh_.cell_types[cell])) {
        const Vec3 at = point(s.corner);
        const Vec3 a = normalized(point(s.a) - at), b = normalized(point(s.b) - at), c = normalized(point(s.c) - at);
        worst = std::min(worst, dot(cross(a, b), c) / regular_determinant(mesh_.cell_types[cell]));
    }
    return std::max(worst, -1.0);
}

double CellProbe::orthogonality(std::size_t cell) const {
    const Vec3 center = m_.cell[cell].center;
    double worst = 1;
    for (const Side& s : sides_) {
        const double square = s.area * s.area;
        const Vec3 to_face = s.measure.center - center;
        worst = std::min(worst, signed_square(dot(s.measure.area, to_face), square * length_squared(to_face)));
        if (s.face < mesh_.n_inner_faces()) {
            const Vec3 to_other = m_.cell[s.is_own ? mesh_.neighbour[s.face] : mesh_.owner[s.face]].center - center;
            worst = std::min(worst, signed_square(dot(s.measure.area, to_other), square * length_squared(to_other)));
        }
    }
    return root_of_square(worst);
}

double CellProbe::visibility(std::size_t cell) const {
    double worst = 1;
    for (const Side& s : sides_) {
        const auto p = mesh_.face(s.face);
        const Vec3 sight = s.measure.apex - m_.cell[cell].center;
        const double far = length_squared(sight), sense = s.is_own ? 1.0 : -1.0;
        for (std::size_t k = 0; k < p.size(); ++k) {
            const Vec3 n = triangle_normal(s.measure.apex, mesh_.points[p[k]], mesh_.points[p[(k + 1) % p.size()]]);
            worst = std::min(worst, signed_square(sense * dot(sight, n), far * length_squared(n)));
        }
    }
    return root_of_square(worst);
}

FaceFigures face_figures(const VolumeMesh& mesh, const Measures& m, std::size_t f) {
    constexpr auto kFirst = static_cast<std::size_t>(MetricId::non_orthogonality);
    FaceFigures out;
    out.fill(kNan);
    auto figure = [&out](MetricId id) -> double& { return out[static_cast<std::size_t>(id) - kFirst]; };
    const FaceMeasure face = measure_face(mesh, f);
    if (const auto p = mesh.face(f); p.size() > 3) {
        const double area = length(face.area);
        double farthest = 0;
        for (const Index i : p) farthest = std::max(farthest, std::abs(dot(mesh.points[i] - face.center, face.area)));
        figure(MetricId::warp) = area > 0 ? farthest / (area * std::sqrt(area)) : 0;
    }
    if (f >= mesh.n_inner_faces()) return out;
    const Index own = mesh.owner[f], other = mesh.neighbour[f];
    const Vec3 line = m.cell[other].center - m.cell[own].center;
    const double along = dot(face.area, line), far = length_squared(line);
    figure(MetricId::non_orthogonality) = angle_of_square(signed_square(along, length_squared(face.area) * far));
    const double below = dot(face.area, face.center - m.cell[own].center);
    const Vec3 meets = m.cell[own].center + line * (along != 0 ? below / along : 0.5);
    figure(MetricId::face_skewness) = far > 0 ? std::sqrt(distance_squared(meets, face.center) / far) : 0;
    if (mesh.cell_region[own] != mesh.cell_region[other]) return out;
    auto ratio = [](double a, double b) { return std::max(a, b) / std::max(std::min(a, b), 0.0); };
    figure(MetricId::volume_ratio) = ratio(m.cell[own].volume, m.cell[other].volume);
    figure(MetricId::size_growth) = ratio(std::abs(below), std::abs(along - below));
    return out;
}

}  // namespace anvilcast::quality
