#include "wrap/carve.hpp"

#include <anvilcast/errors.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <unordered_map>

#include "base/place_text.hpp"
#include "tets/spatial_order.hpp"

namespace anvilcast::wrapping {
namespace {

using base::place_text;
using tets::face_of;
using tets::kFace;
using tets::kGhost;
using tets::Tet;
using tets::tet_of;

/// Curves that the wrap does not follow get more places, so often.
constexpr int kMostRounds = 5;
/// Steps along the edge between two circumcentres, in gaps at least.
constexpr double kStep = 0.05;

/// The corners of an icosahedron round the origin, each at the distance 1.
const std::array<Vec3, 12>& icosahedron() {
    static const std::array<Vec3, 12> corners = [] {
        constexpr double kGolden = 1.6180339887498949;
        std::array<Vec3, 12> c;
        std::size_t n = 0;
        for (const double a : {-1.0, 1.0})
            for (const double b : {-kGolden, kGolden}) {
                c[n++] = normalized({0, a, b});
                c[n++] = normalized({a, b, 0});
                c[n++] = normalized({b, 0, a});
            }
        return c;
    }();
    return corners;
}

}  // namespace

Carver::Carver(const Surface& original, const TriangleTree& tree, const CurveSet& curves, const WrapOptions& options,
               const LengthUnit& unit, const Context& context)
    : original_(original),
      tree_(tree),
      curves_(curves),
      options_(options),
      unit_(unit),
      context_(context),
      bounds_(tree.bounds()),
      far_(8 * bounds_.diagonal()) {}

Shell Carver::run() {
    begin();
    put_in_curves();
    start();
    carve();
    if (keep_what_is_reached()) {
        start();
        carve();
    }
    for (int round = 0; round < kMostRounds && deepen_hollows(); ++round) carve();
    for (int round = 0; round < kMostRounds && join_curves(); ++round) carve();
    for (int round = 0; round < kMostRounds && thicken_membranes(); ++round) carve();
    seat_in_hollows();
    open_islands();
    do keep_connected();
    while (mend_pinches());
    mark_what_is_reached();
    return shell();
}

/// The corners of a box far around, and of small bodies round the points inside.
void Carver::begin() {
    std::vector<Vec3> points;
    const Vec3 middle = bounds_.center();
    for (std::uint64_t k = 0; k < 8; ++k) {
        const Vec3 corner{k & 1U ? 1.0 : -1.0, k & 2U ? 1.0 : -1.0, k & 4U ? 1.0 : -1.0};
        points.push_back(middle + (corner + tets::scattered(k) * 0.05) * bounds_.diagonal());
    }
    for (std::size_t k = 0; k < options_.inside.size(); ++k) {
        const Vec3& p = options_.inside[k];
        const Foot f = exact_foot(p);
        const double gap = gap_at(p);
        if (f.distance <= 0.5 * gap) {
            const auto zone = original_.zones[original_.zone_of[tree_.closest(p).triangle]].name;
            throw GeometryError(fmt::format(
                "the point inside{} {} is {} from zone \"{}\": within half of the gap of {}, where no fluid is kept; "
                "move the point, or make the gap smaller",
                k < options_.names.size() ? " " + name_of(static_cast<std::uint8_t>(k + 1)) : std::string(),
                place_text(p, unit_), format_length(f.distance, unit_), zone, format_length(gap, unit_)));
        }
        const double radius = std::min(0.9 * (f.distance - f.offset), gap);
        for (std::size_t c = 0; c < icosahedron().size(); ++c)
            points.push_back(p + (icosahedron()[c] + tets::scattered(64 * k + c) * 1e-3) * radius);
    }
    std::vector<Index> order(points.size());
    for (Index k = 0; k < order.size(); ++k) order[k] = k;
    kernel_ = std::make_unique<tets::Kernel>(points, order, context_);
    first_place_ = static_cast<Index>(points.size() + 1);
    sites_.resize(first_place_);
    cells_.resize(kernel_->n_slots());
}

/// As it is in the middle of a cell of a fifth of the gap: the gap changes by a few hundredths within one.
double Carver::local_gap(const Vec3& p) const {
    const double width = 0.2 * options_.gap;
    const GridCell cell = GridCell::of(p, width);
    const auto [at, is_new] = gaps_.try_emplace(cell, 0);
    if (is_new) at->second = gap_of(options_, cell.center(width));
    return at->second;
}

/// Exact within two gaps; beyond, a distance that is surely not too large, with no foot. `known`: how far something is
/// for certain; then it is enough to see that nothing is much closer.
Carver::Foot Carver::foot(const Vec3& p, double known) const {
    constexpr double kNear = 2, kSlack = 0.25;
    const double near = kNear * options_.gap;
    double about = known * (1 + 1e-9);
    if (known > (1 + kSlack) * near) {
        const TriangleTree::Closest hit = tree_.nearly_closest(p, known / (1 + kSlack), kSlack);
        if (hit.triangle == kNone) return {p, known / (1 + kSlack), 0};
        if (hit.distance > (1 + kSlack) * near) return {p, hit.distance / (1 + kSlack), 0};
        about = hit.distance * (1 + 1e-9);
    }
    const TriangleTree::Closest hit = tree_.closest(p, about);
    return hit.triangle == kNone ? exact_foot(p) : Foot{hit.point, hit.distance, kOffset * gap_at(hit.point)};
}

/// How far the geometry that a cell's corners stand beside is from p.
double Carver::known_distance(Index cell, const Vec3& p) const {
    double least = Box::inf;
    for (const Index v : kernel_->tet(cell).v)
        if (!is_seed(v) && sites_[v].is_on_geometry) least = std::min(least, distance_squared(p, sites_[v].target));
    return std::sqrt(least);
}

/// With a foot for certain, which may be a little farther than the closest one.
Carver::Foot Carver::some_foot(const Vec3& p) const {
    const TriangleTree::Closest hit = tree_.nearly_closest(p, Box::inf, 0.01);
    return {hit.point, hit.distance, kOffset * gap_at(hit.point)};
}

Carver::Foot Carver::exact_foot(const Vec3& p) const {
    const TriangleTree::Closest hit = tree_.closest(p);
    return {hit.point, hit.distance, kOffset * gap_at(hit.point)};
}

bool Carver::add(const Vec3& place, const Site& site, Index near) {
    if (!kernel_->add(place, near)) return false;
    sites_.push_back(site);
    cells_.resize(kernel_->n_slots());
    for (const Index t : kernel_->star()) {
        ++cells_[t].generation;
        cells_[t].clearance = -1;
        cells_[t].region = 0;
    }
    return true;
}

Vec3 Carver::center(Index cell) const { return kernel_->sphere(cell).center; }

double Carver::clearance(Index cell) {
    float& known = cells_[cell].clearance;
    if (known < 0) known = static_cast<float>(foot(center(cell), known_distance(cell, center(cell))).distance);
    return known;
}

Carver::Passage Carver::passage(Index cell, int face) const {
    const Tet& tet = kernel_->tet(cell);
    const Index next = tet_of(tet.n[face]);
    const Vec3 &a = kernel_->point(tet.v[kFace[face][0]]), &b = kernel_->point(tet.v[kFace[face][1]]),
               &c = kernel_->point(tet.v[kFace[face][2]]);
    Passage way;
    const Vec3 u = b - a, v = c - a, n = cross(u, v);
    const double nn = length_squared(n);
    if (!(nn > 0)) return way;
    const Vec3 to_middle = (cross(n, u) * length_squared(v) + cross(v, n) * length_squared(u)) / (2 * nn);
    way.middle = a + to_middle;
    way.circle = length_squared(to_middle);
    const Vec3 outwards = n / -std::sqrt(nn);  // from `cell` to the next one
    auto height = [&](Index t, double at_infinity) {
        if (kernel_->tet(t).is_ghost()) return at_infinity;
        return has_center(t) ? dot(center(t) - way.middle, outwards) : 0.0;
    };
    const double from = height(cell, -far_), to = height(next, far_);
    way.from = way.middle + outwards * from;
    way.to = way.middle + outwards * to;
    const double low = std::min(from, to), high = std::max(from, to);
    const double nearest = std::clamp(0.0, low, high);
    way.narrowest = way.middle + outwards * nearest;
    way.radius = std::sqrt(way.circle + nearest * nearest);
    return way;
}

/// What is on the way from one circumcentre to the next: a wall (the first place at the offset), or a place narrower
/// than the ball, or nothing. Distances change by no more than the way that was gone, which allows long steps.
Carver::Look Carver::look_along(const Passage& way, Index from, Index to) {
    const double whole = distance(way.from, way.to);
    const bool has_from = !kernel_->tet(from).is_ghost() && has_center(from);
    const double first = has_from ? clearance(from) : foot(way.from, Box::inf).distance;
    const double last =
        kernel_->tet(to).is_ghost() || !has_center(to) ? foot(way.to, Box::inf).distance : clearance(to);
    Look narrow{View::clear, {}, {}};
    double narrowest = 0;  // clearance beyond what the ball needs
    const Vec3 direction = whole > 0 ? (way.to - way.from) / whole : Vec3{};
    double t = 0, d = first;
    for (int n = 0; n < 400; ++n) {
        // The rest of the way is clear for certain.
        const double needed = kPass * options_.gap;
        if (0.5 * (d + last - (whole - t)) >= needed && d >= needed) break;
        const Vec3 p = way.from + direction * t;
        const Foot f = foot(p, known_distance(from, p));
        const double beyond = f.distance - kPass * gap_at(p);
        if (f.distance <= 1.01 * f.offset && t > 0) return {View::wall, p, f};
        if (beyond < narrowest) {
            narrowest = beyond;
            narrow = {View::narrow, p, f};
        }
        if (t >= whole) break;
        const double stride = std::max({f.distance - f.offset, 0.005 * f.offset, 0.0});
        // Where the ball would not pass any more, a wall is all that is looked for.
        const double next = narrow.view == View::clear ? std::max(beyond, std::min(stride, kStep * gap_at(p))) : stride;
        const double advance = std::min(next, whole - t);
        t += advance;
        d = f.distance - advance;
        if (t >= whole) t = whole;
    }
    return narrow;
}

bool Carver::is_free_gate(Index cell, int face) const {
    const Tet& tet = kernel_->tet(cell);
    for (int k = 0; k < 3; ++k)
        if (is_seed(tet.v[kFace[face][k]])) return true;
    return false;
}

void Carver::push_gate(Index cell, int face) {
    const bool is_free = is_free_gate(cell, face);
    const Passage way = passage(cell, face);
    if (!is_free && way.radius < kBlocked * gap_at(way.narrowest)) return;
    gates_.push({is_free ? std::numeric_limits<float>::infinity() : static_cast<float>(way.radius),
                 tets::code_of(cell, face), cells_[cell].generation});
}

void Carver::push_gates_of_star() {
    // The star stays as it is while gates are pushed.
    for (const Index t : kernel_->star())
        for (const Index code : kernel_->tet(t).n)
            if (cells_[tet_of(code)].region != 0) push_gate(tet_of(code), face_of(code));
}

void Carver::carve_cell(Index cell, std::uint8_t region) {
    cells_[cell].region = region;
    if (!options_.inside.empty())
        for (const Index v : kernel_->tet(cell).v)
            if (v == kGhost || is_box(v)) report_leak(cell, region);
    for (int f = 0; f < 4; ++f)
        if (cells_[tet_of(kernel_->tet(cell).n[f])].region == 0) push_gate(cell, f);
}

/// Carves the tetrahedra that the fluid comes from: those beyond the hull, or within the bodies round the points
/// inside.
void Carver::start() {
    for (Index t = 0; t < kernel_->n_slots(); ++t) {
        const Tet& tet = kernel_->tet(t);
        if (tet.is_free()) continue;
        if (options_.inside.empty()) {
            if (tet.is_ghost()) carve_cell(t, 1);
            continue;
        }
        if (tet.is_ghost() || std::any_of(tet.v, tet.v + 4, [this](Index v) { return !is_seed(v) || is_box(v); }))
            continue;
        const Index region = (tet.v[0] - 9) / 12;
        if (std::all_of(tet.v, tet.v + 4, [&](Index v) { return (v - 9) / 12 == region; }))
            carve_cell(t, static_cast<std::uint8_t>(region + 1));
    }
}

bool Carver::touches_other_region(Index cell, std::uint8_t region) const {
    for (const Index code : kernel_->tet(cell).n) {
        const std::uint8_t other = cells_[tet_of(code)].region;
        if (other != 0 && other != region) return true;
    }
    return false;
}

/// A cell between two volumes stays closed, unless the ball goes on to the other one.
void Carver::refuse_joined(Index cell, std::uint8_t region) {
    const Tet& tet = kernel_->tet(cell);
    for (int f = 0; f < 4; ++f) {
        const Index next = tet_of(tet.n[f]);
        const std::uint8_t other = cells_[next].region;
        if (other == 0 || other == region) continue;
        const Passage way = passage(cell, f);
        if (way.radius < kBlocked * gap_at(way.narrowest) || look_along(way, cell, next).view != View::clear) continue;
        throw GeometryError(fmt::format(
            "the volumes {} and {} are joined at {} by a way wider than the gap of {}: take a larger gap, or one point "
            "for both",
            name_of(region), name_of(other), place_text(way.narrowest, unit_), format_length(options_.gap, unit_)));
    }
}

std::string Carver::name_of(std::uint8_t region) const {
    const std::size_t k = region - 1U;
    return k < options_.names.size() ? fmt::format("\"{}\"", options_.names[k])
                                     : fmt::format("at {}", place_text(options_.inside[k], unit_));
}

void Carver::carve() {
    std::size_t n = 0;
    while (!gates_.empty()) {
        const Gate gate = gates_.top();
        gates_.pop();
        if ((++n & 0xFFFU) == 0) context_.report("domain", "wrapping", 0.5);
        const Index cell = tet_of(gate.code);
        if (kernel_->tet(cell).is_free() || cells_[cell].generation != gate.generation || cells_[cell].region == 0)
            continue;
        if (cells_[tet_of(kernel_->tet(cell).n[face_of(gate.code)])].region != 0) continue;
        pass(cell, face_of(gate.code));
    }
}

/// The ball at a gate: it stops at a wall or in a narrow place, and leaves a place there; or it goes on.
void Carver::pass(Index cell, int face) {
    const Index next = tet_of(kernel_->tet(cell).n[face]);
    const std::uint8_t region = cells_[cell].region;
    const Passage way = passage(cell, face);
    const Look look = look_along(way, cell, next);
    if (look.view == View::wall) {
        stop_ball(look.at, ball_radius(way, look.at), look.foot, cell);
        return;
    }
    if (look.view == View::narrow) {
        if (stop_ball(look.at, ball_radius(way, look.at), look.foot, cell)) return;
        if (!is_free_gate(cell, face)) return;
    }
    if (kernel_->tet(next).is_ghost()) {
        carve_cell(next, region);
        return;
    }
    if (has_center(next)) {
        const Vec3 c = center(next);
        const double radius = distance(c, kernel_->point(kernel_->tet(next).v[0]));
        if (clearance(next) < radius && meets_geometry(next)) {
            // The nearly closest foot may be too shallow in a large ball.
            if (!stop_ball(c, radius, some_foot(c), next)) stop_ball(c, radius, exact_foot(c), next);
            return;
        }
    } else if (meets_geometry(next)) {
        return;
    }
    if (touches_other_region(next, region)) {
        refuse_joined(next, region);
        return;
    }
    carve_cell(next, region);
}

bool Carver::meets_geometry(Index cell) const {
    const Tet& tet = kernel_->tet(cell);
    return tree_.meets_tetrahedron(
        {kernel_->point(tet.v[0]), kernel_->point(tet.v[1]), kernel_->point(tet.v[2]), kernel_->point(tet.v[3])});
}

/// Puts in a place where an empty ball touches the geometry, at the offset; on a curve where one is near. False when
/// that would be too near to the places that are there.
bool Carver::stop_ball(const Vec3& c, double radius, const Foot& f, Index near) {
    const double gap = f.offset / kOffset;
    const double least = 0.5 * kDepth * gap;
    const Vec3 towards = normalized(c - f.point);
    const Vec3 place = f.point + (towards + tets::scattered(kernel_->n_vertices()) * kScatter) * f.offset;
    if (const auto on_curve = curves_.near(f.point, place, kCurveReach * gap)) {
        const Vec3 beside = on_curve->target + on_curve->aside * (f.offset * (1 + 1e-3));
        const bool is_in_view = tree_.closest(beside, 0.8 * f.offset).triangle == kNone &&
                                tree_.first_hit(place, beside - place, 0, 1).triangle == kNone;
        if (is_in_view && distance(beside, c) < radius - kDepth * gap &&
            add(beside, {on_curve->target, on_curve->curve, on_curve->along, false, on_curve->is_hollow}, near)) {
            push_gates_of_star();
            return true;
        }
    }
    if (distance(place, c) > radius - least) return false;
    if (!add(place, {f.point, kNone, 0, false, false}, near)) return false;
    push_gates_of_star();
    return true;
}

/// The widest way from the start to where the fluid got out.
void Carver::report_leak(Index cell, std::uint8_t region) {
    struct Reached {
        double width;
        Index cell, from;
        Vec3 at;
        bool operator<(const Reached& o) const { return width != o.width ? width < o.width : cell > o.cell; }
    };
    struct Step {
        Index from = kNone;
        Vec3 at;
        double width = 0;
    };
    std::unordered_map<Index, Step> step;
    std::priority_queue<Reached> front;
    const Index first_seed = 9 + 12 * (Index{region} - 1);
    for (Index t = 0; t < kernel_->n_slots(); ++t) {
        const Tet& tet = kernel_->tet(t);
        if (tet.is_free() || cells_[t].region != region) continue;
        if (std::all_of(tet.v, tet.v + 4, [&](Index v) { return v >= first_seed && v < first_seed + 12; }))
            front.push({Box::inf, t, t, options_.inside[region - 1U]});
    }
    while (!front.empty()) {
        const Reached r = front.top();
        front.pop();
        if (step.contains(r.cell)) continue;
        step[r.cell] = {r.from, r.at, r.width};
        if (r.cell == cell) break;
        for (int f = 0; f < 4; ++f) {
            const Index next = tet_of(kernel_->tet(r.cell).n[f]);
            if (cells_[next].region != region || step.contains(next)) continue;
            const Passage way = passage(r.cell, f);
            const bool is_free = is_free_gate(r.cell, f);
            const double width = is_free ? r.width : std::min(r.width, 2 * tree_.closest(way.narrowest).distance);
            front.push({width, next, r.cell, way.narrowest});
        }
    }
    Leak leak;
    leak.kind = Leak::Kind::gap;
    leak.width = Box::inf;
    for (Index t = cell; step.contains(t); t = step[t].from) {
        const Step& s = step[t];
        leak.path.push_back(s.at);
        if (s.from == t) break;
        const double here = 2 * tree_.closest(s.at).distance;
        if (here < leak.width) {
            leak.width = here;
            leak.at = s.at;
        }
    }
    std::reverse(leak.path.begin(), leak.path.end());
    leak.path.push_back(center(cell));
    tree_.overlapping({leak.at - Vec3{1, 1, 1} * (0.6 * leak.width), leak.at + Vec3{1, 1, 1} * (0.6 * leak.width)},
                      [&](Index t) {
                          const std::string& name = original_.zones[original_.zone_of[t]].name;
                          if (std::find(leak.zones.begin(), leak.zones.end(), name) == leak.zones.end())
                              leak.zones.push_back(name);
                      });
    std::sort(leak.zones.begin(), leak.zones.end());
    const double holds = leak.width * 1.1;
    throw LeakError(
        fmt::format("with a gap of {} the fluid{} leaks out at {}, where it is {} wide{}: the smallest gap that holds "
                    "it is about {}; or close that place in the geometry",
                    format_length(options_.gap, unit_), " " + name_of(region), place_text(leak.at, unit_),
                    format_length(leak.width, unit_),
                    leak.zones.empty()
                        ? std::string()
                        : fmt::format(" (zone{} {})", leak.zones.size() == 1 ? "" : "s", fmt::join(leak.zones, ", ")),
                    format_length(holds, unit_)),
        {leak});
}

Shell Carver::shell() const {
    Shell out;
    std::vector<Index> number(kernel_->n_vertices(), kNone);
    for (Index t = 0; t < kernel_->n_slots(); ++t) {
        const Tet& tet = kernel_->tet(t);
        if (tet.is_free() || cells_[t].region == 0) continue;
        for (int f = 0; f < 4; ++f) {
            if (cells_[tet_of(tet.n[f])].region != 0) continue;
            Triangle triangle;
            for (std::size_t k = 0; k < 3; ++k) {
                const Index v = tet.v[kFace[f][k]];
                if (number[v] == kNone) {
                    number[v] = static_cast<Index>(out.points.size());
                    out.points.push_back(kernel_->point(v));
                    out.sites.push_back(sites_[v]);
                    if (is_seed(v)) out.sites.back().target = kernel_->point(v);
                }
                triangle[k] = number[v];
            }
            // The face's normal points into the fluid.
            if (!options_.inside.empty()) std::swap(triangle[1], triangle[2]);
            out.triangles.push_back(triangle);
        }
    }
    out.curve_length = length_of_curves();
    out.peak_bytes = kernel_->bytes() + cells_.capacity() * sizeof(CellState) + sites_.capacity() * sizeof(Site);
    return out;
}

}  // namespace anvilcast::wrapping
