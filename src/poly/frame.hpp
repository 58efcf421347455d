// What the polyhedra are read off: a mesh of standard cells, with the faces and edges on which polyhedra end.
//
// Polyhedra are taken from the cells corner by corner: a polyhedron is all that lies about a vertex of the core, or
// about one piece of a column. Faces that polyhedra do not cross are `kept`: those of the boundary, those between
// regions, and those between the layers of a stack and on its top. Where walls stand out into the core with an edge or
// a corner, what lies about a vertex there is divided: a polyhedron in front of each wall.
#pragma once

#include <anvilcast/volume_mesh.hpp>
#include <optional>

#include <span>
#include <vector>

#include "poly/layer_slots.hpp"

namespace anvilcast::poly {

/// A point of the polyhedra on its way: of a cell, a face, an edge or a vertex of the mesh.
using Node = Index;

class DualFrame {
  public:
    /// Throws FailureError, with the place, where a stack's side stands against the core. O(n log n), parallel.
    DualFrame(const VolumeMesh& mesh, const LayerSlots& slots, double feature_angle);

    const VolumeMesh& mesh() const { return mesh_; }

    // ---- cells and faces ----

    std::span<const Index> faces_of(Index cell) const {
        return {faces_.data() + first_face_[cell], first_face_[cell + 1] - first_face_[cell]};
    }
    Index beyond(Index face, Index cell) const {
        if (face >= mesh_.n_inner_faces()) return kNone;
        return mesh_.owner[face] == cell ? mesh_.neighbour[face] : mesh_.owner[face];
    }
    bool is_kept(Index face) const { return is_kept_[face] != 0; }
    /// Of a face, into one of its cells; as long as twice the area.
    Vec3 inward_normal(Index face, Index cell) const;
    /// kNone for a face in no zone.
    Index zone_of(Index face) const { return face < mesh_.n_plain_faces() ? kNone : zone_of_[face - n_plain_]; }
    bool is_layer(Index cell) const { return slots_of(cell).count() > 0; }
    const LayerSlots::Cell& slots_of(Index cell) const {
        static const LayerSlots::Cell kNoSlots;
        return cell < slots_.first_cell || slots_.cells.empty() ? kNoSlots : slots_.cells[cell - slots_.first_cell];
    }
    Index low(Index cell, std::size_t slot) const { return corner(cell, slots_of(cell).low[slot]); }
    Index up(Index cell, std::size_t slot) const { return corner(cell, slots_of(cell).up[slot]); }
    /// Of a layer cell, what is in the middle of its lower and its upper end.
    Node bottom(Index cell) const { return ends_[cell - slots_.first_cell][0]; }
    Node top(Index cell) const { return ends_[cell - slots_.first_cell][1]; }

    // ---- edges of kept faces and cuts, and of cells of the core that are no tetrahedra ----

    bool has_edges(Index vertex) const { return first_far_[vertex] < first_far_[vertex + 1] || is_far_[vertex] != 0; }
    /// Nothing for an edge that is none of these.
    std::optional<Index> find_edge(Index p, Index q) const;
    /// The edge between two vertices that are joined; throws InternalError when they are not.
    Index edge(Index p, Index q) const;
    std::size_t n_edges() const { return far_.size(); }
    std::array<Index, 2> ends_of(Index edge) const { return {near_[edge], far_[edge]}; }
    /// Faces on its two sides differ in zone or direction.
    bool is_sharp(Index edge) const { return is_sharp_[edge] != 0; }
    /// Where more meets than two kept faces: at rims and at steps of the layers.
    bool is_special(Index edge) const { return is_sharp_[edge] != 0 || is_special_[edge] != 0; }
    /// Of a kept face.
    bool is_kept_edge(Index edge) const { return is_kept_edge_[edge] != 0; }
    /// On an edge of the boundary or of an interface that is sharp.
    bool is_feature(Index vertex) const { return is_feature_[vertex] != 0; }
    /// On a side that repeats: nodes there must not depend on what lies behind it.
    bool is_repeated(Node node) const;
    /// On the rim of a stack, where its side is part of the boundary.
    bool is_on_rim(Index vertex) const { return is_on_rim_[vertex] != 0; }

    // ---- nodes ----

