// Boundary conditions of CGNS files: which faces, or points, are of which zone.

#include "io/meshes/cgns_reader.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "io/meshes/cgns_roles.hpp"

namespace anvilcast::io {
std::vector<CgnsReader::Condition> CgnsReader::read_conditions() {
    std::vector<Condition> out;
    int n_bcs = 0;
    file_.check(cg_nbocos(*file_, base_, zone_, &n_bcs));
    for (int b = 1; b <= n_bcs; ++b) {
        std::array<char, 33> name{};
        BCType_t type{};
        PointSetType_t set{};
        DataType_t normal_type{};
        GridLocation_t location = Vertex;
        std::array<int, 3> normal_index{};
        cgsize_t n = 0, normal_size = 0;
        int n_data = 0;
        file_.check(cg_boco_info(*file_, base_, zone_, b, name.data(), &type, &set, &n, normal_index.data(),
                                 &normal_size, &normal_type, &n_data));
        file_.check(cg_boco_gridlocation_read(*file_, base_, zone_, b, &location));
        const std::size_t each = is_block_ ? 3 : 1;
        std::vector<cgsize_t> items(each * static_cast<std::size_t>(std::max<cgsize_t>(n, 0)));
        file_.check(cg_boco_read(*file_, base_, zone_, b, items.data(), nullptr));
        if (set == ElementRange || set == ElementList || (is_plane_ && location == EdgeCenter)) location = FaceCenter;
        out.push_back({zone_of_condition(b, name.data(), type), location, set, std::move(items)});
    }
    return out;
}

Index CgnsReader::zone_of_condition(int b, std::string name, BCType_t type) {
    std::array<char, 33 * 20> family_name{};
    file_.check(cg_goto(*file_, base_, "Zone_t", zone_, "ZoneBC_t", 1, "BC_t", b, "end"));
    const bool has_family = cg_famname_read(family_name.data()) == CG_OK && family_name[0] != 0;
    BoundaryRole role = role_of(type);
    if (has_family) {
        const Family& known = family(family_name.data());
        if (type == FamilySpecified) role = role_of(type = known.type);
        if (!is_ours_ || known.name != family_name.data()) name = known.name;
        if (known.role) role = role_with(*known.role, type);
    }
    // Blocks tell a zone in pieces, and a zone of ours may bound several regions.
    if (is_ours_ || is_block_ || has_family)
        for (Index z = 0; z < out_.zones.size(); ++z)
            if (out_.zones[z].name == name && out_.zones[z].boundary_role() == role) return z;
    out_.zones.push_back({name});
    out_.zones.back().set(role);
    return static_cast<Index>(out_.zones.size() - 1);
}

const CgnsReader::Family& CgnsReader::family(const std::string& wanted) {
    const auto [at, is_new] = families_.try_emplace(wanted);
    Family& out = at->second;
    if (!is_new) return out;
    out.name = wanted;
    int n = 0;
    file_.check(cg_nfamilies(*file_, base_, &n));
    for (int f = 1; f <= n; ++f) {
        std::array<char, 33> name{}, condition{};
        int n_conditions = 0, n_geometries = 0;
        file_.check(cg_family_read(*file_, base_, f, name.data(), &n_conditions, &n_geometries));
        if (wanted != name.data()) continue;
        if (n_conditions > 0) file_.check(cg_fambc_read(*file_, base_, f, 1, condition.data(), &out.type));
        if (!is_ours_) break;
        file_.check(cg_goto(*file_, base_, "Family_t", f, "end"));
        const auto said = descriptors();
        if (const auto whole = said.find(kWholeName); whole != said.end()) out.name = whole->second;
        if (const auto role = said.find(kRole); role != said.end()) out.role = parse_role(role->second).role;
        break;
    }
    return out;
}

void CgnsReader::read_bcs() {
    is_block_ = false;
    for (const Condition& c : read_conditions()) {
        const bool is_range = c.set == PointRange || c.set == ElementRange;
        if (is_range && c.items.size() != 2)
            wrong(fmt::format("the range of boundary \"{}\" makes no sense", out_.zones[c.zone].name));
        if (c.location == Vertex) {
            std::vector<Index> points;
            const cgsize_t last = is_range ? c.items[1] : static_cast<cgsize_t>(c.items.size());
            for (cgsize_t k = is_range ? c.items[0] : 1; k <= last; ++k) {
                const cgsize_t p = is_range ? k : c.items[static_cast<std::size_t>(k - 1)];
                if (p < 1 || p > static_cast<cgsize_t>(n_points_.back()))
                    wrong(fmt::format("boundary \"{}\" refers to point {}, which is not there", out_.zones[c.zone].name,
                                      p));
                points.push_back(static_cast<Index>(first_point_ + static_cast<std::size_t>(p - 1)));
            }
            zones_by_points_.push_back({c.zone, std::move(points)});
        } else if (is_range) {
            ranges_.push_back({c.items[0], c.items[1], c.zone});
        } else {
            for (const cgsize_t e : c.items) ranges_.push_back({e, e, c.zone});
        }
    }
    ranges_ = without_overlaps(std::move(ranges_));
}

std::vector<CgnsReader::Range> CgnsReader::without_overlaps(std::vector<Range>&& given) {
    std::erase_if(given, [](const Range& r) { return r.last < r.first; });
    std::stable_sort(given.begin(), given.end(),
                     [](const Range& a, const Range& b) { return a.last - a.first < b.last - b.first; });
    // Each range and, as it ends, its rank once more; a range of lower rank covers those of higher.
    struct Event {
        cgsize_t at;
        bool begins;
        std::size_t rank;
    };
    std::vector<Event> events;
    for (std::size_t rank = 0; rank < given.size(); ++rank) {
        events.push_back({given[rank].first, true, rank});
        events.push_back({given[rank].last + 1, false, rank});
    }
    std::sort(events.begin(), events.end(), [](const Event& a, const Event& b) { return a.at < b.at; });
    std::set<std::size_t> open;
    std::vector<Range> out;
    for (std::size_t k = 0; k < events.size(); ++k) {
        if (events[k].begins)
            open.insert(events[k].rank);
        else
            open.erase(events[k].rank);
        const cgsize_t next = k + 1 < events.size() ? events[k + 1].at : events[k].at;
        if (!open.empty() && next > events[k].at) out.push_back({events[k].at, next - 1, given[*open.begin()].zone});
    }
    return out;
}

Index CgnsReader::zone_of(cgsize_t element) const {
    auto it = std::upper_bound(ranges_.begin(), ranges_.end(), element,
                               [](cgsize_t e, const Range& r) { return e < r.first; });
    return it == ranges_.begin() || (--it)->last < element ? kNone : it->zone;
}

}  // namespace anvilcast::io
