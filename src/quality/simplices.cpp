#include "quality/simplices.hpp"

#include <algorithm>
#include <limits>

namespace anvilcast::quality {
namespace {

void store(MetricValues& out, MetricId metric, const std::array<Index, kLanes>& items, Lanes values) {
    std::vector<float>& list = out[static_cast<std::size_t>(metric)];
    if (list.empty()) return;
    for (std::size_t k = 0; k < kLanes; ++k) list[items[k]] = values[k];
}

/// Edges of four tetrahedra: from the first corner to the others, from the second to the others, the last one.
using Edges = std::array<Lanes3, 6>;

struct Range {
    Lanes least = lanes_of(2), most = lanes_of(-2);
    void note(Lanes v) {
        least = min(least, v);
        most = max(most, v);
    }
};

Range corner_cosines(const Edges& unit) {
    Range out;
    out.note(dot(unit[0], unit[1]));
    out.note(dot(unit[0], unit[2]));
    out.note(dot(unit[1], unit[2]));
    out.note(-dot(unit[0], unit[3]));
    out.note(-dot(unit[0], unit[4]));
    out.note(dot(unit[3], unit[4]));
    out.note(dot(unit[1], unit[3]));
    out.note(-dot(unit[1], unit[5]));
    out.note(-dot(unit[3], unit[5]));
    out.note(dot(unit[2], unit[4]));
    out.note(dot(unit[2], unit[5]));
    out.note(dot(unit[4], unit[5]));
    return out;
}

/// From the centroids to the faces' own, by the unit normals of the faces over the corners.
Lanes least_uprightness(const std::array<Lanes3, 4>& normal, const Edges& e) {
    const Lanes3 center = (e[0] + e[1] + e[2]) * lanes_of(0.25F);
    // From the centroid to a face's it is a third of the way from the corner over it to the centroid.
    const std::array<Lanes3, 4> away{center, center - e[0], center - e[1], center - e[2]};
    Lanes worst = lanes_of(1);
    for (std::size_t k = 0; k < 4; ++k) worst = min(worst, dot(normal[k], normalized(away[k])));
    return worst;
}

/// What the lines to the cells beyond make of orthogonality: the same seen from both sides.
Lanes least_cosine_of_faces(const Measures& m, const std::array<Index, kLanes>& cells, const MetricValues& out) {
    const std::vector<float>& cosines = out[static_cast<std::size_t>(MetricId::non_orthogonality)];
    std::array<float, kLanes> least{1, 1, 1, 1};
    for (std::size_t k = 0; k < kLanes; ++k)
        for (const Index f : m.faces.of(cells[k]))
            if (f < cosines.size()) least[k] = std::min(least[k], cosines[f]);
    return Lanes{least[0], least[1], least[2], least[3]};
}

}  // namespace

void measure_tetrahedra(const VolumeMesh& mesh, const Measures& m, const std::array<Index, kLanes>& cells,
                        MetricValues& out) {
    std::array<const Index*, kLanes> corners{};
    for (std::size_t k = 0; k < kLanes; ++k) corners[k] = mesh.cell(cells[k]).data();
    auto point = [&](std::size_t i) {
        const Vec3* p = mesh.points.data();
        return doubles_of(p[corners[0][i]], p[corners[1][i]], p[corners[2][i]], p[corners[3][i]]);
    };
    const Doubles3 p0 = point(0), p1 = point(1), p2 = point(2), p3 = point(3);
    Edges e{difference(p1, p0), difference(p2, p0), difference(p3, p0),
            difference(p2, p1), difference(p3, p1), difference(p3, p2)};
    // In units of the longest edge, so that nothing under- or overflows.
    std::array<Lanes, 6> long_;
    Lanes longest = lanes_of(0);
    for (std::size_t i = 0; i < 6; ++i) {
        long_[i] = length(e[i]);
        longest = max(longest, long_[i]);
    }
    const Lanes scale = longest > lanes_of(0) ? lanes_of(1) / longest : lanes_of(0);
    Edges unit;
    for (std::size_t i = 0; i < 6; ++i) {
        e[i] = e[i] * scale;
        long_[i] = long_[i] * scale;
        unit[i] = e[i] * (long_[i] > lanes_of(0) ? lanes_of(1) / long_[i] : lanes_of(0));
    }
    const Doubles metres3{m.cell[cells[0]].volume, m.cell[cells[1]].volume, m.cell[cells[2]].volume,
                          m.cell[cells[3]].volume};
    store(out, MetricId::volume, cells, to_lanes(metres3));
    const Doubles s = __builtin_convertvector(scale, Doubles);
    const Lanes volume = to_lanes(metres3 * s * s * s);

    const Range cosines = corner_cosines(unit);
    const Lanes smallest = degrees_of_cosine(cosines.most), largest = degrees_of_cosine(cosines.least);
    store(out, MetricId::smallest_angle, cells, smallest);
    store(out, MetricId::largest_angle, cells, largest);
    store(out, MetricId::equiangle_skewness, cells,
          max((largest - lanes_of(60)) / lanes_of(120), (lanes_of(60) - smallest) / lanes_of(60)));

    std::array<Lanes3, 4> normal{cross(e[3], e[4]), cross(e[2], e[1]), cross(e[0], e[2]), cross(e[1], e[0])};
    Lanes surface = lanes_of(0);
    for (Lanes3& n : normal) {
        surface += lanes_of(0.5F) * length(n);
        n = normalized(n);
    }
    Range dihedrals;
    for (std::size_t i = 0; i < 4; ++i)
        for (std::size_t j = i + 1; j < 4; ++j) dihedrals.note(-dot(normal[i], normal[j]));
    store(out, MetricId::smallest_dihedral, cells, degrees_of_cosine(dihedrals.most));
    store(out, MetricId::largest_dihedral, cells, degrees_of_cosine(dihedrals.least));

    const Lanes3 numerator = cross(e[1], e[2]) * (long_[0] * long_[0]) + cross(e[2], e[0]) * (long_[1] * long_[1]) +
                             cross(e[0], e[1]) * (long_[2] * long_[2]);
    const Lanes zero = lanes_of(0), one = lanes_of(1);
    const Lanes radius = length(numerator) / (lanes_of(12) * volume);
    const Lanes skewness = one - volume / (lanes_of(0.51320024F) * radius * radius * radius);  // 8 sqrt(3) / 27
    store(out, MetricId::equivolume_skewness, cells, volume > zero ? min(max(skewness, zero), one) : one);
    const Lanes aspect = surface / (lanes_of(3 * 4.89897949F) * volume);
    store(out, MetricId::aspect_ratio, cells,
          volume > zero ? aspect : lanes_of(std::numeric_limits<float>::infinity()));
    const Lanes product = max(max(long_[0] * long_[1] * long_[2], long_[0] * long_[3] * long_[4]),
                              max(long_[1] * long_[3] * long_[5], long_[2] * long_[4] * long_[5]));
    const Lanes determinant = lanes_of(8.48528137F) * volume / product;  // 6 sqrt(2)
    store(out, MetricId::corner_determinant, cells, product > zero ? max(min(determinant, one), -one) : zero);
    store(out, MetricId::orthogonality, cells, min(least_cosine_of_faces(m, cells, out), least_uprightness(normal, e)));
    store(out, MetricId::closedness, cells, zero);
}

void measure_triangles(const VolumeMesh& mesh, const Measures& m, const std::array<Index, kLanes>& faces,
                       std::size_t n_plain, MetricValues& out) {
    std::array<const Index*, kLanes> p{};
    std::array<const Measures::Cell*, kLanes> own{}, other{};
    for (std::size_t k = 0; k < kLanes; ++k) {
        p[k] = mesh.face_points.data() + mesh.face_offsets[faces[k]];
        own[k] = &m.cell[mesh.owner[faces[k]]];
        other[k] = &m.cell[mesh.neighbour[faces[k]]];
    }
    auto point = [&](std::size_t i) {
        const Vec3* q = mesh.points.data();
        return doubles_of(q[p[0][i]], q[p[1][i]], q[p[2][i]], q[p[3][i]]);
    };
    const Doubles3 a = point(0), b = point(1), c = point(2);
    const Doubles3 near = doubles_of(own[0]->center, own[1]->center, own[2]->center, own[3]->center);
    const Doubles3 far = doubles_of(other[0]->center, other[1]->center, other[2]->center, other[3]->center);
    const Doubles third{1.0 / 3, 1.0 / 3, 1.0 / 3, 1.0 / 3};
    const Doubles3 middle{(a.x + b.x + c.x) * third, (a.y + b.y + c.y) * third, (a.z + b.z + c.z) * third};
    const Lanes3 u = difference(b, a), v = difference(c, a), below = difference(middle, near),
                 line = difference(far, near);
    const Doubles x{own[0]->volume, own[1]->volume, own[2]->volume, own[3]->volume},
        y{other[0]->volume, other[1]->volume, other[2]->volume, other[3]->volume};
    const Doubles none{0, 0, 0, 0};
    const Doubles smaller = x < y ? x : y;
    const Lanes volume_ratio = to_lanes((x < y ? y : x) / (smaller > none ? smaller : none));
    constexpr float kNan = std::numeric_limits<float>::quiet_NaN();
    Lanes within = lanes_of(0);  // NaN between two regions
    if (*std::max_element(faces.begin(), faces.end()) >= n_plain)
        for (std::size_t k = 0; k < kLanes; ++k)
            if (faces[k] >= n_plain) within[k] = kNan;
    const Lanes zero = lanes_of(0);
    const Lanes3 n = normalized(cross(normalized(u), normalized(v)));
    const Lanes apart = length(line), along = dot(n, line), depth = dot(n, below);
    store(out, MetricId::non_orthogonality, faces, dot(n, normalized(line)));
    const Lanes share = along != zero ? depth / along : lanes_of(0.5F);
    store(out, MetricId::face_skewness, faces, apart > zero ? length(line * share - below) / apart : zero);
    store(out, MetricId::volume_ratio, faces, volume_ratio + within);
    const Lanes one_side = depth < zero ? -depth : depth;
    const Lanes rest = along - depth, other_side = rest < zero ? -rest : rest;
    store(out, MetricId::size_growth, faces, max(one_side, other_side) / min(one_side, other_side) + within);
}

void cosines_to_degrees(std::vector<float>& list) {
    for (std::size_t i = 0; i < list.size(); i += kLanes) {
        Lanes v = lanes_of(1);
        const std::size_t n = std::min(kLanes, list.size() - i);
        for (std::size_t k = 0; k < n; ++k) v[k] = list[i + k];
        v = degrees_of_cosine(v);
        for (std::size_t k = 0; k < n; ++k) list[i + k] = v[k];
    }
}

}  // namespace anvilcast::quality
