// A plane mesh swept into a volume: the section's points are set at every station, its cells drawn out between each
// station and the next.

#include <anvilcast/assembly.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/sweep.hpp>

#include <fmt/format.h>

#include <algorithm>

#include "sweep/regular.hpp"
#include "sweep/repeats.hpp"
#include "sweep/stations.hpp"

namespace anvilcast {
namespace {

using sweeping::Station;

/// A corner of a standard cell and the three edges that leave it, counter-clockwise seen from within the corner's cone:
/// their triple product is positive in a good cell. Tips of pyramids have four edges and are left out.
struct CornerEdges {
    std::size_t here, first, second, third;
};

std::vector<CornerEdges> find_corner_edges(CellType type) {
    std::vector<CornerEdges> out;
    for (int v = 0; v < n_corners(type); ++v) {
        std::vector<std::array<int, 2>> turns;  // next and before, for each face at the corner
        for (const std::vector<int>& face : cell_faces(type))
            for (std::size_t k = 0; k < face.size(); ++k)
                if (face[k] == v)
                    turns.push_back({face[(k + 1) % face.size()], face[(k + face.size() - 1) % face.size()]});
        if (turns.size() != 3) continue;
        // Seen from outside a face turns from next to before; the third edge is the one that is in neither place.
        const int next = turns[0][0], before = turns[0][1];
        int third = -1;
        for (const auto& t : turns)
            for (const int end : t)
                if (end != next && end != before) third = end;
        out.push_back({static_cast<std::size_t>(v), static_cast<std::size_t>(before), static_cast<std::size_t>(next),
                       static_cast<std::size_t>(third)});
    }
    return out;
}

const std::vector<CornerEdges>& corner_edges(CellType type) {
    static const std::array<std::vector<CornerEdges>, 4> all{
        find_corner_edges(CellType::tetrahedron), find_corner_edges(CellType::pyramid),
        find_corner_edges(CellType::prism), find_corner_edges(CellType::hexahedron)};
    return all[static_cast<std::size_t>(type)];
}

class Sweeper {
  public:
    Sweeper(const PlanarMesh& section, const SweepPath& path, const SweepOptions& options, const Context& context)
        : section_(section),
          options_(options),
          context_(context),
          stations_(sweeping::stations(path, options, section.points)),
          is_closed_(sweeping::is_closed(path)),
          // Straight on, or round an axis beside the section by less than half a turn a step.
          cannot_fold_(!std::holds_alternative<PointsPath>(path) && options.twist_deg == 0),
          on_axis_(sweeping::on_axis(path, section.points)) {}

    VolumeMesh run() {
        auto periodic = sweeping::repeated_in_space(section_, stations_, options_, is_closed_);
        VolumeMesh mesh = make();
        mesh.periodic = std::move(periodic);
        for (BoundaryZone& zone : mesh.zones)
            for (const PeriodicPair& pair : mesh.periodic)
                if (zone.name == pair.first || zone.name == pair.second) zone.role = Role::periodic;
        return mesh;
    }

  private:
    VolumeMesh make() {
        set_points();
        if (std::find(on_axis_.begin(), on_axis_.end(), 1) == on_axis_.end()) return run_beside_axis();
        out_.zones = section_.zones;
        out_.regions = section_.regions;
        for (std::size_t k = 0; k + 1 < stations_.size(); ++k) {
            context_.check_stop();
            for (Index c = 0; c < section_.cells.size(); ++c) draw_out(c, k);
        }
        for (const PlanarEdge& e : section_.edges) draw_out_edge(e);
        if (!is_closed_) {
            close_end(options_.first_end, 0);
            close_end(options_.last_end, stations_.size() - 1);
        }
        return assemble_mesh(std::move(out_));
    }

