#include "domain/free_space.hpp"

#include <anvilcast/triangle_intersection.hpp>

#include <algorithm>
#include <cmath>
#include <queue>

namespace anvilcast::domain {
namespace {

constexpr std::size_t kMostSamples = 200000;
constexpr double kGapReach = 2;  // spacings: wider gaps are seen by the lattice

}  // namespace

FreeSpace::FreeSpace(const Surface& surface, const TriangleTree& tree, double spacing)
    : surface_(surface),
      tree_(tree),
      spacing_(spacing),
      // Off the round numbers that walls like to lie on.
      origin_(tree.bounds().lo - Vec3{0.317, 0.291, 0.353} * spacing) {
    add_gaps();
}

FreeSpace::Key FreeSpace::cell_of(const Vec3& p) const {
    const Vec3 r = (p - origin_) / spacing_;
    return {static_cast<int>(std::floor(r.x)), static_cast<int>(std::floor(r.y)), static_cast<int>(std::floor(r.z))};
}

/// From points spread over the surface straight out to the next wall: where that is near, there is a gap.
void FreeSpace::add_gaps() {
    double area = 0;
    const auto n = static_cast<Index>(surface_.triangles.size());
    for (Index t = 0; t < n; ++t)
        area += triangle_area(surface_.corner(t, 0), surface_.corner(t, 1), surface_.corner(t, 2));
    const double per_sample = std::max(spacing_ * spacing_ / 4, area / static_cast<double>(kMostSamples));
    double due = 0;
    for (Index t = 0; t < n; ++t) {
        const Vec3 &a = surface_.corner(t, 0), &b = surface_.corner(t, 1), &c = surface_.corner(t, 2);
        const Vec3 normal = normalized(triangle_normal(a, b, c));
        due += triangle_area(a, b, c) / per_sample;
        const auto samples = static_cast<int>(due);
        due -= samples;
        for (int k = 0; k < samples; ++k) {
            // A sequence that covers the triangle evenly (M. Roberts' R2), folded at its diagonal.
            double u = std::fmod(0.5 + 0.7548776662466927 * (k + 1), 1.0),
                   v = std::fmod(0.5 + 0.5698402909980532 * (k + 1), 1.0);
            if (u + v > 1) {
                u = 1 - u;
                v = 1 - v;
            }
            const Vec3 p = a + (b - a) * u + (c - a) * v;
            const auto hits = tree_.line_hits(p, normal);
            for (const int way : {1, -1}) {
                double nearest = kGapReach * spacing_;
                for (const auto& hit : hits)
                    if (hit.triangle != t && hit.t * way > 0) nearest = std::min(nearest, hit.t * way);
                if (nearest >= kGapReach * spacing_) continue;
                gaps_.push_back(p + normal * (way * nearest / 2));
                gaps_in_[cell_of(gaps_.back())].push_back(static_cast<Index>(gaps_.size() - 1));
            }
        }
    }
}

bool FreeSpace::is_clear(const Vec3& p, const Vec3& q) const {
    Box box;
    box.include(p);
    box.include(q);
    bool clear = true;
    tree_.overlapping(box, [&](Index t) {
        clear =
            clear && !segment_meets_triangle(p, q, surface_.corner(t, 0), surface_.corner(t, 1), surface_.corner(t, 2));
    });
    return clear;
}

bool FreeSpace::is_outside_of_box(const Vec3& p) const { return tree_.bounds().distance_squared_to(p) > 0; }

std::vector<Vec3> FreeSpace::find_way(const Vec3& from, const std::function<bool(const Vec3&)>& is_goal,
                                      const Vec3& towards, std::size_t most_places) const {
    // Places are numbered as they are met: the start, lattice points, gap points.
    struct Place {
        Vec3 at;
        double cost, clearance;
        Index before;
        bool done;
    };
    std::vector<Place> places;
    std::unordered_map<Key, Index, KeyHash> lattice;
    std::unordered_map<Index, Index> gap;
    using Entry = std::pair<double, Index>;
    std::priority_queue<Entry, std::vector<Entry>, std::greater<>> queue;
    auto number = [&](Index& slot, const Vec3& at) {
        if (slot == kNone) {
            slot = static_cast<Index>(places.size());
            places.push_back({at, Box::inf, std::min(tree_.closest(at, spacing_).distance, spacing_), kNone, false});
        }
        return slot;
    };
    auto relax = [&](Index to, double cost, Index before) {
        if (places[to].done || cost >= places[to].cost) return;
        places[to].cost = cost;
        places[to].before = before;
        queue.emplace(cost + distance(places[to].at, towards), to);
    };
    Index start = kNone;
    number(start, from);
    relax(start, 0, kNone);
    std::size_t looked = 0;
    while (!queue.empty() && ++looked <= most_places) {
        const Index here = queue.top().second;
        queue.pop();
        if (places[here].done) continue;
        places[here].done = true;
        const Vec3 at = places[here].at;
        if (is_goal(at)) {
            std::vector<Vec3> way;
            for (Index p = here; p != kNone; p = places[p].before) way.push_back(places[p].at);
            std::reverse(way.begin(), way.end());
            return way;
        }
        auto try_to = [&](Index to) {
            if (places[to].done) return;
            const double l = distance(at, places[to].at);
            // Narrow places cost more, up to ten times.
            const double narrow = std::clamp(spacing_ / std::max(places[to].clearance, 1e-3 * spacing_), 1.0, 10.0);
            if (places[here].cost + l * narrow < places[to].cost && is_clear(at, places[to].at))
                relax(to, places[here].cost + l * narrow, here);
        };
        const Key cell = cell_of(at);
        for (int i = -1; i <= 2; ++i)
            for (int j = -1; j <= 2; ++j)
                for (int k = -1; k <= 2; ++k) {
                    const Key key{cell[0] + i, cell[1] + j, cell[2] + k};
                    const Vec3 point = origin_ + Vec3{static_cast<double>(key[0]), static_cast<double>(key[1]),
                                                      static_cast<double>(key[2])} *
                                                     spacing_;
                    if (tree_.bounds().distance_squared_to(point) < 16 * spacing_ * spacing_)
                        try_to(number(lattice.try_emplace(key, kNone).first->second, point));
                    if (i == 2 || j == 2 || k == 2) continue;
                    const auto it = gaps_in_.find(key);
                    if (it == gaps_in_.end()) continue;
                    for (const Index g : it->second) try_to(number(gap.try_emplace(g, kNone).first->second, gaps_[g]));
                }
    }
    return {};
}

}  // namespace anvilcast::domain
