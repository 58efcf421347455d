#include "fill/tet_complex.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <anvilcast/errors.hpp>

namespace anvilcast::fill {
namespace {

constexpr TetComplex::Tags kNoTags{kNone, kNone, kNone, kNone};

std::array<Index, 3> sorted_face(const Index* v, int f) {
    std::array<Index, 3> key{v[kFace[f][0]], v[kFace[f][1]], v[kFace[f][2]]};
    if (key[0] > key[1]) std::swap(key[0], key[1]);
    if (key[1] > key[2]) std::swap(key[1], key[2]);
    if (key[0] > key[1]) std::swap(key[0], key[1]);
    return key;
}

/// A small hash of faces waiting for their other side. Cleared by a stamp, grows as needed.
class FaceTable {
  public:
    struct Entry {
        std::array<Index, 3> key;
        std::uint32_t stamp = 0;
        Index code = kNone;  // of the side that was seen first; kNone at the boundary
        Index tag = kNone;
        bool matched = false;
    };
    void begin(std::size_t n_faces) {
        std::size_t size = 64;
        while (size < 4 * n_faces) size *= 2;
        if (size > entries_.size()) entries_.assign(size, {});
        ++stamp_;
    }
    Entry& at(const std::array<Index, 3>& key, bool& is_new) {
        const std::size_t mask = entries_.size() - 1;
        std::size_t i =
            (key[0] * 0x9E3779B97F4A7C15ULL ^ key[1] * 0xC2B2AE3D27D4EB4FULL ^ key[2] * 0x165667B19E3779F9ULL) >> 17;
        for (;; ++i) {
            Entry& e = entries_[i & mask];
            if (e.stamp != stamp_) {
                e = {key, stamp_, kNone, kNone, false};
                is_new = true;
                return e;
            }
            if (e.key[0] == key[0] && e.key[1] == key[1] && e.key[2] == key[2]) {
                is_new = false;
                return e;
            }
        }
    }

  private:
    std::vector<Entry> entries_;
    std::uint32_t stamp_ = 0;
};

/// Directed edges waiting for the one that runs the other way.
class EdgeTable {
  public:
    void begin(std::size_t n) {
        std::size_t size = 256;
        while (size < 2 * n) size *= 2;
        if (size > entries_.size()) entries_.assign(size, {});
        ++stamp_;
        n_waiting_ = 0;
    }
    /// What was given with the edge ba; kNone when that is still to come, and then `code` waits for it.
    Index meet(Index a, Index b, Index code) {
        if (const Index other = find(b, a)) return --n_waiting_, entries_[other - 1].code;
        const std::size_t mask = entries_.size() - 1;
        std::size_t i = place(a, b) & mask;
        while (entries_[i].stamp == stamp_) i = (i + 1) & mask;
        entries_[i] = {a, b, code, stamp_};
        ++n_waiting_;
        return kNone;
    }
    bool all_met() const { return n_waiting_ == 0; }

  private:
    struct Entry {
        Index a, b, code;
        std::uint32_t stamp = 0;
    };
    static std::size_t place(Index a, Index b) { return (a * 0x9E3779B97F4A7C15ULL ^ b * 0xC2B2AE3D27D4EB4FULL) >> 20; }
    /// One more than its place; 0 when it is not there.
    Index find(Index a, Index b) const {
        const std::size_t mask = entries_.size() - 1;
        for (std::size_t i = place(a, b) & mask; entries_[i].stamp == stamp_; i = (i + 1) & mask)
            if (entries_[i].a == a && entries_[i].b == b) return static_cast<Index>(i + 1);
        return 0;
    }

