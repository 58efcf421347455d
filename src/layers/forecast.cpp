// What layers will come to, before there are any: their stacks, where walls are too near to each other for them, and
// how many cells of the core they take the place of. The core begins on the tops with the sizes that it would have had
// on the walls and grows from there: so all that layers push outwards ends where growth does, and what is lost is their
// own volume in cells of the size there. Round sharp edges the tops are larger than the walls, and strips of fans
// narrower, which is counted edge by edge. Estimates; `plan` and `build` are held to each other within 15 %.

#include <anvilcast/layers.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/thread_limit.hpp"
#include "domain/facing_sides.hpp"
#include "layers/assignment.hpp"
#include "layers/fan_cells.hpp"
#include "layers/wall.hpp"
#include "sizing/sources.hpp"

namespace anvilcast {
namespace {

/// A triangle is looked at from a grid of points about so many sizes apart, but not more than kMostSteps along a side.
constexpr double kSpacing = 2;
constexpr int kMostSteps = 150;
/// Walls whose normals differ from opposite ones by more than this cosine do not face each other.
constexpr double kLeastFacing = 0.77;
constexpr double kCellsPerVolume = 1 / 0.1178511;  // regular tetrahedra of edge 1
constexpr double kSharp = 0.7;                     // radians between the walls at an edge
constexpr double kRadians = std::numbers::pi / 180;

class Forecaster {
  public:
    Forecaster(const Domain& domain, const SizeField& sizes, const LayerRequest& request, layers::Assignment assignment)
        : domain_(domain),
          sizes_(sizes),
          request_(request),
          assignment_(std::move(assignment)),
          tree_(domain.boundary.points, domain.boundary.triangles) {}

    std::vector<LayerForecast> run() const {
        std::vector<LayerForecast> out;
        for (const ZoneLayers& z : assignment_.zones) {
            LayerForecast f;
            f.zone = z.zone;
            f.region = z.region;
            f.stack = z.asked;
            f.area = z.area;
            // step_to_core: heights of a core cell and the last layer.
            f.volume_step = z.asked.step_to_core / 3;
            out.push_back(f);
        }
        const std::size_t n = assignment_.recipe_of_side.size();
        std::vector<Narrow> narrow(n);
        tbb::parallel_for(std::size_t{0}, n, [&](std::size_t side) {
            if (assignment_.recipe_of_side[side] != kNone) narrow[side] = look(static_cast<Index>(side));
        });
        for (std::size_t side = 0; side < n; ++side) {
            if (assignment_.recipe_of_side[side] == kNone) continue;
            LayerForecast& f = out[assignment_.stack_of_side[side]];
            f.core_cells += narrow[side].core_cells;
            if (!(narrow[side].area > 0)) continue;
            f.narrow_area += narrow[side].area;
            if (f.narrowest > 0 && f.narrowest <= narrow[side].distance) continue;
            f.narrowest = narrow[side].distance;
            f.needed = narrow[side].needed;
            f.narrowest_at = narrow[side].at;
        }
        add_edges(out);
        return out;
    }

    double cells_round_fans() const {
        double cells = 0;
        for_sharp_edges([&](double length, const Vec3& middle, double turn, Index side, Index other) {
            cells += length * cells_at_edge(middle, turn, side, other).round_strips;
        });
        return cells;
    }

  private:
    /// Calls work(length, middle, turn, side, other) for each edge of the layers' walls that is sharp.
    template <typename Work>
    void for_sharp_edges(const Work& work) const {
        const Surface& s = domain_.boundary;
        const SurfaceEdges edges(s.triangles, s.points.size());
        for_facing_sides(
            s.points, s.triangles, edges,
            [&](std::size_t e, const SurfaceEdges::Use& use, Index side, const SurfaceEdges::Use& other_use,
                Index other) {
                if (assignment_.recipe_of_side[side] == kNone || assignment_.recipe_of_side[other] == kNone) return;
                // Where the wall is round, tops are wider than its triangles, not more.
                const double turn = turn_of(use, side, other_use, other);
                if (std::abs(turn) < kSharp) return;
                const Vec3 &a = s.points[edges.ends(e)[0]], &b = s.points[edges.ends(e)[1]];
                work(distance(a, b), midpoint(a, b), turn, side, other);
            });
    }

    /// Round convex edges the tops are larger than the wall, in corners smaller, and the core begins on them.
    void add_edges(std::vector<LayerForecast>& out) const {
        for_sharp_edges([&](double length, const Vec3& middle, double turn, Index side, Index other) {
            out[assignment_.stack_of_side[side]].core_cells -= length * cells_at_edge(middle, turn, side, other).all;
        });
    }

