#include "io/meshes/cgns_roles.hpp"

namespace anvilcast::io {
namespace {

BCType_t usual_type(Role role) {
    switch (role) {
        case Role::inlet:
            return BCInflow;
        case Role::outlet:
        case Role::open:
            return BCOutflow;
        case Role::symmetry:
            return BCSymmetryPlane;
        case Role::farfield:
            return BCFarfield;
        case Role::interface_:
            return BCGeneral;
        case Role::slip:
            return BCWallInviscid;
        case Role::axis:
            return BCSymmetryPolar;
        case Role::degenerate:
            return BCDegenerateLine;
        case Role::inner:
        case Role::fan:
        case Role::screen:
        case Role::periodic:
            return BCTypeUserDefined;
        case Role::wall:
        case Role::baffle:
            break;
    }
    return BCWall;
}

}  // namespace

BCType_t type_of(const BoundaryRole& role) {
    for (int k = 0; k < NofValidBCTypes && !role.bc_type.empty(); ++k)
        if (role.bc_type == BCTypeName[k]) return static_cast<BCType_t>(k);
    return usual_type(role.role);
}

bool has_own_meaning(Role role) {
    return role == Role::open || role == Role::baffle || role == Role::periodic || is_within_region(role);
}

BoundaryRole role_of(BCType_t type) {
    for (const Role role : {Role::wall, Role::inlet, Role::outlet, Role::symmetry, Role::farfield, Role::interface_,
                            Role::slip, Role::axis, Role::degenerate})
        if (usual_type(role) == type) return {role};
    if (type == BCTypeNull || type == BCTypeUserDefined || type == FamilySpecified || type < 0 ||
        type >= NofValidBCTypes)
        return {Role::wall};
    return parse_role(std::string("BC:") + BCTypeName[type]);
}

BoundaryRole role_with(Role role, BCType_t type) {
    if (type == usual_type(role) || type < 0 || type >= NofValidBCTypes) return {role};
    return {role, BCTypeName[type]};
}

}  // namespace anvilcast::io
