#include <anvilcast/cut.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/triangle_intersection.hpp>
#include <anvilcast/weld.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

#include "base/thread_limit.hpp"
#include "cut/bodies.hpp"
#include "cut/complex.hpp"

namespace anvilcast {
namespace cutting {

Complex complex_of(const Surface& surface) {
    Complex c;
    c.points.assign(surface.points.begin(), surface.points.end());
    c.triangles = surface.triangles;
    c.is_settled.assign(surface.triangles.size(), false);
    c.origins.resize(surface.triangles.size());
    for (Index t = 0; t < surface.triangles.size(); ++t) c.origins[t] = {{t, surface.zone_of[t], false}};
    c.feature_edges = surface.feature_edges;
    return c;
}

void round_points(Complex& complex) {
    std::vector<bool> moves(complex.points.size());
    for (Index p = 0; p < complex.points.size(); ++p) {
        moves[p] = !complex.points[p].is_double();
        if (moves[p]) complex.points[p] = complex.points[p].approx();
    }
    for (Index t = 0; t < complex.triangles.size(); ++t) {
        const Triangle& c = complex.triangles[t];
        complex.is_settled[t] = !moves[c[0]] && !moves[c[1]] && !moves[c[2]];
    }
}

namespace {

constexpr int kMostPasses = 20, kPassesOfGrain = 3;
/// Rounding may fold anew what was unfolded: once more, and it stays. So it does where that finds no rest.
constexpr int kMostUnfoldings = 2;
/// Of the grain, after so many cuts.
constexpr double kGrowth = 8;
/// So many times the triangles of the first cut are dust: no end is to be expected.
constexpr std::size_t kDust = 2;
/// What is finer than so many roundings is taken together.
constexpr double kGrain = 4;
/// So it is, where surfaces meet, if it is finer than this share of the coordinates: files of text round to twelve
/// digits or fewer, and faces that lie on each other are off by that. Tried on assemblies that are turned at random:
/// with roundings of doubles alone some are cut to dust.
constexpr double kGrainOfText = 0x1p-36;
/// What was joined lies where edges meet at flat angles, which makes more of roundings: what is finer than this share
/// of the tolerance is taken together as well.
constexpr double kGrainOfJoin = 1e-6;
/// Triangles at an edge lie on each other within this share of it: roundings of single precision, of metres, for usual
/// tolerances of a tenth of a millimetre.
constexpr double kTouching = 1e-3;

CutSurface finished(const Complex& complex, const Surface& input, CutSurface&& out) {
    Surface& s = out.surface;
    for (const robust::ExactPoint& p : complex.points) s.points.push_back(p.approx());
    s.triangles = complex.triangles;
    s.zones = input.zones;
    s.feature_edges = complex.feature_edges;
    out.first_origin.push_back(0);
    for (const auto& origins : complex.origins) {
        s.zone_of.push_back(origins.front().zone);
        out.origins.insert(out.origins.end(), origins.begin(), origins.end());
        out.first_origin.push_back(static_cast<Index>(out.origins.size()));
    }
    drop_unused_points(s);
    return std::move(out);
}

/// Of each input triangle: does it lie on another one of its body that faces the other way?
std::vector<bool> doubled(const Complex& complex, const std::vector<Index>& body_of) {
    std::vector<bool> out(body_of.size(), false);
    for (const auto& origins : complex.origins)
        for (const auto& a : origins)
            for (const auto& b : origins)
                if (a.is_reversed != b.is_reversed && body_of[a.triangle] == body_of[b.triangle])
                    out[a.triangle] = true;
    return out;
}

/// Where joining has folded a body onto itself there is nothing between the two sides. What came doubled stays.
void drop_folds(Complex& complex, const std::vector<Index>& body_of, const std::vector<bool>& is_doubled) {
    auto is_fold = [&](const std::vector<CutSurface::Origin>& origins) {
        std::map<Index, int> net;
        for (const auto& o : origins) {
            if (is_doubled[o.triangle]) return false;
            net[body_of[o.triangle]] += o.is_reversed ? -1 : 1;
        }
        return std::all_of(net.begin(), net.end(), [](const auto& n) { return n.second == 0; });
    };
    keep_triangles(complex, [&](Index t) { return complex.origins[t].size() < 2 || !is_fold(complex.origins[t]); });
}

[[noreturn]] void report_unrest(const Complex& complex) {
    const auto open = std::find(complex.is_settled.begin(), complex.is_settled.end(), false);
    const Vec3 p =
        complex.points[complex.triangles[static_cast<std::size_t>(open - complex.is_settled.begin())][0]].approx();
    throw GeometryError(fmt::format(
        "the surfaces cannot be cut where they meet near [{:.9g}, {:.9g}, {:.9g}] m: they run along each other "
        "closer than numbers can tell apart; join them with a tolerance, or move one of them",
        p.x, p.y, p.z));
}

/// Cuts and rounds until nothing meets. Returns how many pairs met at first; nothing when it does not come to rest.
std::optional<std::size_t> come_to_rest(Complex& complex, const std::vector<Vec3>& normals, double first_grain,
                                        std::size_t& points_added, const Context& context) {
    std::size_t first = 0, most_triangles = 0;
    double grain = first_grain;
    for (int pass = 0;; ++pass) {
        const CutCount count = cut_once(complex, normals, grain, context);
        if (pass == 0) {
            first = count.pairs;
            most_triangles = kDust * complex.triangles.size();
        }
        points_added += count.points;
        const bool is_exact = std::any_of(complex.points.begin(), complex.points.end(),
                                          [](const robust::ExactPoint& p) { return !p.is_double(); });
        if (count.pairs == 0 && !is_exact) return first;
        if (pass == kMostPasses || complex.triangles.size() > most_triangles) return std::nullopt;
        round_points(complex);
        // Surfaces that run along each other within rounding would be cut to dust: what is finer than a grain is taken
        // together. The grain grows, but seldom: what is taken together meets others anew.
        tidy(complex, normals, grain);
        if (pass % kPassesOfGrain == kPassesOfGrain - 1) grain *= kGrowth;
    }
}

}  // namespace
}  // namespace cutting

CutSurface cut_at_intersections(const Surface& surface, const CutOptions& options, const Context& context) {
    using namespace cutting;
    if (!(options.join >= 0) || !std::isfinite(options.join))
        throw InputError(
            fmt::format("the tolerance to join parts is {}; it must be 0 or a positive length", options.join));
    const ThreadLimit limit(context);
    context.report("domain", "where parts meet", 0.1);
    std::vector<Vec3> normals;
    for (Index t = 0; t < surface.triangles.size(); ++t)
        normals.push_back(triangle_normal(surface.corner(t, 0), surface.corner(t, 1), surface.corner(t, 2)));
    const double farthest = length(surface.bounds().lo) + length(surface.bounds().hi), ulp = 0x1p-52 * farthest;
    Complex complex = complex_of(surface);
    CutSurface out;
    const double grain = std::max(kGrainOfText * farthest, kGrainOfJoin * options.join);
    tidy(complex, normals, kGrain * ulp);
    std::vector<Index> body_of;
    std::vector<bool> is_doubled;
    if (options.join > 0) {
        std::vector<std::string> part_of = options.part_of;
        for (Index t = 0; t < surface.triangles.size() && options.part_of.empty(); ++t)
            part_of.push_back(surface.zones[surface.zone_of[t]].part);
        body_of = bodies_of(surface, part_of, kTouching * options.join);
        is_doubled = doubled(complex, body_of);
        join_pieces(complex, body_of, options.stays, options.join, out);
        tidy(complex, normals, grain);
    }
    const auto n_pairs = come_to_rest(complex, normals, grain, out.points_added, context);
    if (!n_pairs) report_unrest(complex);
    out.pairs_cut = *n_pairs;
    for (int k = 0; k < kMostUnfoldings; ++k) {
        const Complex folded = complex;
        if (!unfold(complex, grain)) break;
        tidy(complex, normals);
        std::size_t n_points = 0;
        if (!come_to_rest(complex, normals, grain, n_points, context)) {
            complex = folded;
            break;
        }
        out.points_added += n_points;
    }
    if (options.join > 0) {
        // What was joined long before may be flat as well: once more, with all of it.
        Complex flat = complex;
        flat.is_settled.assign(flat.triangles.size(), false);
        tidy(flat, normals, grain);
        std::size_t n_points = 0;
        if (come_to_rest(flat, normals, grain, n_points, context)) complex = std::move(flat);
        drop_folds(complex, body_of, is_doubled);
    }
    return finished(complex, surface, std::move(out));
}

}  // namespace anvilcast
