// What zones are to the flow, in the words of the CGNS standard.
#pragma once

#include <cgnslib.h>
#include <anvilcast/zones.hpp>

namespace anvilcast::io {

BCType_t type_of(const BoundaryRole& role);
/// Types that say more than a role's usual one are kept.
BoundaryRole role_of(BCType_t type);
/// Roles that no type of the standard says by itself.
bool has_own_meaning(Role role);
/// Of a role that is known already.
BoundaryRole role_with(Role role, BCType_t type);

}  // namespace anvilcast::io
