// Swept meshes put down face by face.
//
// Cells are numbered layer after layer, in the section's order. Faces within regions come first, by owner: those over
// edges of the section that the cell has with cells of higher numbers, then the one to the next layer. A closed way
// round adds, in the first layer, the one to the last. Interfaces follow, then the boundary zone by zone. Sides face
// away from the lower cell: an edge that runs counter-clockwise round it, drawn out upwards, does.

#include "sweep/regular.hpp"

#include <anvilcast/errors.hpp>

#include <algorithm>
#include <iterator>
#include <tuple>
#include <unordered_map>

namespace anvilcast::sweeping {
namespace {

std::uint64_t key_of(Index a, Index b) { return a < b ? (std::uint64_t{a} << 32) | b : (std::uint64_t{b} << 32) | a; }

/// An edge of the section, counter-clockwise round the cell `low`.
struct Edge {
    Index from, to;
    Index low, high = kNone;  ///< cells; high is kNone at the rim
    Index zone = kNone;
};

std::vector<Edge> edges_of(const PlanarMesh& section) {
    std::vector<Edge> out;
    std::unordered_map<std::uint64_t, std::size_t> number;
    number.reserve(3 * section.cells.size());
    for (Index c = 0; c < section.cells.size(); ++c) {
        const auto& cell = section.cells[c];
        const int n = PlanarMesh::n_corners(cell);
        for (int k = 0; k < n; ++k) {
            const Index a = cell[static_cast<std::size_t>(k)], b = cell[static_cast<std::size_t>((k + 1) % n)];
            const auto [at, is_new] = number.try_emplace(key_of(a, b), out.size());
            if (is_new)
                out.push_back({a, b, c});
            else
                out[at->second].high = c;
        }
    }
    for (const PlanarEdge& e : section.edges) out[number.at(key_of(e.from, e.to))].zone = e.zone;
    for (const Edge& e : out)
        if (e.high == kNone && e.zone == kNone) throw InputError("an edge of the section's rim is in no zone");
    return out;
}

class Builder {
  public:
    Builder(const PlanarMesh& section, std::size_t n_steps, bool is_closed)
        : section_(section),
          n_steps_(n_steps),
          n_layers_(n_steps + (is_closed ? 0 : 1)),
          is_closed_(is_closed),
          edges_(edges_of(section)) {}

    VolumeMesh run(const Zone& first_end, const Zone& last_end) {
        out_.regions = section_.regions;
        add_cells();
        make_room_for_faces();
        add_inner_faces();
        for (const Zone& zone : section_.zones) out_.zones.push_back(without_faces(zone));
        for (const bool between : {true, false})
            for (Index z = 0; z < section_.zones.size(); ++z)
                if (is_interface(z) == between) add_zone(z);
        if (!is_closed_) {
            add_end(first_end, 0);
            add_end(last_end, n_steps_);
        }
        return std::move(out_);
    }

  private:
    bool is_interface(Index z) const { return section_.zones[z].role == Role::interface_; }
    /// Number of the first point of a layer, and of the first cell of a step.
    Index first_point(std::size_t layer) const {
        return static_cast<Index>((layer == n_layers_ ? 0 : layer) * section_.points.size());
    }
    Index first_cell(std::size_t step) const { return static_cast<Index>(step * section_.cells.size()); }

    void add_cells() {
        const std::size_t n = section_.cells.size() * n_steps_;
        for (const auto& corners : section_.cells)
            n_corners_ += static_cast<std::size_t>(PlanarMesh::n_corners(corners));
        out_.cell_types.resize(n);
        out_.cell_region.resize(n);
        out_.cell_offsets.resize(n + 1);
        out_.cell_points.resize(2 * n_corners_ * n_steps_);
        std::size_t c = 0;
        Index* at = out_.cell_points.data();
        for (std::size_t k = 0; k < n_steps_; ++k) {
            const Index below = first_point(k), above = first_point(k + 1);
            for (std::size_t i = 0; i < section_.cells.size(); ++i, ++c) {
                const auto& corners = section_.cells[i];
                const int m = PlanarMesh::n_corners(corners);
                out_.cell_types[c] = m == 3 ? CellType::prism : CellType::hexahedron;
                out_.cell_region[c] = section_.cell_region[i];
                for (const Index base : {below, above})
                    for (int q = 0; q < m; ++q) *at++ = base + corners[static_cast<std::size_t>(q)];
                out_.cell_offsets[c + 1] = static_cast<std::size_t>(at - out_.cell_points.data());
            }
        }
    }

    // ---- faces, one after the other into arrays of the right size ----

