// Points go to where they lie exactly while triangles are divided, on an edge or in a plane; the pieces then have the
// points as they are, which is within rounding of it.

#include "cut/imprint.hpp"

#include <algorithm>

#include "cut/planar_division.hpp"

namespace anvilcast::cutting {
namespace {

using robust::ExactPoint;
using Kind = LiesOn::Kind;

/// A point on the rim of a triangle, with a bit for each side that it is on.
struct OnRim {
    Index point;
    unsigned sides;
};

class Imprinter {
  public:
    Imprinter(Complex& complex, const Part& other, const SurfaceEdges& other_edges,
              const std::map<Index, LiesOn>& lies_on, std::vector<Index>& parents)
        : c_(complex),
          other_(other),
          edges_(other_edges),
          lies_on_(lies_on),
          parents_(parents),
          segments_(other.corners.size()),
          on_face_(other.corners.size()) {}

    void run(const std::vector<Index>& pieces) {
        list_triangles_at_points();
        for (const Index piece : pieces) take(piece);
        sort_points_on_edges();
        const auto n = static_cast<Index>(c_.triangles.size());
        std::vector<char> is_done(n, 0);
        for (Index t = 0; t < other_.n_solid; ++t) {
            if (segments_[t].empty()) continue;
            divide(t);
            is_done[other_.triangle[t]] = 1;
        }
        for (Index t = 0; t < n; ++t)
            if (is_done[t] == 0) divide_rim(t);
        for (const auto& [edge, points] : on_edge_) divide_feature_edge(c_, edge, in_order(points));
    }

  private:
    /// A point on an edge and where it lies on it exactly.
    struct OnEdge {
        ExactPoint at;
        Index point;
    };

    static std::vector<Index> in_order(const std::vector<OnEdge>& points) {
        std::vector<Index> out;
        for (const OnEdge& p : points) out.push_back(p.point);
        return out;
    }
    Edge edge_of_complex(Index e) const {
        const auto [a, b] = edges_.ends(e);
        return {std::min(other_.point[a], other_.point[b]), std::max(other_.point[a], other_.point[b])};
    }
    const ExactPoint& corner(Index t, std::size_t k) const { return c_.points[other_.point[other_.corners[t][k]]]; }

    void list_triangles_at_points() {
        at_point_.resize(other_.point.size());
        for (Index t = 0; t < other_.n_solid; ++t)
            for (const Index v : other_.corners[t]) at_point_[v].push_back(t);
        is_as_it_was_.resize(other_.n_solid);
        for (Index t = 0; t < other_.n_solid; ++t) {
            const Triangle& v = other_.corners[t];
            is_as_it_was_[t] = c_.triangles[other_.triangle[t]] ==
                               Triangle{other_.point[v[0]], other_.point[v[1]], other_.point[v[2]]};
        }
    }
    std::vector<Index> triangles_at(const LiesOn& on) const {
        if (on.kind == Kind::face) return {on.element};
        if (on.kind == Kind::corner) return at_point_[on.element];
        std::vector<Index> out;
        for (const auto* use = edges_.begin(on.element); use != edges_.end(on.element); ++use)
            if (use->triangle < other_.n_solid) out.push_back(use->triangle);
        std::sort(out.begin(), out.end());
        return out;
    }

    /// Sides of a triangle that an element of it is on, as bits.
    unsigned sides_of(Index t, const LiesOn& on) const {
        unsigned sides = 0;
        for (std::size_t k = 0; k < 3; ++k) {
            const bool is_on = on.kind == Kind::edge
                                   ? edges_.edge_of(t, static_cast<Index>(k)) == on.element
                                   : on.kind == Kind::corner && (other_.corners[t][k] == on.element ||
                                                                 other_.corners[t][(k + 1) % 3] == on.element);
            if (is_on) sides |= 1U << k;
        }
        return sides;
    }

