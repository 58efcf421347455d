#include "pipeline/validity.hpp"

#include <anvilcast/errors.hpp>
#include <anvilcast/faults.hpp>

#include <fmt/format.h>

namespace anvilcast {

void require_valid(const VolumeMesh& mesh, const Context& context) {
    constexpr int kMostTold = 10;
    context.report("assess", "validity", 0);
    if (const auto faults = find_faults(mesh, kMostTold, context); !faults.empty())
        throw InternalError(
            fmt::format("the mesh that was made is not valid, so it is not written: {}", fmt::join(faults, "; ")));
}

}  // namespace anvilcast
