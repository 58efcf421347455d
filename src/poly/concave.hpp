// What lies about a vertex at walls that stand out into the core, divided among these walls.
#pragma once

#include <algorithm>
#include <span>

#include "poly/frame.hpp"

namespace anvilcast::poly {

/// Calls join(i, j, face) for cells of the list, i before j, that share a face with the vertex.
template <typename Join>
void for_neighbours(const DualFrame& frame, Index vertex, std::span<const Index> cells, const Join& join) {
    for (Index i = 0; i < cells.size(); ++i) {
        const auto faces = frame.faces_of(cells[i]);
        const auto corners = frame.mesh().cell(cells[i]);
        for (std::size_t k = 0; k < faces.size(); ++k) {
            const Index f = faces[k], other = frame.beyond(f, cells[i]);
            if (other == kNone || other < cells[i] || frame.is_kept(f)) continue;
            if (faces.size() == 4) {  // the face without the corner k
                if (corners[k] == vertex) continue;
            } else {
                const auto p = frame.mesh().face(f);
                if (std::find(p.begin(), p.end(), vertex) == p.end()) continue;
            }
            const auto at = std::lower_bound(cells.begin() + i + 1, cells.end(), other);
            if (at != cells.end() && *at == other) join(i, static_cast<Index>(at - cells.begin()), f);
        }
    }
}

/// `part` has a number for each of the cells of the core about a vertex, equal for those that hang together. Where
/// edges stand out into a part, each of its cells goes to the wall at such an edge that it is most in front of, and
/// parts are numbered anew, by the place of their first cell. O(k^2) for k walls at the vertex.
void divide_concave(const DualFrame& frame, Index vertex, std::span<const Index> cells, std::span<Index> part);

}  // namespace anvilcast::poly
