// How large cells should be, everywhere.
//
//     SizeOptions options;
//     options.surface = 0.004;  options.largest = 0.01;  options.growth = 1.2;  options.per_turn = 36;
//     options.refine = {{.name = "wake", .volume = BallVolume{{0, 0, 0}, 0.2}, .size = 0.002}};
//     SizeField sizes = make_size_field(domain, options);
//     double h = sizes.at(point);
//
// Every source asks for a size at its place and lets it grow with the distance; the smallest wins.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/domain.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <variant>
#include <vector>

namespace anvilcast {

struct BoxVolume {
    Vec3 lo, hi;
};
struct BallVolume {
    Vec3 center;
    double radius = 0;
};
/// A cylinder, or a cone, cut straight at both ends; with round ends a capsule (the larger radius is then of both).
struct ConeVolume {
    Vec3 from, to;
    double radius_from = 0, radius_to = 0;
    bool has_round_ends = false;
};
/// The inside of a closed surface.
struct BodyVolume {
    Surface surface;
};
/// A box in a body's own extents: 0 is its low side and 1 its high side, on each axis.
struct RelativeBox {
    std::string of;  ///< pattern of part or zone names
    Vec3 lo{0, 0, 0}, hi{1, 1, 1};
};
/// Begins at the middle of a body's extent with its cross-section, and opens on all sides along the direction.
struct WakeVolume {
    std::string of;  ///< pattern of part or zone names
    Vec3 direction{1, 0, 0};
    double opening = 0;  ///< degrees between a side and the direction
    double length = 0;   ///< behind the body's end, metres
};
/// All of a region of the domain.
struct RegionVolume {
    std::string name;
};
using Volume = std::variant<BoxVolume, BallVolume, ConeVolume, BodyVolume, RelativeBox, WakeVolume, RegionVolume>;

/// A size somewhere. Exactly one of on, edges, between, points and volume says where; size, at_least or divisions says
/// what.
struct Refinement {
    std::string name;
    std::vector<std::string> on = {};         ///< patterns of zone names
    std::vector<std::string> edges = {};      ///< feature edges at the zones that match one of these
    std::array<std::string, 2> between = {};  ///< feature edges where a zone of the one meets a zone of the other
    std::vector<Vec3> points = {};
    std::optional<Volume> volume = {};

    double size = 0;                   ///< metres
    double at_least = 0;               ///< in a volume: walls do not ask for less there, and sizes may grow up to this
    int divisions = 0;                 ///< of each feature edge from corner to corner
    double bias = 1;                   ///< largest over smallest division
    std::optional<Vec3> towards = {};  ///< the end where divisions are smallest is the one closest to this; else both
    double growth = 0;                 ///< outside of its place; 0: that of the options. Not above it
    double cells_thick = 0;            ///< the size holds for so many cells before it grows
};

struct SizeOptions {
    double surface = 0;         ///< edge length on every surface that no zone size is for, metres; 0: the largest
    double largest = 0;         ///< edge length that is not exceeded, metres; 0: no limit
    double growth = 1.2;        ///< ratio of neighbouring sizes, above 1: h grows by at most growth - 1 per metre
    double smallest = 0;        ///< what curvature and gaps may ask for at the least; 0: a 32nd of the surface size
    double per_turn = 0;        ///< edges round a full turn, on faces and feature edges; 0: curvature does not count
    double across_gaps = 0;     ///< cells across the distance to the opposite wall; 0: gaps do not count
    double gap_floor = 0;       ///< what gaps may ask for at the least; 0: the smallest
    double feature_angle = 30;  ///< degrees between normals from which an edge is a feature edge
    std::vector<Refinement> refine = {};

    double surface_size() const { return surface > 0 ? surface : largest; }
    double smallest_size() const { return smallest > 0 ? smallest : surface_size() / 32; }
};

/// Throws InputError that names what is out of range.
ANVILCAST_API void validate(const SizeOptions& options);

namespace sizing {
class SizeOctree;
}

/// An octree with the size at the corners of its cells, trilinear between them. Thread-safe; copies share the tree.
/// Its own error is a few per cent of the size, largest where two sources meet; outside of the tree the closest place's
/// size holds.
class ANVILCAST_API SizeField {
  public:
    SizeField() = default;
    SizeField(std::shared_ptr<const sizing::SizeOctree> tree, std::vector<std::string> sources);

