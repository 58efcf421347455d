#include <anvilcast/errors.hpp>
#include <anvilcast/leaks.hpp>
#include <anvilcast/mend.hpp>
#include <anvilcast/wrap.hpp>

#include <fmt/format.h>

#include <algorithm>

#include "base/thread_limit.hpp"
#include "wrap/fairing.hpp"
#include "wrap/findings.hpp"

namespace anvilcast {
namespace {

void check(const Surface& original, const WrapOptions& options, const LengthUnit& unit) {
    if (!(options.gap > 0) || !std::isfinite(options.gap))
        throw InputError(fmt::format("the gap is {}; it must be more than 0: everything narrower than it is closed",
                                     format_length(options.gap, unit)));
    if (options.detail < 0) throw InputError("the detail size is negative; it must be 0 or more");
    constexpr std::size_t kMostVolumes = 200;
    if (options.inside.size() > kMostVolumes)
        throw InputError(fmt::format("{} points inside were given; at most {} volumes are wrapped at once",
                                     options.inside.size(), kMostVolumes));
    if (!std::all_of(options.inside.begin(), options.inside.end(), is_finite))
        throw InputError("a point inside is not finite; write three lengths");
    if (original.triangles.empty()) throw GeometryError("there is nothing to wrap: the geometry has no triangles");
    const Vec3 extent = original.bounds().extent();
    const double largest = std::max({extent.x, extent.y, extent.z});
    if (options.gap >= largest)
        throw InputError(fmt::format(
            "the gap of {} is as large as the geometry, which is {} long: nothing would be left of it; a hundredth of "
            "that is a gap to begin with",
            format_length(options.gap, unit), format_length(largest, unit)));
}

}  // namespace

WrapResult wrap(const Surface& original, const WrapOptions& options, const LengthUnit& unit, const Context& context) {
    check(original, options, unit);
    const ThreadLimit limit(context);
    context.report("domain", "wrapping", 0);
    const Surface sheets = mend(original, {}, context).surface;
    const TriangleTree tree(sheets.points, sheets.triangles);
    const LengthAt gap_at = [&](const Vec3& p) { return wrapping::gap_of(options, p); };
    const double detail = options.detail > 0 ? options.detail : 2 * options.gap;
    const wrapping::CurveSet curves(sheets, detail, options.feature_angle, gap_at);
    WrapResult result;
    result.gap = options.gap;
    wrapping::Shell shell = wrapping::Carver(sheets, tree, curves, options, unit, context).run();
    result.peak_bytes = shell.peak_bytes;
    result.edges_asked = shell.curve_length;
    wrapping::Settled settled = wrapping::settle(std::move(shell), curves, gap_at, context);
    settled = wrapping::fair(settled, tree, options.gap, gap_at, context);
    wrapping::describe(sheets, tree, std::move(settled), gap_at, result);
    result.n_triangles = result.surface.triangles.size();
    return result;
}

std::optional<double> suggest_gap(const Surface& original, const std::vector<Vec3>& inside, const LengthUnit& unit,
                                  const Context& context) {
    if (original.triangles.empty()) return std::nullopt;
    const ThreadLimit limit(context);
    const double diagonal = original.bounds().diagonal();
    if (inside.empty()) return diagonal / 100;
    const Surface sheets = mend(original, {}, context).surface;
    const TriangleTree tree(sheets.points, sheets.triangles);
    const wrapping::CurveSet no_curves({}, 0, 40, {});
    // From the coarse side: the first that leaks tells how wide its leak is.
    std::optional<double> holds;
    double gap = diagonal / 40;
    for (int attempt = 0; attempt < 4; ++attempt) {
        WrapOptions options;
        options.gap = gap;
        options.inside = inside;
        try {
            wrapping::Carver(sheets, tree, no_curves, options, unit, context).run();
            holds = gap;
            if (attempt > 0) break;
            gap = diagonal / 100;
        } catch (const LeakError& e) {
            if (holds && 1.15 * e.leaks().front().width >= *holds) break;
            gap = 1.15 * e.leaks().front().width;
            if (gap > diagonal / 10) break;
        } catch (const GeometryError&) {
            // The point is too close to a wall for this gap.
            gap *= 0.5;
            if (gap < diagonal / 1000) break;
        }
    }
    return holds;
}

}  // namespace anvilcast
