#include <anvilcast/errors.hpp>
#include <anvilcast/zones.hpp>

#include <fmt/format.h>

#include <array>
#include <vector>

namespace anvilcast {
namespace {

constexpr std::array<const char*, kRoles> kRoleNames{"wall",       "inlet",  "outlet", "symmetry", "farfield",
                                                     "interface",  "baffle", "slip",   "open",     "axis",
                                                     "degenerate", "inner",  "fan",    "screen",   "periodic"};

/// The types that the CGNS standard lists, and what each is to us.
struct StandardType {
    std::string_view name;
    Role role;
};
constexpr std::array<StandardType, 23> kStandardTypes{{{"BCAxisymmetricWedge", Role::symmetry},
                                                       {"BCDegenerateLine", Role::degenerate},
                                                       {"BCDegeneratePoint", Role::degenerate},
                                                       {"BCDirichlet", Role::inlet},
                                                       {"BCExtrapolate", Role::outlet},
                                                       {"BCFarfield", Role::farfield},
                                                       {"BCGeneral", Role::open},
                                                       {"BCInflow", Role::inlet},
                                                       {"BCInflowSubsonic", Role::inlet},
                                                       {"BCInflowSupersonic", Role::inlet},
                                                       {"BCNeumann", Role::outlet},
                                                       {"BCOutflow", Role::outlet},
                                                       {"BCOutflowSubsonic", Role::outlet},
                                                       {"BCOutflowSupersonic", Role::outlet},
                                                       {"BCSymmetryPlane", Role::symmetry},
                                                       {"BCSymmetryPolar", Role::axis},
                                                       {"BCTunnelInflow", Role::inlet},
                                                       {"BCTunnelOutflow", Role::outlet},
                                                       {"BCWall", Role::wall},
                                                       {"BCWallInviscid", Role::slip},
                                                       {"BCWallViscous", Role::wall},
                                                       {"BCWallViscousHeatFlux", Role::wall},
                                                       {"BCWallViscousIsothermal", Role::wall}}};
constexpr std::string_view kTypePrefix = "BC:";

constexpr std::array<const char*, 3> kKindNames{"fluid", "solid", "void"};

}  // namespace

const char* role_name(Role role) { return kRoleNames[static_cast<std::size_t>(role)]; }

BoundaryRole parse_role(const std::string& text) {
    for (std::size_t i = 0; i < kRoleNames.size(); ++i)
        if (text == kRoleNames[i]) return {static_cast<Role>(i)};
    if (!text.starts_with(kTypePrefix))
        throw InputError(fmt::format(
            "\"{}\" is not a role; write one of {}, or a boundary condition type of the CGNS standard, as in "
            "\"BC:BCWallViscous\"",
            text, fmt::join(kRoleNames, ", ")));
    std::vector<std::string_view> names;
    for (const StandardType& type : kStandardTypes) {
        if (text.substr(kTypePrefix.size()) == type.name) return {type.role, std::string(type.name)};
        names.push_back(type.name);
    }
    throw InputError(
        fmt::format("\"{}\" is not a boundary condition type of the CGNS standard; write BC: and one of {}", text,
                    fmt::join(names, ", ")));
}

std::string role_text(const BoundaryRole& role) {
    return role.bc_type.empty() ? role_name(role.role) : std::string(kTypePrefix) + role.bc_type;
}

const char* region_kind_name(RegionKind kind) { return kKindNames[static_cast<std::size_t>(kind)]; }

RegionKind parse_region_kind(const std::string& name) {
    for (std::size_t i = 0; i < kKindNames.size(); ++i)
        if (name == kKindNames[i]) return static_cast<RegionKind>(i);
    throw InputError(fmt::format("\"{}\" is not a kind of region; write fluid, solid or void", name));
}

bool matches_pattern(std::string_view name, std::string_view pattern) {
    std::size_t n = 0, p = 0, star = std::string_view::npos, after = 0;
    while (n < name.size()) {
        if (p < pattern.size() && (pattern[p] == '?' || (pattern[p] != '*' && pattern[p] == name[n]))) {
            ++n;
            ++p;
        } else if (p < pattern.size() && pattern[p] == '*') {
            star = p++;
            after = n;
        } else if (star != std::string_view::npos) {
            p = star + 1;
            n = ++after;
        } else {
            return false;
        }
    }
    return pattern.find_first_not_of('*', p) == std::string_view::npos;
}

}  // namespace anvilcast
