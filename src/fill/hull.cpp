// 1. Triangles of patches that cubes stand on are left out, all others stay.
// 2. What is between a patch's border and the outline of the cubes' sides on it is an area in a plane, with that border
//    and that outline for its rim; it is filled with triangles by the sizes.
// 3. The hull of the cubes closes what is left, with nothing behind it.

#include "fill/hull.hpp"

#include <anvilcast/errors.hpp>

#include <algorithm>
#include <cmath>
#include <map>

#include "planar/triangles.hpp"

namespace anvilcast::fill {
namespace {

class HullMaker {
  public:
    HullMaker(const SurfaceMesh& given, const cubes::CubeCore& core, const SizeField& sizes, const Context& context)
        : given_(given),
          core_(core),
          sizes_(sizes),
          context_(context),
          edges_(given.surface.triangles, given.surface.points.size()) {
        out_.point_of.assign(core.points.size(), kNone);
        out_.surface.regions = given.regions;
        out_.surface.periodic = given.periodic;
        out_.surface.surface.zones = given.surface.zones;
        number_.assign(given.surface.points.size(), kNone);
    }

    WithHull run(const std::vector<char>& may_slide, const std::vector<char>& is_top) {
        gather_patches();
        take_what_stays();
        const auto n_given = static_cast<Index>(out_.surface.surface.points.size());
        std::size_t n = 0;
        for (const auto& [patch, of] : patches_) fill_patch(of, borders_[n++]);
        add_hull();
        const std::size_t n_points = out_.surface.surface.points.size();
        out_.point_in_given.resize(n_points, kNone);
        out_.is_of_cubes.assign(n_points, 0);
        for (const Index p : out_.point_of)
            if (p != kNone) out_.is_of_cubes[p] = 1;
        for (Index p = 0; p < n_points; ++p) {
            const bool is_given = p < n_given;
            out_.may_slide.push_back(is_given && !may_slide.empty() ? may_slide[out_.point_in_given[p]]
                                                                    : static_cast<char>(is_given || is_inner_[p]));
        }
        if (!is_top.empty())
            for (const Index t : out_.triangle_in_given)
                out_.is_top.push_back(t == kNone ? static_cast<char>(0) : is_top[t]);
        return std::move(out_);
    }

  private:
    struct PiecesOfPatch {
        std::vector<cubes::Piece> pieces;
        std::vector<Index> triangles;  ///< of the given surface, that they take the place of
    };

    void gather_patches() {
        for (std::size_t k = 0; k < core_.walls.size(); ++k)
            patches_[core_.wall_patch[k]].pieces.push_back(core_.walls[k]);
        for (Index t = 0; t < core_.patch_of.size(); ++t)
            if (const auto found = patches_.find(core_.patch_of[t]); found != patches_.end())
                found->second.triangles.push_back(t);
    }

    Index given_point(Index p) {
        if (number_[p] == kNone) {
            number_[p] = static_cast<Index>(out_.surface.surface.points.size());
            out_.surface.surface.points.push_back(given_.surface.points[p]);
            out_.point_in_given.push_back(p);
        }
        return number_[p];
    }
    Index cube_point(Index p) {
        if (out_.point_of[p] == kNone) {
            out_.point_of[p] = static_cast<Index>(out_.surface.surface.points.size());
            out_.surface.surface.points.push_back(core_.points[p]);
        }
        return out_.point_of[p];
    }
    void add_triangle(const Triangle& corners, Index zone, const std::array<Index, 2>& sides, Index in_given) {
        out_.surface.surface.triangles.push_back(corners);
        out_.surface.surface.zone_of.push_back(zone);
        out_.surface.sides.push_back(sides);
        out_.triangle_in_given.push_back(in_given);
    }

