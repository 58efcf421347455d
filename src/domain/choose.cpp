// From the cells of a space to the regions that were asked for, and the surfaces that bound them.

#include <anvilcast/domain.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/leaks.hpp>
#include <anvilcast/weld.hpp>
#include <anvilcast/zones.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "base/place_text.hpp"
#include "domain/build_domain.hpp"
#include "domain/leak_text.hpp"

namespace anvilcast {
namespace {

using base::place_text;

class Chooser {
  public:
    Chooser(const Space& space, const LengthUnit& unit)
        : space_(space),
          unit_(unit),
          owner_(space.cells.size(), kNone),
          walls_(domain::without_dividers(space)),
          tree_(walls_.points, walls_.triangles) {
        for (Index t = 0; t < space.regions.sides.size(); ++t)
            if (!space.divides_only(t)) regions_.sides.push_back(space.regions.sides[t]);
    }

    /// The request that takes each cell.
    std::vector<Index> owners(const std::vector<RegionRequest>& requests) {
        // Points come first: what they pick may lie in a part that is asked for as a whole.
        for (Index k = 0; k < requests.size(); ++k) {
            if (requests[k].inside) take_at(requests, k);
            if (requests[k].is_around) take_around(requests, k);
            if (!requests[k].at_zone.empty()) take_at_zone(requests, k);
            if (requests[k].is_largest) take_largest(requests, k);
        }
        for (Index k = 0; k < requests.size(); ++k)
            if (!requests[k].solid_of.empty()) take_solid(requests, k);
        return owner_;
    }

  private:
    void take(const std::vector<RegionRequest>& requests, Index cell, Index k) {
        if (owner_[cell] != kNone)
            throw GeometryError(fmt::format(
                "regions \"{}\" and \"{}\" are one: nothing separates them near {}; is a wall missing, or an opening "
                "not "
                "closed?",
                requests[owner_[cell]].name, requests[k].name, place_text(space_.cells[cell].inside, unit_)));
        owner_[cell] = k;
    }

    void take_at(const std::vector<RegionRequest>& requests, Index k) {
        const Surface& s = walls_;
        const Vec3 inside = *requests[k].inside;
        const auto region = region_at(s, tree_, regions_, inside);
        if (!region) {
            const auto hit = tree_.closest(inside);
            throw GeometryError(
                fmt::format("inside = {} lies on a surface, that of zone \"{}\"; move it into the flow{}",
                            place_text(inside, unit_), s.zones[s.zone_of[hit.triangle]].name, nearest_cell(inside)));
        }
        if (*region == Regions::kOutside) explain_outside(inside);
        check_not_material(requests[k], *region);
        take(requests, *region, k);
    }

    /// Where there are openings, a fluid in the material of a body is a mistake.
    void check_not_material(const RegionRequest& request, Index region) const {
        const bool has_openings = space_.first_of_openings < space_.first_of_surround;
        const SpaceCell& cell = space_.cells[region];
        if (request.kind != RegionKind::fluid || !has_openings || cell.touches_opening || cell.inside_of.empty())
            return;
        const std::string& part = cell.inside_of.front();
        throw GeometryError(fmt::format(
            "inside = {} is in the material of {}: that region touches none of the openings; move the point into the "
            "flow{}, or write kind = \"solid\"",
            place_text(*request.inside, unit_), part.empty() ? "a body" : "\"" + part + "\"",
            nearest_cell(*request.inside, true)));
    }

