#include "tets/kernel.hpp"

#include <anvilcast/delaunay.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>

#include "robust/filters.hpp"
#include "tets/spatial_order.hpp"

namespace anvilcast::tets {

namespace {

/// Membership of the cavity is noted in the last bit of a bound of the cached sphere, which is at hand anyway; the
/// bounds leave room for more than that bit. The spheres of the cavity are overwritten at the end of each insertion,
/// and with them the marks.
bool is_marked(const Sphere& s) { return (std::bit_cast<std::uint32_t>(s.inside_below) & 1U) != 0; }
void mark(Sphere& s, bool member) {
    s.inside_below =
        std::bit_cast<float>(std::bit_cast<std::uint32_t>(s.inside_below) | static_cast<std::uint32_t>(member));
}
void unmark(Sphere& s) { s.inside_below = std::bit_cast<float>(std::bit_cast<std::uint32_t>(s.inside_below) & ~1U); }

/// Of three corners, those of the side opposite to the m-th are the entries m and m + 1.
constexpr std::array<std::size_t, 4> kNextOfThree{1, 2, 0, 1};

}  // namespace

Kernel::Kernel(const std::vector<Vec3>& points, const std::vector<Index>& order, const Context& context) {
    vertices_.reserve(points.size() + 1);
    vertices_.push_back({});
    for (const Index i : order) vertices_.push_back({points[i]});
    cells_.reserve(7 * vertices_.size());

    make_first_tetrahedron();
    const std::size_t n = vertices_.size();
    for (Index v = 1; v < n; ++v) {
        if ((v & 0xFFFU) == 0) context.check_stop();
        if (vertices_[v].stamp != kNone) insert(v);
    }
}

std::size_t Kernel::bytes() const { return vertices_.capacity() * sizeof(Vertex) + cells_.capacity() * sizeof(Cell); }

std::vector<Vec3> Kernel::points() const {
    std::vector<Vec3> points(vertices_.size());
    std::transform(vertices_.begin(), vertices_.end(), points.begin(), [](const Vertex& v) { return v.place; });
    return points;
}

std::vector<Tet> Kernel::tets() const {
    std::vector<Tet> tets(cells_.size());
    std::transform(cells_.begin(), cells_.end(), tets.begin(), [](const Cell& c) { return c.tet; });
    return tets;
}

Sphere Kernel::sphere_of(const Tet& t) const {
    if (t.is_ghost()) return undecided_sphere();
    return circumsphere(vertices_[t.v[0]].place, vertices_[t.v[1]].place, vertices_[t.v[2]].place,
                        vertices_[t.v[3]].place);
}

/// The first point and the first three after it that span space; vertices_[v].stamp == kNone marks them as in.
void Kernel::make_first_tetrahedron() {
    const auto n = static_cast<Index>(vertices_.size());
    auto collinear = [this](Index a, Index b, Index c) {
        const Vec3 &p = vertices_[a].place, &q = vertices_[b].place, &r = vertices_[c].place;
        return orient2d({p.x, p.y}, {q.x, q.y}, {r.x, r.y}) == 0 && orient2d({p.y, p.z}, {q.y, q.z}, {r.y, r.z}) == 0 &&
               orient2d({p.z, p.x}, {q.z, q.x}, {r.z, r.x}) == 0;
    };
    const Index a = 1;
    Index b = 2;
    while (b < n && vertices_[b].place == vertices_[a].place) ++b;
    Index c = b + 1;
    while (c < n && collinear(a, b, c)) ++c;
    Index d = c + 1;
    while (d < n && orient3d(vertices_[a].place, vertices_[b].place, vertices_[c].place, vertices_[d].place) == 0) ++d;
    if (d >= n) throw GeometryError("all points lie in one plane: there is no volume to fill");
    if (orient3d(vertices_[a].place, vertices_[b].place, vertices_[c].place, vertices_[d].place) < 0) std::swap(b, c);

    cells_.push_back({{{a, b, c, d}, {}}, {}});
    for (int i = 0; i < 4; ++i) {
        Tet ghost = cells_[0].tet;
        // Replacing the corner by the ghost on the far side mirrors the tetrahedron: swap two others.
        ghost.v[i] = kGhost;
        std::swap(ghost.v[(i + 1) & 3], ghost.v[(i + 2) & 3]);
        cells_.push_back({ghost, {}});
    }
    // Five tetrahedra: join by brute force over equal faces.
    auto face_key = [this](Index t, int f) {
        std::array<Index, 3> key{cells_[t].tet.v[kFace[f][0]], cells_[t].tet.v[kFace[f][1]],
                                 cells_[t].tet.v[kFace[f][2]]};
        std::sort(key.begin(), key.end());
        return key;
    };
    for (Index s = 0; s < 5; ++s)
        for (int f = 0; f < 4; ++f)
            for (Index t = 0; t < 5; ++t)
                for (int g = 0; g < 4; ++g)
                    if (s != t && face_key(s, f) == face_key(t, g)) cells_[s].tet.n[f] = code_of(t, g);
    for (Cell& cell : cells_) {
        cell.sphere = sphere_of(cell.tet);
        unmark(cell.sphere);
    }
    for (const Index v : {a, b, c, d}) vertices_[v].stamp = kNone;
}

bool Kernel::conflicts(Index t, const Vec3& p) const {
    const Sphere& s = cells_[t].sphere;
    const double d = distance_squared(p, s.center);
    if (d > s.outside_above) return false;
    if (d < s.inside_below) return true;
    return conflicts_exactly(t, p);
}

/// A ghost is in conflict when its hull face is seen from p; in the face's own plane, when the finite
/// tetrahedron behind the face is (both spheres cut the plane in the same circle).
bool Kernel::conflicts_exactly(Index t, const Vec3& p) const {
    const Tet& tet = cells_[t].tet;
    if (!tet.is_ghost())
        return insphere(vertices_[tet.v[0]].place, vertices_[tet.v[1]].place, vertices_[tet.v[2]].place,
                        vertices_[tet.v[3]].place, p) > 0;
    const int g = tet.index_of(kGhost);
    const int side = orient3d(vertices_[tet.v[kFace[g][0]]].place, vertices_[tet.v[kFace[g][1]]].place,
                              vertices_[tet.v[kFace[g][2]]].place, p);
    if (side != 0) return side > 0;
    return conflicts(tet_of(tet.n[g]), p);
}

/// Walks towards p until a tetrahedron in conflict with p is met (it belongs to the cavity, which is
/// connected), or all the way. The order of the faces is random, which keeps the walk from circling.
template <bool kStopsInConflict>
Index Kernel::walk_to(const Vec3& p) {
    Index t = last_;
    if (cells_[t].tet.is_ghost()) t = tet_of(cells_[t].tet.n[cells_[t].tet.index_of(kGhost)]);
    int from = -1;
    while (true) {
        const Tet& tet = cells_[t].tet;
        if (tet.is_ghost()) return t;
        const Sphere& s = cells_[t].sphere;
        if (kStopsInConflict && distance_squared(p, s.center) < s.inside_below) return t;
        random_ = random_ * 1664525U + 1013904223U;
        const int first = static_cast<int>(random_ >> 30);
        int exit = -1;
        for (int k = 0; k < 4; ++k) {
            const int f = (first + k) & 3;
            if (f == from) continue;
            if (robust::orient3d_fast(vertices_[tet.v[kFace[f][0]]].place, vertices_[tet.v[kFace[f][1]]].place,
                                      vertices_[tet.v[kFace[f][2]]].place, p) < 0) {
                exit = f;
                break;
            }
        }
        if (exit < 0) return t;
        from = face_of(tet.n[exit]);
        t = tet_of(tet.n[exit]);
    }
}

/// All tetrahedra in conflict with p, and the faces around them. The four neighbours of a tetrahedron are
/// tested without a branch on the outcome (it is random: mispredictions were the largest cost); only the
/// rare undecided test branches. Both lists have room for four more entries at any time.
void Kernel::gather_cavity(Index start, const Vec3& p) {
    std::size_t n_cavity = 1, n_faces = 0, n_fetched = 0;
    if (cavity_.size() < 64) cavity_.resize(64);
    if (faces_.size() < 64) faces_.resize(64);
    cavity_[0] = start;
    mark(cells_[start].sphere, true);
    Cell* const cells = cells_.data();
    const Vec3 q = p;
    for (std::size_t k = 0; k < n_cavity; ++k) {
        if (cavity_.size() < n_cavity + 4) cavity_.resize(2 * cavity_.size());
        if (faces_.size() < n_faces + 4) faces_.resize(2 * faces_.size());
        Index* const cavity = cavity_.data();
        CavityFace* const faces = faces_.data();
        const Index t = cavity[k];
        const Tet tet = cells[t].tet;
        // What the next rounds will look at is on its way while this one computes.
        for (; n_fetched < std::min(n_cavity, k + 4); ++n_fetched)
            for (const Index code : cells[cavity[n_fetched]].tet.n) __builtin_prefetch(&cells[tet_of(code)], 1);
        for (int f = 0; f < 4; ++f) {
            const Index code = tet.n[f];
            const Index next = tet_of(code);
            Sphere& s = cells[next].sphere;
            const double d = distance_squared(q, s.center);
            const bool unknown = !is_marked(s);
            bool in = d < s.inside_below;
            if (unknown & !in & !(d > s.outside_above)) [[unlikely]]
                in = conflicts_exactly(next, q);
            const bool add = unknown & in;
            cavity[n_cavity] = next;
            n_cavity += add;
            mark(s, add);
            faces[n_faces] = {t, code, f};
            n_faces += static_cast<std::size_t>(unknown & !in);
        }
    }
    n_cavity_ = n_cavity;
    n_faces_ = n_faces;
}

/// Numbers the vertices of the cavity's surface from 0; the stamp tells an old number from a new one.
inline Index Kernel::local_number(Index vertex, Index stamp) {
    Vertex& v = vertices_[vertex];
    if (v.stamp != stamp) {
        v.stamp = stamp;
        v.number = n_local_++;
    }
    return v.number;
}

/// Cuts the list of slots to the number of the star's tetrahedra: the cavity's own first, then free ones.
void Kernel::provide_slots() {
    if (cavity_.size() < n_faces_) cavity_.resize(2 * n_faces_);
    for (std::size_t k = n_faces_; k < n_cavity_; ++k) {
        cells_[cavity_[k]].tet.v[0] = kNone;
        free_.push_back(cavity_[k]);
    }
    for (std::size_t k = n_cavity_; k < n_faces_; ++k) {
        if (!free_.empty()) {
            cavity_[k] = free_.back();
            free_.pop_back();
        } else {
            cavity_[k] = static_cast<Index>(cells_.size());
            require_room_for(cells_.size() + 1);
            cells_.emplace_back();
        }
    }
}

/// Joins the star's tetrahedra over the edges of the cavity's surface: each edge is seen from its two sides in opposite
/// directions. `table`: of the directed edge from local vertex a to b, at a * kSide + b, the face there.
template <std::size_t kSide>
void Kernel::join_star(std::vector<std::uint16_t>& table) {
    table.resize(kSide * kSide);
    std::uint16_t* const at = table.data();
    const CavityFace* const faces = faces_.data();
    const LocalFace* const local = local_.data();
    const std::size_t n = n_faces_;
    for (std::size_t k = 0; k < n; ++k) {
        const LocalFace& v = local[k];
        for (std::size_t m = 0; m < 3; ++m)
            at[v[kNextOfThree[m]] * kSide + v[kNextOfThree[m + 1]]] = static_cast<std::uint16_t>(3 * k + m);
    }
    const Index* const slots = cavity_.data();
    Cell* const cells = cells_.data();
    Tet* const fresh = fresh_.data();
    for (std::size_t k = 0; k < n; ++k) {
        const LocalFace& v = local[k];
        Tet& tet = fresh[k];
        const int i = faces[k].face;
        for (std::size_t m = 0; m < 3; ++m) {
            const std::uint16_t other = at[v[kNextOfThree[m + 1]] * kSide + v[kNextOfThree[m]]];
            tet.n[kFace[i][m]] = code_of(slots[other / 3], kFace[faces[other / 3].face][other % 3]);
        }
        cells[slots[k]].tet = tet;
        cells[tet_of(faces[k].outside)].tet.n[face_of(faces[k].outside)] = code_of(slots[k], i);
    }
}

/// The same for stars of any size.
void Kernel::join_large_star() {
    struct Half {
        Index a, b;
        std::size_t side;
        bool operator<(const Half& o) const { return a != o.a ? a < o.a : b < o.b; }
    };
    std::vector<Half> halves;
    for (std::size_t k = 0; k < n_faces_; ++k)
        for (std::size_t m = 0; m < 3; ++m)
            halves.push_back({fresh_[k].v[kFace[faces_[k].face][kNextOfThree[m]]],
                              fresh_[k].v[kFace[faces_[k].face][kNextOfThree[m + 1]]], 3 * k + m});
    std::sort(halves.begin(), halves.end());
    for (const Half& h : halves) {
        const std::size_t other = std::lower_bound(halves.begin(), halves.end(), Half{h.b, h.a, 0})->side;
        fresh_[h.side / 3].n[kFace[faces_[h.side / 3].face][h.side % 3]] =
            code_of(cavity_[other / 3], kFace[faces_[other / 3].face][other % 3]);
    }
    for (std::size_t k = 0; k < n_faces_; ++k) {
        cells_[cavity_[k]].tet = fresh_[k];
        cells_[tet_of(faces_[k].outside)].tet.n[face_of(faces_[k].outside)] = code_of(cavity_[k], faces_[k].face);
    }
}

/// Refills the cavity with the star of the vertex. Each new tetrahedron is an old one of the cavity's rim
/// with one corner replaced by the vertex, which keeps its orientation.
void Kernel::fill_cavity(Index vertex) {
    const std::size_t n = n_faces_;
    if (fresh_.size() < n) {
        fresh_.resize(2 * n);
        local_.resize(2 * n);
    }
    n_local_ = 0;
    const CavityFace* const faces = faces_.data();
    Tet* const fresh = fresh_.data();
    LocalFace* const local = local_.data();
    Cell* const cells = cells_.data();
    for (std::size_t k = 0; k < n; ++k) {
        const CavityFace face = faces[k];
        fresh[k] = cells[face.inside].tet;
        for (std::size_t m = 0; m < 3; ++m)
            local[k][m] = static_cast<std::uint16_t>(local_number(fresh[k].v[kFace[face.face][m]], vertex));
        fresh[k].v[face.face] = vertex;
        fresh[k].n[face.face] = face.outside;
    }
    provide_slots();
    constexpr std::size_t kSmall = 32, kMiddle = 256;
    if (n_local_ <= kSmall)
        join_star<kSmall>(small_table_);
    else if (n_local_ <= kMiddle)
        join_star<kMiddle>(middle_table_);
    else
        join_large_star();
    update_spheres();
    last_ = cavity_[0];
}

void Kernel::update_spheres() {
    for (std::size_t first = 0; first < n_faces_; first += SphereBatch::kSize) {
        const std::size_t n = std::min(SphereBatch::kSize, n_faces_ - first);
        for (std::size_t k = 0; k < n; ++k) {
            const Tet& t = fresh_[first + k];
            for (std::size_t c = 0; c < 4; ++c) batch_.set(k, c, vertices_[t.v[c]].place);
        }
        compute_spheres(batch_, n);
        for (std::size_t k = 0; k < n; ++k) {
            Sphere& s = cells_[cavity_[first + k]].sphere;
            s = fresh_[first + k].is_ghost() ? undecided_sphere() : batch_.sphere(k);
            unmark(s);
        }
    }
}

/// False when there is an equal point already.
bool Kernel::insert(Index vertex) {
    const Vec3& p = vertices_[vertex].place;
    const Index start = locate(p);
    for (const Index v : cells_[start].tet.v)
        if (v != kGhost && vertices_[v].place == p) return false;
    // The containing tetrahedron is not in conflict only when p lies on its sphere, that is on a corner
    // of it, or equals a corner of a neighbour reached over a shared face: a duplicate.
    if (!conflicts(start, p)) return false;
    gather_cavity(start, p);
    fill_cavity(vertex);
    return true;
}

Index Kernel::find(const Vec3& p, Index near) {
    last_ = near;
    return walk_to<false>(p);
}

std::optional<Index> Kernel::add(const Vec3& p, Index near) {
    last_ = near;
    const auto vertex = static_cast<Index>(vertices_.size());
    vertices_.push_back({p});
    if (insert(vertex)) return vertex;
    vertices_.pop_back();
    return std::nullopt;
}

}  // namespace anvilcast::tets