    void take_what_stays() {
        std::vector<char> is_left(given_.surface.triangles.size(), 1);
        for (const auto& [patch, of] : patches_)
            for (const Index t : of.triangles) is_left[t] = 0;
        std::vector<char> is_needed(number_.size(), 0);
        for (Index t = 0; t < is_left.size(); ++t)
            if (is_left[t] != 0)
                for (const Index p : given_.surface.triangles[t]) is_needed[p] = 1;
        // Another patch may begin at a patch's border.
        for (const auto& [patch, of] : patches_)
            for (const Borders& borders = borders_.emplace_back(borders_of(of));
                 const auto* list : {&borders.outer, &borders.inner})
                for (const Edge& e : *list) is_needed[e[0]] = is_needed[e[1]] = 1;
        for (Index p = 0; p < is_needed.size(); ++p)
            if (is_needed[p] != 0) given_point(p);
        for (Index t = 0; t < is_left.size(); ++t) {
            if (is_left[t] == 0) continue;
            Triangle corners = given_.surface.triangles[t];
            for (Index& p : corners) p = number_[p];
            add_triangle(corners, given_.surface.zone_of[t], given_.sides[t], t);
        }
    }

    /// Edges that one polygon has, the way it runs along them.
    template <typename Polygons>
    static std::vector<Edge> outline(const Polygons& polygons) {
        std::vector<Edge> all, out;
        for (const auto& polygon : polygons) {
            const auto n = static_cast<std::size_t>(std::find(polygon.begin(), polygon.end(), kNone) - polygon.begin());
            for (std::size_t k = 0; k < n; ++k) all.push_back({polygon[k], polygon[(k + 1) % n]});
        }
        std::sort(all.begin(), all.end());
        for (const Edge& e : all)
            if (!std::binary_search(all.begin(), all.end(), Edge{e[1], e[0]})) out.push_back(e);
        return out;
    }
    struct Borders {
        std::vector<Edge> outer;  ///< the patch is on their left
        std::vector<Edge> inner;  ///< the patch is on both sides, and something stands on them
    };
    /// Throws GeometryError where something touches the patch in a point alone.
    Borders borders_of(const PiecesOfPatch& of) const {
        std::vector<char> is_of_patch(given_.surface.triangles.size(), 0);
        for (const Index t : of.triangles) is_of_patch[t] = 1;
        Borders out;
        for (const Index t : of.triangles)
            for (Index k = 0; k < 3; ++k) {
                const std::size_t e = edges_.edge_of(t, k);
                std::size_t n_of_patch = 0;
                for (const auto* use = edges_.begin(e); use != edges_.end(e); ++use)
                    n_of_patch += is_of_patch[use->triangle] != 0 ? 1 : 0;
                const Edge edge{given_.surface.triangles[t][k], given_.surface.triangles[t][(k + 1) % 3]};
                if (n_of_patch == 1)
                    out.outer.push_back(edge);
                else if (edges_.n_uses(e) > n_of_patch && edge[0] < edge[1])
                    out.inner.push_back(edge);
            }
        check_points(is_of_patch, of, out);
        return out;
    }
    void check_points(const std::vector<char>& is_of_patch, const PiecesOfPatch& of, const Borders& borders) const {
        std::vector<char> is_within(given_.surface.points.size(), 0);
        for (const Index t : of.triangles)
            for (const Index p : given_.surface.triangles[t]) is_within[p] = 1;
        for (const auto* list : {&borders.outer, &borders.inner})
            for (const Edge& e : *list) is_within[e[0]] = is_within[e[1]] = 0;
        for (Index t = 0; t < is_of_patch.size(); ++t)
            for (const Index p : given_.surface.triangles[t])
                if (is_of_patch[t] == 0 && is_within[p] != 0)
                    throw GeometryError("something touches a flat wall in a point alone");
    }

