// The faces of a zone are copied from step to step; between two copies of one face lies a cell. Faces between cells of
// one step stand on the edges that two faces of the zone share, walls on those of one face alone.

#include <anvilcast/errors.hpp>
#include <anvilcast/sweep.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "base/disjoint_sets.hpp"

namespace anvilcast {
namespace {

/// Cosine between a face's normal and the way that it is drawn, at least.
constexpr double kLeastFacing = 0.1;

class DuctMaker {
  public:
    DuctMaker(const VolumeMesh& mesh, Index zone, double length,
              const std::function<int(const Vec3&, double)>& steps_of, const std::string& walls)
        : m_(mesh), zone_(zone), first_(mesh.zones[zone].first_face), n_(static_cast<Index>(mesh.zones[zone].n_faces)) {
        find_edges();
        find_pieces(length, steps_of);
        walls_ = walls;
    }

    VolumeMesh make() {
        add_points();
        out_.cell_types = m_.cell_types;
        out_.cell_offsets = m_.cell_offsets;
        out_.cell_points = m_.cell_points;
        out_.cell_region = m_.cell_region;
        out_.regions = m_.regions;
        out_.periodic = m_.periodic;
        add_cells();
        add_faces();
        return std::move(out_);
    }

  private:
    struct Piece {
        Vec3 way;        // of length 1
        double end = 0;  // along it
        int steps = 1;
    };
    /// An edge of the zone: the faces beside it, the first one as it runs from `from` to `to`.
    struct Edge {
        Index from, to;
        std::array<Index, 2> face{kNone, kNone};
    };

    std::span<const Index> face(std::size_t i) const { return m_.face(first_ + i); }

    void find_edges() {
        std::map<std::array<Index, 2>, std::size_t> at;
        for (Index i = 0; i < n_; ++i) {
            const auto p = face(i);
            for (std::size_t k = 0; k < p.size(); ++k) {
                const Index a = p[k], b = p[(k + 1) % p.size()];
                const auto [found, is_new] = at.try_emplace({std::min(a, b), std::max(a, b)}, edges_.size());
                if (is_new)
                    edges_.push_back({a, b, {i, kNone}});
                else
                    edges_[found->second].face[1] = i;
            }
        }
    }

    void find_pieces(double length, const std::function<int(const Vec3&, double)>& steps_of) {
        DisjointSets same(n_);
        for (const Edge& e : edges_)
            if (e.face[1] != kNone) same.join(e.face[0], e.face[1]);
        std::map<Index, Index> number;
        piece_of_.resize(n_);
        for (Index i = 0; i < n_; ++i)
            piece_of_[i] = number.try_emplace(same.find(i), static_cast<Index>(number.size())).first->second;
        pieces_.resize(number.size());
        std::vector<Vec3> area(pieces_.size()), middle(pieces_.size());
        std::vector<double> weight(pieces_.size(), 0);
        for (Index i = 0; i < n_; ++i) {
            const Vec3 own = area_of(i);
            area[piece_of_[i]] += own;
            middle[piece_of_[i]] += middle_of(i) * anvilcast::length(own);
            weight[piece_of_[i]] += anvilcast::length(own);
        }
        for (std::size_t k = 0; k < pieces_.size(); ++k) {
            pieces_[k].way = normalized(area[k]);
            pieces_[k].end = -Box::inf;
            middle[k] = middle[k] / weight[k];
        }
        for (Index i = 0; i < n_; ++i) {
            Piece& piece = pieces_[piece_of_[i]];
            if (dot(area_of(i), piece.way) < kLeastFacing * anvilcast::length(area_of(i))) refuse(i);
            for (const Index p : face(i)) piece.end = std::max(piece.end, dot(m_.points[p], piece.way) + length);
        }
        for (std::size_t k = 0; k < pieces_.size(); ++k) pieces_[k].steps = std::max(1, steps_of(middle[k], length));
    }
    [[noreturn]] void refuse(Index i) const {
        const Vec3 at = middle_of(i);
        throw GeometryError(
            fmt::format("a face of \"{}\" at [{:.6g}, {:.6g}, {:.6g}] m looks away from where its duct leads; leave "
                        "swept out there",
                        m_.zones[zone_].name, at.x, at.y, at.z));
    }
    Vec3 area_of(Index i) const {
        const auto p = face(i);
        Vec3 sum;
        for (std::size_t k = 2; k < p.size(); ++k)
            sum += 0.5 * cross(m_.points[p[k - 1]] - m_.points[p[0]], m_.points[p[k]] - m_.points[p[0]]);
        return sum;
    }
    Vec3 middle_of(Index i) const {
        Vec3 sum;
        for (const Index p : face(i)) sum += m_.points[p];
        return sum / static_cast<double>(face(i).size());
    }

    // ---- points and cells ----

    /// The points of each step follow each other, those of a point of the zone in a row.
    void add_points() {
        out_.points = m_.points;
        row_.assign(m_.points.size(), kNone);
        for (Index i = 0; i < n_; ++i) {
            const Piece& piece = pieces_[piece_of_[i]];
            for (const Index p : face(i)) {
                if (row_[p] != kNone) continue;
                row_[p] = static_cast<Index>(out_.points.size());
                const double way = piece.end - dot(m_.points[p], piece.way);
                for (int s = 1; s <= piece.steps; ++s)
                    out_.points.push_back(m_.points[p] + piece.way * (way * s / piece.steps));
            }
        }
    }
    Index point(Index p, int step) const { return step == 0 ? p : row_[p] + static_cast<Index>(step) - 1; }
    int steps(Index i) const { return pieces_[piece_of_[i]].steps; }

