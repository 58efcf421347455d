// What joins the zones of CGNS files.

#include "io/meshes/cgns_reader.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "io/meshes/cgns_periodic.hpp"

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

std::optional<Placement> CgnsReader::periodic_image(int connection) const {
    PeriodicValues v;
    if (cg_conn_periodic_read(*file_, base_, zone_, connection, v.center.data(), v.angle.data(), v.way.data()) != CG_OK)
        return std::nullopt;
    for (const auto& list : {v.center, v.angle, v.way})
        if (std::any_of(list.begin(), list.end(), [](float x) { return !std::isfinite(x); }))
            wrong("the turn of a periodic side is not a finite number");
    return placement_of(v, metres_, degrees_);
}

void CgnsReader::read_connections() {
    int n = 0;
    file_.check(cg_nconns(*file_, base_, zone_, &n));
    const std::size_t n_before = connections_.size();
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
        const std::optional<Placement> image = periodic_image(k);
        if (is_plane_ && location == EdgeCenter) location = FaceCenter;
        const bool by_points = !is_ours_ && location == Vertex;
        if ((location != FaceCenter && !by_points) || type != Abutting1to1 || !fits || n_theirs < 0)
            wrong(fmt::format("the interface \"{}\" is not a list of faces joined one to one", name.data()));
        const bool is_named = is_ours_ && !image;
        Connection c{
            zone_, is_named ? zone_of_connection(k, name.data()) : name.data(), donor.data(), {}, {}, {}, {}, by_points,
            image};
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
        if (image) name_repeated(c);
        connections_.push_back(std::move(c));
    }
    complete_repeated(n_before);
}

/// Of sides of one zone that repeat each other, some files tell of the one only.
void CgnsReader::complete_repeated(std::size_t first) {
    for (std::size_t k = first, n = connections_.size(); k < n; ++k) {
        const Connection& c = connections_[k];
        if (!c.image || c.theirs.empty() || c.donor != zone_names_.back()) continue;
        const bool is_told = std::any_of(
            connections_.begin() + static_cast<std::ptrdiff_t>(first), connections_.end(), [&c](const Connection& d) {
                return d.image && d.is_by_points == c.is_by_points &&
                       std::find(d.own.begin(), d.own.end(), c.theirs.front()) != d.own.end();
            });
        if (is_told) continue;
        Connection back{zone_, c.name + "-image", c.donor, c.theirs, c.own, {}, {}, c.is_by_points, inverse(*c.image)};
        if (!back.is_by_points)
            for (const cgsize_t e : back.own) back.faces[e];
        name_repeated(back);
        connections_.push_back(std::move(back));
    }
}

/// Sides that repeat each other are two outer sides, not one face within. Those that no condition names bear the name
/// of what joins them.
void CgnsReader::name_repeated(const Connection& c) {
    if (c.own.empty()) return;
    if (const Index known = c.is_by_points ? kNone : zone_of(c.own.front()); known != kNone) {
        out_.zones[known].set({Role::periodic});
        repeated_.push_back({connections_.size(), known});
        return;
    }
    const auto zone = static_cast<Index>(out_.zones.size());
    out_.zones.push_back({c.name, Role::periodic});
    repeated_.push_back({connections_.size(), zone});
    if (!c.is_by_points) {
        for (const cgsize_t e : c.own) ranges_.push_back({e, e, zone});
        ranges_ = without_overlaps(std::move(ranges_));
        return;
    }
    std::vector<Index> points;
    for (const cgsize_t p : c.own) {
        if (p < 1 || p > static_cast<cgsize_t>(n_points_.back()))
            wrong(fmt::format("periodic side \"{}\" refers to point {}, which is not there", c.name, p));
        points.push_back(static_cast<Index>(first_point_ + static_cast<std::size_t>(p - 1)));
    }
    zones_by_points_.push_back({zone, std::move(points)});
}