namespace anvilcast {

DelaunayMesh delaunay(const std::vector<Vec3>& points, const Context& context) {
    for (std::size_t i = 0; i < points.size(); ++i)
        for (const double c : {points[i].x, points[i].y, points[i].z})
            if (!(std::abs(c) <= kMaxCoordinate) || (c != 0 && std::abs(c) < kMinCoordinate))
                throw InputError(
                    fmt::format("point {} has a coordinate ({}) outside the range of exact decisions", i, c));
    const std::vector<Index> order = tets::insertion_order(points);
    tets::Kernel triangulation(points, order, context);
    DelaunayMesh mesh;
    mesh.peak_bytes = triangulation.bytes();
    mesh.tetrahedra.reserve(triangulation.n_slots());
    advise_large_pages(mesh.tetrahedra.data(), mesh.tetrahedra.capacity() * sizeof(mesh.tetrahedra[0]));
    for (Index i = 0; i < triangulation.n_slots(); ++i) {
        const tets::Tet& t = triangulation.tet(i);
        if (t.is_free() || t.is_ghost()) continue;
        mesh.tetrahedra.push_back({order[t.v[0] - 1], order[t.v[1] - 1], order[t.v[2] - 1], order[t.v[3] - 1]});
    }
    return mesh;
}

}  // namespace anvilcast
