// Holds the number of threads to what the caller's context asks for, for as long as it lives.
#pragma once

#include <tbb/global_control.h>

#include <anvilcast/context.hpp>
#include <optional>

namespace anvilcast {

class ThreadLimit {
  public:
    explicit ThreadLimit(const Context& context) {
        if (context.threads > 0)
            control_.emplace(tbb::global_control::max_allowed_parallelism, static_cast<std::size_t>(context.threads));
    }

  private:
    std::optional<tbb::global_control> control_;
};

}  // namespace anvilcast