    void take_around(const std::vector<RegionRequest>& requests, Index k) {
        const Surface& s = space_.complex.surface;
        // What stands hollow on the ground is not flow round it: only faces that the flow passes count.
        bool found = false, has_surround = false;
        for (Index t = 0; t < s.triangles.size(); ++t)
            for (const auto& origin : space_.complex.origins_of(t)) {
                const Role role = s.zones[origin.zone].role;
                if (!space_.is_of_surround(origin.triangle) || role == Role::wall || role == Role::symmetry) continue;
                has_surround = true;
                const Index cell = space_.regions.sides[t][origin.is_reversed ? 0 : 1];
                if (cell == Regions::kOutside || !space_.cells[cell].inside_of.empty() || owner_[cell] == k) continue;
                take(requests, cell, k);
                found = true;
            }
        if (!has_surround)
            throw InputError(
                fmt::format("region \"{}\" is the one round the bodies, but there is no surround; give a point inside",
                            requests[k].name));
        if (!found) throw GeometryError("there is no flow round the bodies: the surround lies inside of a body");
    }

    /// Of how many bodies a cell is in the material. A closed drum is one, too: what a fluid may be in is what is in
    /// the fewest; a solid may be anywhere.
    std::size_t depth(Index cell, RegionKind kind) const {
        return kind == RegionKind::fluid ? space_.cells[cell].inside_of.size() : 0;
    }

    void take_at_zone(const std::vector<RegionRequest>& requests, Index k) {
        const Surface& s = space_.complex.surface;
        const RegionRequest& request = requests[k];
        bool is_known = false;
        std::set<Index> found;
        for (Index t = 0; t < s.triangles.size(); ++t)
            for (const auto& origin : space_.complex.origins_of(t)) {
                if (!matches_pattern(s.zones[origin.zone].name, request.at_zone)) continue;
                is_known = true;
                const Index cell = space_.regions.sides[t][origin.is_reversed == request.is_behind ? 0 : 1];
                if (cell != Regions::kOutside) found.insert(cell);
            }
        if (!is_known) {
            std::vector<std::string> names;
            for (const Zone& z : s.zones) names.push_back(z.name);
            std::sort(names.begin(), names.end());
            names.erase(std::unique(names.begin(), names.end()), names.end());
            throw InputError(fmt::format("region \"{}\": no zone or opening is called \"{}\"; there are \"{}\"",
                                         request.name, request.at_zone, fmt::join(names, "\", \"")));
        }
        if (found.empty())
            throw GeometryError(
                fmt::format("region \"{}\": {} \"{}\" there is only what is outside; is an opening not closed?",
                            request.name, request.is_behind ? "behind" : "before", request.at_zone));
        std::size_t least = depth(*found.begin(), request.kind);
        for (const Index cell : found) least = std::min(least, depth(cell, request.kind));
        std::erase_if(found, [&](Index cell) { return depth(cell, request.kind) > least; });
        if (found.size() > 1) {
            std::string places;
            for (const Index cell : found)
                places += fmt::format("\n  {} in volume", place_text(space_.cells[cell].inside, unit_));
            throw GeometryError(fmt::format(
                "region \"{}\": {} volumes are {} \"{}\"; name one face, or give a point inside. They hold:{}",
                request.name, found.size(), request.is_behind ? "behind" : "before", request.at_zone, places));
        }
        take(requests, *found.begin(), k);
    }

    void take_largest(const std::vector<RegionRequest>& requests, Index k) {
        Index best = kNone;
        for (Index cell = 1; cell < space_.cells.size(); ++cell) {
            const auto depth_of = [&](Index c) { return depth(c, requests[k].kind); };
            if (best == kNone || depth_of(cell) < depth_of(best) ||
                (depth_of(cell) == depth_of(best) && space_.cells[cell].volume > space_.cells[best].volume))
                best = cell;
        }
        if (best == kNone)
            throw GeometryError(fmt::format(
                "region \"{}\" is the largest enclosed volume, but nothing is enclosed; is an opening not closed?",
                requests[k].name));
        take(requests, best, k);
    }

