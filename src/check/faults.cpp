// The oracle. A mesh comes in as arrays; first these are held against each other (lengths, offsets, references), for
// nothing else can be said where they do not fit. Then every face is in as many zones as it must be; every cell is
// closed, has volume by each of three definitions, and its corners, where it is a standard cell, are those of its faces
// in the order of the CGNS standard; the boundary of each region is closed. What is topology is exact; volumes are
// rounded, and must be above 0. Nothing here is shared with what makes meshes or measures them: a mistake there must
// not be made here too.

#include <anvilcast/faults.hpp>

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <span>
#include <vector>

namespace anvilcast {
namespace {

/// Collects faults up to a number; the rest is counted.
class Faults {
  public:
    explicit Faults(std::size_t most) : most_(most) {}
    void add(std::string text) {
        if (list_.size() < most_)
            list_.push_back(std::move(text));
        else
            ++more_;
    }
    /// What another one has collected, after what is here.
    void add_all(Faults&& other) {
        for (std::string& text : other.list_) add(std::move(text));
        more_ += other.more_;
    }
    std::size_t most() const { return most_; }
    std::vector<std::string> finished() {
        if (more_ > 0) list_.push_back(fmt::format("and {} more", more_));
        return std::move(list_);
    }

  private:
    std::size_t most_, more_ = 0;
    std::vector<std::string> list_;
};

std::string at(const Vec3& p) { return fmt::format("at [{:.6g}, {:.6g}, {:.6g}] m", p.x, p.y, p.z); }

Vec3 mean_of(const VolumeMesh& mesh, std::size_t f) {
    Vec3 sum;
    for (const Index p : mesh.face(f)) sum += mesh.points[p];
    return sum / static_cast<double>(mesh.face(f).size());
}

/// What a face may be made flat by, or divided about, when it is not flat: the mean of its points, the middle of its
/// triangles' areas, and the middle of these as they are seen along its area vector.
struct FaceMiddles {
    Vec3 area;  ///< vector, from owner to neighbour
    std::array<Vec3, 3> middle;
};

FaceMiddles middles_of(const VolumeMesh& mesh, std::size_t f) {
    const auto p = mesh.face(f);
    if (p.size() == 3) {
        const Vec3 &a = mesh.points[p[0]], &b = mesh.points[p[1]], &c = mesh.points[p[2]];
        const Vec3 middle = (a + b + c) / 3.0;
        return {0.5 * cross(b - a, c - a), {middle, middle, middle}};
    }
    const Vec3 mean = mean_of(mesh, f);
    FaceMiddles out{{}, {mean, mean, mean}};
    for (std::size_t k = 0; k < p.size(); ++k)
        out.area += 0.5 * cross(mesh.points[p[k]] - mean, mesh.points[p[(k + 1) % p.size()]] - mean);
    const Vec3 along = normalized(out.area);
    std::array<double, 2> total{};
    std::array<Vec3, 2> weighted;
    for (std::size_t k = 0; k < p.size(); ++k) {
        const Vec3 a = mesh.points[p[k]] - mean, b = mesh.points[p[(k + 1) % p.size()]] - mean, n = cross(a, b);
        const std::array<double, 2> weights{length(n), dot(n, along)};
        for (std::size_t w = 0; w < 2; ++w) {
            weighted[w] += (a + b) * (weights[w] / 3);
            total[w] += weights[w];
        }
    }
    for (std::size_t w = 0; w < 2; ++w)
        if (total[w] > 0) out.middle[w + 1] = mean + weighted[w] / total[w];
    return out;
}

/// The faces of each cell, ascending.
class FacesOfCells {
  public:
    explicit FacesOfCells(const VolumeMesh& mesh) : first_(mesh.n_cells() + 1, 0) {
        for (const auto* side : {&mesh.owner, &mesh.neighbour})
            for (const Index c : *side) ++first_[c + 1];
        for (std::size_t c = 0; c < mesh.n_cells(); ++c) first_[c + 1] += first_[c];
        faces_.resize(first_.back());
        std::vector<std::size_t> next(first_.begin(), first_.end() - 1);
        for (std::size_t f = 0; f < mesh.n_faces(); ++f) {
            faces_[next[mesh.owner[f]]++] = static_cast<Index>(f);
            if (f < mesh.n_inner_faces()) faces_[next[mesh.neighbour[f]]++] = static_cast<Index>(f);
        }
    }
    std::span<const Index> of(std::size_t cell) const {
        return {faces_.data() + first_[cell], first_[cell + 1] - first_[cell]};
    }

