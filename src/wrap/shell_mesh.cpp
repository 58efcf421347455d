#include "wrap/shell_mesh.hpp"

#include <anvilcast/errors.hpp>

namespace anvilcast::wrapping {

ShellMesh::ShellMesh(std::vector<Triangle> triangles, std::size_t n_points)
    : triangles_(std::move(triangles)), twin_(3 * triangles_.size(), kNone), at_(n_points, kNone) {
    const SurfaceEdges edges(triangles_, n_points);
    for (std::size_t e = 0; e < edges.size(); ++e) {
        const auto *a = edges.begin(e), *b = a + 1;
        if (edges.n_uses(e) != 2 || a->forward == b->forward)
            throw InternalError("an edge of the wrap has other than two sides");
        join(3 * a->triangle + a->side, 3 * b->triangle + b->side);
    }
    for (Index h = 0; h < n_half_edges(); ++h) at_[from(h)] = h;
}

bool ShellMesh::has_edge(Index a, Index b) const {
    bool found = false;
    around(a, [&](Index h) { found |= to(h) == b; });
    return found;
}

void ShellMesh::flip(Index h) {
    const Index g = twin_[h];
    const Index a = from(h), b = to(h), c = across(h), d = across(g);
    const Index bc = twin_[next(h)], ca = twin_[before(h)], ad = twin_[next(g)], db = twin_[before(g)];
    const Index s = h / 3, t = g / 3;
    triangles_[s] = {c, d, b};
    triangles_[t] = {d, c, a};
    join(3 * s, 3 * t);
    join(3 * s + 1, db);
    join(3 * s + 2, bc);
    join(3 * t + 1, ca);
    join(3 * t + 2, ad);
    at_[c] = 3 * s;
    at_[d] = 3 * t;
    at_[b] = 3 * s + 2;
    at_[a] = 3 * t + 2;
}

bool ShellMesh::can_collapse(Index h) const {
    const Index a = from(h), b = to(h), c = across(h), d = across(twin_[h]);
    if (c == d) return false;
    int n_common = 0;
    std::vector<Index> ring;
    around(b, [&](Index g) { ring.push_back(to(g)); });
    around(a, [&](Index g) {
        for (const Index p : ring) n_common += p == to(g);
    });
    auto degree = [this](Index p) {
        int n = 0;
        around(p, [&](Index) { ++n; });
        return n;
    };
    return n_common == 2 && ring.size() > 3 && degree(c) > 3 && degree(d) > 3;
}

void ShellMesh::collapse(Index h) {
    const Index g = twin_[h];
    const Index a = from(h), b = to(h), c = across(h), d = across(g);
    const Index bc = twin_[next(h)], ca = twin_[before(h)], ad = twin_[next(g)], db = twin_[before(g)];
    std::vector<Index> leaving;
    around(a, [&](Index k) { leaving.push_back(k); });
    for (const Index k : leaving) triangles_[k / 3][k % 3] = b;
    join(bc, ca);
    join(ad, db);
    triangles_[h / 3] = triangles_[g / 3] = {kNone, kNone, kNone};
    at_[a] = kNone;
    at_[b] = ca;  // from a, which is b now
    at_[c] = bc;
    at_[d] = ad;
}

}  // namespace anvilcast::wrapping
