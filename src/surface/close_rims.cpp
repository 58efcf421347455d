// Closing rims: flat ones with the triangles of a flat polygon, others with a smooth patch. A patch that would cross
// the surface is not taken; the plainer one before it is tried instead, and at last the rim stays open and is told of.

#include <anvilcast/errors.hpp>
#include <anvilcast/polygon.hpp>
#include <anvilcast/triangle_intersection.hpp>
#include <anvilcast/weld.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

#include "surface/hole_patch.hpp"
#include "surface/mending.hpp"
#include "surface/rims.hpp"

namespace anvilcast::mending {
namespace {

constexpr double kFlat = 1e-3;  // of a rim's extent

class RimCloser {
  public:
    RimCloser(Surface& surface, std::vector<std::string>& left)
        : surface_(surface),
          left_(left),
          edges_(surface.triangles, surface.points.size()),
          tree_(surface.points, surface.triangles),
          n_before_(surface.triangles.size()) {
        for (Index p = 0; p < surface.points.size(); ++p) star_.emplace_back();
        for (Index t = 0; t < n_before_; ++t)
            for (const Index p : surface.triangles[t]) star_[p].push_back(t);
    }

    Mending run(double extent) {
        Mending m{"rims closed", 0, 0, {}};
        for (const Rim& rim : rims_of(surface_, edges_, {}, nullptr)) {
            Box box;
            for (const Index p : rim.points) box.include(surface_.points[p]);
            if (rim.points.size() < 3 || box.diagonal() > extent) continue;
            const std::optional<Patch> patch = patch_for(rim, box.diagonal());
            if (patch) {
                take(rim, *patch);
                ++m.count;
                continue;
            }
            left_.push_back(fmt::format(
                "the rim at [{:.6g}, {:.6g}, {:.6g}] m, length {:.6g} m: every patch would cross the surface",
                rim.center.x, rim.center.y, rim.center.z, rim.length));
        }
        return m;
    }

  private:
    std::optional<Patch> patch_for(const Rim& rim, double extent) {
        if (auto flat = flat_patch(rim, extent); flat && fits(rim, *flat)) return flat;
        const Hole hole = hole_at(rim);
        const Patch plain = minimal_patch(hole);
        if (plain.triangles.empty()) return std::nullopt;
        const Patch fine = refined(hole, plain);
        for (const Patch& patch : {faired(hole, fine), fine, plain})
            if (fits(rim, patch)) return patch;
        return std::nullopt;
    }

    std::optional<Patch> flat_patch(const Rim& rim, double extent) const {
        Vec3 normal;
        const Vec3& origin = surface_.points[rim.points.front()];
        for (std::size_t i = 1; i + 1 < rim.points.size(); ++i)
            normal += cross(surface_.points[rim.points[i]] - origin, surface_.points[rim.points[i + 1]] - origin);
        normal = normalized(normal);
        const Vec3 u =
            normalized(std::abs(normal.x) < 0.7 ? cross(normal, Vec3{1, 0, 0}) : cross(normal, Vec3{0, 1, 0}));
        const Vec3 v = cross(normal, u);
        Patch patch;
        std::vector<Vec2> flat;
        for (const Index p : rim.points) {
            const Vec3 r = surface_.points[p] - rim.center;
            if (std::abs(dot(r, normal)) > kFlat * extent) return std::nullopt;
            flat.push_back({dot(r, u), dot(r, v)});
            patch.points.push_back(surface_.points[p]);
        }
        try {
            patch.triangles = triangulate_polygon(flat);
        } catch (const GeometryError&) {
            return std::nullopt;
        }
        return patch;
    }

    bool are_joined(Index a, Index b) const {
        return std::any_of(star_[a].begin(), star_[a].end(), [&](Index t) {
            const Triangle& c = surface_.triangles[t];
            return std::find(c.begin(), c.end(), b) != c.end();
        });
    }

    Hole hole_at(const Rim& rim) const {
        Hole hole;
        const std::size_t n = rim.points.size();
        for (std::size_t i = 0; i < n; ++i) {
            const Index a = rim.points[i], b = rim.points[(i + 1) % n];
            hole.rim.push_back(surface_.points[a]);
            double sum = 0;
            std::size_t count = 0;
            for (const Index t : star_[a]) {
                const Triangle& c = surface_.triangles[t];
                for (const Index q : c)
                    if (q != a) sum += distance(surface_.points[a], surface_.points[q]), ++count;
                if (std::find(c.begin(), c.end(), b) != c.end())
                    for (const Index q : c)
                        if (q != a && q != b) hole.beyond.resize(i + 1, surface_.points[q]);
            }
            hole.scale.push_back(sum / static_cast<double>(count));
        }
        hole.joined = [this, &rim](Index a, Index b) { return are_joined(rim.points[a], rim.points[b]); };
        return hole;
    }

