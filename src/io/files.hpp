// Reading whole files, and writing files that appear whole or not at all.
#pragma once

#include <anvilcast/export.hpp>
#include <filesystem>
#include <limits>
#include <string>
#include <string_view>

#include "io/staging.hpp"

namespace anvilcast::io {

/// The content of a regular file, at most `most` bytes of it. Throws InputError when it is missing, empty, unreadable,
/// or no file at all: a directory, a pipe that may never end, a device.
ANVILCAST_API std::string read_file(const std::filesystem::path& file,
                                    std::size_t most = std::numeric_limits<std::size_t>::max());

/// A file in the making, beside its final place. commit() renames it; without that it is removed.
class ANVILCAST_API PendingFile {
  public:
    explicit PendingFile(std::filesystem::path target);

    const std::filesystem::path& path() const { return pending_; }
    void commit();

  private:
    std::filesystem::path target_;
    Staging staging_;
    std::filesystem::path pending_;
};

/// Writes content to a file, whole or not at all. Throws FailureError.
ANVILCAST_API void write_file(const std::filesystem::path& file, std::string_view content);

}  // namespace anvilcast::io
