#include "surface/loose_triangles.hpp"

#include <anvilcast/weld.hpp>

#include <algorithm>
#include <cmath>

#include "surface/mending.hpp"

namespace anvilcast {
namespace {

Edge in_order(Index a, Index b) { return {std::min(a, b), std::max(a, b)}; }

Index third(const Triangle& c, Index a, Index b) {
    for (const Index p : c)
        if (p != a && p != b) return p;
    return kNone;
}

Triangle with(Triangle c, Index old, Index now) {
    std::replace(c.begin(), c.end(), old, now);
    return c;
}

}  // namespace

LooseTriangles::LooseTriangles(Surface& surface, double low)
    : surface_(surface), low_(low), star_(surface.points.size()), alive_(surface.triangles.size(), true) {
    for (Index t = 0; t < surface.triangles.size(); ++t)
        for (const Index p : surface.triangles[t]) star_[p].push_back(t);
}

std::vector<Index> LooseTriangles::at_edge(Index a, Index b) const {
    std::vector<Index> found;
    for (const Index t : star_[a])
        if (alive_[t] && has(t, b)) found.push_back(t);
    return found;
}

bool LooseTriangles::is_feature(const Edge& e) const {
    return std::binary_search(surface_.feature_edges.begin(), surface_.feature_edges.end(), e);
}

std::size_t LooseTriangles::longest_side(Index t) const {
    const Triangle& c = surface_.triangles[t];
    std::array<double, 3> l;
    for (std::size_t k = 0; k < 3; ++k) l[k] = distance_squared(at(c[k]), at(c[(k + 1) % 3]));
    return static_cast<std::size_t>(std::max_element(l.begin(), l.end()) - l.begin());
}

std::size_t LooseTriangles::shortest_side(Index t) const {
    const Triangle& c = surface_.triangles[t];
    std::array<double, 3> l;
    for (std::size_t k = 0; k < 3; ++k) l[k] = distance_squared(at(c[k]), at(c[(k + 1) % 3]));
    return static_cast<std::size_t>(std::min_element(l.begin(), l.end()) - l.begin());
}

double LooseTriangles::height_of(const Triangle& c) const {
    const double longest =
        std::sqrt(std::max({distance_squared(at(c[0]), at(c[1])), distance_squared(at(c[1]), at(c[2])),
                            distance_squared(at(c[2]), at(c[0]))}));
    return longest > 0 ? length(normal_of(c)) / longest : 0;
}

bool LooseTriangles::has(Index t, Index p) const {
    const Triangle& c = surface_.triangles[t];
    return c[0] == p || c[1] == p || c[2] == p;
}

/// Would a triangle that becomes `after` still face the same way?
bool LooseTriangles::still_faces(Index t, const Triangle& after) const {
    if (height_of(t) < low_) return true;
    return dot(normal_of(surface_.triangles[t]), normal_of(after)) > 0;
}

std::vector<Index> LooseTriangles::neighbours(Index p) const {
    std::vector<Index> list;
    for (const Index t : star_[p])
        if (alive_[t])
            for (const Index q : surface_.triangles[t])
                if (q != p) list.push_back(q);
    std::sort(list.begin(), list.end());
    list.erase(std::unique(list.begin(), list.end()), list.end());
    return list;
}

void LooseTriangles::note_move(double move, const Vec3& place) {
    if (move <= largest_move_) return;
    largest_move_ = move;
    largest_move_at_ = place;
}

void LooseTriangles::replace_feature(const Edge& old, std::initializer_list<Edge> now) {
    auto& features = surface_.feature_edges;
    const auto found = std::lower_bound(features.begin(), features.end(), old);
    if (found == features.end() || *found != old) return;
    features.erase(found);
    for (const Edge& e : now) {
        const auto place = std::lower_bound(features.begin(), features.end(), e);
        if (place == features.end() || *place != e) features.insert(place, e);
    }
}

bool LooseTriangles::collapse(Index gone, Index kept) {
    // Link condition: what both points are joined to must be the tips of the triangles between them.
    const auto a = neighbours(gone), b = neighbours(kept);
    std::vector<Index> common;
    std::set_intersection(a.begin(), a.end(), b.begin(), b.end(), std::back_inserter(common));
    if (common.size() != at_edge(gone, kept).size()) return false;
    for (const Index t : star_[gone])
        if (alive_[t] && !has(t, kept) && !still_faces(t, with(surface_.triangles[t], gone, kept))) return false;

    note_move(distance(at(gone), at(kept)), at(kept));
    for (const Index q : a) {
        if (q == kept)
            replace_feature(in_order(gone, kept), {});
        else
            replace_feature(in_order(gone, q), {in_order(kept, q)});
    }
    for (const Index t : std::vector<Index>(star_[gone])) {
        if (!alive_[t]) continue;
        if (has(t, kept)) {
            alive_[t] = false;
            continue;
        }
        surface_.triangles[t] = with(surface_.triangles[t], gone, kept);
        star_[kept].push_back(t);
    }
    star_[gone].clear();
    return true;
}

bool LooseTriangles::put_into_edge(Index t) {
    const std::size_t k = longest_side(t);
    const Triangle c = surface_.triangles[t];
    const Index a = c[k], b = c[(k + 1) % 3], tip = c[(k + 2) % 3];
    std::vector<Index> others = at_edge(a, b);
    std::erase(others, t);
    for (const Index u : others) {
        if (has(u, tip)) {
            alive_[t] = alive_[u] = false;
            note_move(height_of(t), at(tip));
            return true;
        }
        const Triangle first = with(surface_.triangles[u], b, tip), second = with(surface_.triangles[u], a, tip);
        if (!at_edge(tip, third(surface_.triangles[u], a, b)).empty()) return false;
        if (!still_faces(u, first) || !still_faces(u, second)) return false;
        if (std::min(height_of(first), height_of(second)) <= height_of(t)) return false;
    }
    note_move(height_of(t), at(tip));
    alive_[t] = false;
    replace_feature(in_order(a, b), {in_order(a, tip), in_order(tip, b)});
    for (const Index u : others) {
        const Triangle first = with(surface_.triangles[u], b, tip), second = with(surface_.triangles[u], a, tip);
        const auto n = static_cast<Index>(surface_.triangles.size());
        surface_.triangles[u] = first;
        surface_.triangles.push_back(second);
        surface_.zone_of.push_back(surface_.zone_of[u]);
        alive_.push_back(true);
        star_[tip].push_back(u);
        for (const Index p : second) star_[p].push_back(n);
        std::erase(star_[b], u);
    }
    return true;
}

void LooseTriangles::finish() {
    for (Edge& e : surface_.feature_edges)
        if (at_edge(e[0], e[1]).empty()) e = {kNone, kNone};
    std::erase(surface_.feature_edges, Edge{kNone, kNone});
    mending::keep_triangles(surface_, alive_);
    drop_unused_points(surface_);
}

}  // namespace anvilcast
