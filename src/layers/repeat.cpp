#include "layers/repeat.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "base/disjoint_sets.hpp"

namespace anvilcast::layers {
namespace {

/// Feet at two points are counterparts when what they stand on faces the same way, to this cosine.
constexpr double kLikeNormal = 0.5;
constexpr double kSameShare = 1e-6;

/// A layered side's normal at a foot, as long as its angle there: how many triangles a wall has at a point differs from
/// side to side.
Vec3 weighted_normal(const Wall& wall, Index foot, Corner c) {
    const auto& p = wall.mesh->surface.points;
    const Vec3 a = p[wall.point_of(Wall::next(c))] - wall.place_of(foot),
               b = p[wall.point_of(Wall::previous(c))] - wall.place_of(foot);
    return wall.normal_of_side[Wall::side_of(c)] * std::atan2(length(cross(a, b)), dot(a, b));
}

Vec3 mean_normal(const Wall& wall, Index foot) {
    Vec3 sum;
    for (const Corner c : wall.corners_of(foot)) sum += weighted_normal(wall, foot, c);
    return normalized(sum);
}

Triangle sorted(Triangle t) {
    std::sort(t.begin(), t.end());
    return t;
}

/// Of each triangle of a pair's first zone, the one on the second that is its image.
std::map<Index, Index> images_of_triangles(const Surface& s, const PeriodicPair& pair,
                                           const std::vector<Index>& image) {
    const auto [first, second] = shape::zones_of(s, pair);
    std::map<Triangle, Index> there;
    for (Index t = 0; t < s.triangles.size(); ++t)
        if (s.zone_of[t] == second) there[sorted(s.triangles[t])] = t;
    std::map<Index, Index> out;
    for (Index t = 0; t < s.triangles.size(); ++t) {
        if (s.zone_of[t] != first) continue;
        const Triangle& c = s.triangles[t];
        if (const auto at = there.find(sorted({image[c[0]], image[c[1]], image[c[2]]})); at != there.end())
            out[t] = at->second;
    }
    return out;
}

}  // namespace

struct Repeats::Matching {
    std::vector<std::vector<Index>> feet_at;  // of each point
    std::vector<shape::ImageLink> links;
    std::vector<Index> partner;  // of each foot by the pair at hand
};

Repeats::Repeats(const Wall& wall) : wall_(wall) {
    const SurfaceMesh& mesh = *wall.mesh;
    if (mesh.periodic.empty()) return;
    image_of_point_ = shape::images_of_points(mesh.surface, mesh.periodic);
    Matching matching;
    matching.feet_at.resize(mesh.surface.points.size());
    for (Index f = 0; f < wall.feet.size(); ++f) matching.feet_at[wall.feet[f].point].push_back(f);
    std::vector<char> is_whole(wall.feet.size(), 1);
    for (Index k = 0; k < mesh.periodic.size(); ++k) {
        match(matching, k);
        std::vector<char> has_partner(wall.feet.size(), 0), is_on_second(mesh.surface.points.size(), 0);
        for (const auto& link : matching.links)
            if (link.pair == k) has_partner[link.from] = has_partner[link.to] = 1;
        for (const Index q : image_of_point_[k])
            if (q != kNone) is_on_second[q] = 1;
        for (Index f = 0; f < wall.feet.size(); ++f) {
            const Index p = wall.feet[f].point;
            if ((image_of_point_[k][p] != kNone || is_on_second[p] != 0) && has_partner[f] == 0) is_whole[f] = 0;
        }
    }
    originals_ = shape::originals_of(wall.feet.size(), matching.links, mesh.periodic);
    family_.assign(wall.feet.size(), kNone);
    std::map<Index, std::vector<Index>> members;
    for (Index f = 0; f < wall.feet.size(); ++f)
        if (originals_.is_image(f)) members[originals_.of[f]].push_back(f);
    for (auto& [original, images] : members) {
        std::vector<Index> family{original};
        family.insert(family.end(), images.begin(), images.end());
        for (const Index f : family) family_[f] = static_cast<Index>(families_.size());
        families_.push_back(std::move(family));
    }
    for (Index f = 0; f < wall.feet.size(); ++f)
        if (is_whole[f] == 0) alone_.push_back(f);
}

/// Feet on walls by what they face, then those within fans by the ends of these.
void Repeats::match(Matching& matching, Index pair) {
    const Placement& image = wall_.mesh->periodic[pair].image;
    matching.partner.assign(wall_.feet.size(), kNone);
    std::vector<char> is_taken(wall_.feet.size(), 0);
    auto link = [&](Index f, Index g) {
        matching.partner[f] = g;
        is_taken[g] = 1;
        matching.links.push_back({f, g, pair});
    };
    auto for_feet = [&](const auto& work) {
        for (Index p = 0; p < image_of_point_[pair].size(); ++p)
            if (const Index q = image_of_point_[pair][p]; q != kNone)
                for (const Index f : matching.feet_at[p])
                    if (matching.partner[f] == kNone) work(f, matching.feet_at[q]);
    };
    for_feet([&](Index f, const std::vector<Index>& there) {
        if (wall_.corners_of(f).empty()) return;
        const Vec3 normal = image.direction(mean_normal(wall_, f));
        Index best = kNone;
        double closest = kLikeNormal;
        for (const Index g : there) {
            if (wall_.corners_of(g).empty() || is_taken[g] != 0) continue;
            if (const double alike = dot(normal, mean_normal(wall_, g)); alike > closest) {
                closest = alike;
                best = g;
            }
        }
        if (best != kNone) link(f, best);
    });
    for_feet([&](Index f, const std::vector<Index>& there) {
        const Foot& foot = wall_.feet[f];
        for (const Index g : there) {
            const Foot& other = wall_.feet[g];
            if (is_taken[g] != 0 || !wall_.corners_of(g).empty() || !wall_.corners_of(f).empty()) continue;
            if (foot.is_center != other.is_center) continue;
            if (!foot.is_center) {
                const std::array<Index, 2> ends{matching.partner[foot.fan[0]], matching.partner[foot.fan[1]]};
                const bool same = ends == other.fan && std::abs(foot.share - other.share) < kSameShare;
                const bool turned = ends[0] == other.fan[1] && ends[1] == other.fan[0] &&
                                    std::abs(foot.share + other.share - 1) < kSameShare;
                if (!same && !turned) continue;
            }
            link(f, g);
            return;
        }
    });
}

std::vector<Vec3> Repeats::normals_beyond(Index foot) const {
    std::vector<Vec3> out;
    for (const Index g : family_of(foot)) {
        if (g == foot) continue;
        const Placement there = after(inverse(by(g)), by(foot));
        for (const Corner c : wall_.corners_of(g)) out.push_back(there.direction(weighted_normal(wall_, g, c)));
    }
    return out;
}

void Repeats::join_umbrellas(Wall& wall) const {
    if (families_.empty()) return;
    Index n = 0;
    for (const Foot& f : wall.feet) n = std::max(n, f.umbrella + 1);
    DisjointSets umbrellas(n);
    for (const auto& family : families_)
        for (const Index f : family) umbrellas.join(wall.feet[family.front()].umbrella, wall.feet[f].umbrella);
    for (Foot& f : wall.feet) f.umbrella = umbrellas.find(f.umbrella);
}

std::vector<Box> Repeats::with_images(const Box& box) const {
    std::vector<Box> out{box};
    for (const PeriodicPair& pair : wall_.mesh->periodic)
        for (std::size_t n = out.size(), i = 0; i < n; ++i)
            for (const Placement& there : {pair.image, inverse(pair.image)}) {
                Box moved;
                for (int k = 0; k < 8; ++k)
                    moved.include(
                        there({(k & 1) != 0 ? out[i].hi.x : out[i].lo.x, (k & 2) != 0 ? out[i].hi.y : out[i].lo.y,
                               (k & 4) != 0 ? out[i].hi.z : out[i].lo.z}));
                out.push_back(moved);
            }
    return out;
}

std::vector<Index> Repeats::feet_near(const Vec3& place) const {
    std::vector<Index> out;
    double nearest = Box::inf;
    for (const auto& family : families_)
        for (const Index f : family)
            if (const double d = distance(wall_.place_of(f), place); d < nearest) {
                nearest = d;
                out = family;
            }
    return out;
}

namespace {

/// The points of some triangles at which others stand too, or at which they end; ascending.
std::vector<Index> fixed_points(const std::vector<Triangle>& triangles, const std::vector<char>& is_of_others) {
    std::map<Edge, int> uses;
    std::vector<Index> out;
    for (const Triangle& t : triangles)
        for (std::size_t k = 0; k < 3; ++k) {
            const Index a = t[k], b = t[(k + 1) % 3];
            ++uses[{std::min(a, b), std::max(a, b)}];
            if (a < is_of_others.size() && is_of_others[a] != 0) out.push_back(a);
        }
    for (const auto& [edge, n] : uses)
        if (n == 1) out.insert(out.end(), edge.begin(), edge.end());
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
}

}  // namespace

std::vector<Index> Repeats::repeat_shores(Shores::Cut& cut) const {
    const SurfaceMesh& mesh = *wall_.mesh;
    if (mesh.periodic.empty() || cut.triangles.empty()) return {};
    const double reach = shape::kSameImage * mesh.surface.bounds().diagonal();
    Shores::Cut out = cut;
    for (Index k = 0; k < mesh.periodic.size(); ++k) {
        const PeriodicPair& pair = mesh.periodic[k];
        const auto zones = shape::zones_of(mesh.surface, pair);
        std::vector<Triangle> on[2];
        std::vector<Index> origin_of_first;
        std::vector<char> is_of_others(out.points.size(), 0);
        for (std::size_t i = 0; i < out.triangles.size(); ++i) {
            const Index zone = mesh.surface.zone_of[out.origin[i]];
            if (zone == zones[0]) origin_of_first.push_back(out.origin[i]);
            if (zone == zones[0] || zone == zones[1])
                on[zone == zones[0] ? 0 : 1].push_back(out.triangles[i]);
            else
                for (const Index p : out.triangles[i]) is_of_others[p] = 1;
        }
        if (on[0].empty()) continue;
        for (Index t = 0; t < mesh.surface.triangles.size(); ++t)
            if (mesh.surface.zone_of[t] != zones[0] && mesh.surface.zone_of[t] != zones[1])
                for (const Index p : mesh.surface.triangles[t]) is_of_others[p] = 1;
        const std::vector<Index> from = fixed_points(on[0], is_of_others), to = fixed_points(on[1], is_of_others);
        const std::vector<Index> found = shape::images_among(out.points, from, to, pair.image, reach);
        std::vector<Index> there(out.points.size(), kNone), back(out.points.size(), kNone), failed;
        for (std::size_t i = 0; i < from.size(); ++i) {
            there[from[i]] = found[i];
            if (found[i] != kNone) back[found[i]] = from[i];
            if (found[i] != kNone) continue;
            for (const Index f : feet_near(out.points[from[i]])) failed.push_back(f);
        }
        for (const Index q : to)
            if (back[q] == kNone)
                for (const Index f : feet_near(out.points[q])) failed.push_back(f);
        if (!failed.empty()) return failed;

        const auto triangle_there = images_of_triangles(mesh.surface, pair, image_of_point_[k]);
        std::size_t n = 0;
        for (std::size_t i = 0; i < out.triangles.size(); ++i) {
            if (mesh.surface.zone_of[out.origin[i]] == zones[1]) continue;
            out.triangles[n] = out.triangles[i];
            out.origin[n++] = out.origin[i];
        }
        out.triangles.resize(n);
        out.origin.resize(n);
        for (std::size_t i = 0; i < on[0].size(); ++i) {
            Triangle image{};
            for (std::size_t c = 0; c < 3; ++c) {
                const Index p = on[0][i][c];
                if (there[p] == kNone) {
                    there[p] = static_cast<Index>(out.points.size());
                    const Vec3 place = pair.image(out.points[p]);
                    out.points.push_back(place);
                }
                image[(3 - c) % 3] = there[p];
            }
            out.triangles.push_back(image);
            out.origin.push_back(triangle_there.at(origin_of_first[i]));
        }
    }
    cut = std::move(out);
    return {};
}

}  // namespace anvilcast::layers
