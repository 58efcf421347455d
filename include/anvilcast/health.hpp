// How sound a surface is: what is in it, what is wrong with it, where, and what would mend it.
//
//     SurfaceHealth health = examine(body, {.tolerance = 1e-5});
//     for (const DefectList& list : health.defects)
//         for (const Defect& d : list.items) report(defect_info(list.kind).name, d.place, d.size);
//     MendResult mended = mend(body, ...);   // <anvilcast/mend.hpp>
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/units.hpp>
#include <anvilcast/weld.hpp>
#include <string>
#include <vector>

namespace anvilcast {

/// In the order in which they are listed for people.
enum class DefectKind {
    rim,                  ///< a loop of free edges; size: its length
    crack,                ///< free edges that run along each other within the tolerance; size: the widest gap
    t_junction,           ///< a point of a free edge on the inside of another one; size: their distance
    non_manifold_edge,    ///< three or more triangles at an edge; size: its length
    non_manifold_vertex,  ///< fans of triangles that touch in a point only; size: 0
    duplicate,            ///< the same three points, the same side out; size: area
    opposite_duplicate,   ///< the same three points, the other side out; size: area
    degenerate,           ///< corners exactly in line: no area; size: longest edge
    needle,               ///< height below a thousandth of the longest edge; size: height
    flipped_patch,        ///< triangles turned against the rest of their shell; size: area
    one_sided,            ///< an edge of a shell that has no two sides (a Moebius band); size: its length
    inside_out,           ///< a closed shell, inside of no other one, with its normals inward; size: volume
    self_intersection,    ///< two triangles of a shell cross or touch in what they do not share; size: extent
    overlap,              ///< two triangles in one plane share area; size: extent
    interference,         ///< triangles of two shells cross; size: how deep one is in the other, 0 if not known
    near_miss,            ///< triangles closer than the tolerance that do not touch; size: their distance
    tiny_shell,           ///< a piece below a five-hundredth of the model; size: its extent
    tiny_patch,           ///< a piece between sharp edges below a thousandth of the model; size: root of its area
    lost_digits,          ///< far from the origin for its extent; size: what a step in single precision is there
    odd_extent            ///< a model below 2 mm or above 500 m: the wrong unit? size: its extent
};
inline constexpr std::size_t kDefectKinds = 20;

enum class Severity {
    note,     ///< worth knowing
    warning,  ///< may spoil a mesh, or is mended without asking
    blocking  ///< stands in the way of a trustworthy mesh
};
ANVILCAST_API const char* severity_name(Severity severity);

struct DefectInfo {
    const char* name;  ///< for people, in the plural
    const char* key;   ///< for machines
    Severity severity;
    const char* size;  ///< what Defect::size measures; empty when nothing
    const char* mend;  ///< what would mend it
};
ANVILCAST_API const DefectInfo& defect_info(DefectKind kind);

struct Defect {
    Vec3 place;
    double size = 0;                               ///< metres, or square or cubic metres, as DefectKind says
    std::array<Index, 2> triangles{kNone, kNone};  ///< those concerned, as far as there are
};

struct DefectList {
    DefectKind kind;
    std::vector<Defect> items;  ///< the worst first
};

/// A piece that hangs together over edges.
struct Shell {
    std::size_t triangles = 0;
    Box bounds;
    double area = 0;
    bool is_closed = false;
    double volume = 0;     ///< signed, positive with the normals outward; 0 unless closed
    Index inside = kNone;  ///< the closed shell right around it
    int depth = 0;         ///< how many closed shells are around it
};

struct ZoneMeasure {
    std::string name;
    Role role = Role::wall;
    bool role_is_guess = false;
    std::string part;
    std::size_t triangles = 0;
    double area = 0;
    Box bounds;
    Vec3 center;       ///< of area
    Vec3 mean_normal;  ///< area-weighted; its length tells how flat the zone is, 1 for a plane, 0 for a closed one
};

struct RimMeasure {
    Rim rim;
    Box bounds;
    bool is_loop = true;    ///< false: a chain of free edges that ends at edges of three or more triangles
    bool is_flat = false;   ///< within a hundredth of its extent, or within the tolerance
    bool is_crack = false;  ///< both sides of it run along each other: a seam that is not joined
};

struct HealthOptions {
    /// Metres: what counts as a crack or a near miss. 0: default_tolerance().
    double tolerance = 0;
    double sharp_angle = 40;  ///< degrees between normals at which patches end
};

struct SurfaceHealth {
    double tolerance = 0;  ///< that was used
    Box bounds;
    std::size_t n_points = 0;
    std::size_t n_triangles = 0;
    double area = 0;
    double enclosed_volume = 0;  ///< signed; meaningful when closed and consistently oriented
    std::vector<ZoneMeasure> zones;
    std::vector<Shell> shells;
    std::vector<RimMeasure> rims;     ///< the longest first
    std::vector<DefectList> defects;  ///< one for each kind, in their order
    bool is_closed = false;           ///< no free edge, and there are triangles
    bool is_sound = false;            ///< closed, and nothing but notes

    const std::vector<Defect>& of(DefectKind kind) const { return defects[static_cast<std::size_t>(kind)].items; }
    std::size_t count(DefectKind kind) const { return of(kind).size(); }
    bool is_blocked() const;  ///< something stands in the way of a mesh
};

/// A hundred-thousandth of the diagonal of the model.
ANVILCAST_API double default_tolerance(const Surface& surface);

/// Works on any triangles, whatever their state. Self-intersections are decided exactly. O(n log n) when triangles
/// do not pile up. Parallel; the result does not depend on the number of threads, and but for the order of the places
/// and the numbers of triangles not on the order of the triangles.
ANVILCAST_API SurfaceHealth examine(const Surface& surface, const HealthOptions& options = {},
                                    const Context& context = {});

/// One sentence: closed and sound, or what fails and what to try first. Lengths in `unit`.
ANVILCAST_API std::string verdict(const SurfaceHealth& health, const LengthUnit& unit);

/// The places of all defects as small octahedra to look at: one zone for each kind.
ANVILCAST_API Surface defect_marks(const SurfaceHealth& health);

}  // namespace anvilcast