    void make_room_for_faces() {
        std::size_t n_inner = 0;
        for (const Edge& e : edges_) n_inner += e.high != kNone ? 1 : 0;
        const std::size_t n_flat_layers = n_steps_ - (is_closed_ ? 0 : 1), n_ends = is_closed_ ? 0 : 2;
        const std::size_t n = n_steps_ * edges_.size() + (n_flat_layers + n_ends) * section_.cells.size();
        out_.face_offsets.resize(n + 1);
        out_.owner.resize(n);
        out_.neighbour.resize(n_steps_ * n_inner + n_flat_layers * section_.cells.size());
        out_.face_points.resize(4 * n_steps_ * edges_.size() + (n_flat_layers + n_ends) * n_corners_);
    }
    void close_face(Index owner) {
        out_.owner[n_faces_] = owner;
        out_.face_offsets[++n_faces_] = n_face_points_;
    }
    void add_side(const Edge& e, Index below, Index above, Index owner) {
        Index* at = out_.face_points.data() + n_face_points_;
        at[0] = below + e.from;
        at[1] = below + e.to;
        at[2] = above + e.to;
        at[3] = above + e.from;
        n_face_points_ += 4;
        close_face(owner);
    }
    /// The section itself at a layer of points, facing up or down.
    void add_flat(Index c, Index base, bool is_up, Index owner) {
        const auto& corners = section_.cells[c];
        const auto m = static_cast<std::size_t>(PlanarMesh::n_corners(corners));
        Index* at = out_.face_points.data() + n_face_points_;
        for (std::size_t i = 0; i < m; ++i) at[i] = base + corners[is_up ? i : m - 1 - i];
        n_face_points_ += m;
        close_face(owner);
    }
    void add_neighbour(Index cell) { out_.neighbour[n_neighbours_++] = cell; }

    void add_inner_faces() {
        // Edges within regions by their lower cell, then their higher one.
        std::vector<Index> inner;
        for (Index e = 0; e < edges_.size(); ++e)
            if (edges_[e].high != kNone && edges_[e].zone == kNone) inner.push_back(e);
        std::sort(inner.begin(), inner.end(), [this](Index a, Index b) {
            return std::tie(edges_[a].low, edges_[a].high) < std::tie(edges_[b].low, edges_[b].high);
        });
        const auto n_cells = static_cast<Index>(section_.cells.size());
        for (std::size_t k = 0; k < n_steps_; ++k) {
            const Index below = first_point(k), above = first_point(k + 1), cell = first_cell(k);
            auto e = inner.begin();
            for (Index c = 0; c < n_cells; ++c) {
                for (; e != inner.end() && edges_[*e].low == c; ++e) {
                    add_side(edges_[*e], below, above, cell + c);
                    add_neighbour(cell + edges_[*e].high);
                }
                if (k + 1 < n_steps_) {
                    add_flat(c, above, true, cell + c);
                    add_neighbour(cell + n_cells + c);
                }
                if (is_closed_ && k == 0) {
                    add_flat(c, 0, false, c);
                    add_neighbour(first_cell(n_steps_ - 1) + c);
                }
            }
        }
    }

    void add_zone(Index z) {
        std::vector<Edge> of_zone;
        std::copy_if(edges_.begin(), edges_.end(), std::back_inserter(of_zone),
                     [z](const Edge& e) { return e.zone == z; });
        out_.zones[z].first_face = n_faces_;
        out_.zones[z].n_faces = n_steps_ * of_zone.size();
        for (std::size_t k = 0; k < n_steps_; ++k)
            for (const Edge& e : of_zone) {
                add_side(e, first_point(k), first_point(k + 1), first_cell(k) + e.low);
                if (e.high != kNone) add_neighbour(first_cell(k) + e.high);
            }
    }
    void add_end(const Zone& zone, std::size_t layer) {
        out_.zones.push_back({zone.name, zone.role, n_faces_, section_.cells.size(), {}});
        const Index cell = first_cell(layer > 0 ? layer - 1 : 0);
        for (Index c = 0; c < section_.cells.size(); ++c) add_flat(c, first_point(layer), layer > 0, cell + c);
    }

    const PlanarMesh& section_;
    std::size_t n_steps_, n_layers_;
    bool is_closed_;
    std::vector<Edge> edges_;
    std::size_t n_corners_ = 0, n_faces_ = 0, n_face_points_ = 0, n_neighbours_ = 0;
    VolumeMesh out_;
};

}  // namespace

VolumeMesh regular_mesh(const PlanarMesh& section, std::size_t n_steps, bool is_closed, const Zone& first_end,
                        const Zone& last_end) {
    return Builder(section, n_steps, is_closed).run(first_end, last_end);
}

}  // namespace anvilcast::sweeping
