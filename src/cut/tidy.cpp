#include <anvilcast/triangle_tree.hpp>

#include <algorithm>
#include <cstdlib>
#include <numeric>

#include "cut/complex.hpp"

namespace anvilcast::cutting {
namespace {

using robust::ExactPoint;
using Origins = std::vector<CutSurface::Origin>;

bool is_collinear(const Complex& c, Index t) {
    const auto p = c.corners(t);
    for (int axis = 0; axis < 3; ++axis)
        if (robust::orient2d(*p[0], *p[1], *p[2], axis) != 0) return false;
    return true;
}

bool is_turned(const Complex& c, Index t, const std::vector<Vec3>& normals) {
    const CutSurface::Origin& o = c.origins[t].front();
    return dot(c.normal(t), normals[o.triangle]) * (o.is_reversed ? -1.0 : 1.0) < 0;
}

void merge_points(Complex& c) {
    std::vector<Index> order(c.points.size());
    std::iota(order.begin(), order.end(), Index{0});
    std::stable_sort(order.begin(), order.end(), [&](Index p, Index q) {
        const int s = robust::compare(c.points[p], c.points[q]);
        return s != 0 ? s < 0 : p < q;
    });
    std::vector<Index> number(order.size());
    bool changed = false;
    for (std::size_t k = 0; k < order.size(); ++k) {
        const bool again = k > 0 && c.points[order[k]] == c.points[order[k - 1]];
        number[order[k]] = again ? number[order[k - 1]] : order[k];
        changed = changed || again;
    }
    if (!changed) return;
    for (Triangle& t : c.triangles)
        for (Index& p : t) p = number[p];
    for (Edge& e : c.feature_edges) e = {std::min(number[e[0]], number[e[1]]), std::max(number[e[0]], number[e[1]])};
    std::erase_if(c.feature_edges, [](const Edge& e) { return e[0] == e[1]; });
    std::sort(c.feature_edges.begin(), c.feature_edges.end());
    c.feature_edges.erase(std::unique(c.feature_edges.begin(), c.feature_edges.end()), c.feature_edges.end());
}

/// Points of unsettled triangles within the grain become the lowest-numbered one.
void merge_near_points(Complex& c, double grain) {
    std::vector<bool> is_open(c.points.size(), false);
    for (Index t = 0; t < c.triangles.size(); ++t)
        if (!c.is_settled[t])
            for (const Index p : c.triangles[t]) is_open[p] = true;
    std::vector<Index> open;
    for (Index p = 0; p < c.points.size(); ++p)
        if (is_open[p]) open.push_back(p);
    std::vector<Vec3> places;
    std::vector<Triangle> dots;
    for (const Index p : open) {
        dots.push_back(
            {static_cast<Index>(places.size()), static_cast<Index>(places.size()), static_cast<Index>(places.size())});
        places.push_back(c.points[p].approx());
    }
    const TriangleTree tree(places, dots);
    for (Index k = 0; k < open.size(); ++k) {
        Box box;
        box.include(places[k] - Vec3{grain, grain, grain});
        box.include(places[k] + Vec3{grain, grain, grain});
        Index first = k;
        tree.overlapping(box, [&](Index j) {
            if (j < first && distance(places[j], places[k]) <= grain) first = j;
        });
        // The place of the first may have moved on already.
        if (first != k) c.points[open[k]] = c.points[open[first]];
    }
}

void drop_collapsed(Complex& c) {
    keep_triangles(c, [&](Index t) {
        const Triangle& v = c.triangles[t];
        return v[0] != v[1] && v[1] != v[2] && v[2] != v[0];
    });
}

bool is_even(const Triangle& t, const Triangle& sorted) {
    const auto at = static_cast<std::size_t>(std::find(t.begin(), t.end(), sorted[0]) - t.begin());
    return t[(at + 1) % 3] == sorted[1];
}

/// Sorted. A triangle that lies folded on itself, to and fro, counts as often as it goes to more than it comes back.
Origins without_folds(Origins&& all) {
    std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) {
        return a.triangle != b.triangle ? a.triangle < b.triangle : a.is_reversed < b.is_reversed;
    });
    Origins out;
    for (std::size_t i = 0, j = 0; i < all.size(); i = j) {
        int net = 0;
        for (; j < all.size() && all[j].triangle == all[i].triangle; ++j) net += all[j].is_reversed ? -1 : 1;
        for (int k = 0; k < std::abs(net); ++k) out.push_back({all[i].triangle, all[i].zone, net < 0});
    }
    return out;
}