    std::vector<Entry> entries_;
    std::uint32_t stamp_ = 0;
    std::size_t n_waiting_ = 0;
};

}  // namespace

TetComplex::TetComplex(std::vector<Vec3> points, std::vector<Tet> tets)
    : TetComplex(std::move(points), std::move(tets), {}) {}

TetComplex::TetComplex(std::vector<Vec3> points, std::vector<Tet> tets, std::vector<Tags> tags)
    : points_(std::move(points)),
      tets_(std::move(tets)),
      tags_(std::move(tags)),
      tet_at_(points_.size(), kNone),
      mark_(tets_.size(), 0) {
    tags_.resize(tets_.size(), kNoTags);
    for (Index t = 0; t < tets_.size(); ++t) {
        if (tets_[t].is_free()) {
            free_.push_back(t);
            continue;
        }
        for (const Index v : tets_[t].v) tet_at_[v] = t;
    }
}

Index TetComplex::add_point(const Vec3& p) {
    points_.push_back(p);
    tet_at_.push_back(kNone);
    return static_cast<Index>(points_.size() - 1);
}

void TetComplex::drop_last_point() {
    points_.pop_back();
    tet_at_.pop_back();
}

void TetComplex::set_tag(Index t, int face, Index tag) {
    tags_[t][static_cast<std::size_t>(face)] = tag;
    const Index code = tets_[t].n[face];
    if (code != kNone) tags_[tet_of(code)][static_cast<std::size_t>(face_of(code))] = tag;
}

bool TetComplex::peel(Index t) {
    const Tet tet = tets_[t];
    std::array<int, 4> outer{}, inner{};
    std::size_t n_outer = 0, n_inner = 0;
    for (int f = 0; f < 4; ++f) {
        if (tet.n[f] == kNone)
            outer[n_outer++] = f;
        else if (tag(t, f) == kNone)
            inner[n_inner++] = f;
    }
    if (n_outer != 2 || n_inner != 2) return false;
    for (std::size_t k = 0; k < 2; ++k) {
        const Index code = tet.n[inner[k]];
        tets_[tet_of(code)].n[face_of(code)] = kNone;
        tags_[tet_of(code)][static_cast<std::size_t>(face_of(code))] = tag(t, outer[k]);
        for (const int v : kFace[inner[k]]) tet_at_[tet.v[v]] = tet_of(code);
    }
    tets_[t].v[0] = kNone;
    tags_[t] = kNoTags;
    free_.push_back(t);
    return true;
}

Index TetComplex::allocate() {
    if (!free_.empty()) {
        const Index t = free_.back();
        free_.pop_back();
        return t;
    }
    tets_.emplace_back();
    tags_.push_back(kNoTags);
    mark_.push_back(0);
    return static_cast<Index>(tets_.size() - 1);
}

const std::vector<Index>& TetComplex::star(Index v) const {
    star_.clear();
    const Index first = tet_at_[v];
    if (first == kNone) return star_;
    new_stamp();
    star_.push_back(first);
    mark_[first] = stamp_;
    for (std::size_t k = 0; k < star_.size(); ++k) {
        const Tet& t = tets_[star_[k]];
        for (int f = 0; f < 4; ++f) {
            if (t.v[f] == v || t.n[f] == kNone) continue;
            const Index next = tet_of(t.n[f]);
            if (is_marked(next)) continue;
            mark_[next] = stamp_;
            star_.push_back(next);
        }
    }
    return star_;
}

Index TetComplex::find_edge(Index a, Index b) const {
    for (const Index t : star(a))
        if (tets_[t].has(b)) return t;
    return kNone;
}

Index TetComplex::find_face(Index a, Index b, Index c) const {
    for (const Index t : star(a)) {
        if (!tets_[t].has(b) || !tets_[t].has(c)) continue;
        for (int f = 0; f < 4; ++f) {
            const Index v = tets_[t].v[f];
            if (v != a && v != b && v != c) return code_of(t, f);
        }
    }
    return kNone;
}

void TetComplex::edge_ring(Index t, Index a, Index b, Ring& out) const {
    out.tets.clear();
    out.ring.clear();
    out.is_free = true;
    // Start with the pair (c, d) such that (a, b, c, d) is positive, and turn from c to d.
    const int ia = tets_[t].index_of(a), ib = tets_[t].index_of(b);
    Index c = tets_[t].v[kOthers[ia][ib][0]], d = tets_[t].v[kOthers[ia][ib][1]];
    const Index start = t;
    while (true) {
        const Tet& tet = tets_[t];
        out.tets.push_back(t);
        out.ring.push_back(c);
        if (tet.is_ghost()) out.is_free = false;
        const int face = tet.index_of(c);
        if (tags_[t][static_cast<std::size_t>(face)] != kNone) out.is_free = false;
        const Index code = tet.n[face];
        if (code == kNone) {
            out.is_free = false;
            return;
        }
        t = tet_of(code);
        c = d;
        d = tets_[t].v[face_of(code)];
        if (t == start) return;
    }
}

void TetComplex::replace(std::span<const Index> old, std::span<const Quad> fresh) {
    static thread_local FaceTable table;
    table.begin(4 * fresh.size() + 4 * old.size());
    new_stamp();
    for (const Index t : old) mark_[t] = stamp_;
    bool is_new = false;
    std::size_t open = 0;
    for (const Index t : old)
        for (int f = 0; f < 4; ++f) {
            const Index code = tets_[t].n[f];
            if (code != kNone && is_marked(tet_of(code))) continue;
            FaceTable::Entry& e = table.at(sorted_face(tets_[t].v, f), is_new);
            e.code = code;
            e.tag = tags_[t][static_cast<std::size_t>(f)];
            ++open;
        }
    for (const Index t : old) {
        for (const Index v : tets_[t].v) tet_at_[v] = kNone;
        tets_[t].v[0] = kNone;
        tags_[t] = kNoTags;
    }
    filled_.clear();
    for (std::size_t k = 0; k < fresh.size(); ++k) {
        const Index t = k < old.size() ? old[k] : allocate();
        filled_.push_back(t);
        for (std::size_t i = 0; i < 4; ++i) {
            tets_[t].v[i] = fresh[k][i];
            tet_at_[fresh[k][i]] = t;
        }
        for (int f = 0; f < 4; ++f) {
            FaceTable::Entry& e = table.at(sorted_face(tets_[t].v, f), is_new);
            if (is_new) {
                e.code = code_of(t, f);
                ++open;
                continue;
            }
            if (e.matched)
                throw InternalError("tetrahedra that were put in do not fit together: a face has three sides");
            e.matched = true;
            --open;
            tets_[t].n[f] = e.code;
            tags_[t][static_cast<std::size_t>(f)] = e.tag;
            if (e.code != kNone) tets_[tet_of(e.code)].n[face_of(e.code)] = code_of(t, f);
        }
    }
    if (open != 0) throw InternalError("tetrahedra that were put in do not fill the space of those taken out");
    for (std::size_t k = fresh.size(); k < old.size(); ++k) free_.push_back(old[k]);
}

double TetComplex::volume(Index t) const {
    const Tet& q = tets_[t];
    return tetrahedron_volume(points_[q.v[0]], points_[q.v[1]], points_[q.v[2]], points_[q.v[3]]);
}

Index TetComplex::locate(const Vec3& p, Index t, Walk walk) const {
    std::uint32_t random = 12345U + t;
    for (std::size_t step = 0; step < 10000 + tets_.size() / 8; ++step) {
        random = random * 1664525U + 1013904223U;
        const int first = static_cast<int>(random >> 30);
        int exit = -1;
        for (int k = 0; k < 4 && exit < 0; ++k) {
            const int f = (first + k) & 3;
            const Index* v = tets_[t].v;
            if (orient3d(points_[v[kFace[f][0]]], points_[v[kFace[f][1]]], points_[v[kFace[f][2]]], p) < 0) exit = f;
        }
        if (exit < 0) return t;
        if (tets_[t].n[exit] == kNone || (walk == Walk::this_side && tag(t, exit) != kNone)) return kNone;
        t = tet_of(tets_[t].n[exit]);
        if (tets_[t].is_ghost()) return kNone;
    }
    return kNone;
}

bool TetComplex::find_cavity(const Vec3& p, Index start, Cavity& cavity) const {
    // The core: every tetrahedron that p is in or on. It sees p from all its faces and is never cut back.
    std::vector<Index>& list = cavity.tets;
    list.assign(1, start);
    new_stamp();
    mark_[start] = stamp_;
    auto side = [&](Index t, int f) {
        const Index* v = tets_[t].v;
        return orient3d(points_[v[kFace[f][0]]], points_[v[kFace[f][1]]], points_[v[kFace[f][2]]], p);
    };
    for (std::size_t k = 0; k < list.size(); ++k)
        for (int f = 0; f < 4; ++f) {
            if (side(list[k], f) != 0) continue;
            const Index code = tets_[list[k]].n[f];
            if (code == kNone || tag(list[k], f) != kNone) return false;
            const Index next = tet_of(code);
            if (tets_[next].is_ghost()) return false;
            if (is_marked(next)) continue;
            mark_[next] = stamp_;
            list.push_back(next);
        }
    const std::size_t n_core = list.size();
    // What the next steps will look at is on its way while this one computes.
    auto fetch_neighbours = [&](Index t) {
        for (const Index code : tets_[t].n) {
            if (code == kNone) continue;
            __builtin_prefetch(&tets_[tet_of(code)]);
            __builtin_prefetch(&mark_[tet_of(code)]);
        }
    };
    for (const Index t : list) fetch_neighbours(t);
    for (std::size_t k = 0; k < list.size(); ++k)
        for (int f = 0; f < 4; ++f) {
            const Index code = tets_[list[k]].n[f];
            if (code == kNone || tag(list[k], f) != kNone) continue;
            const Index next = tet_of(code);
            if (is_marked(next) || tets_[next].is_ghost()) continue;
            const Index* v = tets_[next].v;
            if (insphere(points_[v[0]], points_[v[1]], points_[v[2]], points_[v[3]], p) <= 0) continue;
            mark_[next] = stamp_;
            list.push_back(next);
            fetch_neighbours(next);
        }
    // Cut back whatever does not see p; the core remains in the end.
    bool is_whole = true;
    for (bool changed = true; changed;) {
        changed = false;
        cavity.faces.clear();
        for (std::size_t k = 0; k < list.size(); ++k) {
            const Index t = list[k];
            for (int f = 0; f < 4 && is_marked(t); ++f) {
                const Index code = tets_[t].n[f];
                const bool is_inner = code != kNone && is_marked(tet_of(code));
                if (is_inner && tag(t, f) == kNone) continue;
                // Two tetrahedra of the cavity with a tagged face between them cannot both stay.
                if (k >= n_core && (is_inner || side(t, f) <= 0)) {
                    mark_[t] = 0;
                    changed = true;
                    is_whole = false;
                } else {
                    const Index* v = tets_[t].v;
                    cavity.faces.push_back(
                        {v[kFace[f][0]], v[kFace[f][1]], v[kFace[f][2]], code_of(t, f), tag(t, f) != kNone});
                }
            }
        }
    }
    if (!is_whole) keep_core(cavity, n_core);
    for (std::size_t k = 0; k < cavity.faces.size(); ++k) {
        const Index code = cavity.faces[k].code;
        // Only the core's faces have not been looked at.
        const bool is_of_core = std::find(list.begin(), list.begin() + static_cast<std::ptrdiff_t>(n_core),
                                          tet_of(code)) != list.begin() + static_cast<std::ptrdiff_t>(n_core);
        if (is_of_core && side(tet_of(code), face_of(code)) <= 0) return false;
    }
    return !loses_vertex(cavity);
}

/// Cutting back can leave pieces that do not hang together with the core.
void TetComplex::keep_core(Cavity& cavity, std::size_t n_core) const {
    std::vector<Index> kept(cavity.tets.begin(), cavity.tets.begin() + static_cast<std::ptrdiff_t>(n_core));
    const std::uint32_t in_cavity = stamp_;
    new_stamp();
    for (const Index t : kept) mark_[t] = stamp_;
    for (std::size_t k = 0; k < kept.size(); ++k)
        for (int f = 0; f < 4; ++f) {
            const Index code = tets_[kept[k]].n[f];
            if (code == kNone || mark_[tet_of(code)] != in_cavity || tag(kept[k], f) != kNone) continue;
            mark_[tet_of(code)] = stamp_;
            kept.push_back(tet_of(code));
        }
    cavity.tets = std::move(kept);
    std::erase_if(cavity.faces, [this](const Cavity::Face& f) { return !is_marked(tet_of(f.code)); });
}

/// A vertex with all its tetrahedra in the cavity would vanish with them (possible where flips have made the
/// complex other than Delaunay).
bool TetComplex::loses_vertex(const Cavity& cavity) const {
    if (vertex_mark_.size() < points_.size()) vertex_mark_.resize(points_.size() + points_.size() / 2, 0);
    new_stamp();
    for (const Cavity::Face& f : cavity.faces)
        for (const Index v : {f.a, f.b, f.c}) vertex_mark_[v] = stamp_;
    for (const Index t : cavity.tets)
        for (const Index v : tets_[t].v)
            if (vertex_mark_[v] != stamp_) return true;
    return false;
}

/// Each face of the cavity becomes a tetrahedron with its own neighbour outside; those beside each other are joined
/// over directed edges: each edge of the cavity's surface is seen from its two sides in opposite directions.
void TetComplex::fill_cavity(const Cavity& cavity, Index v) {
    struct Outside {
        Index code, tag;
    };
    static thread_local EdgeTable table;
    static thread_local std::vector<Outside> outside;
    outside.clear();
    for (const Cavity::Face& f : cavity.faces)
        outside.push_back({tets_[tet_of(f.code)].n[face_of(f.code)], tag(tet_of(f.code), face_of(f.code))});
    for (const Index t : cavity.tets) tets_[t].v[0] = kNone;
    filled_.clear();
    table.begin(3 * cavity.faces.size());
    for (std::size_t k = 0; k < cavity.faces.size(); ++k) {
        const Cavity::Face& f = cavity.faces[k];
        const Index t = k < cavity.tets.size() ? cavity.tets[k] : allocate();
        filled_.push_back(t);
        tets_[t] = {{f.a, f.b, f.c, v}, {kNone, kNone, kNone, outside[k].code}};
        tags_[t] = {kNone, kNone, kNone, outside[k].tag};
        if (outside[k].code != kNone) tets_[tet_of(outside[k].code)].n[face_of(outside[k].code)] = code_of(t, 3);
        const std::array<Index, 3> corner{f.a, f.b, f.c};
        for (std::size_t i = 0; i < 3; ++i) {
            tet_at_[corner[i]] = t;
            // Opposite to corner i is the edge from the next one on.
            const Index own = code_of(t, static_cast<int>(i));
            const Index other = table.meet(corner[(i + 1) % 3], corner[(i + 2) % 3], own);
            if (other == kNone) continue;
            tets_[t].n[i] = other;
            tets_[tet_of(other)].n[face_of(other)] = own;
        }
    }
    tet_at_[v] = filled_.front();
    if (!table.all_met()) throw InternalError("the surface of a cavity is not closed");
    for (std::size_t k = cavity.faces.size(); k < cavity.tets.size(); ++k) {
        tags_[cavity.tets[k]] = kNoTags;
        free_.push_back(cavity.tets[k]);
    }
}

void TetComplex::check() const {
    for (Index t = 0; t < tets_.size(); ++t) {
        const Tet& tet = tets_[t];
        if (tet.is_free()) continue;
        if (!tet.is_ghost() && orientation({tet.v[0], tet.v[1], tet.v[2], tet.v[3]}) <= 0)
            throw InternalError(fmt::format("tetrahedron {} is not positively oriented", t));
        for (int f = 0; f < 4; ++f) {
            const Index code = tet.n[f];
            if (code == kNone) continue;
            const Tet& other = tets_[tet_of(code)];
            if (other.is_free() || other.n[face_of(code)] != code_of(t, f) ||
                sorted_face(tet.v, f) != sorted_face(other.v, face_of(code)))
                throw InternalError(
                    fmt::format("tetrahedra {} and {} do not agree on their common face", t, tet_of(code)));
            if (tag(t, f) != tag(tet_of(code), face_of(code)))
                throw InternalError(fmt::format("tetrahedra {} and {} do not agree on a tag", t, tet_of(code)));
        }
        for (const Index v : tet.v)
            if (tet_at_[v] == kNone || !tets_[tet_at_[v]].has(v))
                throw InternalError(fmt::format("vertex {} has lost its tetrahedron", v));
    }
}

}  // namespace anvilcast::fill
