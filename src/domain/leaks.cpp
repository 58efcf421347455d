// Leaks are found by closing everything that can be closed: what then lies between the volume and the outside is
// where it leaks. A volume that is open even so leaks through a gap between surfaces, found by walking out.

#include <anvilcast/domain.hpp>
#include <anvilcast/leaks.hpp>
#include <anvilcast/weld.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/place_text.hpp"
#include "domain/free_space.hpp"
#include "domain/leak_text.hpp"
#include "surface/hole_patch.hpp"

namespace anvilcast {
namespace {

constexpr std::size_t kMostPlaces = 60000;

std::vector<std::string> zones_near(const Surface& s, const std::vector<Index>& rim) {
    std::vector<std::string> names;
    for (Index t = 0; t < s.triangles.size(); ++t)
        for (const Index p : s.triangles[t])
            if (std::find(rim.begin(), rim.end(), p) != rim.end()) names.push_back(s.zones[s.zone_of[t]].name);
    std::sort(names.begin(), names.end());
    names.erase(std::unique(names.begin(), names.end()), names.end());
    return names;
}

/// Points spread over a patch.
template <typename Visit>
void sample(const Surface& patch, Visit visit) {
    constexpr int kSteps = 6;
    for (Index t = 0; t < patch.triangles.size(); ++t)
        for (int i = 0; i <= kSteps; ++i)
            for (int j = 0; i + j <= kSteps; ++j) {
                const double u = (i + 1.0 / 3) / (kSteps + 1), v = (j + 1.0 / 3) / (kSteps + 1);
                visit(patch.corner(t, 0) * (1 - u - v) + patch.corner(t, 1) * u + patch.corner(t, 2) * v);
            }
}

/// Where the widest ball passes a patch, and how wide it is.
void measure_width(const Surface& patch, const TriangleTree& tree, Leak& leak) {
    double best = -1;
    auto try_at = [&](const Vec3& p) {
        const double d = tree.closest(p).distance;
        if (d <= best) return false;
        best = d;
        leak.at = p;
        return true;
    };
    leak.extent = patch.bounds().diagonal();
    Vec3 middle;
    double area = 0;
    for (Index t = 0; t < patch.triangles.size(); ++t) {
        const double a = triangle_area(patch.corner(t, 0), patch.corner(t, 1), patch.corner(t, 2));
        middle += (patch.corner(t, 0) + patch.corner(t, 1) + patch.corner(t, 2)) * (a / 3);
        area += a;
    }
    const TriangleTree on_patch(patch.points, patch.triangles);
    if (area > 0) try_at(on_patch.closest(middle / area).point);
    sample(patch, try_at);
    // From the best of these uphill, on the patch, with shrinking steps.
    for (double step = 0.1 * leak.extent; step > 1e-4 * leak.extent; step /= 2) {
        bool better = true;
        while (better) {
            better = false;
            const Vec3 here = leak.at;
            for (int axis = 0; axis < 3; ++axis)
                for (const double way : {-step, step}) {
                    Vec3 p = here;
                    p[axis] += way;
                    better = try_at(on_patch.closest(p).point) || better;
                }
        }
    }
    leak.width = 2 * std::max(best, 0.0);
}

/// A patch over a free rim, whatever its shape.
Surface patch_of(const Surface& s, const std::vector<Index>& rim) {
    mending::Hole hole;
    for (std::size_t i = 0; i < rim.size(); ++i) {
        hole.rim.push_back(s.points[rim[i]]);
        hole.scale.push_back(distance(s.points[rim[i]], s.points[rim[(i + 1) % rim.size()]]));
        hole.beyond.push_back(s.points[rim[i]]);
    }
    hole.joined = [](Index, Index) { return false; };
    const mending::Patch made = mending::minimal_patch(hole);
    Surface patch;
    patch.points = made.points;
    patch.triangles = made.triangles;
    patch.zone_of.assign(made.triangles.size(), 0);
    patch.zones = {{"rim"}};
    return patch;
}

/// Everything that could be closed, closed.
struct Sealed {
    Surface surface;
    std::vector<Leak> candidates;
    std::vector<Surface> patches;
};

Sealed seal(const Surface& s, const TriangleTree& tree) {
    Sealed out;
    std::vector<std::vector<std::array<double, 3>>> closed;
    auto key_of = [](const std::vector<Vec3>& places) {
        std::vector<std::array<double, 3>> key;
        for (const Vec3& p : places) key.push_back({p.x, p.y, p.z});
        std::sort(key.begin(), key.end());
        return key;
    };
    for (const Opening& o : find_openings(s)) {
        Leak leak;
        leak.kind = o.is_free_rim ? Leak::Kind::rim : Leak::Kind::opening;
        leak.zones = o.rim_zones;
        measure_width(o.patch, tree, leak);
        out.candidates.push_back(leak);
        out.patches.push_back(o.patch);
        closed.push_back(key_of(o.rim));
    }
    for (const Rim& rim : find_rims(s)) {
        std::vector<Vec3> places;
        for (const Index p : rim.points) places.push_back(s.points[p]);
        if (places.size() < 3 || std::find(closed.begin(), closed.end(), key_of(places)) != closed.end()) continue;
        Leak leak;
        leak.kind = Leak::Kind::rim;
        leak.zones = zones_near(s, rim.points);
        Surface patch = patch_of(s, rim.points);
        if (patch.triangles.empty()) continue;
        measure_width(patch, tree, leak);
        out.candidates.push_back(leak);
        out.patches.push_back(std::move(patch));
    }
    return out;
}

void find_path(const domain::FreeSpace& space, const Vec3& inside, Leak& leak) {
    const std::vector<Vec3> there = space.find_way(
        inside, [&](const Vec3& p) { return distance(p, leak.at) < 1e3 * leak.extent && space.is_clear(p, leak.at); },
        leak.at, kMostPlaces);
    if (there.empty()) return;
    std::vector<Vec3> out = space.find_way(
        leak.at, [&](const Vec3& p) { return space.is_outside_of_box(p); }, leak.at, kMostPlaces);
    if (out.empty()) return;
    leak.path = there;
    leak.path.insert(leak.path.end(), out.begin(), out.end());
}

/// The narrowest place of a path, and what it runs between.
Leak gap_on(const Surface& s, const TriangleTree& tree, std::vector<Vec3> path) {
    Leak leak;
    leak.kind = Leak::Kind::gap;
    double narrowest = Box::inf;
    for (std::size_t i = 0; i + 1 < path.size(); ++i)
        for (int k = 0; k < 16; ++k) {
            const Vec3 p = path[i] + (path[i + 1] - path[i]) * (k / 16.0);
            const auto hit = tree.closest(p);
            if (hit.distance <= 0) continue;
            // Across: from the nearest wall straight on to the next.
            const Vec3 way = (p - hit.point) / hit.distance;
            double across = Box::inf;
            Index facing = kNone;
            for (const auto& h : tree.line_hits(p, way))
                if (h.t > 0 && h.t < across) {
                    across = h.t;
                    facing = h.triangle;
                }
            if (facing == kNone || hit.distance + across >= narrowest) continue;
            narrowest = hit.distance + across;
            leak.at = hit.point + way * (narrowest / 2);
            leak.width = narrowest;
            leak.zones = {s.zones[s.zone_of[hit.triangle]].name, s.zones[s.zone_of[facing]].name};
        }
    if (leak.zones.size() == 2 && leak.zones[0] == leak.zones[1]) leak.zones.pop_back();
    leak.path = std::move(path);
    return leak;
}

}  // namespace

std::vector<Leak> find_leaks(const Surface& surface, const Vec3& inside) {
    const TriangleTree tree(surface.points, surface.triangles);
    if (surface.triangles.empty() || tree.bounds().distance_squared_to(inside) > 0) return {};
    Sealed sealed = seal(surface, tree);
    std::vector<Surface> all{surface};
    all.insert(all.end(), sealed.patches.begin(), sealed.patches.end());
    const Surface joint = joined(all);
    const CutSurface cut = cut_at_intersections(joint);
    const Regions regions = find_regions(cut.surface);
    const TriangleTree cut_tree(cut.surface.points, cut.surface.triangles);
    const auto region = region_at(cut.surface, cut_tree, regions, inside);
    std::vector<Leak> leaks;
    if (region && *region != Regions::kOutside) {
        // Which patches bound the region?
        std::vector<bool> bounds(sealed.patches.size(), false);
        std::vector<std::size_t> last{surface.triangles.size()};
        for (const Surface& p : sealed.patches) last.push_back(last.back() + p.triangles.size());
        for (Index t = 0; t < cut.surface.triangles.size(); ++t) {
            const Index origin = cut.origins_of(t)[0].triangle;
            if (origin < last[0] || (regions.sides[t][0] != *region && regions.sides[t][1] != *region)) continue;
            if (regions.sides[t][0] == regions.sides[t][1]) continue;
            bounds[static_cast<std::size_t>(std::upper_bound(last.begin(), last.end(), origin) - last.begin() - 1)] =
                true;
        }
        for (std::size_t k = 0; k < bounds.size(); ++k)
            if (bounds[k]) leaks.push_back(sealed.candidates[k]);
        std::stable_sort(leaks.begin(), leaks.end(), [](const Leak& a, const Leak& b) { return a.width > b.width; });
    }
    const double diagonal = tree.bounds().diagonal();
    const domain::FreeSpace space(surface, tree, diagonal / 48);
    for (Leak& leak : leaks) find_path(space, inside, leak);
    if (leaks.empty() && !(region && *region != Regions::kOutside)) {
        std::vector<Vec3> path = space.find_way(
            inside, [&](const Vec3& p) { return space.is_outside_of_box(p); }, inside, kMostPlaces);
        // A point in the open, beside a body within the body's box, leaks nowhere: its way out is wide.
        if (!path.empty()) {
            Leak gap = gap_on(surface, tree, std::move(path));
            if (!gap.zones.empty() && gap.width < diagonal / 8) leaks.push_back(std::move(gap));
        }
    }
    return leaks;
}

namespace domain {
namespace {

/// Digits far below the width say nothing.
Vec3 rounded(const Vec3& p, double width) {
    if (!(width > 0)) return p;
    const double grain = std::pow(10.0, std::floor(std::log10(width)) - 2);
    return {std::round(p.x / grain) * grain + 0.0, std::round(p.y / grain) * grain + 0.0,
            std::round(p.z / grain) * grain + 0.0};
}

}  // namespace

std::string leaks_text(const std::vector<Leak>& leaks, const LengthUnit& unit, double join) {
    constexpr std::size_t kMost = 12;
    std::string text;
    for (std::size_t k = 0; k < std::min(kMost, leaks.size()); ++k) {
        const Leak& leak = leaks[k];
        const std::string zones = leak.zones.empty()
                                      ? ""
                                      : fmt::format(", {} \"{}\"", leak.kind == Leak::Kind::gap ? "between" : "at",
                                                    fmt::join(leak.zones, "\" and \""));
        const Vec3 near = rounded(leak.at, leak.width);
        const std::string width = format_length(leak.width, unit), at = base::place_text(near, unit);
        switch (leak.kind) {
            case Leak::Kind::opening:
                text += fmt::format("\n  an opening at {}, {} wide{}: add an [[opening]] with near = {}", at, width,
                                    zones, base::numbers_text(near, unit));
                break;
            case Leak::Kind::rim:
                text += fmt::format(
                    "\n  a free rim at {}, {} wide{}: add an [[opening]] with near = {}, or [mend] "
                    "close_rims = \"{}\"",
                    at, width, zones, base::numbers_text(near, unit), format_length(1.01 * leak.extent, unit));
                break;
            case Leak::Kind::gap:
                text += fmt::format("\n  a gap at {}, {} wide{}: ", at, width, zones);
                text += 1.1 * leak.width > join
                            ? fmt::format("close it in the geometry, or join the parts with [domain] join = \"{}\"",
                                          format_length(1.1 * leak.width, unit))
                            : fmt::format(
                                  "[domain] join has not closed it, though it is wide enough; try join = \"{}\", "
                                  "or close it in the geometry",
                                  format_length(2 * join, unit));
                break;
        }
        if (leak.path.size() > 2) {
            text += "\n    the way out:";
            const std::size_t step = std::max<std::size_t>(1, leak.path.size() / 5);
            for (std::size_t i = 0; i < leak.path.size(); i += step)
                text += " " + base::numbers_text(rounded(leak.path[i], leak.width), unit);
            text += " " + unit.name;
        }
    }
    if (leaks.size() > kMost) text += fmt::format("\n  and {} more", leaks.size() - kMost);
    return text;
}

}  // namespace domain
}  // namespace anvilcast
