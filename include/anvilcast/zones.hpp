// Names for parts of a mesh: zones of faces, regions of cells.
#pragma once

#include <anvilcast/export.hpp>
#include <cstddef>
#include <string>
#include <string_view>

namespace anvilcast {

/// What a zone is to the flow.
enum class Role {
    wall,
    inlet,
    outlet,
    symmetry,
    farfield,
    interface_,  ///< between two regions
    baffle,      ///< a wall without thickness, within a region
    slip,        ///< a wall along which the flow slides
    open,        ///< the flow may go in or out
    axis,        ///< of a plane mesh that is turned round it
    degenerate,  ///< shrunk to a line or a point
    inner,       ///< faces within a region that are looked at; no wall
    fan,         ///< the same, where the pressure rises
    screen,      ///< the same, where it falls
    periodic     ///< goes on at another zone, its image
};

inline constexpr std::size_t kRoles = 15;
ANVILCAST_API const char* role_name(Role role);

/// Are its faces within a region, cells on both sides of them?
constexpr bool is_within_region(Role role) { return role == Role::inner || role == Role::fan || role == Role::screen; }

/// A role, and the boundary condition type of the CGNS standard that stands for it; empty: the role's usual one.
struct BoundaryRole {
    Role role = Role::wall;
    std::string bc_type = {};
    bool operator==(const BoundaryRole&) const = default;
};
/// A role by its name, or by a type that the standard lists: "BC:BCWallViscous". Throws InputError that lists what
/// there is otherwise.
ANVILCAST_API BoundaryRole parse_role(const std::string& text);
/// What parse_role reads.
ANVILCAST_API std::string role_text(const BoundaryRole& role);

struct Zone {
    std::string name;
    Role role = Role::wall;
    std::string part = {};       ///< the body or file it came with
    bool role_is_guess = false;  ///< the role was taken from the name, nobody set it
    /// Of an interface: its name as seen from the region in front of it; `name` is what the one behind calls it.
    std::string other_name = {};
    /// Made by a wrap: between two such zones, or within one, only Surface::feature_edges and borders are kept as
    /// edges, for what is sharp beside them is the wrap's own roughness.
    bool is_wrapped = false;
    /// Made by a surround: the outer end of the flow, where no shape has to be followed.
    bool is_of_surround = false;
    /// Closes an opening: its rim is given, how it bulges between is not.
    bool is_patch = false;
    std::string bc_type = {};  ///< see BoundaryRole

    BoundaryRole boundary_role() const { return {role, bc_type}; }
    void set(const BoundaryRole& r) {
        role = r.role;
        bc_type = r.bc_type;
    }
};

/// What a region is filled with.
enum class RegionKind : unsigned char { fluid, solid, void_ };
ANVILCAST_API const char* region_kind_name(RegionKind kind);
/// The kind of that name. Throws InputError that lists the names otherwise.
ANVILCAST_API RegionKind parse_region_kind(const std::string& name);

/// A named set of cells.
struct Region {
    std::string name;
    RegionKind kind = RegionKind::fluid;
};

/// Does a name fit a pattern with * (anything) and ? (one character)?
ANVILCAST_API bool matches_pattern(std::string_view name, std::string_view pattern);

}  // namespace anvilcast
