#include <anvilcast/triangle_tree.hpp>

#include <tbb/parallel_for.h>
#include <tbb/parallel_invoke.h>

#include <algorithm>
#include <cmath>

namespace anvilcast {
namespace {

constexpr Index kLeafSize = 4;
/// Fewer triangles than this are not worth another thread.
constexpr Index kAlone = 20'000;
/// Halving 2^32 triangles makes 30 levels; a query holds at most one node more than there are.
constexpr std::size_t kDeepest = 128;

constexpr double kInfinity = std::numeric_limits<double>::infinity();

/// Does the line meet the box for some t in [near, far]?
bool line_hits_box(const Box& box, const Vec3& origin, const Vec3& direction, double near = -kInfinity,
                   double far = kInfinity) {
    for (int i = 0; i < 3; ++i) {
        if (direction[i] == 0) {
            if (origin[i] < box.lo[i] || origin[i] > box.hi[i]) return false;
            continue;
        }
        double t0 = (box.lo[i] - origin[i]) / direction[i], t1 = (box.hi[i] - origin[i]) / direction[i];
        if (t0 > t1) std::swap(t0, t1);
        near = std::max(near, t0);
        far = std::min(far, t1);
    }
    // A little wider than computed, so that rounding never loses a hit on a box face.
    return near <= far + 1e-12 * (std::abs(near) + std::abs(far));
}

}  // namespace

Vec3 closest_point_on_triangle(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c) {
    const Vec3 ab = b - a, ac = c - a, ap = p - a;
    const double d1 = dot(ab, ap), d2 = dot(ac, ap);
    if (d1 <= 0 && d2 <= 0) return a;
    const Vec3 bp = p - b;
    const double d3 = dot(ab, bp), d4 = dot(ac, bp);
    if (d3 >= 0 && d4 <= d3) return b;
    const double vc = d1 * d4 - d3 * d2;
    if (vc <= 0 && d1 >= 0 && d3 <= 0) return a + ab * (d1 / (d1 - d3));
    const Vec3 cp = p - c;
    const double d5 = dot(ab, cp), d6 = dot(ac, cp);
    if (d6 >= 0 && d5 <= d6) return c;
    const double vb = d5 * d2 - d1 * d6;
    if (vb <= 0 && d2 >= 0 && d6 <= 0) return a + ac * (d2 / (d2 - d6));
    const double va = d3 * d6 - d5 * d4;
    if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) return b + (c - b) * ((d4 - d3) / ((d4 - d3) + (d5 - d6)));
    const double scale = 1.0 / (va + vb + vc);
    return a + ab * (vb * scale) + ac * (vc * scale);
}

/// A triangle on its way to its leaf: three times its middle, and its number.
struct TriangleTree::Item {
    Vec3 middle;
    Index triangle;
};

TriangleTree::TriangleTree(const std::vector<Vec3>& points, std::span<const Triangle> triangles) {
    const auto n = static_cast<Index>(triangles.size());
    if (n == 0) return;
    auto corner = [&](Index t, std::size_t k) -> const Vec3& { return points[triangles[t][k]]; };
    std::vector<Item> items(n);
    for (Index t = 0; t < n; ++t) items[t] = {corner(t, 0) + corner(t, 1) + corner(t, 2), t};
    build(items, 0, nodes_);
    corners_.resize(n);
    order_.resize(n);
    for (Index i = 0; i < n; ++i) {
        order_[i] = items[i].triangle;
        for (std::size_t k = 0; k < 3; ++k) corners_[i][k] = corner(order_[i], k);
    }
    // Children come after their parents.
    for (std::size_t i = nodes_.size(); i-- > 0;) {
        Node& node = nodes_[i];
        if (node.count == 0) {
            node.box = nodes_[i + 1].box;
            node.box.include(nodes_[node.first].box);
        }
        for (Index k = node.first; k < node.first + node.count; ++k)
            for (const Vec3& p : corners_[k]) node.box.include(p);
    }
}

