// The tetrahedra that the fill works on: compact records, joined face to face.
//
// Invariants
//  (1) A tetrahedron's vertices are positively oriented: orient3d(v[0], v[1], v[2], v[3]) > 0.
//  (2) n[i] is across the face opposite v[i], as a code: neighbour * 4 + its face; kNone at the boundary.
//  (3) While the convex hull is kept, vertex 0 is the ghost: a "ghost" tetrahedron joins each hull face
//      to it, so that every face has two sides. A ghost is oriented as if vertex 0 lay outside.
//  (4) A free slot has v[0] == kNone.
#pragma once

#include <anvilcast/predicates.hpp>
#include <anvilcast/vectors.hpp>
#include <vector>

namespace anvilcast::tets {

inline constexpr Index kGhost = 0;

struct Tet {
    Index v[4];
    Index n[4];

    bool is_free() const { return v[0] == kNone; }
    bool has(Index vertex) const { return v[0] == vertex || v[1] == vertex || v[2] == vertex || v[3] == vertex; }
    bool is_ghost() const { return has(kGhost); }
    int index_of(Index vertex) const { return v[0] == vertex ? 0 : v[1] == vertex ? 1 : v[2] == vertex ? 2 : 3; }
};

constexpr Index tet_of(Index code) { return code >> 2; }
constexpr int face_of(Index code) { return static_cast<int>(code & 3U); }
constexpr Index code_of(Index tet, int face) { return tet * 4 + static_cast<Index>(face); }

/// The number of a tetrahedron with one of its four faces, and beside that a mark of its chunk, share 32 bits.
inline constexpr std::size_t kMostTets = (std::size_t{1} << 29) - 1;
/// Throws FailureError.
[[noreturn]] void refuse_tets();
/// What would not fit is told, nothing wraps round.
inline void require_room_for(std::size_t n_tets) {
    if (n_tets > kMostTets) refuse_tets();
}

/// The vertices of face i, counter-clockwise seen from inside (their normal points to v[i]).
inline constexpr int kFace[4][3] = {{1, 3, 2}, {0, 2, 3}, {0, 3, 1}, {0, 1, 2}};
/// The six edges, each with the edge opposite to it, such that (a, b, c, d) is an even permutation.
inline constexpr int kEdge[6][4] = {{0, 1, 2, 3}, {0, 2, 3, 1}, {0, 3, 1, 2}, {1, 2, 0, 3}, {1, 3, 2, 0}, {2, 3, 0, 1}};
/// For i != j the two others (k, l) such that (i, j, k, l) is an even permutation.
inline constexpr int kOthers[4][4][2] = {{{-1, -1}, {2, 3}, {3, 1}, {1, 2}},
                                         {{3, 2}, {-1, -1}, {0, 3}, {2, 0}},
                                         {{1, 3}, {3, 0}, {-1, -1}, {0, 1}},
                                         {{2, 1}, {0, 2}, {1, 0}, {-1, -1}}};

/// The three other than i, in a fixed order.
inline constexpr int kOtherThree[4][3] = {{1, 2, 3}, {0, 2, 3}, {0, 1, 3}, {0, 1, 2}};

/// A circumsphere with two certified bounds: a point nearer to the centre than sqrt(inside_below) is
/// inside for certain, one farther than sqrt(outside_above) is outside for certain.
struct Sphere {
    Vec3 center;
    float inside_below;
    float outside_above;
};

/// Circumsphere of a positively oriented tetrahedron. Where nothing can be certified (nearly flat, or out
/// of a float's range) every point is left undecided. See circumsphere.cpp for the derivation of the bounds.
Sphere circumsphere(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d);
Sphere undecided_sphere();

/// Many circumspheres at once, coordinate by coordinate so that the compiler can use vector instructions.
struct SphereBatch {
    static constexpr std::size_t kSize = 32;
    double x[4][kSize], y[4][kSize], z[4][kSize];     // corners in
    double cx[kSize], cy[kSize], cz[kSize];           // centres out
    float inside_below[kSize], outside_above[kSize];  // bounds out

    void set(std::size_t k, std::size_t corner, const Vec3& p) {
        x[corner][k] = p.x;
        y[corner][k] = p.y;
        z[corner][k] = p.z;
    }
    Sphere sphere(std::size_t k) const { return {{cx[k], cy[k], cz[k]}, inside_below[k], outside_above[k]}; }
};

/// Fills in the first n spheres; the same results on every processor.
void compute_spheres(SphereBatch& batch, std::size_t n);

}  // namespace anvilcast::tets
