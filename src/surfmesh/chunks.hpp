// A draft divided into chunks that are worked on side by side.
#pragma once

#include <functional>

#include "surfmesh/remesher.hpp"

namespace anvilcast::surfmesh {

/// The draft of a surface's own triangles.
Draft make_draft(const Original& original, const SizeAt& size_at);

/// Hands the draft to `work` in chunks, by place, of at most `chunk` triangles each, and puts together what comes back.
/// Points at which triangles of several chunks meet are locked. `cut` (0 to 1) tells where chunks are divided: with
/// another one the borders fall elsewhere. Chunks depend on the draft alone, never on the number of threads.
void work_in_chunks(Draft& draft, const Original& original, const SizeAt& size_at, const ShapeLimits& limits,
                    std::size_t chunk, double cut, const std::function<void(Remesher&)>& work);

/// The same on some of the triangles (ascending); the others stay as they are.
void work_in_chunks(Draft& draft, const std::vector<Index>& triangles, const Original& original, const SizeAt& size_at,
                    const ShapeLimits& limits, std::size_t chunk, double cut,
                    const std::function<void(Remesher&)>& work);

}  // namespace anvilcast::surfmesh