    Vec3 normal_of_side(Index side) const { return (side & 1U) != 0 ? -normal_of(side / 2) : normal_of(side / 2); }

    /// How much the wall turns round an edge from one side to the other, radians: above 0 round a convex one.
    double turn_of(const SurfaceEdges::Use& use, Index side, const SurfaceEdges::Use& other_use, Index other) const {
        if (use.triangle == other_use.triangle) return std::numbers::pi;
        const Surface& s = domain_.boundary;
        const Vec3 n = normal_of_side(side), m = normal_of_side(other);
        const Vec3 &on_edge = s.corner(use.triangle, static_cast<int>(use.side)),
                   &tip = s.corner(other_use.triangle, static_cast<int>((other_use.side + 2) % 3));
        const double turn = std::atan2(length(cross(n, m)), dot(n, m));
        return dot(n, tip - on_edge) < 0 ? turn : -turn;
    }

    /// Of the core over a length of edge, in excess of what the walls on both sides are counted with.
    struct AtEdge {
        double all = 0, round_strips = 0;
    };
    AtEdge cells_at_edge(const Vec3& at, double turn, Index side, Index other) const {
        constexpr double kSharpest = 2.1;  // radians: columns lean no farther
        const layers::FanOptions fan;
        const double size = sizes_.at(at), slope = sizes_.growth() - 1;
        if (slope <= 0) return {};
        const LayerStack stack = stack_at(request_.recipes[assignment_.recipe_of_side[side]],
                                          assignment_.stacks[assignment_.stack_of_side[side]], size);
        const bool is_fan = turn > fan.largest_turn_deg * kRadians;
        const double lean = std::copysign(2 * std::tan(0.5 * std::min(std::abs(turn), kSharpest)), turn);
        const double width = stack.total * (is_fan ? turn : lean);  // of the tops that are won
        const Vec3 outward = normalized(normal_of_side(side) + normal_of_side(other));
        const double far = size_where_growth_ends(at + outward * stack.total, outward);
        double tops = size, beside = 0;
        if (is_fan) {
            const double n =
                std::clamp(std::round(width / (fan.width * size)), std::ceil(turn / (fan.largest_step_deg * kRadians)),
                           std::ceil(turn / (fan.step_deg * kRadians)));
            tops = std::min(size, width / n);
            beside = cells_round_strips(tops, size, far, turn);
        }
        const double above = width * kCellsPerVolume * 0.5 / slope * std::max(0.0, 1 / (tops * tops) - 1 / (far * far));
        return {beside + above, beside};
    }

    /// Strips of a fan that are much narrower than the edge is long make the core finer round it: over a length of
    /// edge, in excess of what sizes that grow from the walls come to. Pyramids stand on the strips, whose sides are
    /// half as long; see with_finer_surface() for what small triangles do to sizes. Between the walls' normals the
    /// nearest wall is the edge, beyond them walls are nearer than it by the cosine.
    double cells_round_strips(double width, double size, double far, double turn) const {
        constexpr double kSmaller = 0.7, kEntered = 1.1;
        const double mean = (width + size) / 3, slope = sizes_.growth() - 1;
        if (mean >= kSmaller * size || far <= size) return 0;
        const double first = kEntered * mean, reach = (far - first) / slope + sizing::kPlateau * first;
        constexpr int kRings = 32, kRays = 8;
        double cells = 0;
        auto grown = [&](double from, double way) {
            return from + slope * std::max(0.0, way - sizing::kPlateau * from);
        };
        auto add = [&](double r, double wall, double area) {
            const double here = grown(first, r), there = std::min(far, grown(size, wall));
            if (here < there)
                cells += area * kCellsPerVolume * (1 / (here * here * here) - 1 / (there * there * there));
        };
        for (int i = 0; i < kRings; ++i) {
            const double r = reach * (i + 0.5) / kRings, ring = r * reach / kRings;
            add(r, r, ring * turn);
            for (int k = 0; k < kRays; ++k) {
                const double step = 0.5 * std::numbers::pi / kRays, angle = (k + 0.5) * step;
                add(r, r * std::cos(angle), 2 * ring * step);
            }
        }
        return cells;
    }

    struct Narrow {
        double area = 0, distance = Box::inf, needed = 0;
        Vec3 at;
        double core_cells = 0;
    };