    /// The triangle under a piece gets its sides.
    void take(Index piece) {
        std::array<const LiesOn*, 3> on{};
        for (std::size_t k = 0; k < 3; ++k) {
            const auto found = lies_on_.find(c_.triangles[piece][k]);
            if (found == lies_on_.end() || found->second.element == kNone) return;
            on[k] = &found->second;
        }
        std::vector<Index> under = triangles_at(*on[0]);
        for (const std::size_t k : {1U, 2U}) {
            std::vector<Index> both;
            const std::vector<Index> more = triangles_at(*on[k]);
            std::set_intersection(under.begin(), under.end(), more.begin(), more.end(), std::back_inserter(both));
            under = std::move(both);
        }
        // What has been drawn together to a line lies on a side.
        std::erase_if(under, [&](Index t) {
            return !is_as_it_was_[t] || (sides_of(t, *on[0]) & sides_of(t, *on[1]) & sides_of(t, *on[2])) != 0;
        });
        if (under.empty()) return;
        const Index t = under.front();
        for (std::size_t k = 0; k < 3; ++k) {
            const Index p = c_.triangles[piece][k], q = c_.triangles[piece][(k + 1) % 3];
            put_in(t, p, *on[k]);
            if ((sides_of(t, *on[k]) & sides_of(t, *on[(k + 1) % 3])) == 0) segments_[t].push_back({p, q});
        }
    }

    void put_in(Index t, Index p, const LiesOn& on) {
        if (on.kind == Kind::face) on_face_[t].push_back(p);
        if (on.kind != Kind::edge) return;
        const Edge edge = edge_of_complex(on.element);
        const ExactPoint &a = c_.points[edge[0]], &b = c_.points[edge[1]];
        ExactPoint at = robust::foot_on_line(c_.points[p], a, b);
        if (at == a || at == b || !robust::is_between(at, a, b)) return;
        on_edge_[edge].push_back({std::move(at), p});
    }

    void sort_points_on_edges() {
        for (auto& [edge, points] : on_edge_) {
            const bool is_rising = robust::compare(c_.points[edge[0]], c_.points[edge[1]]) < 0;
            std::sort(points.begin(), points.end(), [is_rising](const OnEdge& p, const OnEdge& q) {
                const int s = robust::compare(p.at, q.at);
                return s != 0 ? (s < 0) == is_rising : p.point < q.point;
            });
            points.erase(std::unique(points.begin(), points.end(),
                                     [](const OnEdge& p, const OnEdge& q) { return p.at == q.at; }),
                         points.end());
        }
    }

    /// From one point to the other; nothing where there are none.
    std::vector<OnEdge> on_side(Index from, Index to) const {
        const auto found = on_edge_.find({std::min(from, to), std::max(from, to)});
        if (found == on_edge_.end()) return {};
        std::vector<OnEdge> out = found->second;
        if (from > to) std::reverse(out.begin(), out.end());
        return out;
    }