/// Sorts the items, the first of which has the number `first` among all, into leaves.
void TriangleTree::build(std::span<Item> items, Index first, std::vector<Node>& out) {
    const auto count = static_cast<Index>(items.size());
    const std::size_t self = out.size();
    out.push_back({{}, first, count <= kLeafSize ? count : 0});
    if (count <= kLeafSize) return;
    Box middles;
    for (const Item& item : items) middles.include(item.middle);
    const Vec3 extent = middles.extent();
    const int axis = extent.x >= extent.y && extent.x >= extent.z ? 0 : extent.y >= extent.z ? 1 : 2;
    const Index half = count / 2;
    std::nth_element(items.begin(), items.begin() + half, items.end(), [axis](const Item& s, const Item& t) {
        const double a = s.middle[axis], b = t.middle[axis];
        return a != b ? a < b : s.triangle < t.triangle;
    });
    if (count < kAlone) {
        build(items.first(half), first, out);
        out[self].first = static_cast<Index>(out.size());
        build(items.subspan(half), first + half, out);
        return;
    }
    // Large halves side by side; the nodes come out as if one after the other.
    std::vector<Node> left, right;
    tbb::parallel_invoke([&] { build(items.first(half), first, left); },
                         [&] { build(items.subspan(half), first + half, right); });
    auto append = [&out](const std::vector<Node>& half_of_it) {
        const auto offset = static_cast<Index>(out.size());
        for (Node node : half_of_it) {
            if (node.count == 0) node.first += offset;
            out.push_back(node);
        }
    };
    append(left);
    out[self].first = static_cast<Index>(out.size());
    append(right);
}

const Box& TriangleTree::bounds() const {
    static const Box nothing;
    return nodes_.empty() ? nothing : nodes_.front().box;
}

TriangleTree::Closest TriangleTree::nearly_closest(const Vec3& p, double max_distance, double slack) const {
    Closest best;
    if (nodes_.empty()) return best;
    double limit = max_distance * max_distance;
    const double share = 1 / ((1 + slack) * (1 + slack));
    bool has_found = false;
    struct Entry {
        Index node;
        double distance;
    };
    std::array<Entry, kDeepest> stack;  // NOLINT: only what was put in is read
    std::size_t top = 0;
    stack[top++] = {0, nodes_[0].box.distance_squared_to(p)};
    while (top > 0) {
        const Entry entry = stack[--top];
        if (entry.distance > (has_found ? share * limit : limit)) continue;
        const Node& node = nodes_[entry.node];
        if (node.count > 0) {
            for (Index i = node.first; i < node.first + node.count; ++i) {
                const Vec3 q = closest_point_on_triangle(p, corners_[i][0], corners_[i][1], corners_[i][2]);
                const double d = distance_squared(p, q);
                if (d < limit || (d == limit && order_[i] < best.triangle)) {
                    limit = d;
                    best = {q, order_[i], d};
                    has_found = true;
                }
            }
            continue;
        }
        Entry near{entry.node + 1, nodes_[entry.node + 1].box.distance_squared_to(p)};
        Entry far{node.first, nodes_[node.first].box.distance_squared_to(p)};
        if (far.distance < near.distance) std::swap(near, far);
        stack[top++] = far;
        stack[top++] = near;
    }
    best.distance = best.triangle == kNone ? best.distance : std::sqrt(best.distance);
    return best;
}

/// Source: T. Moeller, B. Trumbore, Fast, minimum storage ray-triangle intersection (1997), without a tolerance: the
/// margin tells how sure the hit is.
std::optional<TriangleTree::RayHit> TriangleTree::hit(Index at, const Vec3& origin, const Vec3& direction) const {
    const auto& [a, b, c] = corners_[at];
    const Vec3 e1 = b - a, e2 = c - a;
    const Vec3 h = cross(direction, e2);
    const double det = dot(e1, h);
    if (det == 0) return std::nullopt;
    const Vec3 s = origin - a;
    const double u = dot(s, h) / det;
    const Vec3 q = cross(s, e1);
    const double v = dot(direction, q) / det;
    const double margin = std::min({u, v, 1 - u - v});
    if (margin < -1e-9) return std::nullopt;
    return RayHit{dot(e2, q) / det, order_[at], margin, det > 0};
}

