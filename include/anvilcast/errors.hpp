// What the library throws. Every message is for people: it names the file, line or place, says what
// was expected, and what to try.
#pragma once

#include <anvilcast/export.hpp>
#include <stdexcept>
#include <string>

namespace anvilcast {

/// Base of all exceptions of the library. The kind tells who has to act.
class ANVILCAST_API Error : public std::runtime_error {
  public:
    enum class Kind {
        input,      ///< a file, case or argument is wrong: the user mends it (tool: exit status 2)
        geometry,   ///< the geometry does not allow what was asked for (exit status 2)
        failure,    ///< the world or the method failed: disk full, limit reached (exit status 3)
        cancelled,  ///< the caller asked to stop (exit status 130)
        internal    ///< an invariant is broken: a bug of ours (exit status 3)
    };
    Error(Kind kind, const std::string& message) : std::runtime_error(message), kind_(kind) {}
    ~Error() override;
    Kind kind() const noexcept { return kind_; }

  private:
    Kind kind_;
};

class ANVILCAST_API InputError : public Error {
  public:
    explicit InputError(const std::string& message) : Error(Kind::input, message) {}
    ~InputError() override;
};
class ANVILCAST_API GeometryError : public Error {
  public:
    explicit GeometryError(const std::string& message) : Error(Kind::geometry, message) {}
    ~GeometryError() override;
};
class ANVILCAST_API FailureError : public Error {
  public:
    explicit FailureError(const std::string& message) : Error(Kind::failure, message) {}
    ~FailureError() override;
};
class ANVILCAST_API Cancelled : public Error {
  public:
    Cancelled() : Error(Kind::cancelled, "stopped on request") {}
    ~Cancelled() override;
};
class ANVILCAST_API InternalError : public Error {
  public:
    explicit InternalError(const std::string& message) : Error(Kind::internal, message) {}
    ~InternalError() override;
};

}  // namespace anvilcast