    void take_solid(const std::vector<RegionRequest>& requests, Index k) {
        const std::string& name = requests[k].solid_of;
        // A body, or all bodies of a file.
        std::vector<std::string> wanted;
        for (const std::string& part : space_.parts) {
            const auto file = space_.file_of_part.find(part);
            if (part == name || (file != space_.file_of_part.end() && file->second == name)) wanted.push_back(part);
        }
        if (wanted.empty())
            throw InputError(fmt::format("region \"{}\": there is no part \"{}\"; the parts are \"{}\"",
                                         requests[k].name, name, fmt::join(space_.parts, "\", \"")));
        bool found = false;
        for (const std::string& part : wanted) {
            const auto at = std::find(space_.parts.begin(), space_.parts.end(), part);
            if (!space_.part_is_closed[static_cast<std::size_t>(at - space_.parts.begin())])
                throw GeometryError(fmt::format(
                    "region \"{}\": part \"{}\" does not enclose a volume; `anvilcast inspect` shows where it is open",
                    requests[k].name, part));
            for (Index cell = 1; cell < space_.cells.size(); ++cell) {
                const auto& parts = space_.cells[cell].inside_of;
                if (owner_[cell] != kNone || std::find(parts.begin(), parts.end(), part) == parts.end()) continue;
                owner_[cell] = k;
                found = true;
            }
        }
        if (!found)
            throw GeometryError(fmt::format(
                "region \"{}\": all of the material of part \"{}\" belongs to other regions", requests[k].name, name));
    }

    std::string nearest_cell(const Vec3& p, bool with_opening = false) const {
        const Surface& s = space_.complex.surface;
        Index best = kNone;
        double nearest = Box::inf;
        for (Index t = 0; t < s.triangles.size(); ++t) {
            const double d =
                distance_squared(p, closest_point_on_triangle(p, s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
            if (d >= nearest) continue;
            if (space_.divides_only(t)) continue;
            for (const Index r : space_.regions.sides[t])
                if (r != Regions::kOutside && (!with_opening || space_.cells[r].touches_opening)) {
                    nearest = d;
                    best = r;
                }
        }
        if (best == kNone) return "";
        const auto& material = space_.cells[best].inside_of;
        return fmt::format("; the nearest enclosed volume{}{} holds the point {}",
                           with_opening ? " with an opening" : "",
                           material.empty() || material.front().empty()
                               ? ""
                               : fmt::format(" (the material of \"{}\")", fmt::join(material, "\", \"")),
                           place_text(space_.cells[best].inside, unit_));
    }

    [[noreturn]] void explain_outside(const Vec3& inside) const {
        const Surface& s = walls_;
        std::vector<Leak> leaks = find_leaks(s, inside);
        if (!leaks.empty()) {
            const std::string text =
                fmt::format("the flow volume at inside = {} is not closed; it leaks through:{}",
                            place_text(inside, unit_), domain::leaks_text(leaks, unit_, space_.join));
            throw LeakError(text, std::move(leaks));
        }
        const Box box = s.bounds();
        throw GeometryError(fmt::format(
            "inside = {} is outside of everything; the parts reach from {} to {}{}. Is the "
            "unit right?",
            place_text(inside, unit_), place_text(box.lo, unit_), place_text(box.hi, unit_), nearest_cell(inside)));
    }

    const Space& space_;
    const LengthUnit& unit_;
    std::vector<Index> owner_;
    // What a point is looked up in: dividers are no walls.
    Surface walls_;
    Regions regions_;
    TriangleTree tree_;
};

}  // namespace

Domain choose_regions(const Space& space, const std::vector<RegionRequest>& requests, const LengthUnit& unit,
                      const ChooseOptions& options) {
    const std::vector<Index> owners = Chooser(space, unit).owners(requests);
    Domain domain = domain::build_domain(space, requests, owners, unit, options);
    if (domain.regions.empty()) throw InputError("no region is to be meshed: all that were asked for are void");
    return domain;
}

Domain extract_region(const Surface& body, const std::vector<Opening>& closed_openings, const Vec3& inside,
                      const LengthUnit& unit) {
    RegionRequest request;
    request.inside = inside;
    return choose_regions(divide_space(body, closed_openings), {request}, unit);
}

}  // namespace anvilcast
