// Shapes with known areas and volumes, for tests. Lengths in metres, normals outward unless said otherwise.
#pragma once

#include <anvilcast/domain.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/surface_mesh.hpp>

namespace anvilcast::kit {

Surface box(const Vec3& lo, const Vec3& hi, const std::string& name = "box");
/// An icosahedron, divided `levels` times and projected: 20 * 4^levels triangles.
Surface sphere(const Vec3& center, double radius, int levels, const std::string& name = "ball");
/// A pipe along z with a wall: outer radius, inner radius, open ends, n segments round.
Surface pipe(double inner, double outer, double height, int n, const std::string& name = "pipe");
/// A closed cylinder along z with caps fanned round their middle.
Surface cylinder(double radius, double height, int n);
/// Round the z axis: radius of the circle, radius of the tube, segments along and across.
Surface torus(double radius, double tube, int along, int across);
/// A prism over a triangle with its sharp corner at the origin, `degrees` wide, 1 long and 1 high.
Surface wedge(double degrees);
/// Over a polygon in the plane z = 0, corners counterclockwise; one zone.
Surface prism(const std::vector<Vec2>& outline, double height);
/// n x n unit squares in the plane z = 0 to `thickness`, each with a round hole of radius 0.3.
Surface plate_with_holes(int n, double thickness);
/// A block of n x n unit squares whose top has six-sided sockets and posts of many heights and widths: 7 n^2 + 6 flat
/// patches, each a zone. Its volume goes to `volume`.
Surface block_of_sockets(int n, double* volume);
Surface flipped(Surface s);
/// The polyhedron of E. Schoenhardt (1928), which no tetrahedra fill without a new point.
Surface twisted_prism(double twist_deg);

/// The inside of a closed surface as a domain, and a surface taken as a surface mesh as it is.
Domain inside_of(const Surface& s);
SurfaceMesh as_mesh(const Surface& s);

/// n points in the unit cube; the same for the same seed.
std::vector<Vec3> random_points(std::size_t n, unsigned seed);

}  // namespace anvilcast::kit