    void fill_patch(const PiecesOfPatch& of, const Borders& borders) {
        const Index sample = of.triangles.front();
        const Vec3 normal = triangle_normal(given_.surface.corner(sample, 0), given_.surface.corner(sample, 1),
                                            given_.surface.corner(sample, 2));
        const PlaneOfPatch plane(normal, given_.surface.corner(sample, 0));
        std::vector<Index> points;  // of the surface that is made
        std::map<Index, Index> place_of;
        auto place = [&](Index p) {
            const auto [found, is_new] = place_of.try_emplace(p, static_cast<Index>(points.size()));
            if (is_new) points.push_back(p);
            return found->second;
        };
        std::vector<planar::RimEdge> rim;
        for (const Edge& e : borders.outer) rim.push_back({place(number_[e[0]]), place(number_[e[1]]), {0, kNone}});
        for (const Edge& e : borders.inner) rim.push_back({place(number_[e[0]]), place(number_[e[1]]), {0, 0}});
        // The sides of cubes are seen the right way round from outside of the domain, the patch from where its normal
        // points to.
        const bool is_seen_from_outside = given_.sides[sample][1] < given_.regions.size();
        for (Edge e : outline(of.pieces)) {
            if (!is_seen_from_outside) std::swap(e[0], e[1]);
            rim.push_back({place(cube_point(e[0])), place(cube_point(e[1])), {kNone, 0}});
        }
        std::vector<Vec2> flat;
        for (const Index p : points) flat.push_back(plane.flat(out_.surface.surface.points[p]));
        const planar::Triangles filled = planar::fill_with_triangles(
            flat, rim, [&](const Vec2& p) { return sizes_.at(plane.place(p)); }, context_);
        for (std::size_t k = points.size(); k < filled.points.size(); ++k) {
            points.push_back(static_cast<Index>(out_.surface.surface.points.size()));
            out_.surface.surface.points.push_back(plane.place(filled.points[k]));
            is_inner_.resize(points.back() + 1, 0);
            is_inner_.back() = 1;
        }
        for (const auto& t : filled.triangles)
            add_triangle({points[t[0]], points[t[1]], points[t[2]]}, given_.surface.zone_of[sample],
                         given_.sides[sample], sample);
    }

    /// Flat places are seen from where the normal points to. Square to an axis nothing is rounded.
    class PlaneOfPatch {
      public:
        PlaneOfPatch(const Vec3& normal, const Vec3& on) : on_(on) {
            int axis = 0;
            for (int a = 0; a < 3; ++a)
                if (std::abs(normal[a]) > std::abs(normal[axis])) axis = a;
            const Vec3 n = normalized(normal);
            Vec3 along;
            along[(axis + 1) % 3] = n[axis] > 0 ? 1 : -1;
            u_ = normalized(along - n * dot(n, along));
            v_ = cross(n, u_);
        }
        Vec2 flat(const Vec3& p) const { return {dot(p - on_, u_), dot(p - on_, v_)}; }
        Vec3 place(const Vec2& p) const { return on_ + u_ * p.x + v_ * p.y; }

      private:
        Vec3 on_, u_, v_;
    };

    void add_hull() {
        const auto zone = static_cast<Index>(out_.surface.surface.zones.size());
        out_.surface.surface.zones.push_back({"cubes", Role::wall});
        for (std::size_t t = 0; t < core_.hull.size(); ++t) {
            Triangle corners = core_.hull[t];
            for (Index& p : corners) p = cube_point(p);
            add_triangle(corners, zone, {core_.hull_region[t], kNone}, kNone);
        }
        is_inner_.resize(out_.surface.surface.points.size(), 0);
    }

    const SurfaceMesh& given_;
    const cubes::CubeCore& core_;
    const SizeField& sizes_;
    const Context& context_;
    SurfaceEdges edges_;
    WithHull out_;
    std::map<Index, PiecesOfPatch> patches_;  // that cubes stand on
    std::vector<Borders> borders_;            // of each of them, in order
    std::vector<Index> number_;               // of each point of the given surface
    std::vector<char> is_inner_;              // of each point: new, and within a patch
};

}  // namespace

WithHull with_hull(const SurfaceMesh& given, const cubes::CubeCore& core, const SizeField& sizes,
                   const std::vector<char>& may_slide, const std::vector<char>& is_top, const Context& context) {
    return HullMaker(given, core, sizes, context).run(may_slide, is_top);
}

}  // namespace anvilcast::fill