    void add_cells() {
        const bool has_polyhedra =
            std::find(m_.cell_types.begin(), m_.cell_types.end(), CellType::polyhedron) != m_.cell_types.end();
        first_cell_.resize(n_);
        for (Index i = 0; i < n_; ++i) {
            first_cell_[i] = static_cast<Index>(out_.cell_types.size());
            const auto p = face(i);
            const CellType type = has_polyhedra || p.size() > 4 ? CellType::polyhedron
                                  : p.size() == 3               ? CellType::prism
                                                                : CellType::hexahedron;
            for (int s = 0; s < steps(i); ++s) {
                out_.cell_types.push_back(type);
                out_.cell_region.push_back(m_.cell_region[m_.owner[first_ + i]]);
                if (type != CellType::polyhedron)
                    for (const int level : {s, s + 1})
                        for (const Index q : p) out_.cell_points.push_back(point(q, level));
                out_.cell_offsets.push_back(out_.cell_points.size());
            }
        }
    }

    // ---- faces ----

    void add_face(std::span<const Index> points, Index owner, Index neighbour) {
        out_.face_points.insert(out_.face_points.end(), points.begin(), points.end());
        out_.face_offsets.push_back(out_.face_points.size());
        out_.owner.push_back(owner);
        if (neighbour != kNone) out_.neighbour.push_back(neighbour);
    }
    void add_old(std::size_t f) { add_face(m_.face(f), m_.owner[f], f < m_.n_inner_faces() ? m_.neighbour[f] : kNone); }
    std::vector<Index> at_step(Index i, int step) const {
        std::vector<Index> out;
        for (const Index p : face(i)) out.push_back(point(p, step));
        return out;
    }
    void add_upright(const Edge& e, int s, Index neighbour) {
        const std::array<Index, 4> strip{point(e.from, s), point(e.to, s), point(e.to, s + 1), point(e.from, s + 1)};
        add_face(strip, first_cell_[e.face[0]] + static_cast<Index>(s), neighbour);
    }

    void add_faces() {
        out_.face_offsets.push_back(0);
        for (std::size_t f = 0; f < m_.n_plain_faces(); ++f) add_old(f);
        for (Index i = 0; i < n_; ++i)
            for (int s = 0; s < steps(i); ++s) {
                const Index cell = first_cell_[i] + static_cast<Index>(s);
                add_face(at_step(i, s), s == 0 ? m_.owner[first_ + i] : cell - 1, cell);
            }
        for (const Edge& e : edges_) {
            if (e.face[1] == kNone) continue;
            const bool is_turned = first_cell_[e.face[1]] < first_cell_[e.face[0]];
            const Edge own = is_turned ? Edge{e.to, e.from, {e.face[1], e.face[0]}} : e;
            for (int s = 0; s < steps(e.face[0]); ++s)
                add_upright(own, s, first_cell_[own.face[1]] + static_cast<Index>(s));
        }
        out_.zones = m_.zones;
        for (const bool is_inner : {true, false})
            for (std::size_t z = 0; z < m_.zones.size(); ++z) {
                const BoundaryZone& zone = m_.zones[z];
                if ((zone.n_faces > 0 && zone.first_face < m_.n_inner_faces()) != is_inner) continue;
                out_.zones[z].first_face = out_.owner.size();
                if (z == zone_)
                    for (Index i = 0; i < n_; ++i)
                        add_face(at_step(i, steps(i)), first_cell_[i] + static_cast<Index>(steps(i)) - 1, kNone);
                else
                    for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) add_old(f);
            }
        out_.zones.push_back({walls_, Role::wall, out_.owner.size(), 0});
        for (const Edge& e : edges_)
            if (e.face[1] == kNone)
                for (int s = 0; s < steps(e.face[0]); ++s) add_upright(e, s, kNone);
        out_.zones.back().n_faces = out_.owner.size() - out_.zones.back().first_face;
    }

    const VolumeMesh& m_;
    Index zone_;
    std::size_t first_;
    Index n_;
    std::string walls_;
    std::vector<Edge> edges_;
    std::vector<Index> piece_of_;
    std::vector<Piece> pieces_;
    std::vector<Index> row_;         // of each point of the zone: its first copy
    std::vector<Index> first_cell_;  // of each face
    VolumeMesh out_;
};

}  // namespace

VolumeMesh add_duct(const VolumeMesh& mesh, Index zone, double length,
                    const std::function<int(const Vec3&, double)>& steps_of, const std::string& walls) {
    if (!(length > 0)) throw InputError("a duct needs a length above 0");
    if (zone >= mesh.zones.size() || mesh.zones[zone].n_faces == 0 ||
        mesh.zones[zone].first_face < mesh.n_inner_faces())
        throw InputError("a duct is swept from a zone of the boundary that has faces");
    return DuctMaker(mesh, zone, length, steps_of, walls).make();
}

}  // namespace anvilcast