    Narrow look(Index side) const {
        const Surface& s = domain_.boundary;
        const Vec3 &a = s.corner(side / 2, 0), &b = s.corner(side / 2, 1), &c = s.corner(side / 2, 2);
        Vec3 normal = normalized(triangle_normal(a, b, c));
        if ((side & 1U) != 0) normal = -normal;
        const double longest = std::max({distance(a, b), distance(b, c), distance(c, a)});
        const double size = std::min({sizes_.at((a + b + c) / 3.0), sizes_.at(a), sizes_.at(b), sizes_.at(c)});
        const int n = std::clamp(static_cast<int>(std::ceil(longest / (kSpacing * size))), 1, kMostSteps);
        const double area = triangle_area(a, b, c) / (n * n);
        Narrow out;
        for (int i = 0; i < n; ++i)
            for (int j = 0; j < 2 * (n - i) - 1; ++j) {
                // The middles of the n^2 small triangles, row by row.
                const double u = (i + (j % 2 == 0 ? 1 : 2) / 3.0) / n, v = (j / 2 + (j % 2 == 0 ? 1 : 2) / 3.0) / n;
                const Vec3 at = a + (b - a) * v + (c - a) * u;
                look_from(at, normal, side, area, out);
                out.core_cells += area * core_cells_per_area(at, normal, side);
            }
        return out;
    }

    /// The cells of the core begin on the tops with the size that they would have begun with on the wall, and grow from
    /// there: all that the layers push outwards ends where growth does, and what is lost is as much of the cells there.
    double core_cells_per_area(const Vec3& at, const Vec3& normal, Index side) const {
        const LayerStack stack = stack_at(request_.recipes[assignment_.recipe_of_side[side]],
                                          assignment_.stacks[assignment_.stack_of_side[side]], sizes_.at(at));
        const double size = size_where_growth_ends(at + normal * stack.total, normal);
        return stack.total * kCellsPerVolume / (size * size * size);
    }

    double size_where_growth_ends(Vec3 at, const Vec3& normal) const {
        constexpr int kMostSizes = 60;
        constexpr double kStillGrowing = 0.5;  // of what the field may grow by
        double size = sizes_.at(at);
        for (int n = 0; n < kMostSizes; ++n) {
            at += normal * size;
            const double next = sizes_.at(at);
            if (next - size < kStillGrowing * (sizes_.growth() - 1) * size) break;
            size = next;
        }
        return size;
    }

    void look_from(const Vec3& from, const Vec3& normal, Index side, double area, Narrow& out) const {
        const LayerStack& own = assignment_.stacks[assignment_.stack_of_side[side]];
        double core = request_.recipes[assignment_.recipe_of_side[side]].gap_cells * sizes_.at(from);
        const auto hit = tree_.first_hit(from, normal, 1e-6 * own.total, 4 * own.total + core);
        if (hit.triangle == kNone || std::abs(dot(normal, normal_of(hit.triangle))) < kLeastFacing) return;
        const Index opposite =
            assignment_.stack_of_side[hit.from_front ? front_of(hit.triangle) : back_of(hit.triangle)];
        if (layers::goes_on_behind(domain_.boundary, domain_.sides, assignment_.recipe_of_side, hit.triangle))
            core = std::min(core, layers::kCoreBeforeInterface * sizes_.at(from));
        const double needed = own.total + core + (opposite != kNone ? assignment_.stacks[opposite].total : 0);
        if (hit.t >= needed) return;
        out.area += area;
        if (hit.t >= out.distance) return;
        out.distance = hit.t;
        out.needed = needed;
        out.at = from;
    }

    Vec3 normal_of(Index t) const {
        const Surface& s = domain_.boundary;
        return normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
    }

    const Domain& domain_;
    const SizeField& sizes_;
    const LayerRequest& request_;
    layers::Assignment assignment_;
    TriangleTree tree_;
};

}  // namespace

namespace {
Forecaster forecaster_of(const Domain& domain, const SizeField& sizes, const LayerRequest& request) {
    std::vector<Region> regions;
    for (const DomainRegion& r : domain.regions) regions.push_back({r.name, r.kind});
    return {domain, sizes, request, layers::assign(domain.boundary, domain.sides, regions, sizes, request)};
}
}  // namespace

std::vector<LayerForecast> forecast_layers(const Domain& domain, const SizeField& sizes, const LayerRequest& request,
                                           const Context& context) {
    const ThreadLimit limit(context);
    return forecaster_of(domain, sizes, request).run();
}

double layers::cells_round_fans(const Domain& domain, const SizeField& sizes, const LayerRequest& request,
                                const Context& context) {
    const ThreadLimit limit(context);
    return forecaster_of(domain, sizes, request).cells_round_fans();
}

}  // namespace anvilcast
