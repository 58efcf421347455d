// A complex comes in, and goes out with work done on all of it, by pieces side by side.
// 1. Tetrahedra are parted by a plane across the longest extent of their middles, and again, until each part is a chunk
//    of at most `most`. Where the cut is made is a share given by the caller, so that borders fall elsewhere next time.
// 2. Each chunk becomes a complex of its own: its own vertices first, shared ones behind them. Faces on its border are
//    tagged, which keeps them and their vertices; the tag says which face of the whole it was.
// 3. The work is done; what has become of each chunk is numbered in the order of chunks, and faces on borders find each
//    other by their tags.
// Numbers depend on the cuts and the work alone, not on who did it when: the same bytes on any number of threads.

#include "tets/chunks.hpp"

#include <tbb/parallel_for.h>
#include <tbb/parallel_invoke.h>
#include <tbb/parallel_sort.h>

#include <algorithm>

namespace anvilcast::tets {
namespace {

/// Tags from here on are borders between chunks: this plus the lower of the two codes of the face.
constexpr Index kBorder = Index{1} << 31;
constexpr Index kSeveral = kNone - 1;

struct Item {
    Vec3 middle;  // four times it
    Index tet;
};

/// Cuts along the longest extent, again and again.
void divide(std::span<Item> items, std::size_t most, double cut, std::vector<std::vector<Index>>& chunks) {
    if (items.size() <= most) {
        std::vector<Index>& chunk = chunks.emplace_back(items.size());
        std::transform(items.begin(), items.end(), chunk.begin(), [](const Item& i) { return i.tet; });
        std::sort(chunk.begin(), chunk.end());
        return;
    }
    Box box;
    for (const Item& i : items) box.include(i.middle);
    const Vec3 e = box.extent();
    const int axis = e.x >= e.y && e.x >= e.z ? 0 : e.y >= e.z ? 1 : 2;
    const auto first = static_cast<std::size_t>(cut * static_cast<double>(items.size()));
    std::nth_element(items.begin(), items.begin() + static_cast<std::ptrdiff_t>(first), items.end(),
                     [axis](const Item& a, const Item& b) {
                         return a.middle[axis] != b.middle[axis] ? a.middle[axis] < b.middle[axis] : a.tet < b.tet;
                     });
    std::vector<std::vector<Index>> second;
    tbb::parallel_invoke([&] { divide(items.first(first), most, cut, chunks); },
                         [&] { divide(items.subspan(first), most, cut, second); });
    std::move(second.begin(), second.end(), std::back_inserter(chunks));
}

std::vector<std::vector<Index>> divided(const TetComplex& complex, std::size_t most, double cut) {
    std::vector<Item> items;
    items.reserve(complex.n_slots());
    for (Index t = 0; t < complex.n_slots(); ++t) {
        if (complex.is_free(t)) continue;
        const Index* v = complex.tet(t).v;
        items.push_back({complex.point(v[0]) + complex.point(v[1]) + complex.point(v[2]) + complex.point(v[3]), t});
    }
    std::vector<std::vector<Index>> chunks;
    divide(items, most, cut, chunks);
    return chunks;
}

struct Chunk {
    std::vector<Index> vertex{0};  ///< number in the whole of each vertex that came in; the first is the ghost
    TetComplex complex{{}, {}};
    Index first_new_vertex = 0;       ///< in the whole
    std::vector<Index> slot;          ///< in the whole, of each tetrahedron that is left
    std::vector<Index> vertex_after;  ///< number in the whole of each vertex
};

class Work {
  public:
    Work(TetComplex& complex, std::size_t most, double cut)
        : complex_(complex), lists_(divided(complex, most, cut)), chunks_(lists_.size()) {
        chunk_of_.assign(complex.n_slots(), kNone);
        vertex_chunk_.assign(complex.points().size(), kNone);
        for (Index c = 0; c < lists_.size(); ++c)
            for (const Index t : lists_[c]) {
                chunk_of_[t] = c;
                for (const Index v : complex.tet(t).v)
                    vertex_chunk_[v] = vertex_chunk_[v] == kNone || vertex_chunk_[v] == c ? c : kSeveral;
            }
        local_.assign(complex.points().size(), kNone);
        local_tet_.assign(complex.n_slots(), kNone);
    }

    void run(const std::function<void(TetComplex&)>& work) {
        tbb::parallel_for(std::size_t{0}, chunks_.size(), [&](std::size_t c) {
            cut_out(static_cast<Index>(c));
            work(chunks_[c].complex);
        });
        put_together();
    }