    /// Nothing becomes one: what lies beside what is known.
    VolumeMesh run_beside_axis() {
        VolumeMesh mesh =
            sweeping::regular_mesh(section_, stations_.size() - 1, is_closed_, options_.first_end, options_.last_end);
        mesh.points = std::move(out_.points);
        if (cannot_fold_) return mesh;
        const auto n = static_cast<Index>(section_.cells.size());
        for (Index c = 0; c < mesh.n_cells(); ++c) {
            if (c % n == 0) context_.check_stop();
            const auto corners = mesh.cell(c);
            for (const CornerEdges& e : corner_edges(mesh.cell_types[c])) {
                const Vec3& p = mesh.points[corners[e.here]];
                if (!is_convex(p, mesh.points[corners[e.first]], mesh.points[corners[e.second]],
                               mesh.points[corners[e.third]]))
                    refuse(c % n, 0, &p);
            }
        }
        return mesh;
    }
    static bool is_convex(const Vec3& p, const Vec3& first, const Vec3& second, const Vec3& third) {
        return dot(cross(first - p, second - p), third - p) > 0;
    }

    /// Points on the axis have one number for all stations.
    void set_points() {
        const std::size_t n_layers = stations_.size() - (is_closed_ ? 1 : 0);
        number_.assign(section_.points.size() * n_layers, kNone);
        n_layers_ = n_layers;
        for (std::size_t k = 0; k < n_layers; ++k)
            for (Index p = 0; p < section_.points.size(); ++p) {
                Index& own = number_[k * section_.points.size() + p];
                if (k > 0 && on_axis_[p] != 0) {
                    own = number_[p];
                    continue;
                }
                own = static_cast<Index>(out_.points.size());
                out_.points.push_back(stations_[k].place(section_.points[p]));
            }
    }
    Index at(Index p, std::size_t layer) const { return number_[layer % n_layers_ * section_.points.size() + p]; }

    /// Corners that the axis makes one are named once; a triangle then is a pyramid or a tetrahedron, a quadrangle a
    /// prism, or two pyramids where only one corner is on the axis.
    void draw_out(Index cell, std::size_t layer) {
        const auto& c = section_.cells[cell];
        const int n = PlanarMesh::n_corners(c);
        int n_axis = 0, first_axis = 0;
        for (int k = 0; k < n; ++k)
            if (on_axis_[c[static_cast<std::size_t>(k)]] != 0) {
                ++n_axis;
                if (n_axis == 1 || (first_axis == 0 && k == n - 1)) first_axis = k;
            }
        auto corner = [&](int k) { return c[static_cast<std::size_t>((first_axis + k) % n)]; };
        auto low = [&](int k) { return at(corner(k), layer); };
        auto high = [&](int k) { return at(corner(k), layer + 1); };
        if (n_axis == 0 && n == 3) {
            add(CellType::prism, {low(0), low(1), low(2), high(0), high(1), high(2)}, cell);
        } else if (n_axis == 0) {
            add(CellType::hexahedron, {low(0), low(1), low(2), low(3), high(0), high(1), high(2), high(3)}, cell);
        } else if (n_axis == 1) {
            for (int k = 1; k + 1 < n; ++k)
                add(CellType::pyramid, {low(k), high(k), high(k + 1), low(k + 1), low(0)}, cell);
        } else if (n_axis == 2 && n == 3) {
            add(CellType::tetrahedron, {low(0), low(1), low(2), high(2)}, cell);
        } else if (n_axis == 2) {
            add(CellType::prism, {low(0), low(3), high(3), low(1), low(2), high(2)}, cell);
        } else {
            refuse(cell, layer);
        }
    }

    void add(CellType type, std::initializer_list<Index> corners, Index cell) {
        std::array<Index, 8> c{};
        std::copy(corners.begin(), corners.end(), c.begin());
        for (const CornerEdges& e : corner_edges(type)) {
            const Vec3& p = out_.points[c[e.here]];
            if (!(dot(cross(out_.points[c[e.first]] - p, out_.points[c[e.second]] - p), out_.points[c[e.third]] - p) >
                  0))
                refuse(cell, 0, &p);
        }
        out_.cell_types.push_back(type);
        out_.cell_points.insert(out_.cell_points.end(), corners);
        out_.cell_offsets.push_back(out_.cell_points.size());
        out_.cell_region.push_back(section_.cell_region[cell]);
    }
    [[noreturn]] void refuse(Index cell, std::size_t layer, const Vec3* place = nullptr) const {
        const Vec3 p = place != nullptr ? *place : out_.points[at(section_.cells[cell][0], layer)];
        throw GeometryError(fmt::format(
            "the sweep turns cells over at [{:.6g}, {:.6g}, {:.6g}] m: its path turns more sharply there than "
            "the section is wide, or twists too much in one step; make the bend wider, the steps more, or "
            "the section narrower",
            p.x, p.y, p.z));
    }