    void divide(Index t) {
        const Index triangle = other_.triangle[t];
        const Triangle v = c_.triangles[triangle];
        const int axis = robust::axis_across(corner(t, 0), corner(t, 1), corner(t, 2));
        PlanarDivision division(corner(t, 0), corner(t, 1), corner(t, 2), axis);
        std::map<Index, Index> local;
        std::vector<Index> number(v.begin(), v.end());
        auto insert = [&](Index p, const ExactPoint& at) {
            const Index there = division.insert(at);
            local[p] = there;
            if (there >= number.size()) number.push_back(p);
        };
        for (Index k = 0; k < 3; ++k) local[v[k]] = k;
        for (std::size_t k = 0; k < 3; ++k)
            for (const OnEdge& p : on_side(v[k], v[(k + 1) % 3])) insert(p.point, p.at);
        std::sort(on_face_[t].begin(), on_face_[t].end());
        on_face_[t].erase(std::unique(on_face_[t].begin(), on_face_[t].end()), on_face_[t].end());
        for (const Index p : on_face_[t]) {
            const ExactPoint at = robust::foot_on_plane(c_.points[p], corner(t, 0), corner(t, 1), corner(t, 2));
            if (is_within(t, at, axis)) insert(p, at);
        }
        auto place_of = [&](Index p) -> std::optional<Index> {
            const LiesOn& on = lies_on_.at(p);
            const auto found = local.find(on.kind == Kind::corner ? other_.point[on.element] : p);
            return found == local.end() ? std::nullopt : std::optional(found->second);
        };
        for (const auto& [p, q] : segments_[t]) {
            const auto a = place_of(p), b = place_of(q);
            if (a && b && *a != *b) division.insert_segment(*a, *b);
        }
        for (std::size_t k = number.size(); k < division.points().size(); ++k) {
            number.push_back(static_cast<Index>(c_.points.size()));
            c_.points.emplace_back(division.points()[k].approx());
        }
        std::vector<Triangle> pieces;
        for (const Triangle& piece : division.triangles())
            pieces.push_back({number[piece[0]], number[piece[1]], number[piece[2]]});
        replace_triangle(c_, triangle, pieces, parents_);
    }
    bool is_within(Index t, const ExactPoint& p, int axis) const {
        const int sense = robust::orient2d(corner(t, 0), corner(t, 1), corner(t, 2), axis);
        for (std::size_t k = 0; k < 3; ++k)
            if (robust::orient2d(corner(t, k), corner(t, (k + 1) % 3), p, axis) != sense) return false;
        return true;
    }

    void divide_rim(Index triangle) {
        const Triangle v = c_.triangles[triangle];
        std::array<std::vector<Index>, 3> on;
        for (std::size_t k = 0; k < 3; ++k) on[k] = in_order(on_side(v[k], v[(k + 1) % 3]));
        if (!on[0].empty() || !on[1].empty() || !on[2].empty())
            replace_triangle(c_, triangle, divided_by_rim(v, on), parents_);
    }

    Complex& c_;
    const Part& other_;
    const SurfaceEdges& edges_;
    const std::map<Index, LiesOn>& lies_on_;
    std::vector<Index>& parents_;
    std::vector<std::vector<Index>> at_point_;
    std::vector<bool> is_as_it_was_;  // not divided already, for an edge in common with what was laid on it
    std::vector<std::vector<std::array<Index, 2>>> segments_;  // of each triangle of the other
    std::vector<std::vector<Index>> on_face_;
    std::map<Edge, std::vector<OnEdge>> on_edge_;  // from the lower end on
};

}  // namespace

std::vector<Triangle> divided_by_rim(const Triangle& corners, const std::array<std::vector<Index>, 3>& on_side) {
    std::vector<OnRim> rim;
    for (std::size_t k = 0; k < 3; ++k) {
        rim.push_back({corners[k], (1U << k) | (1U << ((k + 2) % 3))});
        for (const Index p : on_side[k]) rim.push_back({p, 1U << k});
    }
    std::vector<Triangle> pieces;
    while (rim.size() > 3) {
        const std::size_t n = rim.size();
        std::size_t at = 0;
        auto neighbour = [&](std::size_t step) -> const OnRim& { return rim[(at + step) % n]; };
        auto is_corner = [&] { return (neighbour(n - 1).sides & rim[at].sides & neighbour(1).sides) == 0; };
        auto leaves_corners = [&] {
            unsigned common = ~0U;
            for (std::size_t k = 0; k < n; ++k)
                if (k != at) common &= rim[k].sides;
            return common == 0;
        };
        while (!is_corner() || !leaves_corners()) ++at;
        pieces.push_back({neighbour(n - 1).point, rim[at].point, neighbour(1).point});
        rim.erase(rim.begin() + static_cast<std::ptrdiff_t>(at));
    }
    pieces.push_back({rim[0].point, rim[1].point, rim[2].point});
    return pieces;
}

void imprint(Complex& complex, const Part& other, const SurfaceEdges& other_edges,
             const std::map<Index, LiesOn>& lies_on, const std::vector<Index>& pieces, std::vector<Index>& parents) {
    Imprinter(complex, other, other_edges, lies_on, parents).run(pieces);
}

}  // namespace anvilcast::cutting
