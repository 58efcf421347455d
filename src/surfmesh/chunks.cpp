#include "surfmesh/chunks.hpp"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <numeric>

namespace anvilcast::surfmesh {
namespace {

class Divider {
  public:
    Divider(const Draft& draft, std::vector<Index> triangles, std::size_t most, double cut)
        : most_(most), cut_(cut), order_(std::move(triangles)) {
        for (const Triangle& c : draft.triangles)
            centers_.push_back(draft.points[c[0]] + draft.points[c[1]] + draft.points[c[2]]);
        divide(0, order_.size());
    }
    std::vector<std::vector<Index>> chunks;

  private:
    void divide(std::size_t first, std::size_t last) {
        const auto begin = order_.begin() + static_cast<std::ptrdiff_t>(first),
                   end = order_.begin() + static_cast<std::ptrdiff_t>(last);
        if (last - first <= most_) {
            std::sort(begin, end);
            chunks.emplace_back(begin, end);
            return;
        }
        Box box;
        for (auto i = begin; i != end; ++i) box.include(centers_[*i]);
        const Vec3 e = box.extent();
        const int axis = e.x >= e.y && e.x >= e.z ? 0 : e.y >= e.z ? 1 : 2;
        const std::size_t half = first + static_cast<std::size_t>(cut_ * static_cast<double>(last - first));
        std::nth_element(begin, order_.begin() + static_cast<std::ptrdiff_t>(half), end, [&](Index s, Index t) {
            return centers_[s][axis] != centers_[t][axis] ? centers_[s][axis] < centers_[t][axis] : s < t;
        });
        divide(first, half);
        divide(half, last);
    }

