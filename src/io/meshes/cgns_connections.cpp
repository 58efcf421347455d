// What joins the zones of CGNS files.

#include "io/meshes/cgns_reader.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace anvilcast::io {

std::string CgnsReader::zone_of_connection(int connection, const char* otherwise) const {
    std::array<char, 33> name{};
    char* text = nullptr;
    if (cg_goto(*file_, base_, "Zone_t", zone_, "ZoneGridConnectivity_t", 1, "GridConnectivity_t", connection,
                "UserDefinedData_t", 1, "end") != CG_OK ||
        cg_descriptor_read(1, name.data(), &text) != CG_OK)
        return otherwise;
    std::string zone = text;
    cg_free(text);
    return zone;
}

bool CgnsReader::is_periodic(int connection) const {
    std::array<float, 3> center{}, angle{}, way{};
    return cg_conn_periodic_read(*file_, base_, zone_, connection, center.data(), angle.data(), way.data()) == CG_OK;
}

void CgnsReader::read_connections() {
    int n = 0;
    file_.check(cg_nconns(*file_, base_, zone_, &n));
    for (int k = 1; k <= n; ++k) {
        std::array<char, 33> name{}, donor{};
        GridLocation_t location{};
        GridConnectivityType_t type{};
        PointSetType_t set{}, donor_set{};
        ZoneType_t donor_type{};
        DataType_t donor_data{};
        cgsize_t n_own = 0, n_theirs = 0;
        file_.check(cg_conn_info(*file_, base_, zone_, k, name.data(), &location, &type, &set, &n_own, donor.data(),
                                 &donor_type, &donor_set, &donor_data, &n_theirs));
        const bool fits = set == PointRange ? n_own == 2 : set == PointList && n_own == n_theirs && n_own >= 0;
        // Others' that fit together in part only stay outer faces, without a name.
        if (!is_ours_ && (type != Abutting1to1 || !fits)) continue;
        // Sides that repeat each other are two outer sides, not one face within.
        if (is_periodic(k)) continue;
        if (is_plane_ && location == EdgeCenter) location = FaceCenter;
        const bool by_points = !is_ours_ && location == Vertex;
        if ((location != FaceCenter && !by_points) || type != Abutting1to1 || !fits || n_theirs < 0)
            wrong(fmt::format("the interface \"{}\" is not a list of faces joined one to one", name.data()));
        Connection c{
            zone_,    is_ours_ ? zone_of_connection(k, name.data()) : name.data(), donor.data(), {}, {}, {}, {},
            by_points};
        c.own.resize(static_cast<std::size_t>(n_own));
        c.theirs.resize(static_cast<std::size_t>(n_theirs));
        file_.check(cg_conn_read(*file_, base_, zone_, k, c.own.data(), kIndexType, c.theirs.data()));
        if (set == PointRange) {
            const cgsize_t first = c.own[0], last = c.own[1];
            if (last - first + 1 != n_theirs)
                wrong(fmt::format("the sides of interface \"{}\" differ in size", name.data()));
            c.own.resize(c.theirs.size());
            for (cgsize_t e = first; e <= last; ++e) c.own[static_cast<std::size_t>(e - first)] = e;
        }
        if (!by_points)
            for (const cgsize_t e : c.own) c.faces[e];
        connections_.push_back(std::move(c));
    }
}

void CgnsReader::append(const cgsize_t* points, int n, std::vector<Index>& to) const {
    for (int k = 0; k < n; ++k) {
        if (points[k] < 1 || points[k] > static_cast<cgsize_t>(out_.points.size() - first_point_))
            wrong(fmt::format("an element refers to point {}, which is not there", points[k]));
        to.push_back(static_cast<Index>(first_point_ + static_cast<std::size_t>(points[k] - 1)));
    }
}

