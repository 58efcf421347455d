// [wrap] of a case: parts wrapped as bodies, or the flow's volume from within.
#pragma once

#include <anvilcast/pipeline.hpp>

namespace anvilcast {

/// The chosen parts (all, where there are none chosen) wrapped together from outside, in the place of them.
/// `file_of_body`: what a part goes by besides.
void wrap_bodies(const Case& c, Surface& surface, std::vector<std::string>& part_of,
                 const std::map<std::string, std::string>& file_of_body, BuildResult& result, const Context& context);

/// Everything wrapped from the points inside of the regions; openings have been closed.
void wrap_flow(const Case& c, Surface& surface, std::vector<std::string>& part_of, BuildResult& result,
               const Context& context);

}  // namespace anvilcast