    Node node_of_cell(Index c) const { return c; }
    Node node_of_face(Index f) const { return static_cast<Node>(mesh_.n_cells()) + f; }
    Node node_of_edge(Index e) const { return static_cast<Node>(mesh_.n_cells() + mesh_.n_faces()) + e; }
    Node node_of_vertex(Index v) const { return static_cast<Node>(mesh_.n_cells() + mesh_.n_faces() + n_edges()) + v; }
    /// Of the edge pq, or of the vertex when they are one.
    Node node_between(Index p, Index q) const { return p == q ? node_of_vertex(p) : node_of_edge(edge(p, q)); }
    enum class NodeKind : unsigned char { cell, face, edge, vertex };
    NodeKind kind(Node n) const;
    /// Number of what the node is of.
    Index index(Node n) const;
    std::size_t n_nodes() const { return mesh_.n_cells() + mesh_.n_faces() + n_edges() + mesh_.points.size(); }

    // ---- which polyhedron a corner of a cell belongs to ----

    std::size_t n_polyhedra() const { return region_.size(); }
    Index region_of(Index polyhedron) const { return region_[polyhedron]; }
    /// Does the polyhedron belong to a layer?
    bool is_of_layer(Index polyhedron) const { return is_of_layer_[polyhedron] != 0; }
    Index owner_in_core(Index vertex, Index cell) const;
    Index owner_in_layer(Index cell, std::size_t slot) const;
    /// Faces of the core that part two polyhedra of a vertex, though they are not kept.
    struct Cut {
        Index vertex, face;
    };
    const std::vector<Cut>& cuts() const { return cuts_; }
    /// Sides between layer cells that part two polyhedra of a column.
    const std::vector<Index>& cut_sides() const { return cut_sides_; }
    /// Of the column at a slot, on the other side of one of the cell's sides.
    Index owner_across(Index side, Index cell, std::size_t slot) const;
    /// At a corner of a kept face that is not the side of a stack, or of a cut.
    Index owner_at(Index face, Index vertex, Index cell) const;
    bool is_side(Index face, Index cell) const;  ///< of a layer cell, neither its bottom nor its top
    /// The side of a layer cell between a slot and the next one; nothing where both have ended.
    std::optional<Index> side_of(Index cell, std::size_t slot) const;

  private:
    struct Part {
        Index vertex, cell, polyhedron;
    };
    struct CoreCells;  // at the vertices of kept faces

    /// Added to the place of a vertex' first part, where it has several.
    static constexpr Index kSeveral = Index{1} << 31;
    static bool is_several(Index polyhedron) { return polyhedron >= kSeveral && polyhedron != kNone; }

    Index corner(Index cell, signed char k) const {
        return mesh_.cell_points[mesh_.cell_offsets[cell] + static_cast<std::size_t>(k)];
    }
    void list_faces();
    void find_ends_and_kept_faces();
    void find_edges();
    void judge_edges();
    void mark_repeated();
    CoreCells core_cells_at_kept_faces() const;
    void part_at(Index vertex, std::span<const Index> cells, std::span<Index> part) const;
    void number_layers();
    void find_cut_sides();
    void number_polyhedra(const CoreCells& cells);
    bool is_bent(Index side) const;
    double angle_at(Index vertex, Index face) const;
    static Index owner_among(const std::vector<Part>& parts, Index first, Index cell);

    const VolumeMesh& mesh_;
    const LayerSlots& slots_;
    std::size_t n_plain_;
    double least_cosine_;         // between the normals of faces that are smooth together
    std::vector<Index> zone_of_;  // of the faces that are in a zone
    std::vector<Index> first_face_, faces_;
    std::vector<char> is_kept_;
    std::vector<std::array<Node, 2>> ends_;  // of the cells from the first layer cell on
    std::vector<Index> first_far_, far_, near_;
    std::vector<char> is_far_, is_kept_edge_, is_sharp_, is_special_, is_feature_, is_on_rim_;
    std::vector<char> is_repeated_edge_;          // empty where nothing repeats
    std::vector<Index> core_of_, layer_of_;       // polyhedron of each vertex, or kSeveral and the first part
    std::vector<Part> core_parts_, layer_parts_;  // where there are several: by vertex and cell
    std::vector<Cut> cuts_;                       // by vertex
    std::vector<Index> cut_sides_;
    std::vector<Index> region_;
    std::vector<char> is_of_layer_;
};

}  // namespace anvilcast::poly