    void add_face(std::initializer_list<Index> corners, Index zone) {
        std::array<Index, 4> list{};
        std::size_t n = 0;
        for (const Index p : corners)
            if (std::find(list.begin(), list.begin() + n, p) == list.begin() + n) list[n++] = p;
        if (n < 3) return;  // on the axis
        out_.boundary_points.insert(out_.boundary_points.end(), list.begin(), list.begin() + n);
        out_.boundary_offsets.push_back(out_.boundary_points.size());
        out_.boundary_zone.push_back(zone);
    }
    void draw_out_edge(const PlanarEdge& e) {
        for (std::size_t k = 0; k + 1 < stations_.size(); ++k)
            add_face({at(e.from, k), at(e.to, k), at(e.to, k + 1), at(e.from, k + 1)}, e.zone);
    }
    void close_end(const Zone& zone, std::size_t layer) {
        const auto number = static_cast<Index>(out_.zones.size());
        out_.zones.push_back(zone);
        for (const auto& c : section_.cells) {
            if (PlanarMesh::n_corners(c) == 3) {
                add_face({at(c[0], layer), at(c[1], layer), at(c[2], layer)}, number);
                continue;
            }
            // A quadrangle whose one corner is on the axis was drawn out as two triangles.
            const auto axis = std::find_if(c.begin(), c.end(), [&](Index p) { return on_axis_[p] != 0; });
            const auto n_axis = std::count_if(c.begin(), c.end(), [&](Index p) { return on_axis_[p] != 0; });
            if (n_axis != 1) {
                add_face({at(c[0], layer), at(c[1], layer), at(c[2], layer), at(c[3], layer)}, number);
                continue;
            }
            const auto k = static_cast<std::size_t>(axis - c.begin());
            for (std::size_t i = 1; i < 3; ++i)
                add_face({at(c[k], layer), at(c[(k + i) % 4], layer), at(c[(k + i + 1) % 4], layer)}, number);
        }
    }

    const PlanarMesh& section_;
    const SweepOptions& options_;
    const Context& context_;
    std::vector<Station> stations_;
    bool is_closed_, cannot_fold_;
    std::vector<char> on_axis_;
    std::size_t n_layers_ = 0;
    std::vector<Index> number_;
    CellsAndBoundary out_;
};

}  // namespace

double swept_cells(const PlanarMesh& section, const SweepPath& path, int steps) {
    const auto on_axis = sweeping::on_axis(path, section.points);
    double n = static_cast<double>(section.cells.size());
    for (const auto& c : section.cells)
        if (PlanarMesh::n_corners(c) == 4 &&
            std::count_if(c.begin(), c.end(), [&](Index p) { return on_axis[p] != 0; }) == 1)
            ++n;  // two pyramids
    return n * steps;
}

std::vector<PeriodicPair> swept_pairs(const PlanarMesh& section, const SweepPath& path, const SweepOptions& options) {
    if (section.periodic.empty() && !options.ends_repeat) return {};
    return sweeping::repeated_in_space(section, sweeping::stations(path, options, section.points), options,
                                       sweeping::is_closed(path));
}

VolumeMesh sweep(const PlanarMesh& section, const SweepPath& path, const SweepOptions& options,
                 const Context& context) {
    // Points and faces are numbered with 32 bits; a cell has four faces of its own at most.
    constexpr double kMost = 4e9;
    const double cells = swept_cells(section, path, options.steps);
    if (4 * cells > kMost || static_cast<double>(section.points.size()) * (options.steps + 1.0) > kMost)
        throw FailureError(
            fmt::format("the sweep would have {:.3g} cells, which is more than one mesh holds (about a "
                        "thousand million); take fewer steps",
                        cells));
    return Sweeper(section, path, options, context).run();
}

}  // namespace anvilcast
