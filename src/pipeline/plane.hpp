// Cases of a section in a plane that is swept.
#pragma once

#include <anvilcast/pipeline.hpp>
#include <anvilcast/plan.hpp>

namespace anvilcast {

BuildResult build_plane(const Case& c, const Context& context, KeptStages* kept);
Plan plan_plane(const Case& c, const Context& context);

}  // namespace anvilcast
