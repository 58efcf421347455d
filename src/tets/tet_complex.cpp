#include "tets/tet_complex.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <anvilcast/errors.hpp>

namespace anvilcast::tets {

void refuse_tets() {
    throw FailureError(
        fmt::format("more than {} million tetrahedra in one mesh are more than it can number; ask for larger sizes",
                    kMostTets / 1000000));
}
namespace {

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
            own_.slots.push_back(t);
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

Index TetComplex::reserve_points(std::size_t n) {
    const auto first = static_cast<Index>(points_.size());
    points_.resize(points_.size() + n);
    tet_at_.resize(points_.size(), kNone);
    vertex_mark_.resize(std::max(vertex_mark_.size(), points_.size()), 0);
    return first;
}

std::vector<TetComplex::Worker> TetComplex::hire(std::vector<Index>& owner, std::span<const std::size_t> n_new) {
    std::vector<Worker> workers(n_new.size());
    for (Index w = 0; w < n_new.size(); ++w) {
        workers[w].owner = &owner;
        workers[w].self = w;
        workers[w].stamp = own_.stamp;
        for (std::size_t k = 0; k < n_new[w]; ++k) {
            workers[w].slots.push_back(allocate(own_));
            owner.resize(n_slots(), kNone);
            owner[workers[w].slots.back()] = w;
        }
    }
    for (Worker& w : workers) {
        std::reverse(w.slots.begin(), w.slots.end());
        for (const Index t : w.slots) tets_[t].v[0] = kNone;
    }
    vertex_mark_.resize(std::max(vertex_mark_.size(), points_.size()), 0);
    return workers;
}

void TetComplex::dismiss(const std::vector<Worker>& workers) {
    for (const Worker& w : workers) {
        own_.slots.insert(own_.slots.end(), w.slots.begin(), w.slots.end());
        own_.stamp = std::max(own_.stamp, w.stamp);
    }
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
    own_.slots.push_back(t);
    return true;
}

Index TetComplex::allocate(Worker& worker) {
    if (!worker.slots.empty()) {
        const Index t = worker.slots.back();
        worker.slots.pop_back();
        return t;
    }
    if (worker.owner != nullptr) throw InternalError("a worker has run out of slots");
    require_room_for(tets_.size() + 1);
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
    mark_[first] = own_.stamp;
    for (std::size_t k = 0; k < star_.size(); ++k) {
        const Tet& t = tets_[star_[k]];
        for (int f = 0; f < 4; ++f) {
            if (t.v[f] == v || t.n[f] == kNone) continue;
            const Index next = tet_of(t.n[f]);
            if (is_marked(next)) continue;
            mark_[next] = own_.stamp;
            star_.push_back(next);
        }
    }
    return star_;
}

std::optional<Index> TetComplex::find_edge(Index a, Index b) const {
    for (const Index t : star(a))
        if (tets_[t].has(b)) return t;
    return std::nullopt;
}

std::optional<Index> TetComplex::find_face(Index a, Index b, Index c) const {
    for (const Index t : star(a)) {
        if (!tets_[t].has(b) || !tets_[t].has(c)) continue;
        for (int f = 0; f < 4; ++f) {
            const Index v = tets_[t].v[f];
            if (v != a && v != b && v != c) return code_of(t, f);
        }
    }
    return std::nullopt;
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
    for (const Index t : old) mark_[t] = own_.stamp;
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
    own_.filled.clear();
    for (std::size_t k = 0; k < fresh.size(); ++k) {
        const Index t = k < old.size() ? old[k] : allocate(own_);
        own_.filled.push_back(t);
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
    for (std::size_t k = fresh.size(); k < old.size(); ++k) own_.slots.push_back(old[k]);
}

double TetComplex::volume(Index t) const {
    const Tet& q = tets_[t];
    return tetrahedron_volume(points_[q.v[0]], points_[q.v[1]], points_[q.v[2]], points_[q.v[3]]);
}

std::optional<Index> TetComplex::locate(const Vec3& p, Index t, Walk walk, const Worker* worker) const {
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
        if (tets_[t].n[exit] == kNone || (walk == Walk::this_side && tag(t, exit) != kNone)) return std::nullopt;
        t = tet_of(tets_[t].n[exit]);
        if ((worker != nullptr && !worker->owns(t)) || tets_[t].is_ghost()) return std::nullopt;
    }
    return std::nullopt;
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

}  // namespace anvilcast::tets
