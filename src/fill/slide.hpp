// Where points of the boundary may go in the optimisation: along their patch or feature curve of the surface mesh.
#pragma once

#include <anvilcast/surface_mesh.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <vector>

#include "fill/recovery.hpp"
#include "shape/features.hpp"

namespace anvilcast::fill {

/// Vertices and tags are those of the complex.
class Slide {
  public:
    /// `order`: point order[v - 1] of the mesh is vertex v, and no other vertex moves; `may_move`: of each point of
    /// the mesh, left out: all. `tolerance`: how far the surface may come off the mesh as it was, in metres. `surface`
    /// must live on. O(n log n).
    Slide(const SurfaceMesh& mesh, const SurfaceTriangles& surface, const std::vector<Index>& order,
          const std::vector<char>& may_move, double tolerance);

    bool may_move(Index vertex) const {
        if (vertex == 0 || vertex > point_of_.size()) return false;
        const Index point = point_of_[vertex - 1];
        return point < may_move_.size() && may_move_[point] != 0;
    }
    /// The place nearest to p that the vertex may take, known to be no farther than `near`, such a place itself.
    Vec3 foot(Index vertex, const Vec3& p, const Vec3& near) const;
    /// Is a boundary triangle with that tag close enough with its corners there? The first one is what was moved.
    bool is_close(Index tag, const std::array<Index, 3>& vertices, const std::array<Vec3, 3>& corners) const;

  private:
    struct OnCurve {
        Index curve = kNone, at = 0;  ///< place in the curve's list
    };
    Vec3 foot_on_curve(const OnCurve& place, const Vec3& p) const;
    void find_movable(const std::vector<char>& may_move);

    const SurfaceTriangles& surface_;
    std::vector<Index> point_of_;
    double tolerance_;
    Domain mesh_;
    shape::Features features_;
    std::vector<OnCurve> on_curve_;          // of each point
    std::vector<Index> patch_at_;            // of each point: one of its patches
    std::vector<char> may_move_;             // of each point
    std::vector<TriangleTree> tree_;         // of each patch
    std::vector<Vec3> normals_;              // of the triangles, patch after patch
    std::vector<std::size_t> first_normal_;  // of the patch after each
};

}  // namespace anvilcast::fill
