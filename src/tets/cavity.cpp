// Putting a point into a complex: its cavity is found, and filled with its star.

#include <algorithm>
#include <anvilcast/errors.hpp>

#include "tets/tet_complex.hpp"

namespace anvilcast::tets {
namespace {

/// Directed edges waiting for the one that runs the other way.
class EdgeTable {
  public:
    void begin(std::size_t n) {
        std::size_t size = 256;
        while (size < 2 * n) size *= 2;
        if (size > entries_.size()) entries_.assign(size, {});
        if (++stamp_ == 0) {  // once in four thousand million times
            entries_.assign(entries_.size(), {});
            stamp_ = 1;
        }
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

bool TetComplex::find_cavity(const Vec3& p, Index start, Cavity& cavity, Worker& worker) const {
    worker.has_strayed = false;
    // The core: every tetrahedron that p is in or on. It sees p from all its faces and is never cut back.
    std::vector<Index>& list = cavity.tets;
    list.assign(1, start);
    ++worker.stamp;
    mark_[start] = worker.stamp;
    auto stray = [&worker] {
        worker.has_strayed = true;
        return false;
    };
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
            if (!worker.owns(next)) return stray();
            if (tets_[next].is_ghost()) return false;
            if (is_marked(next, worker)) continue;
            mark_[next] = worker.stamp;
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
            if (code == kNone) continue;
            const Index next = tet_of(code);
            if (!worker.owns(next)) return stray();
            if (tag(list[k], f) != kNone) continue;
            if (is_marked(next, worker) || tets_[next].is_ghost()) continue;
            const Index* v = tets_[next].v;
            if (insphere(points_[v[0]], points_[v[1]], points_[v[2]], points_[v[3]], p) <= 0) continue;
            mark_[next] = worker.stamp;
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
            for (int f = 0; f < 4 && is_marked(t, worker); ++f) {
                const Index code = tets_[t].n[f];
                const bool is_inner = code != kNone && is_marked(tet_of(code), worker);
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
    if (!is_whole) keep_core(cavity, n_core, worker);
    for (std::size_t k = 0; k < cavity.faces.size(); ++k) {
        const Index code = cavity.faces[k].code;
        // Only the core's faces have not been looked at.
        const bool is_of_core = std::find(list.begin(), list.begin() + static_cast<std::ptrdiff_t>(n_core),
                                          tet_of(code)) != list.begin() + static_cast<std::ptrdiff_t>(n_core);
        if (is_of_core && side(tet_of(code), face_of(code)) <= 0) return false;
    }
    if (worker.owner != nullptr && cavity.faces.size() > cavity.tets.size() + worker.slots.size()) return stray();
    return !loses_vertex(cavity, worker);
}

/// Cutting back can leave pieces that do not hang together with the core.
void TetComplex::keep_core(Cavity& cavity, std::size_t n_core, Worker& worker) const {
    std::vector<Index> kept(cavity.tets.begin(), cavity.tets.begin() + static_cast<std::ptrdiff_t>(n_core));
    const std::uint32_t in_cavity = worker.stamp;
    ++worker.stamp;
    for (const Index t : kept) mark_[t] = worker.stamp;
    for (std::size_t k = 0; k < kept.size(); ++k)
        for (int f = 0; f < 4; ++f) {
            const Index code = tets_[kept[k]].n[f];
            if (code == kNone || mark_[tet_of(code)] != in_cavity || tag(kept[k], f) != kNone) continue;
            mark_[tet_of(code)] = worker.stamp;
            kept.push_back(tet_of(code));
        }
    cavity.tets = std::move(kept);
    std::erase_if(cavity.faces, [&](const Cavity::Face& f) { return !is_marked(tet_of(f.code), worker); });
}

/// A vertex with all its tetrahedra in the cavity would vanish with them (possible where flips have made the
/// complex other than Delaunay).
bool TetComplex::loses_vertex(const Cavity& cavity, Worker& worker) const {
    if (worker.owner == nullptr && vertex_mark_.size() < points_.size())
        vertex_mark_.resize(points_.size() + points_.size() / 2, 0);
    ++worker.stamp;
    for (const Cavity::Face& f : cavity.faces)
        for (const Index v : {f.a, f.b, f.c}) vertex_mark_[v] = worker.stamp;
    for (const Index t : cavity.tets)
        for (const Index v : tets_[t].v)
            if (vertex_mark_[v] != worker.stamp) return true;
    return false;
}

/// Each face of the cavity becomes a tetrahedron with its own neighbour outside; those beside each other are joined
/// over directed edges: each edge of the cavity's surface is seen from its two sides in opposite directions.
void TetComplex::fill_cavity(const Cavity& cavity, Index v, Worker& worker) {
    struct Outside {
        Index code, tag;
    };
    static thread_local EdgeTable table;
    static thread_local std::vector<Outside> outside;
    outside.clear();
    for (const Cavity::Face& f : cavity.faces)
        outside.push_back({tets_[tet_of(f.code)].n[face_of(f.code)], tag(tet_of(f.code), face_of(f.code))});
    for (const Index t : cavity.tets) tets_[t].v[0] = kNone;
    worker.filled.clear();
    table.begin(3 * cavity.faces.size());
    for (std::size_t k = 0; k < cavity.faces.size(); ++k) {
        const Cavity::Face& f = cavity.faces[k];
        const Index t = k < cavity.tets.size() ? cavity.tets[k] : allocate(worker);
        worker.filled.push_back(t);
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
    tet_at_[v] = worker.filled.front();
    if (!table.all_met()) throw InternalError("the surface of a cavity is not closed");
    for (std::size_t k = cavity.faces.size(); k < cavity.tets.size(); ++k) {
        tags_[cavity.tets[k]] = kNoTags;
        worker.slots.push_back(cavity.tets[k]);
    }
}

}  // namespace anvilcast::tets