/// Points of the one side and, in the same order, those of the other that are closest to their images.
std::array<std::vector<Vec3>, 2> CgnsReader::points_of_pair(const Connection& c, const Connection& d) const {
    std::array<std::vector<Vec3>, 2> out;
    auto place = [this](int zone, cgsize_t p) -> const Vec3& {
        const auto z = static_cast<std::size_t>(zone - 1);
        if (p < 1 || p > static_cast<cgsize_t>(n_points_[z]))
            wrong("a periodic side refers to a point that is not there");
        return out_.points[first_points_[z] + static_cast<std::size_t>(p - 1)];
    };
    for (std::size_t k = 0; k < std::min(c.own.size(), c.theirs.size()); ++k) {
        if (c.is_by_points) {
            out[0].push_back(place(c.zone, c.own[k]));
            out[1].push_back(place(d.zone, c.theirs[k]));
            continue;
        }
        const auto own = c.faces.find(c.own[k]), theirs = d.faces.find(c.theirs[k]);
        if (own == c.faces.end() || theirs == d.faces.end() || theirs->second.empty()) continue;
        for (const Index p : own->second) {
            const Vec3 image = (*c.image)(out_.points[p]);
            out[0].push_back(out_.points[p]);
            out[1].push_back(
                out_.points[*std::min_element(theirs->second.begin(), theirs->second.end(), [&](Index q, Index r) {
                    return distance(out_.points[q], image) < distance(out_.points[r], image);
                })]);
        }
    }
    return out;
}

/// The file has turns and ways in single precision: what they are is told by the faces.
void CgnsReader::pair_repeated() {
    constexpr double kNear = 1e-4, kRounded = 1e-14;  // of the extent
    Box box;
    for (const Vec3& p : out_.points) box.include(p);
    std::set<std::array<Index, 2>> known;
    for (const Repeated& own_side : repeated_) {
        const Index zone = own_side.zone;
        const Connection& c = connections_[own_side.connection];
        if (c.theirs.empty()) continue;
        const auto partner = std::find_if(repeated_.begin(), repeated_.end(), [&](const Repeated& r) {
            const Connection& d = connections_[r.connection];
            return r.zone != zone && zone_names_[static_cast<std::size_t>(d.zone - 1)] == c.donor &&
                   (c.is_by_points
                        ? d.is_by_points && std::find(d.own.begin(), d.own.end(), c.theirs.front()) != d.own.end()
                        : d.faces.contains(c.theirs.front()));
        });
        if (partner == repeated_.end() || known.contains({partner->zone, zone}) ||
            !known.insert({zone, partner->zone}).second)
            continue;
        const auto [own, theirs] = points_of_pair(c, connections_[partner->connection]);
        Placement image = *c.image;
        if (!own.empty() && !image.is_turned()) {
            image = Placement::moved(image.origin + mean_difference(own, theirs, image));
        } else if (!own.empty()) {
            const Placement exact = fitted(own, theirs);
            double largest = 0;
            for (std::size_t i = 0; i < own.size(); ++i)
                largest = std::max(largest, distance(exact(own[i]), theirs[i]));
            if (largest < kNear * box.diagonal() && exact.is_turned()) image = exact;
        }
        for (int axis = 0; axis < 3; ++axis)
            if (std::abs(image.origin[axis]) < kRounded * box.diagonal()) image.origin[axis] = 0;
        out_.periodic.push_back({out_.zones[zone].name, out_.zones[partner->zone].name, image});
    }
}

Vec3 CgnsReader::mean_difference(const std::vector<Vec3>& own, const std::vector<Vec3>& theirs,
                                 const Placement& image) {
    Vec3 sum;
    for (std::size_t i = 0; i < own.size(); ++i) sum += theirs[i] - image(own[i]);
    return sum / static_cast<double>(own.size());
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
    pair_repeated();
    for (const Connection& c : connections_) {
        if (c.image) continue;
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
            return d.zone == other && !d.image && !c.theirs.empty() && d.faces.contains(c.theirs.front());
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
