// Swept meshes put down face by face.
//
// Cells are numbered layer after layer, in the section's order. Faces within regions come first, by owner: those over
// edges of the section that the cell has with cells of higher numbers, then the one to the next layer. A closed way
// round adds, in the first layer, the one to the last. Interfaces follow, then the boundary zone by zone. Sides face
// away from the lower cell: an edge that runs counter-clockwise round it, drawn out upwards, does.

#include "sweep/regular.hpp"

#include <anvilcast/errors.hpp>

#include <algorithm>
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
        add_inner_faces();
        for (const Zone& zone : section_.zones) out_.zones.push_back({zone.name, zone.role, 0, 0, zone.other_name});
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
    Index point(Index p, std::size_t layer) const {
        return static_cast<Index>(layer % n_layers_ * section_.points.size() + p);
    }
    Index cell(Index c, std::size_t layer) const { return static_cast<Index>(layer * section_.cells.size() + c); }

    void add_cells() {
        const std::size_t n = section_.cells.size() * n_steps_;
        out_.cell_types.reserve(n);
        out_.cell_region.reserve(n);
        out_.cell_offsets.reserve(n + 1);
        out_.cell_points.reserve(8 * n);
        out_.cell_offsets.push_back(0);
        for (std::size_t k = 0; k < n_steps_; ++k)
            for (Index c = 0; c < section_.cells.size(); ++c) {
                const auto& corners = section_.cells[c];
                const auto m = static_cast<std::size_t>(PlanarMesh::n_corners(corners));
                out_.cell_types.push_back(m == 3 ? CellType::prism : CellType::hexahedron);
                out_.cell_region.push_back(section_.cell_region[c]);
                for (const std::size_t layer : {k, k + 1})
                    for (std::size_t i = 0; i < m; ++i) out_.cell_points.push_back(point(corners[i], layer));
                out_.cell_offsets.push_back(out_.cell_points.size());
            }
    }

    void close_face(Index owner) {
        out_.face_offsets.push_back(out_.face_points.size());
        out_.owner.push_back(owner);
    }
    void add_side(const Edge& e, std::size_t layer) {
        for (const Index p :
             {point(e.from, layer), point(e.to, layer), point(e.to, layer + 1), point(e.from, layer + 1)})
            out_.face_points.push_back(p);
        close_face(cell(e.low, layer));
    }
    /// The section itself at a layer of points, facing up or down.
    void add_flat(Index c, std::size_t layer, bool is_up, Index owner) {
        const auto& corners = section_.cells[c];
        const auto m = static_cast<std::size_t>(PlanarMesh::n_corners(corners));
        for (std::size_t i = 0; i < m; ++i) out_.face_points.push_back(point(corners[is_up ? i : m - 1 - i], layer));
        close_face(owner);
    }

    void add_inner_faces() {
        // Edges within regions by their lower cell.
        std::vector<std::vector<Index>> own(section_.cells.size());
        std::size_t n_inner = 0, n_edges = edges_.size();
        for (Index e = 0; e < n_edges; ++e)
            if (edges_[e].high != kNone && edges_[e].zone == kNone) {
                own[edges_[e].low].push_back(e);
                ++n_inner;
            }
        for (auto& list : own)
            std::sort(list.begin(), list.end(), [this](Index a, Index b) { return edges_[a].high < edges_[b].high; });
        const std::size_t all = n_steps_ * (n_edges + section_.cells.size()) + 2 * section_.cells.size();
        out_.face_offsets.reserve(all + 1);
        out_.face_points.reserve(4 * all);
        out_.owner.reserve(all);
        out_.neighbour.reserve(n_steps_ * (n_inner + section_.cells.size()));
        out_.face_offsets.push_back(0);
        for (std::size_t k = 0; k < n_steps_; ++k)
            for (Index c = 0; c < section_.cells.size(); ++c) {
                for (const Index e : own[c]) {
                    add_side(edges_[e], k);
                    out_.neighbour.push_back(cell(edges_[e].high, k));
                }
                if (k + 1 < n_steps_) {
                    add_flat(c, k + 1, true, cell(c, k));
                    out_.neighbour.push_back(cell(c, k + 1));
                }
                if (is_closed_ && k == 0) {
                    add_flat(c, 0, false, cell(c, 0));
                    out_.neighbour.push_back(cell(c, n_steps_ - 1));
                }
            }
    }

    void add_zone(Index z) {
        BoundaryZone& own = out_.zones[z];
        own.first_face = out_.owner.size();
        for (std::size_t k = 0; k < n_steps_; ++k)
            for (const Edge& e : edges_) {
                if (e.zone != z) continue;
                add_side(e, k);
                if (e.high != kNone) out_.neighbour.push_back(cell(e.high, k));
            }
        own.n_faces = out_.owner.size() - own.first_face;
    }
    void add_end(const Zone& zone, std::size_t layer) {
        BoundaryZone own{zone.name, zone.role, out_.owner.size(), section_.cells.size(), {}};
        for (Index c = 0; c < section_.cells.size(); ++c)
            add_flat(c, layer, layer > 0, cell(c, layer > 0 ? layer - 1 : 0));
        out_.zones.push_back(std::move(own));
    }

    const PlanarMesh& section_;
    std::size_t n_steps_, n_layers_;
    bool is_closed_;
    std::vector<Edge> edges_;
    VolumeMesh out_;
};

}  // namespace

VolumeMesh regular_mesh(const PlanarMesh& section, std::size_t n_steps, bool is_closed, const Zone& first_end,
                        const Zone& last_end) {
    return Builder(section, n_steps, is_closed).run(first_end, last_end);
}

}  // namespace anvilcast::sweeping