TriangleTree::RayHit TriangleTree::first_hit(const Vec3& origin, const Vec3& direction, double t_from,
                                             double t_to) const {
    RayHit best{t_to, kNone, 0, false};
    if (nodes_.empty()) return best;
    std::array<Index, kDeepest> stack;  // NOLINT: only what was put in is read
    std::size_t top = 0;
    stack[top++] = 0;
    while (top > 0) {
        const Index at = stack[--top];
        const Node& node = nodes_[at];
        if (!line_hits_box(node.box, origin, direction, t_from, best.t)) continue;
        if (node.count == 0) {
            // The nearer child first.
            const bool right_is_near =
                dot(nodes_[node.first].box.center() - nodes_[at + 1].box.center(), direction) < 0;
            stack[top++] = right_is_near ? at + 1 : node.first;
            stack[top++] = right_is_near ? node.first : at + 1;
            continue;
        }
        for (Index i = node.first; i < node.first + node.count; ++i)
            if (const auto found = hit(i, origin, direction);
                found && found->t > t_from &&
                (found->t < best.t || (found->t == best.t && found->triangle < best.triangle)))
                best = *found;
    }
    return best;
}

std::vector<TriangleTree::RayHit> TriangleTree::line_hits(const Vec3& origin, const Vec3& direction) const {
    std::vector<RayHit> hits;
    if (nodes_.empty()) return hits;
    std::vector<Index> stack{0};
    while (!stack.empty()) {
        const Index at = stack.back();
        const Node& node = nodes_[at];
        stack.pop_back();
        if (!line_hits_box(node.box, origin, direction)) continue;
        if (node.count == 0) {
            stack.push_back(node.first);
            stack.push_back(at + 1);
            continue;
        }
        for (Index i = node.first; i < node.first + node.count; ++i) {
            if (const auto found = hit(i, origin, direction)) hits.push_back(*found);
        }
    }
    std::sort(hits.begin(), hits.end(),
              [](const RayHit& a, const RayHit& b) { return a.t != b.t ? a.t < b.t : a.triangle < b.triangle; });
    return hits;
}

namespace {

/// The half-spaces whose common part a tetrahedron is: inside where normal . p <= limit.
struct TetrahedronPlanes {
    std::array<Vec3, 4> normal;
    std::array<double, 4> limit;
    Box box;

    explicit TetrahedronPlanes(const std::array<Vec3, 4>& c) {
        constexpr std::array<std::array<std::size_t, 3>, 4> kFaces{{{1, 2, 3}, {0, 3, 2}, {0, 1, 3}, {0, 2, 1}}};
        for (std::size_t f = 0; f < 4; ++f) {
            normal[f] = triangle_normal(c[kFaces[f][0]], c[kFaces[f][1]], c[kFaces[f][2]]);
            limit[f] = dot(normal[f], c[kFaces[f][0]]);
            box.include(c[f]);
        }
    }
    bool misses(const Box& other) const {
        if (!box.overlaps(other)) return true;
        for (std::size_t f = 0; f < 4; ++f) {
            const Vec3& n = normal[f];
            const Vec3 deepest{n.x > 0 ? other.lo.x : other.hi.x, n.y > 0 ? other.lo.y : other.hi.y,
                               n.z > 0 ? other.lo.z : other.hi.z};
            if (dot(n, deepest) > limit[f]) return true;
        }
        return false;
    }
    /// Clips the triangle by one half-space after the other, unless one of them is enough.
    bool misses(const std::array<Vec3, 3>& triangle) const {
        for (std::size_t f = 0; f < 4; ++f)
            if (dot(normal[f], triangle[0]) > limit[f] && dot(normal[f], triangle[1]) > limit[f] &&
                dot(normal[f], triangle[2]) > limit[f])
                return true;
        std::array<Vec3, 8> polygon{triangle[0], triangle[1], triangle[2]}, clipped;
        std::size_t n = 3;
        for (std::size_t f = 0; f < 4; ++f) {
            std::size_t m = 0;
            for (std::size_t k = 0; k < n; ++k) {
                const Vec3 &a = polygon[k], &b = polygon[(k + 1) % n];
                const double da = dot(normal[f], a) - limit[f], db = dot(normal[f], b) - limit[f];
                if (da <= 0) clipped[m++] = a;
                if ((da < 0 && db > 0) || (da > 0 && db < 0)) clipped[m++] = a + (b - a) * (da / (da - db));
            }
            if (m == 0) return true;
            polygon = clipped;
            n = m;
        }
        return false;
    }
};

}  // namespace

