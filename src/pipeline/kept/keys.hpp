// The keys of the stages of a case.
#pragma once

#include <anvilcast/case.hpp>
#include <anvilcast/kept.hpp>

namespace anvilcast::kept {

/// Each key has in it all that its stage is made from, the stages before it among that.
struct StageKeys {
    ContentHash domain{};
    ContentHash sizes{};
    ContentHash surface{};
    ContentHash mesh{};
};

/// Reads the parts' files once. Throws InputError where one cannot be read.
StageKeys keys_of(const Case& c);

/// Of a plane mesh, or the section that is swept.
ContentHash section_key_of(const Case& c);

}  // namespace anvilcast::kept
