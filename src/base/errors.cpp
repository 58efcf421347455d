#include <anvilcast/errors.hpp>

namespace anvilcast {

// Destructors live here so that each type has one home for its run-time type information.
Error::~Error() = default;
InputError::~InputError() = default;
GeometryError::~GeometryError() = default;
FailureError::~FailureError() = default;
Cancelled::~Cancelled() = default;
InternalError::~InternalError() = default;

}  // namespace anvilcast