bool TriangleTree::meets_tetrahedron(const std::array<Vec3, 4>& corners) const {
    if (nodes_.empty()) return false;
    const TetrahedronPlanes planes(corners);
    std::array<Index, kDeepest> stack;  // NOLINT: only what was put in is read
    std::size_t top = 0;
    stack[top++] = 0;
    while (top > 0) {
        const Index at = stack[--top];
        const Node& node = nodes_[at];
        if (planes.misses(node.box)) continue;
        if (node.count == 0) {
            stack[top++] = node.first;
            stack[top++] = at + 1;
            continue;
        }
        for (Index i = node.first; i < node.first + node.count; ++i)
            if (!planes.misses(corners_[i])) return true;
    }
    return false;
}

void TriangleTree::overlapping(const Box& box, const std::function<void(Index)>& visit) const {
    if (nodes_.empty()) return;
    std::array<Index, kDeepest> stack;  // NOLINT: only what was put in is read
    std::size_t top = 0;
    stack[top++] = 0;
    while (top > 0) {
        const Index at = stack[--top];
        const Node& node = nodes_[at];
        if (!node.box.overlaps(box)) continue;
        if (node.count == 0) {
            stack[top++] = node.first;
            stack[top++] = at + 1;
            continue;
        }
        for (Index i = node.first; i < node.first + node.count; ++i) {
            Box own;
            for (const Vec3& p : corners_[i]) own.include(p);
            if (own.overlaps(box)) visit(order_[i]);
        }
    }
}

/// Appends the pairs of children to look at in the place of a pair of nodes, one of them at least no leaf; the same
/// node twice stands for the pairs within it.
void TriangleTree::open(const NodePair& pair, std::vector<NodePair>& out) const {
    const auto [a, b] = pair;
    const Node &p = nodes_[a], &q = nodes_[b];
    if (a == b) {
        out.insert(out.end(), {{a + 1, a + 1}, {p.first, p.first}, {a + 1, p.first}});
    } else if (q.count > 0 || (p.count == 0 && p.box.diagonal() >= q.box.diagonal())) {
        out.insert(out.end(), {{a + 1, b}, {p.first, b}});
    } else {
        out.insert(out.end(), {{a, b + 1}, {a, q.first}});
    }
}

void TriangleTree::pairs_of_leaves(const NodePair& leaves, const std::function<void(Index, Index)>& visit) const {
    auto boxes_of = [this](const Node& leaf) {
        std::array<Box, kLeafSize> boxes;
        for (Index i = 0; i < leaf.count; ++i)
            for (const Vec3& p : corners_[leaf.first + i]) boxes[i].include(p);
        return boxes;
    };
    const Node &p = nodes_[leaves[0]], &q = nodes_[leaves[1]];
    const auto boxes_p = boxes_of(p), boxes_q = boxes_of(q);
    for (Index i = 0; i < p.count; ++i)
        for (Index j = leaves[0] == leaves[1] ? i + 1 : 0; j < q.count; ++j) {
            if (!boxes_p[i].overlaps(boxes_q[j])) continue;
            const Index s = order_[p.first + i], t = order_[q.first + j];
            visit(std::min(s, t), std::max(s, t));
        }
}

void TriangleTree::overlapping_pairs(const std::function<void(Index, Index)>& visit) const {
    if (nodes_.empty()) return;
    auto are_leaves = [this](const NodePair& pair) { return nodes_[pair[0]].count > 0 && nodes_[pair[1]].count > 0; };
    auto overlap = [this](const NodePair& pair) { return nodes_[pair[0]].box.overlaps(nodes_[pair[1]].box); };
    // Breadth first, until there are enough to share out.
    constexpr std::size_t kShares = 1024;
    std::vector<NodePair> shares{{0, 0}};
    for (bool has_opened = true; has_opened && shares.size() < kShares;) {
        has_opened = false;
        std::vector<NodePair> next;
        for (const NodePair& pair : shares) {
            if (!overlap(pair)) continue;
            if (are_leaves(pair)) {
                next.push_back(pair);
                continue;
            }
            has_opened = true;
            open(pair, next);
        }
        shares = std::move(next);
    }
    tbb::parallel_for(std::size_t{0}, shares.size(), [&](std::size_t i) {
        std::vector<NodePair> stack{shares[i]};
        while (!stack.empty()) {
            const NodePair pair = stack.back();
            stack.pop_back();
            if (!overlap(pair)) continue;
            if (are_leaves(pair)) {
                pairs_of_leaves(pair, visit);
                continue;
            }
            open(pair, stack);
        }
    });
}

}  // namespace anvilcast
