// The curves of the original in the carver: places along them.

#include <algorithm>
#include <cmath>
#include <map>

#include "tets/spatial_order.hpp"
#include "wrap/carve.hpp"

namespace anvilcast::wrapping {
namespace {

using tets::Tet;
using tets::tet_of;

/// Nearer to each other than this share of their spacing there is one place on a curve only.
constexpr double kCrowded = 0.45;
/// Places on a curve are not joined when they are farther apart than this, nor are there new ones when they are nearer.
constexpr double kFarthestApart = 1.2, kNearestApart = 0.1;

/// Places on curves with the side that they are for.
class PlaceGrid {
  public:
    explicit PlaceGrid(double width) : width_(width) {}
    void add(const Vec3& place, const Vec3& aside) {
        cells_[GridCell::of(place, width_)].push_back({place, normalized(aside)});
    }
    /// Is there one for the same side within `reach`, which is less than a cell?
    bool is_crowded(const Vec3& place, const Vec3& aside, double reach) const {
        const GridCell at = GridCell::of(place, width_);
        for (std::int64_t x = -1; x <= 1; ++x)
            for (std::int64_t y = -1; y <= 1; ++y)
                for (std::int64_t z = -1; z <= 1; ++z) {
                    const auto found = cells_.find({at.x + x, at.y + y, at.z + z});
                    if (found == cells_.end()) continue;
                    for (const Item& other : found->second)
                        if (dot(normalized(aside), other.aside) > 0.5 && distance(place, other.place) < reach)
                            return true;
                }
        return false;
    }