/// Triangles with the same corners become the first of them.
void merge_triangles(Complex& c) {
    std::vector<std::pair<Triangle, Index>> keys(c.triangles.size());
    for (Index t = 0; t < c.triangles.size(); ++t) {
        keys[t] = {c.triangles[t], t};
        std::sort(keys[t].first.begin(), keys[t].first.end());
    }
    std::sort(keys.begin(), keys.end());
    std::vector<bool> dropped(c.triangles.size(), false);
    for (std::size_t i = 0; i < keys.size();) {
        const Index first = keys[i].second;
        std::size_t j = i + 1;
        for (; j < keys.size() && keys[j].first == keys[i].first; ++j) {
            const Index t = keys[j].second;
            const bool opposite = is_even(c.triangles[t], keys[i].first) != is_even(c.triangles[first], keys[i].first);
            for (CutSurface::Origin o : c.origins[t]) {
                o.is_reversed = o.is_reversed != opposite;
                c.origins[first].push_back(o);
            }
            dropped[t] = true;
        }
        if (j > i + 1) {
            Origins& o = c.origins[first];
            o = without_folds(std::move(o));
            if (o.empty()) dropped[first] = true;
            // The first origin gives the direction.
            if (!o.empty() && o.front().is_reversed) {
                std::swap(c.triangles[first][1], c.triangles[first][2]);
                for (auto& origin : o) origin.is_reversed = !origin.is_reversed;
            }
        }
        i = j;
    }
    keep_triangles(c, [&](Index t) { return !dropped[t]; });
}

/// The corner opposite the longest side.
std::size_t blunt_corner(const Complex& c, Index t) {
    const auto p = c.corners(t);
    std::size_t best = 0;
    double longest = -1;
    for (std::size_t k = 0; k < 3; ++k) {
        const double l = distance_squared(p[(k + 1) % 3]->approx(), p[(k + 2) % 3]->approx());
        if (l > longest) {
            longest = l;
            best = k;
        }
    }
    return best;
}

double longest_side(const Complex& c, Index t) {
    const auto k = blunt_corner(c, t);
    const auto p = c.corners(t);
    return distance(p[(k + 1) % 3]->approx(), p[(k + 2) % 3]->approx());
}

/// Above the longest side.
double height(const Complex& c, Index t) {
    const double base = longest_side(c, t);
    return base > 0 ? length(c.normal(t)) / base : 0;
}

/// Takes bad triangles out, round by round: each goes with the edge opposite its blunt corner, and the triangles beyond
/// that edge are divided at the corner. What a round did not change is not looked at again.
class BadTriangles {
  public:
    BadTriangles(Complex& c, const std::vector<Vec3>& normals, double grain) : c_(c), normals_(normals), grain_(grain) {
        look_again_at_all();
    }

    /// Only such as have no triangle in common are treated in a round. False when there was none.
    bool remove(bool turned_too) {
        std::vector<Index> bad = found(turned_too);
        if (bad.empty()) return false;
        // Of flat ones that lie on each other the longest: the other way round they would make each other anew.
        std::stable_sort(bad.begin(), bad.end(),
                         [this](Index s, Index t) { return longest_side(c_, s) > longest_side(c_, t); });
        if (star_.empty()) list_stars();
        ++round_;
        for (const Index t : bad)
            if (used_in_[t] < round_) divide_beyond(t);
        const auto has_changed = [&](Index t) { return used_in_[t] == round_; };
        std::erase_if(turned_, has_changed);
        std::erase_if(flat_, has_changed);
        return true;
    }

    /// Flat triangles with a side that is next to nothing: its ends become one.
    void collapse_needles() {
        constexpr double kShort = 1e-6;  // of the longest side
        bool changed = false;
        judge_what_changed();
        std::sort(flat_.begin(), flat_.end());
        for (const Index t : flat_) {
            if (!is_collinear(c_, t)) continue;
            const Triangle& v = c_.triangles[t];
            for (std::size_t k = 0; k < 3; ++k) {
                const auto [first, second] = std::minmax(v[k], v[(k + 1) % 3]);
                if (distance(c_.points[first].approx(), c_.points[second].approx()) >= kShort * longest_side(c_, t))
                    continue;
                c_.points[second] = c_.points[first];
                changed = true;
            }
        }
        if (!changed) return;
        drop();
        merge_points(c_);
        drop_collapsed(c_);
        look_again_at_all();
    }

    /// What was taken out leaves the complex.
    void drop() {
        keep_triangles(c_, [&](Index t) { return !is_dropped_[t]; });
        is_dropped_.assign(c_.triangles.size(), false);
    }

  private:
    void look_again_at_all() {
        const std::size_t n = c_.triangles.size();
        is_dropped_.assign(n, false);
        used_in_.assign(n, 0);
        round_ = 0;
        star_.clear();
        turned_.clear();
        flat_.clear();
        unknown_.resize(n);
        std::iota(unknown_.begin(), unknown_.end(), Index{0});
    }

