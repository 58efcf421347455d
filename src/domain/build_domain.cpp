#include "domain/build_domain.hpp"

#include <anvilcast/errors.hpp>
#include <anvilcast/weld.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "base/place_text.hpp"

namespace anvilcast::domain {
namespace {

using base::place_text;

/// A zone of the domain: the zone that it came from, that from behind where two coincide, and the regions at its sides:
/// those that were requested, whatever shapes took of them, so that shapes do not divide walls; of what divides
/// regions, the regions themselves.
struct ZoneKey {
    Index zone, other_zone;
    Index front, behind;
    auto operator<=>(const ZoneKey&) const = default;
};

/// Names the zones of the domain after those that they came from. Where one zone is divided, the largest piece keeps
/// the name; the others say where they are.
class Namer {
  public:
    Namer(const Space& space, const Domain& domain, const std::vector<ZoneKey>& keys, const std::vector<double>& areas)
        : space_(space), domain_(domain), keys_(keys) {
        for (std::size_t i = 0; i < keys.size(); ++i) {
            const auto [it, is_new] = largest_.try_emplace(keys[i].zone, i);
            if (!is_new && areas[i] > areas[it->second]) it->second = i;
        }
        for (Index k = 0; k < space.pieces.divider_of.size(); ++k)
            if (!space.pieces.dividers[space.pieces.divider_of[k]].is_sheet())
                of_shapes_.insert(space.uncut->zone_of[space.first_of_dividers + k]);
    }

    std::vector<Zone> names() const {
        std::vector<Zone> out;
        for (std::size_t i = 0; i < keys_.size(); ++i) {
            Zone z = named(i);
            const std::string wanted = z.name;
            for (int n = 2; std::any_of(out.begin(), out.end(), [&z](const Zone& o) { return o.name == z.name; }); ++n)
                z.name = fmt::format("{}-{}", wanted, n);
            out.push_back(std::move(z));
        }
        return out;
    }

  private:
    const std::string& region(Index number) const { return domain_.regions[number].name; }

    Zone named(std::size_t i) const {
        const ZoneKey& k = keys_[i];
        const std::vector<Zone>& zones = space_.uncut->zones;
        Zone z = zones[k.zone];
        const bool is_largest = largest_.at(k.zone) == i;
        if (k.front == kNone || k.front == k.behind) {
            if (!is_largest) z.name += (k.front == k.behind ? "-within-" : "-outside-") + region(k.behind);
            return z;
        }
        z.set({Role::interface_});
        z.role_is_guess = false;
        if (of_shapes_.contains(k.zone)) {
            z.name = region(k.behind) + "-to-" + region(k.front);
            z.other_name = region(k.front) + "-to-" + region(k.behind);
            return z;
        }
        z.other_name = k.other_zone == kNone ? z.name : zones[k.other_zone].name;
        if (!is_largest) {
            z.other_name += "-to-" + region(k.behind);
            z.name += "-to-" + region(k.front);
        }
        return z;
    }

    const Space& space_;
    const Domain& domain_;
    const std::vector<ZoneKey>& keys_;
    std::map<Index, std::size_t> largest_;
    std::set<Index> of_shapes_;  // zones
};

class Builder {
  public:
    Builder(const Space& space, const std::vector<RegionRequest>& requests, const std::vector<Index>& owners,
            const LengthUnit& unit)
        : space_(space), unit_(unit), number_(space.cells.size(), kNone) {
        for (const std::string& part : space.parts) volume_of_part_[part] = 0;
        for (const SpaceCell& cell : space.cells)
            for (const std::string& part : cell.inside_of) volume_of_part_[part] += cell.volume;
        number_cells(requests, owners);
        if (has_dividers()) number_pieces();
        for (const DomainRegion& region : domain_.regions) domain_.volume += region.volume;
    }

    Domain build(const ChooseOptions& options) {
        const Surface& s = space_.complex.surface;
        domain_.boundary.points = s.points;
        domain_.boundary.feature_edges = s.feature_edges;
        domain_.uncut = space_.uncut;
        for (Index t = 0; t < s.triangles.size(); ++t) add(t, options);
        find_films();
        domain_.boundary.zones = Namer(space_, domain_, keys_, areas_).names();
        for (auto& [key, film] : films_) {
            film.zone = domain_.boundary.zones[key[1]].name;
            domain_.films.push_back(film);
        }
        drop_unused_points(domain_.boundary);
        return std::move(domain_);
    }

