// Bodies that should touch and do not quite. Piece after piece, from the largest on, is laid onto those before it, so
// that of two that run along each other one stays as it is.

#include <algorithm>
#include <map>

#include "cut/conform.hpp"

namespace anvilcast::cutting {
namespace {

struct Piece {
    std::vector<Index> triangles;
    Box bounds;
    double area = 0;
};

/// The bodies, the largest first.
std::vector<Piece> pieces_of(const Complex& c, const std::vector<Index>& body_of, const std::vector<bool>& stays) {
    std::map<Index, Piece> by_body;
    for (Index t = 0; t < c.triangles.size(); ++t) {
        if (!stays.empty() && stays[c.origins[t].front().triangle]) continue;
        Piece& piece = by_body[body_of[c.origins[t].front().triangle]];
        piece.triangles.push_back(t);
        piece.area += length(c.normal(t)) / 2;
        for (const Index p : c.triangles[t]) piece.bounds.include(c.points[p].approx());
    }
    std::vector<Piece> out;
    for (auto& [body, piece] : by_body) out.push_back(std::move(piece));
    std::stable_sort(out.begin(), out.end(), [](const Piece& a, const Piece& b) { return a.area > b.area; });
    return out;
}

}  // namespace

void join_pieces(Complex& c, const std::vector<Index>& body_of, const std::vector<bool>& stays, double join,
                 CutSurface& report) {
    const Vec3 margin = Vec3{join, join, join} * 2;  // what was moved may be twice as far
    std::vector<Piece> pieces = pieces_of(c, body_of, stays);
    Moved moved;
    std::vector<Index> piece_of(c.triangles.size(), kNone);
    for (Index k = 0; k < pieces.size(); ++k)
        for (const Index t : pieces[k].triangles) piece_of[t] = k;
    for (Index k = 1; k < pieces.size(); ++k) {
        const Box near{pieces[k].bounds.lo - margin, pieces[k].bounds.hi + margin};
        std::vector<Index> others;
        for (Index j = 0; j < k; ++j)
            if (pieces[j].bounds.overlaps(near))
                others.insert(others.end(), pieces[j].triangles.begin(), pieces[j].triangles.end());
        if (others.empty()) continue;
        auto t = static_cast<Index>(c.triangles.size());
        for (const Index parent : conform(c, pieces[k].triangles, others, join, moved, report)) {
            piece_of.push_back(piece_of[parent]);
            if (piece_of[parent] != kNone) pieces[piece_of[parent]].triangles.push_back(t);
            ++t;
        }
    }
}

}  // namespace anvilcast::cutting