    void judge_what_changed() {
        for (const Index t : unknown_) {
            if (is_dropped_[t]) continue;
            if (is_turned(c_, t, normals_)) turned_.push_back(t);
            if (is_collinear(c_, t) || (!c_.is_settled[t] && height(c_, t) <= grain_)) flat_.push_back(t);
        }
        unknown_.clear();
    }

    /// In order of their numbers.
    std::vector<Index> found(bool turned_too) {
        judge_what_changed();
        std::vector<Index> bad = flat_;
        if (turned_too) bad.insert(bad.end(), turned_.begin(), turned_.end());
        std::sort(bad.begin(), bad.end());
        bad.erase(std::unique(bad.begin(), bad.end()), bad.end());
        return bad;
    }

    void list_stars() {
        star_.resize(c_.points.size());
        for (Index t = 0; t < c_.triangles.size(); ++t)
            if (!is_dropped_[t])
                for (const Index p : c_.triangles[t]) star_[p].push_back(t);
    }

    /// The triangles on an edge, in order of their numbers; those that this round took out, too.
    std::vector<Index> triangles_on(Index from, Index to) const {
        std::vector<Index> out;
        for (const Index t : star_[from]) {
            const Triangle& v = c_.triangles[t];
            const auto has = [&v](Index p) { return std::find(v.begin(), v.end(), p) != v.end(); };
            const bool was_there = !is_dropped_[t] || used_in_[t] == round_;
            if (was_there && has(from) && has(to)) out.push_back(t);
        }
        std::sort(out.begin(), out.end());
        out.erase(std::unique(out.begin(), out.end()), out.end());
        return out;
    }

    void divide_beyond(Index t) {
        const auto k = blunt_corner(c_, t);
        const Triangle& v = c_.triangles[t];
        const Index b = v[k];
        const auto [from, to] = std::minmax(v[(k + 1) % 3], v[(k + 2) % 3]);
        divide_edge(from, to, b);
    }

    void divide_edge(Index from, Index to, Index b) {
        const std::vector<Index> uses = triangles_on(from, to);
        if (std::any_of(uses.begin(), uses.end(), [&](Index t) { return used_in_[t] == round_; })) return;
        for (const Index t : uses) {
            used_in_[t] = round_;
            const Triangle old = c_.triangles[t];
            if (std::find(old.begin(), old.end(), b) != old.end()) {
                is_dropped_[t] = true;
                continue;
            }
            Triangle second = old;
            std::replace(c_.triangles[t].begin(), c_.triangles[t].end(), to, b);
            std::replace(second.begin(), second.end(), from, b);
            c_.is_settled[t] = false;
            star_[b].push_back(t);
            add(second, t);
            unknown_.push_back(t);
        }
        divide_feature(from, to, b);
    }

    void divide_feature(Index from, Index to, Index b) {
        std::vector<Edge>& features = c_.feature_edges;
        const auto feature = std::lower_bound(features.begin(), features.end(), Edge{from, to});
        if (feature == features.end() || *feature != Edge{from, to}) return;
        features.erase(feature);
        for (const Index end : {from, to}) {
            const Edge piece{std::min(end, b), std::max(end, b)};
            const auto at = std::lower_bound(features.begin(), features.end(), piece);
            if (at == features.end() || *at != piece) features.insert(at, piece);
        }
    }

    void add(const Triangle& corners, Index parent) {
        const auto t = static_cast<Index>(c_.triangles.size());
        for (const Index p : corners) star_[p].push_back(t);
        c_.triangles.push_back(corners);
        c_.is_settled.push_back(false);
        c_.origins.push_back(c_.origins[parent]);
        is_dropped_.push_back(false);
        used_in_.push_back(round_);
        unknown_.push_back(t);
    }

    Complex& c_;
    const std::vector<Vec3>& normals_;
    double grain_;
    int round_ = 0;
    std::vector<bool> is_dropped_;
    std::vector<int> used_in_;              // the last round in which the triangle was divided or taken out
    std::vector<std::vector<Index>> star_;  // of each point; a triangle may have left it again
    std::vector<Index> turned_, flat_, unknown_;
};

}  // namespace

void tidy(Complex& complex, const std::vector<Vec3>& normals, double grain) {
    constexpr int kMostRounds = 200;
    if (grain > 0) merge_near_points(complex, grain);
    merge_points(complex);
    drop_collapsed(complex);
    // Folds that make each other anew may stay; what has no area may not.
    BadTriangles bad(complex, normals, grain);
    for (int round = 0; round < kMostRounds; ++round) {
        const bool is_late = round >= kMostRounds / 2;
        if (is_late) bad.collapse_needles();
        if (!bad.remove(!is_late)) break;
    }
    bad.drop();
    merge_triangles(complex);
}

}  // namespace anvilcast::cutting