    /// The edge length wanted at p, in metres. Tens of nanoseconds for queries close to each other.
    double at(const Vec3& p) const;
    /// What rules there, as a number of sources().
    Index source_at(const Vec3& p) const;
    const std::vector<std::string>& sources() const { return sources_; }
    double growth() const;
    /// The largest and the smallest size anywhere in the field.
    double largest() const;
    double smallest() const;

    struct Cell {
        Vec3 lo;
        double width = 0;
        std::array<float, 8> sizes;  ///< corner i is at lo + width * (i & 1, i >> 1 & 1, i >> 2)
        Index source = 0;
        bool is_at_wall = false;  ///< a surface runs through it
    };
    std::size_t n_cells() const;
    Cell cell(std::size_t i) const;  ///< O(1)
    std::size_t n_bytes() const;

    /// The smaller of two fields; their sources one after the other.
    static SizeField smaller_of(const SizeField& a, const SizeField& b);

    /// What it consists of, for an archive that writes it down or reads it back.
    template <typename Archive>
    void members(Archive& archive) {
        archive(trees_, sources_);
    }

  private:
    std::vector<std::shared_ptr<const sizing::SizeOctree>> trees_;
    std::vector<std::string> sources_;
};

/// The divisions of a feature edge that a refinement asks for by number.
struct EdgeDivision {
    std::vector<Edge> edges;  ///< of the domain's boundary, sorted; each curve among them is divided so
    int divisions = 1;
    double bias = 1;
    std::optional<Vec3> towards;
};

struct Sizing {
    SizeField field;
    std::vector<EdgeDivision> divisions;
    std::vector<std::string> warnings;  ///< e.g. of a volume that misses the domain, with its distance
    /// The volumes of refinements: their names, and whether a place is inside. Thread-safe.
    std::vector<std::pair<std::string, std::function<bool(const Vec3&)>>> volumes;
};

/// All sources of the options on the domain's boundary and in its regions. Throws InputError when a pattern fits
/// nothing, FailureError when the sizes ask for more than `max_octree_cells`, with the source to blame. Parallel;
/// O((n + m) log n) for n triangles and m octree cells. The same field on any number of threads.
/// Sources: P.-O. Persson, Mesh size functions for implicit geometries and PDE-based gradient limiting (2006), for
/// what a size field has to satisfy; S. Rusinkiewicz, Estimating curvatures and their derivatives on triangle meshes
/// (2004), for curvature.
ANVILCAST_API Sizing make_sizing(const Domain& domain, const SizeOptions& options, const Context& context = {},
                                 std::size_t max_octree_cells = 20'000'000);

/// Sizing::volumes of sizes that are known already: each volume's name, and whether a point is in it.
ANVILCAST_API std::vector<std::pair<std::string, std::function<bool(const Vec3&)>>> volumes_of(
    const Domain& domain, const SizeOptions& options);

/// Metres from a volume of a refinement, negative within. `bodies`: what a wake lies behind.
ANVILCAST_API std::function<double(const Vec3&)> distance_from(const Volume& volume, const Surface& bodies);

/// The field alone.
ANVILCAST_API SizeField make_size_field(const Domain& domain, const SizeOptions& options);

/// Sizes taken from the edges of a surface that is meshed already (mean edge length of each triangle).
ANVILCAST_API SizeField size_field_of_mesh(const Surface& mesh, const SizeOptions& options);

/// The field, and where the triangles of a mesh made by it came out much smaller than it asks for (short feature edges,
/// narrow gaps), their size. What the volume is to be filled by.
ANVILCAST_API SizeField with_finer_surface(const SizeField& field, const Surface& mesh);

/// A size at each of some places, growing away from it.
ANVILCAST_API SizeField size_field_of_places(const std::vector<Vec3>& places, const std::vector<double>& sizes,
                                             double largest, double growth);

}  // namespace anvilcast