void CgnsReader::join_points(const Connection& c, std::size_t other, DisjointSets& same) const {
    const auto own = static_cast<std::size_t>(c.zone - 1);
    for (std::size_t k = 0; k < c.own.size(); ++k) {
        auto is_there = [&](cgsize_t p, std::size_t zone) {
            return p >= 1 && p <= static_cast<cgsize_t>(n_points_[zone]);
        };
        if (!is_there(c.own[k], own) || !is_there(c.theirs[k], other))
            wrong(fmt::format("interface \"{}\" refers to a point that is not there", c.name));
        same.join(static_cast<Index>(first_points_[own] + static_cast<std::size_t>(c.own[k] - 1)),
                  static_cast<Index>(first_points_[other] + static_cast<std::size_t>(c.theirs[k] - 1)));
    }
}

Index CgnsReader::zone_of_interface(const std::string& name, const std::string& other_name) {
    for (Index z = 0; z < out_.zones.size(); ++z)
        if (out_.zones[z].role == Role::interface_ && out_.zones[z].name == name &&
            out_.zones[z].other_name == other_name)
            return z;
    out_.zones.push_back({name, Role::interface_});
    out_.zones.back().other_name = other_name;
    return static_cast<Index>(out_.zones.size() - 1);
}

void CgnsReader::join_connections() {
    DisjointSets same(out_.points.size());
    join_blocks(same);
    for (const Connection& c : connections_) {
        const auto donor = std::find(zone_names_.begin(), zone_names_.end(), c.donor);
        if (donor == zone_names_.end())
            wrong(fmt::format("interface \"{}\" joins \"{}\", which is not there", c.name, c.donor));
        const int other = static_cast<int>(donor - zone_names_.begin()) + 1;
        if (c.is_by_points) {
            join_points(c, static_cast<std::size_t>(other - 1), same);
            continue;
        }
        if (other < c.zone) continue;
        const auto partner = std::find_if(connections_.begin(), connections_.end(), [&](const Connection& d) {
            return d.zone == other && !c.theirs.empty() && d.faces.contains(c.theirs.front());
        });
        if (partner == connections_.end()) wrong(fmt::format("interface \"{}\" is told by one side only", c.name));
        const Index zone = zone_of_interface(c.name, partner->name);
        for (std::size_t k = 0; k < c.own.size(); ++k) {
            const Face& face = c.faces.at(c.own[k]);
            const auto theirs = partner->faces.find(c.theirs[k]);
            if (theirs == partner->faces.end() || theirs->second.size() != face.size() || face.empty())
                wrong(fmt::format("the faces of interface \"{}\" do not fit together", c.name));
            for (const Index p : face) {
                // The closest corner of the face on the other side.
                const Index q = *std::min_element(theirs->second.begin(), theirs->second.end(), [&](Index a, Index b) {
                    return distance_squared(out_.points[p], out_.points[a]) <
                           distance_squared(out_.points[p], out_.points[b]);
                });
                same.join(p, q);
            }
            if (const auto polygon = c.polygons.find(c.own[k]); polygon != c.polygons.end()) {
                const auto twin = partner->polygons.find(c.theirs[k]);
                if (twin == partner->polygons.end())
                    wrong(fmt::format("the faces of interface \"{}\" do not fit together", c.name));
                polyhedra_.face_zone[polygon->second] = zone;
                twin_.push_back({twin->second, polygon->second});
                continue;
            }
            out_.boundary_points.insert(out_.boundary_points.end(), face.begin(), face.end());
            out_.boundary_offsets.push_back(out_.boundary_points.size());
            out_.boundary_zone.push_back(zone);
        }
    }
    if (connections_.empty() && block_connections_.empty()) return;
    std::vector<Index> number(out_.points.size(), kNone);
    Index n = 0;
    for (Index p = 0; p < number.size(); ++p) {
        if (same.find(p) != p) continue;
        out_.points[n] = out_.points[p];
        number[p] = n++;
    }
    for (std::vector<Index>* list : {&out_.cell_points, &out_.boundary_points, &polyhedra_.face_points})
        for (Index& p : *list) p = number[same.find(p)];
    for (ZoneByPoints& z : zones_by_points_)
        for (Index& p : z.points) p = number[same.find(p)];
    out_.points.resize(n);
}

}  // namespace anvilcast::io
