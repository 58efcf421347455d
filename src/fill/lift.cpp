// Added boundary points are lifted off the surface.
//
// The tetrahedra at such a point fall into parts, cut by the surface's triangles at it: two on an ordinary surface. In
// each part the point becomes one of its own and moves inward, to a place that all the part's outer faces see; between
// it and the surface there is room for one tetrahedron on each side of each triangle that is whole again. A part that
// is one tetrahedron over a whole triangle has no height to speak of, and goes.

#include <algorithm>
#include <array>

#include "fill/recovery.hpp"

namespace anvilcast::fill {
namespace {

class Lifter {
  public:
    Lifter(TetComplex& complex, SurfaceTriangles& surface) : complex_(complex), surface_(surface) {}

    bool lift(const SplitPoint& split) {
        if (!is_as_divided(split) || !find_parts(split.vertex) || !find_sides(split)) return false;
        for (Part& part : parts_) {
            part.goes = is_whole_triangle(part);
            if (!part.goes && !find_place(part, split)) return false;
        }
        if (std::all_of(parts_.begin(), parts_.end(), [](const Part& p) { return p.goes; })) return false;
        make_cells(split.vertex);
        if (!do_cells_fit()) return false;
        apply(split);
        return true;
    }

    /// Takes triangles out that have become part of others again.
    void compact() {
        std::vector<Index> number(surface_.triangles.size(), kNone);
        Index n = 0;
        for (Index t = 0; t < surface_.triangles.size(); ++t) {
            if (is_gone(t)) continue;
            number[t] = n;
            surface_.triangles[n] = surface_.triangles[t];
            surface_.parent[n++] = surface_.parent[t];
        }
        surface_.triangles.resize(n);
        surface_.parent.resize(n);
        for (Index t = 0; t < complex_.n_slots(); ++t)
            for (int f = 0; f < 4; ++f) {
                // From one side only: set_tag sees to the other.
                const Index tag = complex_.is_free(t) ? kNone : complex_.tag(t, f);
                if (tag != kNone && (complex_.tet(t).n[f] == kNone || complex_.tet(t).n[f] > code_of(t, f)))
                    complex_.set_tag(t, f, number[tag]);
            }
    }

  private:
    struct Part {
        std::vector<Index> tets;
        std::vector<Quad> caps;  // whole triangles, seen from inside, with the point as the last corner
        Vec3 place;
        bool goes = false;
    };

    bool is_gone(Index t) const { return surface_.triangles[t][0] == kNone; }

    /// The triangles at the vertex are those that its split made, and no others by now.
    bool is_as_divided(const SplitPoint& split) const {
        std::size_t n_pieces = 0;
        for (const SplitPoint::Parent& parent : split.parents) {
            n_pieces += parent.pieces.size();
            for (const Index t : parent.pieces)
                if (std::count(surface_.triangles[t].begin(), surface_.triangles[t].end(), split.vertex) != 1)
                    return false;
        }
        std::vector<Index> tags;
        for (const Index t : complex_.star(split.vertex))
            for (int f = 0; f < 4; ++f)
                if (complex_.tet(t).v[f] != split.vertex && complex_.tag(t, f) != kNone)
                    tags.push_back(complex_.tag(t, f));
        std::sort(tags.begin(), tags.end());
        return static_cast<std::size_t>(std::unique(tags.begin(), tags.end()) - tags.begin()) == n_pieces;
    }

