// Work that is not to be trusted, such as a foreign library on a damaged file, in a process of its own: bounded in time
// and memory, and if it dies that is an answer like any other.
#pragma once

#include <atomic>
#include <functional>

#include "io/archive.hpp"

namespace anvilcast::io {

struct ApartLimits {
    double cpu_seconds = 60;
    std::size_t bytes = std::size_t{2} << 30;  ///< beyond what the process has already
};

enum class ApartEnd {
    done,
    out_of_time,
    out_of_memory,
    died,  ///< of a signal, or of an error that is none of ours
};

/// Runs the work in a forked process; what it writes, `receive` reads here. Errors of ours that the work throws before
/// it writes anything are thrown here again, and so are those of `receive`. What the work prints is lost. It must not
/// use other threads: there are none in a forked process. `receive` is called for work that came so far as to write,
/// and what it made is to be thrown away when the end is not `done`. Throws Cancelled when a stop is asked for,
/// FailureError when no process can be had.
ApartEnd run_apart(const std::function<void(ArchiveWriter&)>& work, const std::function<void(ArchiveReader&)>& receive,
                   const ApartLimits& limits, const std::atomic<bool>* stop = nullptr);

}  // namespace anvilcast::io