  private:
    bool has_dividers() const { return !space_.pieces.dividers.empty(); }
    const std::array<Index, 2>& pieces_at(Index t) const {
        return has_dividers() ? space_.pieces.regions.sides[t] : space_.regions.sides[t];
    }
    Index region_of_piece(Index piece) const { return has_dividers() ? region_of_piece_[piece] : number_[piece]; }

    void number_cells(const std::vector<RegionRequest>& requests, const std::vector<Index>& owners) {
        std::vector<Index> of_request(requests.size(), kNone);
        for (Index cell = 1; cell < owners.size(); ++cell) {
            if (owners[cell] == kNone) {
                domain_.left_out.push_back(space_.cells[cell]);
                continue;
            }
            if (requests[owners[cell]].kind != RegionKind::void_) of_request[owners[cell]] = 0;
        }
        // Regions are numbered as they were asked for.
        for (Index k = 0; k < requests.size(); ++k) {
            if (of_request[k] == kNone) continue;
            of_request[k] = static_cast<Index>(domain_.regions.size());
            domain_.regions.push_back({requests[k].name, requests[k].kind, 0, {}});
        }
        for (Index cell = 1; cell < owners.size(); ++cell) {
            if (owners[cell] == kNone || of_request[owners[cell]] == kNone) continue;
            number_[cell] = of_request[owners[cell]];
            DomainRegion& region = domain_.regions[number_[cell]];
            if (region.volume == 0) region.inside = requests[owners[cell]].inside.value_or(space_.cells[cell].inside);
            region.volume += space_.cells[cell].volume;
        }
    }

    bool takes_from(const Divider& shape, const DomainRegion& region) const {
        if (shape.within.empty()) return region.kind == RegionKind::fluid;
        return std::any_of(shape.within.begin(), shape.within.end(),
                           [&](const std::string& pattern) { return matches_pattern(region.name, pattern); });
    }

    /// Regions of shapes follow the others. What two shapes ask for is the first one's.
    void number_pieces() {
        const Space::Pieces& pieces = space_.pieces;
        const auto n_requested = static_cast<Index>(domain_.regions.size());
        const std::vector<Index> region_of_shape = add_regions_of_shapes();
        for (DomainRegion& region : domain_.regions) region.volume = 0;
        std::vector<double> largest(domain_.regions.size(), 0);
        region_of_piece_.assign(pieces.cell.size(), kNone);
        for (Index piece = 0; piece < pieces.cell.size(); ++piece) {
            const Index base = number_[pieces.cell[piece]];
            if (base == kNone) continue;
            const double volume = pieces.regions.volumes[piece];
            Index& own = region_of_piece_[piece];
            for (const Index d : pieces.in_shapes[piece]) {
                if (!takes_from(pieces.dividers[d], domain_.regions[base])) continue;
                if (own == kNone)
                    own = region_of_shape[d];
                else if (own != region_of_shape[d])
                    note_overlap(own, region_of_shape[d], piece);
            }
            if (own == kNone) own = base;
            DomainRegion& region = domain_.regions[own];
            region.volume += volume;
            if (volume > largest[own]) {
                largest[own] = volume;
                region.inside = pieces.inside[piece];
            }
        }
        check_volumes(n_requested);
    }

    std::vector<Index> add_regions_of_shapes() {
        const auto n_requested = domain_.regions.size();
        std::vector<Index> out;
        for (const Divider& d : space_.pieces.dividers) {
            const auto known = std::find_if(domain_.regions.begin(), domain_.regions.end(),
                                            [&](const DomainRegion& r) { return r.name == d.region; });
            out.push_back(static_cast<Index>(known - domain_.regions.begin()));
            if (!d.is_sheet() && known == domain_.regions.end()) domain_.regions.push_back({d.region, d.kind, 0, {}});
            for (const std::string& pattern : d.within)
                if (std::none_of(domain_.regions.begin(),
                                 domain_.regions.begin() + static_cast<std::ptrdiff_t>(n_requested),
                                 [&](const DomainRegion& r) { return matches_pattern(r.name, pattern); }))
                    throw InputError(
                        fmt::format("region \"{}\" is within \"{}\", but no region is called so", d.region, pattern));
        }
        return out;
    }

