#include "fill/kernel.hpp"

#include <anvilcast/delaunay.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "fill/spatial_order.hpp"

namespace anvilcast::fill {

Kernel::Kernel(const std::vector<Vec3>& points, const std::vector<Index>& order, const Context& context) {
    points_.reserve(points.size() + 1);
    points_.push_back({});
    for (const Index i : order) points_.push_back(points[i]);
    local_.resize(points_.size());
    tets_.reserve(7 * points_.size());
    spheres_.reserve(7 * points_.size());
    in_cavity_.reserve(7 * points_.size());

    make_first_tetrahedron();
    const std::size_t n = points_.size();
    for (Index v = 1; v < n; ++v) {
        if ((v & 0xFFFU) == 0) context.check_stop();
        if (local_[v].stamp != kNone) insert(v);
    }
}

std::size_t Kernel::bytes() const {
    return points_.capacity() * sizeof(Vec3) + tets_.capacity() * sizeof(Tet) +
           spheres_.capacity() * sizeof(Sphere) + in_cavity_.capacity() + local_.capacity() * sizeof(LocalNumber);
}

Sphere Kernel::sphere_of(const Tet& t) const {
    if (t.is_ghost()) return undecided_sphere();
    return circumsphere(points_[t.v[0]], points_[t.v[1]], points_[t.v[2]], points_[t.v[3]]);
}

/// The first point and the first three after it that span space; local_[v].stamp == kNone marks them as in.
void Kernel::make_first_tetrahedron() {
    const auto n = static_cast<Index>(points_.size());
    auto collinear = [this](Index a, Index b, Index c) {
        const Vec3 &p = points_[a], &q = points_[b], &r = points_[c];
        return orient2d({p.x, p.y}, {q.x, q.y}, {r.x, r.y}) == 0 && orient2d({p.y, p.z}, {q.y, q.z}, {r.y, r.z}) == 0 &&
               orient2d({p.z, p.x}, {q.z, q.x}, {r.z, r.x}) == 0;
    };
    const Index a = 1;
    Index b = 2;
    while (b < n && points_[b] == points_[a]) ++b;
    Index c = b + 1;
    while (c < n && collinear(a, b, c)) ++c;
    Index d = c + 1;
    while (d < n && orient3d(points_[a], points_[b], points_[c], points_[d]) == 0) ++d;
    if (d >= n) throw GeometryError("all points lie in one plane: there is no volume to fill");
    if (orient3d(points_[a], points_[b], points_[c], points_[d]) < 0) std::swap(b, c);

    tets_.push_back({{a, b, c, d}, {}});
    for (int i = 0; i < 4; ++i) {
        Tet ghost = tets_[0];
        // Replacing the corner by the ghost on the far side mirrors the tetrahedron: swap two others.
        ghost.v[i] = kGhost;
        std::swap(ghost.v[(i + 1) & 3], ghost.v[(i + 2) & 3]);
        tets_.push_back(ghost);
    }
    // Five tetrahedra: join by brute force over equal faces.
    auto face_key = [this](Index t, int f) {
        std::array<Index, 3> key{tets_[t].v[kFace[f][0]], tets_[t].v[kFace[f][1]], tets_[t].v[kFace[f][2]]};
        std::sort(key.begin(), key.end());
        return key;
    };
    for (Index s = 0; s < 5; ++s)
        for (int f = 0; f < 4; ++f)
            for (Index t = 0; t < 5; ++t)
                for (int g = 0; g < 4; ++g)
                    if (s != t && face_key(s, f) == face_key(t, g)) tets_[s].n[f] = code_of(t, g);
    for (const Tet& t : tets_) spheres_.push_back(sphere_of(t));
    in_cavity_.assign(5, 0);
    for (const Index v : {a, b, c, d}) local_[v].stamp = kNone;
}

bool Kernel::conflicts(Index t, const Vec3& p) const {
    const Sphere& s = spheres_[t];
    const double d = distance_squared(p, s.center);
    if (d > s.outside_above) return false;
    if (d < s.inside_below) return true;
    return conflicts_exactly(t, p);
}

/// A ghost is in conflict when its hull face is seen from p; in the face's own plane, when the finite
/// tetrahedron behind the face is (both spheres cut the plane in the same circle).
bool Kernel::conflicts_exactly(Index t, const Vec3& p) const {
    const Tet& tet = tets_[t];
    if (!tet.is_ghost())
        return insphere(points_[tet.v[0]], points_[tet.v[1]], points_[tet.v[2]], points_[tet.v[3]], p) > 0;
    const int g = tet.index_of(kGhost);
    const int side = orient3d(points_[tet.v[kFace[g][0]]], points_[tet.v[kFace[g][1]]], points_[tet.v[kFace[g][2]]], p);
    if (side != 0) return side > 0;
    return conflicts(tet_of(tet.n[g]), p);
}

/// Walks towards p until a tetrahedron in conflict with p is met (it belongs to the cavity, which is
/// connected). The order of the faces is random, which keeps the walk from circling.
Index Kernel::locate(const Vec3& p) {
    Index t = last_;
    if (tets_[t].is_ghost()) t = tet_of(tets_[t].n[tets_[t].index_of(kGhost)]);
    int from = -1;
    while (true) {
        const Tet& tet = tets_[t];
        if (tet.is_ghost()) return t;
        const Sphere& s = spheres_[t];
        if (distance_squared(p, s.center) < s.inside_below) return t;
        random_ = random_ * 1664525U + 1013904223U;
        const int first = static_cast<int>(random_ >> 30);
        int exit = -1;
        for (int k = 0; k < 4; ++k) {
            const int f = (first + k) & 3;
            if (f == from) continue;
            if (orient3d(points_[tet.v[kFace[f][0]]], points_[tet.v[kFace[f][1]]], points_[tet.v[kFace[f][2]]], p) < 0) {
                exit = f;
                break;
            }
        }
        if (exit < 0) return t;
        from = face_of(tet.n[exit]);
        t = tet_of(tet.n[exit]);
    }
}

/// False when p equals a point already in (then nothing is changed).
bool Kernel::gather_cavity(Index start, const Vec3& p) {
    cavity_.clear();
    faces_.clear();
    cavity_.push_back(start);
    in_cavity_[start] = 1;
    for (std::size_t k = 0; k < cavity_.size(); ++k) {
        const Index t = cavity_[k];
        for (int f = 0; f < 4; ++f) {
            const Index code = tets_[t].n[f];
            const Index next = tet_of(code);
            if (in_cavity_[next] != 0) continue;
            if (conflicts(next, p)) {
                in_cavity_[next] = 1;
                cavity_.push_back(next);
            } else {
                faces_.push_back({t, code, f});
            }
        }
    }
    return true;
}

Index Kernel::local_number(Index vertex, Index stamp) {
    LocalNumber& l = local_[vertex];
    if (l.stamp != stamp) l = {stamp, n_local_++};
    return l.number;
}

/// The cavity's slots are used again for the star; each new tetrahedron is an old one of the cavity's rim
/// with one corner replaced by the new vertex, which keeps its orientation.
void Kernel::fill_cavity(Index vertex) {
    const std::size_t n_new = faces_.size();
    star_.resize(n_new);
    std::vector<Index>& slots = cavity_;
    while (slots.size() < n_new) {
        if (!free_.empty()) {
            slots.push_back(free_.back());
            free_.pop_back();
        } else {
            slots.push_back(static_cast<Index>(tets_.size()));
            tets_.emplace_back();
            spheres_.emplace_back();
            in_cavity_.push_back(0);
        }
    }
    // First copy what is needed of the old tetrahedra, for their slots are about to be overwritten.
    static thread_local std::vector<Tet> fresh;
    fresh.resize(n_new);
    for (std::size_t k = 0; k < n_new; ++k) {
        const CavityFace& face = faces_[k];
        fresh[k] = tets_[face.inside];
        fresh[k].v[face.face] = vertex;
        fresh[k].n[face.face] = face.outside;
    }
    for (std::size_t k = 0; k < n_new; ++k) {
        const Index slot = slots[k];
        star_[k] = slot;
        tets_[slot] = fresh[k];
        in_cavity_[slot] = 0;
        tets_[tet_of(faces_[k].outside)].n[face_of(faces_[k].outside)] = code_of(slot, faces_[k].face);
        spheres_[slot] = sphere_of(fresh[k]);
    }
    for (std::size_t k = n_new; k < slots.size(); ++k) {
        tets_[slots[k]].v[0] = kNone;
        in_cavity_[slots[k]] = 0;
        free_.push_back(slots[k]);
    }
}

/// Joins the star's tetrahedra to each other: each edge of the cavity's surface, seen from its two sides
/// in opposite directions, leads to the two that share it.
void Kernel::join_star(Index vertex) {
    n_local_ = 0;
    const Index stamp = vertex;
    constexpr Index kStride = 64;
    static thread_local std::vector<std::array<Index, 3>> long_table;
    long_table.clear();
    if (edge_table_.empty()) edge_table_.resize(static_cast<std::size_t>(kStride) * kStride);
    for (std::size_t k = 0; k < star_.size(); ++k) {
        const Tet& tet = tets_[star_[k]];
        const int i = faces_[k].face;
        Index number[4];
        for (int j = 0; j < 4; ++j)
            if (j != i) number[j] = local_number(tet.v[j], stamp);
        for (int j = 0; j < 4; ++j) {
            if (j == i) continue;
            const Index a = number[kOthers[i][j][0]], b = number[kOthers[i][j][1]];
            if (a < kStride && b < kStride)
                edge_table_[static_cast<std::size_t>(a) * kStride + b] = code_of(star_[k], j);
            else
                long_table.push_back({a, b, code_of(star_[k], j)});
        }
    }
    std::sort(long_table.begin(), long_table.end());
    for (std::size_t k = 0; k < star_.size(); ++k) {
        Tet& tet = tets_[star_[k]];
        const int i = faces_[k].face;
        for (int j = 0; j < 4; ++j) {
            if (j == i) continue;
            const Index a = local_[tet.v[kOthers[i][j][0]]].number, b = local_[tet.v[kOthers[i][j][1]]].number;
            if (a < kStride && b < kStride) {
                tet.n[j] = edge_table_[static_cast<std::size_t>(b) * kStride + a];
            } else {
                const std::array<Index, 3> key{b, a, 0};
                tet.n[j] = (*std::lower_bound(long_table.begin(), long_table.end(), key))[2];
            }
        }
    }
}

void Kernel::insert(Index vertex) {
    const Vec3& p = points_[vertex];
    const Index start = locate(p);
    for (const Index v : tets_[start].v)
        if (v != kGhost && points_[v] == p) return;
    if (!conflicts(start, p)) {
        // The containing tetrahedron is not in conflict only when p lies on its sphere, that is on a corner
        // of it, or equals a corner of a neighbour reached over a shared face: a duplicate.
        return;
    }
    gather_cavity(start, p);
    fill_cavity(vertex);
    join_star(vertex);
    last_ = star_.front();
}

}  // namespace anvilcast::fill

namespace anvilcast {

DelaunayMesh delaunay(const std::vector<Vec3>& points, const Context& context) {
    for (std::size_t i = 0; i < points.size(); ++i)
        for (const double c : {points[i].x, points[i].y, points[i].z})
            if (!(std::abs(c) <= kMaxCoordinate) || (c != 0 && std::abs(c) < kMinCoordinate))
                throw InputError(fmt::format("point {} has a coordinate ({}) outside the range of exact decisions", i, c));
    const std::vector<Index> order = fill::insertion_order(points);
    fill::Kernel kernel(points, order, context);
    DelaunayMesh mesh;
    mesh.peak_bytes = kernel.bytes();
    for (const fill::Tet& t : kernel.tets()) {
        if (t.is_free() || t.is_ghost()) continue;
        mesh.tetrahedra.push_back({order[t.v[0] - 1], order[t.v[1] - 1], order[t.v[2] - 1], order[t.v[3] - 1]});
    }
    return mesh;
}

}  // namespace anvilcast
