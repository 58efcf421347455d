// Names for parts of a mesh: zones of faces, regions of cells.
#pragma once

#include <anvilcast/export.hpp>
#include <string>
#include <string_view>

namespace anvilcast {

/// What a zone is to the flow.
enum class Role { wall, inlet, outlet, symmetry, farfield, interface_, baffle };

ANVILCAST_API const char* role_name(Role role);
/// The role of that name. Throws InputError that lists the names otherwise.
ANVILCAST_API Role parse_role(const std::string& name);

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