    void note_overlap(Index first, Index second, Index piece) {
        const std::string &a = domain_.regions[first].name, &b = domain_.regions[second].name;
        auto known = std::find_if(domain_.overlaps.begin(), domain_.overlaps.end(),
                                  [&](const Domain::Overlap& o) { return o.first == a && o.second == b; });
        if (known == domain_.overlaps.end())
            known = domain_.overlaps.insert(known, {a, b, 0, space_.pieces.inside[piece]});
        known->volume += space_.pieces.regions.volumes[piece];
    }

    void check_volumes(Index n_requested) const {
        for (Index r = 0; r < domain_.regions.size(); ++r) {
            const DomainRegion& region = domain_.regions[r];
            if (region.volume > 0) continue;
            if (r < n_requested)
                throw GeometryError(
                    fmt::format("nothing is left of region \"{}\": shapes take all of it", region.name));
            Box box;
            for (Index k = 0; k < space_.pieces.divider_of.size(); ++k)
                if (space_.pieces.dividers[space_.pieces.divider_of[k]].region == region.name)
                    for (int c = 0; c < 3; ++c) box.include(space_.uncut->corner(space_.first_of_dividers + k, c));
            throw GeometryError(fmt::format(
                "region \"{}\": its shape, which reaches from {} to {}, has nothing of the regions that it is taken "
                "from inside; is its place right, and its unit?",
                region.name, place_text(box.lo, unit_), place_text(box.hi, unit_)));
        }
    }