    /// Numbers of a patch's points in the surface with the patch's new points behind it.
    std::vector<Triangle> numbered(const Rim& rim, const Patch& patch, Index first_new) const {
        const auto n = static_cast<Index>(rim.points.size());
        std::vector<Triangle> out;
        for (Triangle t : patch.triangles) {
            for (Index& p : t) p = p < n ? rim.points[p] : first_new + (p - n);
            out.push_back(t);
        }
        return out;
    }

    bool fits(const Rim& rim, const Patch& patch) {
        const auto n_rim = rim.points.size();
        for (const Triangle& t : patch.triangles)
            for (std::size_t k = 0; k < 3; ++k) {
                const Index a = t[k], b = t[(k + 1) % 3];
                if (a < n_rim && b < n_rim && (a + 1) % n_rim != b && are_joined(rim.points[a], rim.points[b]))
                    return false;
            }
        // The new points stand behind the others while the patch is tried.
        const std::size_t n_points = surface_.points.size();
        surface_.points.insert(surface_.points.end(), patch.points.begin() + static_cast<std::ptrdiff_t>(n_rim),
                               patch.points.end());
        const bool free = !meets_anything(numbered(rim, patch, static_cast<Index>(n_points)));
        surface_.points.resize(n_points);
        return free;
    }

    bool meets_anything(const std::vector<Triangle>& triangles) const {
        const std::vector<Vec3>& points = surface_.points;
        for (const Triangle& t : triangles) {
            Box box;
            for (const Index p : t) box.include(points[p]);
            bool conflict = triangle_area(points[t[0]], points[t[1]], points[t[2]]) == 0;
            auto test = [&](Index other) {
                conflict = conflict || triangles_conflict(points, t, surface_.triangles[other]);
            };
            tree_.overlapping(box, test);
            for (const Taken& taken : taken_)
                if (taken.box.overlaps(box))
                    for (Index s = taken.first; s < taken.last && !conflict; ++s) test(s);
            if (conflict) return true;
        }
        return !find_self_intersections(points, triangles).empty();
    }

    /// The patch belongs to the zone that most of its rim belongs to.
    Index zone_of(const Rim& rim) const {
        std::map<Index, double> share;
        for (std::size_t i = 0; i < rim.points.size(); ++i) {
            const Index a = rim.points[i], b = rim.points[(i + 1) % rim.points.size()];
            for (const Index t : star_[a]) {
                const Triangle& c = surface_.triangles[t];
                if (std::find(c.begin(), c.end(), b) != c.end())
                    share[surface_.zone_of[t]] += distance(surface_.points[a], surface_.points[b]);
            }
        }
        return std::max_element(share.begin(), share.end(),
                                [](const auto& a, const auto& b) { return a.second < b.second; })
            ->first;
    }

    void take(const Rim& rim, const Patch& patch) {
        const auto first_new = static_cast<Index>(surface_.points.size());
        const std::vector<Triangle> triangles = numbered(rim, patch, first_new);
        surface_.points.insert(surface_.points.end(),
                               patch.points.begin() + static_cast<std::ptrdiff_t>(rim.points.size()),
                               patch.points.end());
        surface_.zone_of.insert(surface_.zone_of.end(), triangles.size(), zone_of(rim));
        star_.resize(surface_.points.size());
        Taken taken{{}, static_cast<Index>(surface_.triangles.size()), 0};
        for (const Triangle& t : triangles) {
            for (const Index p : t) {
                star_[p].push_back(static_cast<Index>(surface_.triangles.size()));
                taken.box.include(surface_.points[p]);
            }
            surface_.triangles.push_back(t);
        }
        taken.last = static_cast<Index>(surface_.triangles.size());
        taken_.push_back(taken);
    }

    /// A patch that was taken: triangles first to last - 1.
    struct Taken {
        Box box;
        Index first, last;
    };

    Surface& surface_;
    std::vector<std::string>& left_;
    SurfaceEdges edges_;
    TriangleTree tree_;
    std::size_t n_before_;
    std::vector<Taken> taken_;
    std::vector<std::vector<Index>> star_;
};

}  // namespace

Mending close_rims(Surface& surface, double extent, std::vector<std::string>& left) {
    return RimCloser(surface, left).run(extent);
}

}  // namespace anvilcast::mending