  private:
    struct Item {
        Vec3 place, aside;
    };
    double width_;
    PlaceCache<std::vector<Item>> cells_;
};

}  // namespace

/// Places along all curves, on all sides of them; those too close to others or to other geometry are left out.
void Carver::put_in_curves() {
    const std::vector<Sample> samples = curves_.samples([this](const Vec3& p) { return kCurveSpacing * gap_at(p); });
    std::vector<Vec3> places;
    for (std::size_t k = 0; k < samples.size(); ++k) {
        const double offset = kOffset * gap_at(samples[k].target);
        places.push_back(samples[k].target + (samples[k].aside + tets::scattered(k) * kScatter) * offset);
    }
    std::vector<Index> order = tets::hilbert_order(places);
    std::stable_partition(order.begin(), order.end(), [&](Index k) { return samples[k].is_corner; });
    PlaceGrid grid(kCurveSpacing * options_.gap);
    Index near = 0;
    for (const Index k : order) {
        context_.check_stop();
        const Sample& s = samples[k];
        const double gap = gap_at(s.target);
        if (tree_.closest(places[k], 0.8 * kOffset * gap).triangle != kNone ||
            grid.is_crowded(s.target, s.aside, kCrowded * kCurveSpacing * gap))
            continue;
        if (!add(places[k], {s.target, s.curve, s.along, s.is_corner, s.is_hollow}, near)) continue;
        near = kernel_->star().front();
        grid.add(s.target, s.aside);
    }
}

/// Does the fluid get to the side of a curve that a place is on? Away from the curve, in view of it, there is room for
/// the ball sooner or later; that is carved, or it is not.
bool Carver::is_reached(Index vertex, Index& near) const {
    const Vec3& target = sites_[vertex].target;
    const double gap = gap_at(target);
    const Vec3 direction = normalized(kernel_->point(vertex) - target);
    for (double t = 0.5; t < 4; t += 0.25) {
        const Vec3 p = target + direction * (t * gap);
        if (tree_.closest(p, kPass * gap).triangle != kNone) continue;
        const Vec3& place = kernel_->point(vertex);
        if (tree_.first_hit(place, p - place, 0, 1).triangle != kNone) return false;
        near = kernel_->find(p, near);
        return cells_[near].region != 0;
    }
    return false;
}

/// Places on the far side of walls are in the way: tetrahedra would rather join them than those before the wall. All is
/// made once more without them. False when there are none.
bool Carver::keep_what_is_reached() {
    std::vector<bool> is_kept(kernel_->n_vertices(), false);
    Index near = kNone;
    for (Index t = 0; t < kernel_->n_slots(); ++t) {
        if (kernel_->tet(t).is_free()) continue;
        near = t;
        if (cells_[t].region != 0)
            for (const Index v : kernel_->tet(t).v) is_kept[v] = true;
    }
    bool has_unreached = false;
    for (Index v = first_place_; v < kernel_->n_vertices(); ++v)
        if (!is_kept[v] && sites_[v].curve != kNone) {
            is_kept[v] = is_reached(v, near);
            has_unreached |= !is_kept[v];
        }
    if (!has_unreached) return false;
    std::vector<Vec3> points, places;
    std::vector<Index> old;
    for (Index v = 1; v < kernel_->n_vertices(); ++v) {
        if (is_seed(v)) points.push_back(kernel_->point(v));
        if (is_seed(v) || !is_kept[v]) continue;
        places.push_back(kernel_->point(v));
        old.push_back(v);
    }
    std::vector<Index> order(points.size());
    for (Index k = 0; k < order.size(); ++k) order[k] = k;
    std::vector<Site> sites(sites_.begin(), sites_.begin() + first_place_);
    for (const Index k : tets::insertion_order(places)) {
        order.push_back(static_cast<Index>(points.size()));
        points.push_back(places[k]);
        sites.push_back(sites_[old[k]]);
    }
    kernel_.reset();
    kernel_ = std::make_unique<tets::Kernel>(points, order, context_);
    sites_ = std::move(sites);
    cells_.assign(kernel_->n_slots(), {});
    gates_ = {};
    return true;
}

/// Neighbours on a curve that the wrap does not join get a place between them. False when there are none.
bool Carver::join_curves() {
    std::vector<Edge> joined;
    std::vector<bool> is_on_wrap(kernel_->n_vertices(), false);
    for (const Triangle& t : triangles_when_seated())
        for (std::size_t k = 0; k < 3; ++k) {
            const Index a = t[k], b = t[(k + 1) % 3];
            is_on_wrap[a] = true;
            if (sites_[a].curve != kNone && sites_[b].curve != kNone)
                joined.push_back({std::min(a, b), std::max(a, b)});
        }
    std::sort(joined.begin(), joined.end());

    std::vector<Site> between;
    std::vector<Vec3> from;
    for (const std::vector<Index>& list : places_of_curves())
        for (std::size_t i = 0; i < list.size(); ++i) {
            const auto next = next_on_side(list, i);
            if (!next) continue;
            const Index a = list[i], b = *next;
            if (!is_on_wrap[a] && !is_on_wrap[b]) continue;
            const double apart = curves_.apart(sites_[a], sites_[b]).value_or(0), gap = gap_at(sites_[a].target);
            if (apart < kNearestApart * gap || apart > kFarthestApart * gap ||
                std::binary_search(joined.begin(), joined.end(), Edge{std::min(a, b), std::max(a, b)}))
                continue;
            between.push_back({midpoint(sites_[a].target, sites_[b].target)});
            from.push_back(midpoint(kernel_->point(a), kernel_->point(b)));
        }
    bool has_added = false;
    Index near = 0;
    while (kernel_->tet(near).is_free()) ++near;
    for (std::size_t k = 0; k < between.size(); ++k) {
        context_.check_stop();
        const auto sample = curves_.near(between[k].target, from[k], gap_at(between[k].target));
        if (!sample) continue;
        const double offset = kOffset * gap_at(sample->target);
        const Vec3 place = sample->target + (sample->aside + tets::scattered(k) * kScatter) * offset;
        if (tree_.closest(place, 0.8 * offset).triangle != kNone) continue;
        if (!add(place, {sample->target, sample->curve, sample->along, false, sample->is_hollow}, near)) continue;
        near = kernel_->star().front();
        push_gates_of_star();
        has_added = true;
    }
    return has_added;
}

/// The vertices on each curve, corners at its ends among them, in order.
std::vector<std::vector<Index>> Carver::places_of_curves() const {
    std::vector<std::vector<Index>> lists(curves_.curves().size());
    std::map<std::array<double, 3>, std::vector<Index>> corners;
    for (Index v = first_place_; v < sites_.size(); ++v) {
        const Vec3& p = sites_[v].target;
        if (sites_[v].is_corner)
            corners[{p.x, p.y, p.z}].push_back(v);
        else if (sites_[v].curve != kNone)
            lists[sites_[v].curve].push_back(v);
    }
    for (std::size_t c = 0; c < lists.size(); ++c) {
        auto& list = lists[c];
        std::sort(list.begin(), list.end(), [this](Index a, Index b) {
            return sites_[a].along != sites_[b].along ? sites_[a].along < sites_[b].along : a < b;
        });
        const auto& points = curves_.curves()[c].points;
        for (const Vec3& end : {points.front(), points.back()}) {
            const auto found = corners.find({end.x, end.y, end.z});
            if (found == corners.end()) continue;
            const auto at = end == points.front() && &end != &points.back() ? list.begin() : list.end();
            list.insert(at, found->second.begin(), found->second.end());
        }
    }
    return lists;
}

void Carver::mark_what_is_reached() {
    Index near = 0;
    while (kernel_->tet(near).is_free()) ++near;
    for (Index v = first_place_; v < sites_.size(); ++v)
        sites_[v].is_reached = sites_[v].curve != kNone && is_reached(v, near);
}

/// Between places that follow each other and that the fluid gets to.
double Carver::length_of_curves() const {
    double sum = 0;
    for (const std::vector<Index>& list : places_of_curves())
        for (std::size_t i = 0; i < list.size(); ++i)
            if (const auto next = next_on_side(list, i);
                next && sites_[list[i]].is_reached && sites_[*next].is_reached) {
                const double apart = curves_.apart(sites_[list[i]], sites_[*next]).value_or(0);
                if (apart < kFarthestApart * gap_at(sites_[*next].target)) sum += apart;
            }
    return sum;
}

/// The next one of a curve's vertices on the same side of it.
std::optional<Index> Carver::next_on_side(const std::vector<Index>& list, std::size_t i) const {
    constexpr std::size_t kSides = 8;
    auto side = [this](Index v) { return normalized(kernel_->point(v) - sites_[v].target); };
    for (std::size_t j = i + 1; j < std::min(list.size(), i + 1 + kSides); ++j)
        if (dot(side(list[i]), side(list[j])) > 0.5) return list[j];
    return std::nullopt;
}

}  // namespace anvilcast::wrapping
