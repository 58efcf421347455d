// A prediction that knows the surface mesh, or a draft of it.
#pragma once

#include <anvilcast/prediction.hpp>

namespace anvilcast::forecast {

/// Triangles are counted, and the core is as fine as the mesh's small triangles make it: wraps have many, where they
/// bridge and fold. The mesh is one of the domain. `sizes`: what the mesh was made by; O(n log m) as predict().
Prediction predict_with_mesh(const Domain& domain, const SizeField& sizes, const Surface& mesh, const Context& context);

}  // namespace anvilcast::forecast
