#include <anvilcast/errors.hpp>
#include <anvilcast/mend.hpp>
#include <anvilcast/wrap.hpp>

#include "domain/wrap_findings.hpp"

namespace anvilcast {

WrapResult wrap(const Surface& original, const WrapOptions& options, const LengthUnit& unit, const Context& context) {
    WrapResult result;
    const Surface sheets = mend(original, {}, context).surface;
    const TriangleTree tree(sheets.points, sheets.triangles);
    const double detail = options.detail > 0 ? options.detail : 2 * options.gap;
    const wrapping::CurveSet curves(sheets, detail, options.feature_angle);
    wrapping::Carver carver(sheets, tree, curves, options, unit, context);
    wrapping::Shell shell = carver.run();
    result.peak_bytes = shell.peak_bytes;
    const LengthAt gap_at = [&](const Vec3& p) { return options.gap_at ? std::min(options.gap_at(p), options.gap) : options.gap; };
    wrapping::describe(sheets, tree, curves, wrapping::settle(std::move(shell), curves, gap_at, context), gap_at, result);
    return result;
}

}  // namespace anvilcast
