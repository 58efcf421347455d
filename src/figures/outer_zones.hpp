// Which zones are the outer end of a flow round a body: they hide what people look for.
#pragma once

#include <anvilcast/volume_mesh.hpp>

#include <optional>
#include <vector>

namespace anvilcast::figures {

struct BodyWithin {
    std::vector<char> is_outer;  ///< of each zone
    Box body;                    ///< of the others
};

/// A body small within zones that reach all over the mesh and enclose it like a box, a ball or a bullet; nothing where
/// the flow is not round a body. By the mesh alone, so that files of others are seen as ours are. O(n).
std::optional<BodyWithin> body_within(const VolumeMesh& mesh);

}  // namespace anvilcast::figures