  private:
    std::vector<std::size_t> first_;
    std::vector<Index> faces_;
};

/// A standard cell as the CGNS standard has it: corners, and each face's corners, seen from outside counter-clockwise;
/// -1 fills up.
struct StandardCell {
    std::size_t n_corners, n_faces;
    std::array<std::array<int, 4>, 6> faces;
};
constexpr std::array<StandardCell, 4> kStandardCells{{
    {4, 4, {{{0, 2, 1, -1}, {0, 1, 3, -1}, {1, 2, 3, -1}, {2, 0, 3, -1}}}},
    {5, 5, {{{0, 3, 2, 1}, {0, 1, 4, -1}, {1, 2, 4, -1}, {2, 3, 4, -1}, {3, 0, 4, -1}}}},
    {6, 5, {{{0, 1, 4, 3}, {1, 2, 5, 4}, {2, 0, 3, 5}, {0, 2, 1, -1}, {3, 4, 5, -1}}}},
    {8, 6, {{{0, 3, 2, 1}, {0, 1, 5, 4}, {1, 2, 6, 5}, {2, 3, 7, 6}, {0, 4, 7, 3}, {4, 5, 6, 7}}}},
}};

/// Is a face, turned outward, the wanted one, wherever it begins?
bool is_same_ring(std::span<const Index> face, bool is_turned, std::span<const Index> wanted) {
    if (face.size() != wanted.size()) return false;
    const std::size_t n = face.size();
    for (std::size_t shift = 0; shift < n; ++shift) {
        bool fits = true;
        for (std::size_t k = 0, at = shift; k < n && fits; ++k) {
            fits = face[at] == wanted[k];
            at = is_turned ? (at == 0 ? n - 1 : at - 1) : (at + 1 == n ? 0 : at + 1);
        }
        if (fits) return true;
    }
    return false;
}

/// Are the faces of a standard cell those that its corners say?
bool corners_fit(const VolumeMesh& mesh, std::span<const Index> faces, std::size_t c) {
    const StandardCell& kind = kStandardCells[static_cast<std::size_t>(mesh.cell_types[c])];
    const auto corners = mesh.cell(c);
    if (corners.size() != kind.n_corners || faces.size() != kind.n_faces) return false;
    for (std::size_t k = 0; k < kind.n_faces; ++k) {
        std::array<Index, 4> ring{};
        std::size_t n = 0;
        for (const int corner : kind.faces[k])
            if (corner >= 0) ring[n++] = corners[static_cast<std::size_t>(corner)];
        const bool is_there = std::any_of(faces.begin(), faces.end(), [&](Index f) {
            return is_same_ring(mesh.face(f), mesh.owner[f] != c, {ring.data(), n});
        });
        if (!is_there) return false;
    }
    return true;
}

/// Of the space within the faces, by the divergence theorem: the smallest that the middles of its faces give.
double volume_within(const VolumeMesh& mesh, std::span<const Index> faces, std::size_t cell) {
    if (faces.empty()) return 0;
    std::array<double, 3> volume{};
    const Vec3& near = mesh.points[mesh.face(faces[0])[0]];
    for (const Index f : faces) {
        const FaceMiddles m = middles_of(mesh, f);
        const double sense = mesh.owner[f] == cell ? 1.0 : -1.0;
        for (std::size_t k = 0; k < 3; ++k) volume[k] += sense * dot(m.middle[k] - near, m.area) / 3;
    }
    return *std::min_element(volume.begin(), volume.end());
}

/// Of a plane mesh, over its depth: of the polygon, which must not cross itself.
double plane_volume(const VolumeMesh& mesh, std::size_t cell) {
    const auto corners = mesh.cell(cell);
    const std::size_t n = corners.size() / 2;
    auto turn = [&](std::size_t i, std::size_t j, std::size_t k) {
        const Vec3 &a = mesh.points[corners[i]], &b = mesh.points[corners[j]], &c = mesh.points[corners[k]];
        return (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
    };
    if (n == 3) return 0.5 * turn(0, 1, 2) * mesh.plane_depth;
    // One of its diagonals divides a quadrangle that does not cross itself into two triangles.
    const std::array<double, 4> t{turn(0, 1, 2), turn(0, 2, 3), turn(1, 2, 3), turn(1, 3, 0)};
    const double least = std::max(std::min(t[0], t[1]), std::min(t[2], t[3]));
    return least > 0 ? 0.5 * (t[0] + t[1]) * mesh.plane_depth : std::min(0.0, least);
}

/// Does it lie over its lower half, as deep everywhere?
bool is_sheet(const VolumeMesh& mesh) {
    const std::size_t half = mesh.points.size() / 2;
    if (mesh.points.size() != 2 * half || mesh.zones.size() < 2) return false;
    for (std::size_t p = 0; p < half; ++p) {
        const Vec3 &a = mesh.points[p], &b = mesh.points[p + half];
        if (a.x != b.x || a.y != b.y || a.z != 0 || b.z != mesh.plane_depth) return false;
    }
    for (std::size_t c = 0; c < mesh.n_cells(); ++c) {
        if (mesh.cell_types[c] != CellType::prism && mesh.cell_types[c] != CellType::hexahedron) return false;
        const auto corners = mesh.cell(c);
        for (std::size_t k = 0; 2 * k < corners.size(); ++k)
            if (corners[k] >= half || corners[k + corners.size() / 2] != corners[k] + half) return false;
    }
    return true;
}

/// Arrays that refer outside of each other make every further check meaningless.
bool references_hold(const VolumeMesh& mesh, Faults& faults) {
    auto all_below = [](const std::vector<Index>& list, std::size_t n) {
        return std::all_of(list.begin(), list.end(), [n](Index i) { return i < n; });
    };
    auto are_offsets = [](const std::vector<std::size_t>& offsets, std::size_t n, std::size_t end) {
        return offsets.size() == n + 1 && offsets.front() == 0 && offsets.back() == end &&
               std::is_sorted(offsets.begin(), offsets.end());
    };
    const bool sizes = are_offsets(mesh.cell_offsets, mesh.n_cells(), mesh.cell_points.size()) &&
                       are_offsets(mesh.face_offsets, mesh.n_faces(), mesh.face_points.size()) &&
                       mesh.cell_region.size() == mesh.n_cells() && mesh.n_inner_faces() <= mesh.n_faces();
    if (!sizes) return faults.add("the arrays of the mesh do not fit together in length"), false;
    for (std::size_t f = 0; f < mesh.n_faces(); ++f)
        if (mesh.face(f).size() < 3) return faults.add(fmt::format("face {} has fewer than three points", f)), false;
    if (!all_below(mesh.face_points, mesh.points.size()) || !all_below(mesh.cell_points, mesh.points.size()))
        return faults.add("a face or cell refers to a point that is not there"), false;
    if (!all_below(mesh.owner, mesh.n_cells()) || !all_below(mesh.neighbour, mesh.n_cells()))
        return faults.add("a face refers to a cell that is not there"), false;
    if (!all_below(mesh.cell_region, mesh.regions.size()))
        return faults.add("a cell refers to a region that is not there"), false;
    if (mesh.n_cells() == 0) return faults.add("the mesh has no cell"), false;
    return true;
}

/// Each boundary face, and each face between two regions, is in one zone; a face within a region in one at most.
void check_zones(const VolumeMesh& mesh, Faults& faults) {
    std::vector<Index> times(mesh.n_faces(), 0);
    auto is_between_regions = [&mesh](std::size_t f) {
        return f < mesh.n_inner_faces() && mesh.cell_region[mesh.owner[f]] != mesh.cell_region[mesh.neighbour[f]];
    };
    for (const BoundaryZone& zone : mesh.zones) {
        const std::size_t end = zone.first_face + zone.n_faces;
        bool fits = zone.n_faces == 0 || end <= mesh.n_faces();
        for (std::size_t f = zone.first_face; f < end && fits; ++f)
            fits = f >= mesh.n_inner_faces() ||
                   (zone.role == Role::interface_ ? is_between_regions(f)
                                                  : is_within_region(zone.role) && !is_between_regions(f));
        if (!fits) {
            faults.add(fmt::format("zone \"{}\" holds faces that are not on the boundary", zone.name));
            continue;
        }
        for (std::size_t f = zone.first_face; f < end; ++f) ++times[f];
    }
    for (std::size_t f = 0; f < mesh.n_faces(); ++f)
        if (times[f] > 1 || (times[f] == 0 && (f >= mesh.n_inner_faces() || is_between_regions(f))))
            faults.add(
                fmt::format("boundary face {} {} is in {} zones, not in one", f, at(mean_of(mesh, f)), times[f]));
}

/// Each edge of the faces lies on two of them, run once each way when the faces are turned outward.
bool is_closed(std::vector<std::array<Index, 3>>& edges) {
    // Entries: lower point, higher point, direction.
    std::sort(edges.begin(), edges.end());
    if (edges.size() % 2 != 0) return false;
    for (std::size_t i = 0; i < edges.size(); i += 2) {
        if (edges[i][0] != edges[i + 1][0] || edges[i][1] != edges[i + 1][1] || edges[i][2] == edges[i + 1][2])
            return false;
        if (i + 2 < edges.size() && edges[i][0] == edges[i + 2][0] && edges[i][1] == edges[i + 2][1]) return false;
    }
    return true;
}

void add_edges(std::span<const Index> face, bool turned, std::vector<std::array<Index, 3>>& edges) {
    for (std::size_t k = 0; k < face.size(); ++k) {
        const Index a = face[k], b = face[(k + 1) % face.size()];
        edges.push_back({std::min(a, b), std::max(a, b), static_cast<Index>((a < b) != turned)});
    }
}

void check_cell_range(const VolumeMesh& mesh, const FacesOfCells& cell_faces, std::size_t begin, std::size_t end,
                      Faults& faults) {
    std::vector<std::array<Index, 3>> edges;
    for (std::size_t c = begin; c < end; ++c) {
        const auto faces = cell_faces.of(c);
        auto place = [&] { return faces.empty() ? std::string("without faces") : at(mean_of(mesh, faces[0])); };
        const bool is_standard = mesh.cell_types[c] != CellType::polyhedron;
        const bool fits = is_standard ? corners_fit(mesh, faces, c) : mesh.cell(c).empty();
        // The faces of a standard cell, all of them and turned out, enclose it.
        if (!is_standard || !fits) {
            edges.clear();
            for (const Index f : faces) add_edges(mesh.face(f), mesh.owner[f] != c, edges);
            if (faces.empty() || !is_closed(edges)) faults.add(fmt::format("cell {} {} is not closed", c, place()));
        }
        if (!fits) faults.add(fmt::format("cell {} {} has other corners than its faces", c, place()));
        if (const double volume = mesh.is_plane() ? plane_volume(mesh, c) : volume_within(mesh, faces, c);
            !(volume > 0))
            faults.add(fmt::format("cell {} {} has volume {:.3g} m\xC2\xB3", c, place(), volume));
    }
}

/// Blocks of cells side by side; what they find is told in the order of the cells.
void check_cells(const VolumeMesh& mesh, Faults& faults, const Context& context) {
    constexpr std::size_t kBlock = 8192;
    const FacesOfCells cell_faces(mesh);
    std::vector<Faults> found((mesh.n_cells() + kBlock - 1) / kBlock, Faults(faults.most()));
    tbb::parallel_for(std::size_t{0}, found.size(), [&](std::size_t k) {
        context.check_stop();
        check_cell_range(mesh, cell_faces, k * kBlock, std::min(mesh.n_cells(), (k + 1) * kBlock), found[k]);
    });
    for (Faults& f : found) faults.add_all(std::move(f));
    for (std::size_t f = 0; f < mesh.n_inner_faces(); ++f)
        if (mesh.owner[f] == mesh.neighbour[f])
            faults.add(fmt::format("face {} {} has the same cell on both sides", f, at(mean_of(mesh, f))));
}

/// Middles of faces along x, to be looked up by place.
class FacesByPlace {
  public:
    FacesByPlace(const VolumeMesh& mesh, const BoundaryZone& zone) : mesh_(mesh) {
        for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f)
            list_.push_back({mean_of(mesh, f), f});
        std::sort(list_.begin(), list_.end(), [](const Entry& a, const Entry& b) { return a.place.x < b.place.x; });
    }
    /// One that has its middle within `reach` of the place and as many corners as there are images, each within reach
    /// of one of them; the number of faces where there is none.
    std::size_t at(const Vec3& place, const std::vector<Vec3>& corners, double reach) const {
        auto entry = std::lower_bound(list_.begin(), list_.end(), place.x - reach,
                                      [](const Entry& e, double x) { return e.place.x < x; });
        for (; entry != list_.end() && entry->place.x <= place.x + reach; ++entry)
            if (distance(entry->place, place) <= reach && has_corners(entry->face, corners, reach)) return entry->face;
        return mesh_.n_faces();
    }

  private:
    struct Entry {
        Vec3 place;
        std::size_t face;
    };
    bool has_corners(std::size_t f, const std::vector<Vec3>& corners, double reach) const {
        const auto face = mesh_.face(f);
        return face.size() == corners.size() && std::all_of(face.begin(), face.end(), [&](Index p) {
                   return std::any_of(corners.begin(), corners.end(),
                                      [&](const Vec3& c) { return distance(c, mesh_.points[p]) <= reach; });
               });
    }
    const VolumeMesh& mesh_;
    std::vector<Entry> list_;
};

/// Each face of the first zone of a pair has its image among the second one's, which has no others.
void check_pairs(const VolumeMesh& mesh, Faults& faults) {
    constexpr double kSame = 1e-9;
    Box box;
    for (const Vec3& p : mesh.points) box.include(p);
    const double reach = kSame * box.diagonal();
    for (const PeriodicPair& pair : mesh.periodic) {
        const BoundaryZone *first = nullptr, *second = nullptr;
        for (const BoundaryZone& zone : mesh.zones) {
            if (zone.name == pair.first) first = &zone;
            if (zone.name == pair.second) second = &zone;
        }
        if (first == nullptr || second == nullptr || first->n_faces != second->n_faces) {
            faults.add(fmt::format("the periodic zones \"{}\" and \"{}\" have {} and {} faces", pair.first, pair.second,
                                   first == nullptr ? 0 : first->n_faces, second == nullptr ? 0 : second->n_faces));
            continue;
        }
        const FacesByPlace there(mesh, *second);
        std::vector<char> is_met(mesh.n_faces() + 1, 0);
        for (std::size_t f = first->first_face; f < first->first_face + first->n_faces; ++f) {
            std::vector<Vec3> corners;
            for (const Index p : mesh.face(f)) corners.push_back(pair.image(mesh.points[p]));
            const std::size_t image = there.at(pair.image(mean_of(mesh, f)), corners, reach);
            if (image == mesh.n_faces() || is_met[image] != 0)
                faults.add(fmt::format("face {} {} of the periodic zone \"{}\" has no image on \"{}\"", f,
                                       at(mean_of(mesh, f)), pair.first, pair.second));
            is_met[image] = 1;
        }
    }
}

/// The area vectors of a closed surface sum up to zero, and every edge of it is met an even number of times.
void check_regions(const VolumeMesh& mesh, Faults& faults) {
    std::vector<Vec3> sum(mesh.regions.size());
    std::vector<double> area(mesh.regions.size(), 0);
    std::vector<std::vector<std::array<Index, 3>>> edges(mesh.regions.size());
    auto add = [&](Index region, std::size_t f, bool turned) {
        const Vec3 vector = middles_of(mesh, f).area;
        sum[region] += vector * (turned ? -1.0 : 1.0);
        area[region] += length(vector);
        add_edges(mesh.face(f), turned, edges[region]);
    };
    for (std::size_t f = 0; f < mesh.n_faces(); ++f) {
        const Index own = mesh.cell_region[mesh.owner[f]];
        const bool inner = f < mesh.n_inner_faces();
        const Index other = inner ? mesh.cell_region[mesh.neighbour[f]] : kNone;
        if (own == other) continue;
        add(own, f, false);
        if (inner) add(other, f, true);
    }
    for (std::size_t r = 0; r < mesh.regions.size(); ++r) {
        std::sort(edges[r].begin(), edges[r].end());
        std::ptrdiff_t balance = 0;
        bool closed = true;
        for (std::size_t i = 0; i < edges[r].size(); ++i) {
            balance += edges[r][i][2] != 0 ? 1 : -1;
            const bool last = i + 1 == edges[r].size() || edges[r][i][0] != edges[r][i + 1][0] ||
                              edges[r][i][1] != edges[r][i + 1][1];
            if (last) {
                closed = closed && balance == 0;
                balance = 0;
            }
        }
        if (!closed || length(sum[r]) > 1e-9 * area[r])
            faults.add(fmt::format("the boundary of region \"{}\" is not closed", mesh.regions[r].name));
    }
}

}  // namespace

std::vector<std::string> find_faults(const VolumeMesh& mesh, std::size_t max_faults, const Context& context) {
    Faults faults(max_faults);
    for (std::size_t p = 0; p < mesh.points.size(); ++p)
        if (!is_finite(mesh.points[p])) faults.add(fmt::format("point {} is not finite", p));
    if (references_hold(mesh, faults)) {
        check_zones(mesh, faults);
        context.check_stop();
        if (mesh.is_plane() && !is_sheet(mesh)) {
            faults.add("the plane mesh is no sheet: its points do not lie over each other");
            return faults.finished();
        }
        check_cells(mesh, faults, context);
        // What is made of closed sheets of one cell is closed.
        if (!mesh.is_plane()) check_regions(mesh, faults);
        check_pairs(mesh, faults);
    }
    return faults.finished();
}

}  // namespace anvilcast