    bool find_parts(Index vertex) {
        parts_.clear();
        const std::vector<Index> star = complex_.star(vertex);
        std::vector<Index> part_of(star.size(), kNone);
        auto place_in_star = [&star](Index t) {
            return static_cast<std::size_t>(std::find(star.begin(), star.end(), t) - star.begin());
        };
        for (std::size_t first = 0; first < star.size(); ++first) {
            if (part_of[first] != kNone) continue;
            Part& part = parts_.emplace_back();
            part.tets.push_back(star[first]);
            part_of[first] = 0;
            for (std::size_t k = 0; k < part.tets.size(); ++k) {
                const Index t = part.tets[k];
                if (complex_.has_ghost(t)) return false;
                for (int f = 0; f < 4; ++f) {
                    if (complex_.tet(t).v[f] == vertex || complex_.tag(t, f) != kNone) continue;
                    const Index next = tet_of(complex_.tet(t).n[f]);
                    const std::size_t place = place_in_star(next);
                    if (part_of[place] != kNone) continue;
                    part_of[place] = 0;
                    part.tets.push_back(next);
                }
            }
        }
        return true;
    }

    /// Each whole triangle gets a cap in each part that it borders; it may not border one with both sides, nor with
    /// some of its pieces only.
    bool find_sides(const SplitPoint& split) {
        for (Part& part : parts_)
            for (const SplitPoint::Parent& parent : split.parents) {
                int side = 0;
                std::size_t n_pieces = 0;
                for (const Index t : part.tets)
                    for (int f = 0; f < 4; ++f) {
                        const Index tag = complex_.tag(t, f);
                        if (std::find(parent.pieces.begin(), parent.pieces.end(), tag) == parent.pieces.end()) continue;
                        const Triangle& piece = surface_.triangles[tag];
                        const int s = complex_.orientation({piece[0], piece[1], piece[2], complex_.tet(t).v[f]});
                        if (side != 0 && s != side) return false;
                        side = s;
                        ++n_pieces;
                    }
                if (side != 0 && n_pieces != parent.pieces.size()) return false;
                const Triangle& w = parent.whole;
                if (side > 0) part.caps.push_back({w[0], w[1], w[2], split.vertex});
                if (side < 0) part.caps.push_back({w[0], w[2], w[1], split.vertex});
            }
        return true;
    }

    /// A single tetrahedron: its fourth face is the triangle that the others are pieces of.
    bool is_whole_triangle(const Part& part) const {
        if (part.tets.size() != 1 || part.caps.size() != 1) return false;
        const Quad& cap = part.caps.front();
        return std::all_of(cap.begin(), cap.end(), [&](Index v) { return complex_.tet(part.tets.front()).has(v); });
    }

    /// Positive with the point moved to its new place?
    bool is_positive(const Quad& q, Index vertex, const Vec3& place) const {
        std::array<Vec3, 4> p;
        for (std::size_t k = 0; k < 4; ++k) p[k] = q[k] == vertex ? place : complex_.point(q[k]);
        return orient3d(p[0], p[1], p[2], p[3]) > 0;
    }

    bool find_place(Part& part, const SplitPoint& split) const {
        const Vec3& from = complex_.point(split.vertex);
        Vec3 middle{}, inward{};
        double n = 0;
        for (const Index t : part.tets)
            for (const Index v : complex_.tet(t).v)
                if (v != split.vertex) middle = middle + complex_.point(v), n += 1;
        for (const Quad& cap : part.caps)
            inward = inward + triangle_normal(complex_.point(cap[0]), complex_.point(cap[1]), complex_.point(cap[2]));
        const Vec3 to_middle = middle / n - from;
        inward = normalized(inward) * std::sqrt(dot(to_middle, to_middle));
        for (double step = 0.5; step > 1e-6; step *= 0.4)
            for (const Vec3& direction : {to_middle, to_middle + inward, inward}) {
                part.place = from + direction * step;
                auto fits = [&](const Quad& q) { return is_positive(q, split.vertex, part.place); };
                const bool tets_fit = std::all_of(part.tets.begin(), part.tets.end(), [&](Index t) {
                    const Index* v = complex_.tet(t).v;
                    return fits({v[0], v[1], v[2], v[3]});
                });
                if (tets_fit && std::all_of(part.caps.begin(), part.caps.end(), fits)) return true;
            }
        return false;
    }

