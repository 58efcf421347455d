#include "sweep/repeats.hpp"

#include <anvilcast/errors.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace anvilcast::sweeping {
namespace {

/// Of the extent: what the image of a point may miss its place by.
constexpr double kSame = 1e-10;

/// Nothing where the section is made larger there, or drawn out of square.
bool is_rigid(const Station& s) {
    return std::abs(length_squared(s.first) - 1) < kSame && std::abs(length_squared(s.second) - 1) < kSame &&
           std::abs(dot(s.first, s.second)) < kSame;
}
Placement placement_of(const Station& s) { return {{{s.first, s.second, cross(s.first, s.second)}}, s.origin}; }

double extent_of(const PlanarMesh& section, const std::vector<Station>& stations) {
    Box box;
    for (const Station* s : {&stations.front(), &stations.back()})
        for (const Vec2& p : section.points) box.include(s->place(p));
    return box.diagonal();
}

std::vector<Vec2> points_of(const PlanarMesh& section, const std::string& zone) {
    std::vector<Index> numbers;
    for (const PlanarEdge& e : section.edges)
        if (section.zones[e.zone].name == zone) numbers.insert(numbers.end(), {e.from, e.to});
    std::sort(numbers.begin(), numbers.end());
    numbers.erase(std::unique(numbers.begin(), numbers.end()), numbers.end());
    std::vector<Vec2> out;
    for (const Index p : numbers) out.push_back(section.points[p]);
    return out;
}

PeriodicPair pair_in_space(const PeriodicPair& flat, const PlanarMesh& section, const std::vector<Station>& stations,
                           double reach) {
    const Placement start = placement_of(stations.front());
    PeriodicPair out = flat;
    if (!(start.image == Placement{}.image && start.origin == Vec3{}))
        out.image = after(after(inverse(start), flat.image), start);
    const std::vector<Vec2> points = points_of(section, flat.first);
    for (const Station& s : stations)
        for (const Vec2& p : points) {
            const Vec3 there = flat.image(Vec3{p.x, p.y, 0}), from = s.place(p), to = s.place({there.x, there.y});
            if (distance(out.image(from), to) > reach)
                throw InputError(fmt::format(
                    "[[periodic]] \"{}\" and \"{}\" are images of each other in the plane, but no longer when it is "
                    "swept: at [{:.6g}, {:.6g}, {:.6g}] m they differ by {:.3g} m; a side repeats along a straight "
                    "way, or along the axis that the section is turned round",
                    flat.first, flat.second, to.x, to.y, to.z, distance(out.image(from), to)));
        }
    return out;
}

}  // namespace

std::vector<PeriodicPair> repeated_in_space(const PlanarMesh& section, const std::vector<Station>& stations,
                                            const SweepOptions& options, bool is_closed) {
    std::vector<PeriodicPair> out;
    if (section.periodic.empty() && !options.ends_repeat) return out;
    const double reach = kSame * extent_of(section, stations);
    for (const PeriodicPair& flat : section.periodic) out.push_back(pair_in_space(flat, section, stations, reach));
    if (!options.ends_repeat) return out;
    const std::string &first = options.first_end.name, &last = options.last_end.name;
    if (is_closed)
        throw InputError(fmt::format(
            "[[periodic]] \"{}\" and \"{}\" are not there: the sweep goes round by 360 degrees", first, last));
    if (!is_rigid(stations.back()))
        throw InputError(fmt::format(
            "[[periodic]] \"{}\" and \"{}\" are the ends of a sweep that is scaled: the one is no image of the other",
            first, last));
    out.push_back({first, last, after(inverse(placement_of(stations.front())), placement_of(stations.back())), 0});
    return out;
}

}  // namespace anvilcast::sweeping