    void add(Index t, const ChooseOptions& options) {
        const Surface& s = space_.complex.surface;
        const auto [cell_in_front, cell_behind] = space_.regions.sides[t];
        const auto [piece_in_front, piece_behind] = pieces_at(t);
        Index front = region_of_piece(piece_in_front), behind = region_of_piece(piece_behind);
        if (front == kNone && behind == kNone) return;
        const bool divides_only = has_dividers() && space_.divides_only(t);
        const bool is_sheet = divides_only && is_of_sheet(t);
        const Zone& zone = s.zones[s.zone_of[t]];
        // A wall between two cells of one region, or a shape's skin within its own.
        if (front == behind && (divides_only ? !is_sheet : cell_in_front != cell_behind)) return;
        if (front == behind && !is_sheet && zone.role != Role::baffle && !is_within_region(zone.role)) {
            note_leftover(t, front);
            if (options.drop_leftovers) return;
        }
        Triangle triangle = s.triangles[t];
        const bool is_between = front != kNone && behind != kNone && front != behind;
        ZoneKey key{front == kNone || behind == kNone ? closest_zone(t) : s.zone_of[t], kNone, number_[cell_in_front],
                    number_[cell_behind]};
        if (is_between && divides_only) {
            key.front = front;
            key.behind = behind;
        }
        const auto origins = space_.complex.origins_of(t);
        for (const auto& o : origins)
            if (o.zone != key.zone && is_between && !space_.is_of_divider(o.triangle)) {
                key.other_zone = o.zone;
                break;
            }
        // Normals point out of the region, or of the one with the lower number.
        if (behind == kNone || (front != kNone && front < behind)) {
            std::swap(triangle[1], triangle[2]);
            std::swap(key.front, key.behind);
            std::swap(front, behind);
            if (key.other_zone != kNone) std::swap(key.zone, key.other_zone);
        }
        const auto [it, is_new] = zone_number_.try_emplace(key, static_cast<Index>(keys_.size()));
        if (is_new) {
            keys_.push_back(key);
            areas_.push_back(0);
        }
        areas_[it->second] += triangle_area(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
        domain_.boundary.triangles.push_back(triangle);
        domain_.boundary.zone_of.push_back(it->second);
        domain_.sides.push_back({front, behind});
        domain_.uncut_of.push_back(uncut_of_zone(origins, key.zone));
        if (divides_only && !is_sheet) skins_.push_back(static_cast<Index>(domain_.sides.size() - 1));
    }

    bool is_of_sheet(Index t) const {
        for (const auto& o : space_.complex.origins_of(t))
            if (space_.pieces.dividers[space_.pieces.divider_of[o.triangle - space_.first_of_dividers]].is_sheet())
                return true;
        return false;
    }

    /// Where zones coincide on the border of one region, that of the part with the least material: the end of a rod
    /// in a chamber's wall belongs to the rod.
    Index closest_zone(Index t) const {
        const auto origins = space_.complex.origins_of(t);
        Index zone = origins.front().zone;
        double least = Box::inf;
        for (const auto& o : origins) {
            if (space_.is_of_divider(o.triangle)) continue;
            if (!space_.is_of_part(o.triangle)) return o.zone;
            const double volume = volume_of_part_.at(space_.part_of[o.triangle]);
            if (volume < least) {
                least = volume;
                zone = o.zone;
            }
        }
        return zone;
    }

    static Index uncut_of_zone(std::span<const CutSurface::Origin> origins, Index zone) {
        const auto found =
            std::find_if(origins.begin(), origins.end(), [zone](const auto& o) { return o.zone == zone; });
        return found == origins.end() ? origins.front().triangle : found->triangle;
    }

    void note_leftover(Index t, Index region) {
        const Surface& s = space_.complex.surface;
        const auto [it, is_new] = leftover_number_.try_emplace({s.zone_of[t], region}, domain_.leftovers.size());
        const Vec3 at = (s.corner(t, 0) + s.corner(t, 1) + s.corner(t, 2)) / 3.0;
        if (is_new) domain_.leftovers.push_back({s.zones[s.zone_of[t]].name, domain_.regions[region].name, 0, at});
        domain_.leftovers[it->second].area += triangle_area(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
    }

    /// Skins of shapes that run along a wall without lying on it.
    void find_films() {
        constexpr double kThinnest = 2e-3;  // of the skins' extent
        constexpr double kParallel = 0.9;   // cosine between the normals
        if (skins_.empty()) return;
        const Surface& s = domain_.boundary;
        Surface walls;
        walls.points = s.points;
        std::vector<Index> own;
        Box skin_box;
        for (const Index t : skins_)
            for (int k = 0; k < 3; ++k) skin_box.include(s.corner(t, k));
        const double most = kThinnest * skin_box.diagonal();
        std::set<Index> skins(skins_.begin(), skins_.end());
        for (Index t = 0; t < s.triangles.size(); ++t) {
            if (skins.contains(t)) continue;
            walls.triangles.push_back(s.triangles[t]);
            own.push_back(t);
        }
        if (own.empty()) return;
        const TriangleTree tree(walls.points, walls.triangles);
        auto normal = [&](Index t) {
            return normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
        };
        for (const Index t : skins_) {
            const Vec3 middle = (s.corner(t, 0) + s.corner(t, 1) + s.corner(t, 2)) / 3.0;
            const auto hit = tree.closest(middle);
            const Index wall = own[hit.triangle];
            if (!(hit.distance > 0 && hit.distance < most) || std::abs(dot(normal(t), normal(wall))) < kParallel)
                continue;
            const Index shape = std::max(domain_.sides[t][0], domain_.sides[t][1]);
            const Domain::Film film{domain_.regions[shape].name, {}, hit.distance, middle};
            const auto [it, is_new] = films_.try_emplace({shape, s.zone_of[wall]}, film);
            if (!is_new && film.width < it->second.width) it->second = film;
        }
    }

    const Space& space_;
    const LengthUnit& unit_;
    std::vector<Index> number_;           // of the requested region of each cell
    std::vector<Index> region_of_piece_;  // when there are dividers
    std::map<std::string, double> volume_of_part_;
    Domain domain_;
    std::map<ZoneKey, Index> zone_number_;
    std::vector<ZoneKey> keys_;
    std::vector<double> areas_;
    std::map<std::pair<Index, Index>, std::size_t> leftover_number_;
    std::vector<Index> skins_;                            // triangles of the boundary
    std::map<std::array<Index, 2>, Domain::Film> films_;  // by region and zone
};

}  // namespace

Domain build_domain(const Space& space, const std::vector<RegionRequest>& requests, const std::vector<Index>& owners,
                    const LengthUnit& unit, const ChooseOptions& options) {
    return Builder(space, requests, owners, unit).build(options);
}

Surface without_dividers(const Space& space) {
    Surface out = space.complex.surface;
    out.triangles.clear();
    out.zone_of.clear();
    for (Index t = 0; t < space.complex.surface.triangles.size(); ++t) {
        if (space.divides_only(t)) continue;
        out.triangles.push_back(space.complex.surface.triangles[t]);
        out.zone_of.push_back(space.complex.surface.zone_of[t]);
    }
    return out;
}

}  // namespace anvilcast::domain
