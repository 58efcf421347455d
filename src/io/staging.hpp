// Work in the making, beside its final place: a hidden directory that is locked as long as somebody works in it, and
// gone afterwards whatever happens. What killed runs left is found by its open lock and removed by the next run.
#pragma once

#include <anvilcast/export.hpp>
#include <filesystem>
#include <functional>

namespace anvilcast::io {

class ANVILCAST_API Staging {
  public:
    /// For a file or directory. Removes what dead runs left beside it. Throws FailureError when nothing can be written
    /// there, or when the target is something that must not be replaced, such as a device.
    explicit Staging(const std::filesystem::path& target);
    ~Staging();
    Staging(const Staging&) = delete;
    Staging& operator=(const Staging&) = delete;

    /// Where to work.
    const std::filesystem::path& directory() const { return directory_; }
    /// Does the last step, which nothing interrupts but the end of the process.
    void commit(const std::function<void()>& step) const;

  private:
    std::filesystem::path directory_;
    int lock_ = -1;
};

/// Removes all that is in the making in this process, for one that is about to end; nothing can be begun or put in
/// place afterwards.
ANVILCAST_API void abandon_all() noexcept;

}  // namespace anvilcast::io