    /// What goes and what comes: in the first part that stays the vertex keeps its number, in others it gets the next
    /// ones.
    void make_cells(Index split_vertex) {
        old_.clear();
        fresh_.clear();
        Index vertex = split_vertex, next = static_cast<Index>(complex_.points().size());
        for (const Part& part : parts_) {
            old_.insert(old_.end(), part.tets.begin(), part.tets.end());
            if (part.goes) continue;
            auto add = [&](Quad q) {
                std::replace(q.begin(), q.end(), split_vertex, vertex);
                fresh_.push_back(q);
            };
            for (const Index t : part.tets) {
                const Index* v = complex_.tet(t).v;
                add({v[0], v[1], v[2], v[3]});
            }
            for (const Quad& cap : part.caps) add(cap);
            vertex = next++;
        }
    }

    /// Does what comes fill what goes, face to face? Where surfaces almost lie on each other another point may have
    /// been left between a triangle and its pieces.
    bool do_cells_fit() const {
        std::vector<std::array<Index, 3>> faces;
        auto add_face = [&faces](const Index* v, int f) {
            std::array<Index, 3> face{v[kFace[f][0]], v[kFace[f][1]], v[kFace[f][2]]};
            std::sort(face.begin(), face.end());
            faces.push_back(face);
        };
        for (const Quad& q : fresh_)
            for (int f = 0; f < 4; ++f) add_face(q.data(), f);
        for (const Index t : old_)
            for (int f = 0; f < 4; ++f) {
                const Index code = complex_.tet(t).n[f];
                const bool is_inner = code != kNone && std::find(old_.begin(), old_.end(), tet_of(code)) != old_.end();
                if (!is_inner) add_face(complex_.tet(t).v, f);
            }
        // Every face twice: on both sides of it.
        std::sort(faces.begin(), faces.end());
        for (std::size_t i = 0; i < faces.size(); i += 2)
            if (i + 1 == faces.size() || faces[i] != faces[i + 1] || (i + 2 < faces.size() && faces[i + 2] == faces[i]))
                return false;
        return true;
    }

    void apply(const SplitPoint& split) {
        std::erase_if(parts_, [](const Part& p) { return p.goes; });
        complex_.move_point(split.vertex, parts_.front().place);
        for (std::size_t k = 1; k < parts_.size(); ++k) complex_.add_point(parts_[k].place);
        for (const Index t : old_)
            for (int f = 0; f < 4; ++f)
                if (complex_.tet(t).v[f] != split.vertex && complex_.tag(t, f) != kNone) complex_.set_tag(t, f, kNone);
        complex_.replace(old_, fresh_);
        for (const SplitPoint::Parent& parent : split.parents) {
            const Triangle& w = parent.whole;
            const auto face = complex_.find_face(w[0], w[1], w[2]);
            if (!face) throw InternalError("a triangle of the surface is missing where a point was lifted off it");
            complex_.set_tag(tet_of(*face), face_of(*face), parent.pieces.front());
            for (const Index t : parent.pieces) surface_.triangles[t] = {kNone, kNone, kNone};
            surface_.triangles[parent.pieces.front()] = w;
        }
    }

    TetComplex& complex_;
    SurfaceTriangles& surface_;
    std::vector<Part> parts_;
    std::vector<Index> old_;   ///< tetrahedra that go
    std::vector<Quad> fresh_;  ///< and that come
};

}  // namespace

std::size_t lift_splits(TetComplex& complex, SurfaceTriangles& surface, std::vector<SplitPoint>& splits) {
    if (splits.empty()) return 0;
    Lifter lifter(complex, surface);
    std::vector<SplitPoint> left;
    // The last first: what it divided may be what one before it had made.
    for (auto split = splits.rbegin(); split != splits.rend(); ++split)
        if (!lifter.lift(*split)) left.push_back(std::move(*split));
    const std::size_t n_lifted = splits.size() - left.size();
    splits.assign(std::make_move_iterator(left.rbegin()), std::make_move_iterator(left.rend()));
    if (n_lifted > 0) lifter.compact();
    return n_lifted;
}

}  // namespace anvilcast::fill