  private:
    void cut_out(Index c) {
        Chunk& chunk = chunks_[c];
        const std::vector<Index>& list = lists_[c];
        std::vector<Index> shared;
        for (Index k = 0; k < list.size(); ++k) {
            local_tet_[list[k]] = k;
            for (const Index v : complex_.tet(list[k]).v) {
                if (vertex_chunk_[v] == kSeveral) {
                    shared.push_back(v);
                } else if (local_[v] == kNone) {
                    local_[v] = static_cast<Index>(chunk.vertex.size());
                    chunk.vertex.push_back(v);
                }
            }
        }
        const auto n_own = static_cast<Index>(chunk.vertex.size());
        std::sort(shared.begin(), shared.end());
        shared.erase(std::unique(shared.begin(), shared.end()), shared.end());
        chunk.vertex.insert(chunk.vertex.end(), shared.begin(), shared.end());
        auto local = [&](Index v) {
            if (vertex_chunk_[v] != kSeveral) return local_[v];
            return n_own + static_cast<Index>(std::lower_bound(shared.begin(), shared.end(), v) - shared.begin());
        };
        std::vector<Vec3> points(chunk.vertex.size());
        for (std::size_t k = 1; k < points.size(); ++k) points[k] = complex_.point(chunk.vertex[k]);
        std::vector<Tet> tets(list.size());
        std::vector<TetComplex::Tags> tags(list.size());
        for (std::size_t k = 0; k < list.size(); ++k) {
            const Tet& tet = complex_.tet(list[k]);
            for (int f = 0; f < 4; ++f) {
                tets[k].v[f] = local(tet.v[f]);
                const Index code = tet.n[f];
                const bool is_border = code != kNone && chunk_of_[tet_of(code)] != c;
                tets[k].n[f] = code == kNone || is_border ? kNone : code_of(local_tet_[tet_of(code)], face_of(code));
                tags[k][static_cast<std::size_t>(f)] =
                    is_border ? kBorder + std::min(code, code_of(list[k], f)) : complex_.tag(list[k], f);
            }
        }
        chunk.complex = TetComplex(std::move(points), std::move(tets), std::move(tags));
    }

    /// Numbers what is left of each chunk.
    void number_all(std::size_t& n_points, std::size_t& n_tets) {
        n_points = complex_.points().size();
        n_tets = 0;
        for (Chunk& chunk : chunks_) {
            const TetComplex& own = chunk.complex;
            chunk.vertex_after = chunk.vertex;
            for (std::size_t v = chunk.vertex.size(); v < own.points().size(); ++v)
                chunk.vertex_after.push_back(
                    own.tet_at(static_cast<Index>(v)) == kNone ? kNone : static_cast<Index>(n_points++));
            chunk.slot.assign(own.n_slots(), kNone);
            for (Index t = 0; t < own.n_slots(); ++t)
                if (!own.is_free(t)) chunk.slot[t] = static_cast<Index>(n_tets++);
        }
    }

    struct Border {
        Index id, code;  // of the face in the whole as it was, and as it is now
        bool operator<(const Border& o) const { return id != o.id ? id < o.id : code < o.code; }
    };

    void put_together() {
        std::size_t n_points = 0, n_tets = 0;
        number_all(n_points, n_tets);
        std::vector<Vec3> points = complex_.points();
        points.resize(n_points);
        std::vector<Tet> tets(n_tets);
        std::vector<TetComplex::Tags> tags(n_tets);
        std::vector<std::vector<Border>> borders(chunks_.size());
        tbb::parallel_for(std::size_t{0}, chunks_.size(), [&](std::size_t c) {
            Chunk& chunk = chunks_[c];
            const TetComplex& own = chunk.complex;
            for (std::size_t v = 1; v < chunk.vertex_after.size(); ++v) {
                const Index now = chunk.vertex_after[v];
                const bool is_shared = v < chunk.vertex.size() && vertex_chunk_[now] == kSeveral;
                if (now != kNone && !is_shared) points[now] = own.point(static_cast<Index>(v));
            }
            for (Index t = 0; t < own.n_slots(); ++t) {
                const Index now = chunk.slot[t];
                if (now == kNone) continue;
                for (int f = 0; f < 4; ++f) {
                    tets[now].v[f] = chunk.vertex_after[own.tet(t).v[f]];
                    const Index code = own.tet(t).n[f], tag = own.tag(t, f);
                    tets[now].n[f] = code == kNone ? kNone : code_of(chunk.slot[tet_of(code)], face_of(code));
                    tags[now][static_cast<std::size_t>(f)] = tag;
                    if (tag != kNone && tag >= kBorder) borders[c].push_back({tag - kBorder, code_of(now, f)});
                }
            }
            chunk = {};
        });
        std::vector<Border> all;
        for (const auto& own : borders) all.insert(all.end(), own.begin(), own.end());
        tbb::parallel_sort(all.begin(), all.end());
        for (std::size_t i = 0; i + 1 < all.size(); i += 2) {
            const Index a = all[i].code, b = all[i + 1].code;
            tets[tet_of(a)].n[face_of(a)] = b;
            tets[tet_of(b)].n[face_of(b)] = a;
            // The face may be one of the surface's: an interface, or a baffle.
            const Index tag = complex_.tag(tet_of(all[i].id), face_of(all[i].id));
            tags[tet_of(a)][static_cast<std::size_t>(face_of(a))] = tag;
            tags[tet_of(b)][static_cast<std::size_t>(face_of(b))] = tag;
        }
        complex_ = TetComplex(std::move(points), std::move(tets), std::move(tags));
    }

    TetComplex& complex_;
    std::vector<std::vector<Index>> lists_;
    std::vector<Chunk> chunks_;
    std::vector<Index> chunk_of_;      // of each tetrahedron
    std::vector<Index> vertex_chunk_;  // that all tetrahedra at a vertex are of, or kSeveral
    // Filled by the chunks side by side, each its own entries.
    std::vector<Index> local_, local_tet_;
};

}  // namespace

void work_in_chunks(TetComplex& complex, std::size_t most, double cut, const std::function<void(TetComplex&)>& work) {
    require_room_for(complex.n_slots());
    if (complex.n_slots() <= most)
        work(complex);
    else
        Work(complex, most, cut).run(work);
}

}  // namespace anvilcast::tets