    std::size_t most_;
    double cut_;
    std::vector<Vec3> centers_;
    std::vector<Index> order_;
};

constexpr Index kSeveral = kNone - 1;

/// The chunk that all triangles at a point are of, or kSeveral.
std::vector<Index> chunk_of_points(const Draft& draft, const std::vector<std::vector<Index>>& chunks) {
    std::vector<Index> chunk_of(draft.points.size(), kNone);
    for (Index c = 0; c < chunks.size(); ++c)
        for (const Index t : chunks[c])
            for (const Index p : draft.triangles[t])
                chunk_of[p] = chunk_of[p] == kNone || chunk_of[p] == c ? c : kSeveral;
    return chunk_of;
}

std::vector<Index> all_but(const std::vector<Index>& triangles, std::size_t n) {
    std::vector<Index> rest;
    auto next = triangles.begin();
    for (Index t = 0; t < n; ++t)
        if (next != triangles.end() && *next == t)
            ++next;
        else
            rest.push_back(t);
    return rest;
}

struct Chunk {
    Draft draft;
    std::vector<Index> number;  ///< of each point in the whole draft; kNone for a new one
};

/// `local`: room for the number of each point that is of one chunk alone; chunks side by side share it.
Chunk cut_out(const Draft& draft, const std::vector<Index>& triangles, const std::vector<Index>& chunk_of,
              std::vector<Index>& local, std::vector<char>& is_locked) {
    Chunk chunk;
    std::vector<Index> shared;
    for (const Index t : triangles)
        for (const Index p : draft.triangles[t]) {
            if (chunk_of[p] == kSeveral) {
                shared.push_back(p);
            } else if (local[p] == kNone) {
                local[p] = static_cast<Index>(chunk.number.size());
                chunk.number.push_back(p);
            }
        }
    const auto n_own = static_cast<Index>(chunk.number.size());
    std::sort(shared.begin(), shared.end());
    shared.erase(std::unique(shared.begin(), shared.end()), shared.end());
    chunk.number.insert(chunk.number.end(), shared.begin(), shared.end());
    is_locked.assign(chunk.number.size(), 0);
    std::fill(is_locked.begin() + n_own, is_locked.end(), 1);

    Draft& d = chunk.draft;
    for (const Index p : chunk.number) {
        d.points.push_back(draft.points[p]);
        d.size.push_back(draft.size[p]);
        d.normal.push_back(draft.normal[p]);
        d.kind.push_back(draft.kind[p]);
    }
    auto number_of = [&](Index p) {
        if (chunk_of[p] != kSeveral) return local[p];
        return n_own + static_cast<Index>(std::lower_bound(shared.begin(), shared.end(), p) - shared.begin());
    };
    for (const Index t : triangles) {
        const Triangle& c = draft.triangles[t];
        d.triangles.push_back({number_of(c[0]), number_of(c[1]), number_of(c[2])});
        d.patch_of.push_back(draft.patch_of[t]);
        d.feature_sides.push_back(draft.feature_sides[t]);
    }
    return chunk;
}

/// Points of several chunks are met again under their old number; the others are numbered as they come.
Draft put_together(std::vector<Chunk>& chunks, std::size_t n_points) {
    Draft out;
    std::vector<Index> now(n_points, kNone);
    for (Chunk& chunk : chunks) {
        const Draft& d = chunk.draft;
        std::vector<Index> number(d.points.size());
        for (Index p = 0; p < number.size(); ++p) {
            const Index old = chunk.number[p];
            if (old != kNone && now[old] != kNone) {
                number[p] = now[old];
                continue;
            }
            number[p] = static_cast<Index>(out.points.size());
            if (old != kNone) now[old] = number[p];
            out.points.push_back(d.points[p]);
            out.size.push_back(d.size[p]);
            out.normal.push_back(d.normal[p]);
            out.kind.push_back(d.kind[p]);
        }
        for (const Triangle& c : d.triangles) out.triangles.push_back({number[c[0]], number[c[1]], number[c[2]]});
        out.patch_of.insert(out.patch_of.end(), d.patch_of.begin(), d.patch_of.end());
        out.feature_sides.insert(out.feature_sides.end(), d.feature_sides.begin(), d.feature_sides.end());
        chunk = {};
    }
    return out;
}

}  // namespace

Draft make_draft(const Original& original, const SizeAt& size_at) {
    const Surface& s = original.surface();
    const Features& f = original.features();
    Draft d;
    d.points = s.points;
    d.kind = f.kind;
    d.triangles = s.triangles;
    d.patch_of = f.patch_of;
    d.size.resize(s.points.size());
    tbb::parallel_for(std::size_t{0}, s.points.size(), [&](std::size_t p) { d.size[p] = size_at(s.points[p]); });
    d.normal.resize(s.points.size());
    for (Index t = 0; t < s.triangles.size(); ++t)
        for (std::size_t k = 0; k < 3; ++k) d.normal[s.triangles[t][k]] = f.normal(t, k);
    d.feature_sides.resize(s.triangles.size(), 0);
    for (Index t = 0; t < s.triangles.size(); ++t)
        for (unsigned k = 0; k < 3; ++k) {
            const Index a = s.triangles[t][k], b = s.triangles[t][(k + 1) % 3];
            if (f.kind[a] == PointKind::patch || f.kind[b] == PointKind::patch) continue;
            if (f.curve_at({std::min(a, b), std::max(a, b)}) != kNone)
                d.feature_sides[t] = static_cast<std::uint8_t>(d.feature_sides[t] | (1U << k));
        }
    return d;
}

void work_in_chunks(Draft& draft, const Original& original, const SizeAt& size_at, const ShapeLimits& limits,
                    std::size_t chunk, double cut, const std::function<void(Remesher&)>& work) {
    if (draft.triangles.size() <= chunk) {
        std::vector<char> is_locked(draft.points.size(), 0);
        std::vector<Index> number;
        Remesher remesher(original, size_at, limits, std::move(draft), std::move(is_locked));
        work(remesher);
        draft = remesher.take(number);
        return;
    }
    std::vector<Index> all(draft.triangles.size());
    std::iota(all.begin(), all.end(), Index{0});
    work_in_chunks(draft, all, original, size_at, limits, chunk, cut, work);
}

void work_in_chunks(Draft& draft, const std::vector<Index>& triangles, const Original& original, const SizeAt& size_at,
                    const ShapeLimits& limits, std::size_t chunk, double cut,
                    const std::function<void(Remesher&)>& work) {
    auto chunks = Divider(draft, triangles, chunk, cut).chunks;
    const std::size_t n_to_work_on = chunks.size();
    chunks.push_back(all_but(triangles, draft.triangles.size()));
    const std::vector<Index> chunk_of = chunk_of_points(draft, chunks);
    std::vector<Index> local(draft.points.size(), kNone);
    std::vector<Chunk> done(chunks.size());
    tbb::parallel_for(std::size_t{0}, done.size(), [&](std::size_t c) {
        std::vector<char> is_locked;
        done[c] = cut_out(draft, chunks[c], chunk_of, local, is_locked);
        if (c >= n_to_work_on) return;
        std::vector<Index> number;
        Remesher remesher(original, size_at, limits, std::move(done[c].draft), std::move(is_locked));
        work(remesher);
        done[c].draft = remesher.take(number);
        for (Index& p : number) p = p == kNone ? kNone : done[c].number[p];
        done[c].number = std::move(number);
    });
    draft = put_together(done, draft.points.size());
}

}  // namespace anvilcast::surfmesh
