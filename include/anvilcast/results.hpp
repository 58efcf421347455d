// The directory of a build's results: its files belong together, and appear together.
//
//     ResultDirectory results("cyclone");
//     write_build(build(c, context), c, results.path());
//     results.commit();        // not before this does anything in "cyclone" change
#pragma once

#include <anvilcast/export.hpp>
#include <filesystem>
#include <memory>
#include <string>

namespace anvilcast {

/// A fresh directory beside the one asked for, and in its place after commit(). Removed when it never comes to that;
/// what killed processes left is removed when the next one begins.
class ANVILCAST_API ResultDirectory {
  public:
    /// Throws InputError for an empty name and FailureError where nothing can be written.
    explicit ResultDirectory(std::filesystem::path target);
    ~ResultDirectory();

    /// Where to write to.
    const std::filesystem::path& path() const { return path_; }

    /// Puts what was written in place by one rename, synced to the disk. Of what lies there already, an earlier result
    /// goes, as its summary.json lists it under "files"; everything else stays. The new list is written into the new
    /// summary.json. A directory that cannot be exchanged (it is the current one, or a mount) gets file by file, its
    /// summary.json first removed and last written.
    void commit();

    /// For a job that failed: puts an earlier result aside, into earlier-result/, with failed.txt beside it that says
    /// why. Nothing happens where there is none.
    void set_earlier_result_aside(const std::string& reason);

  private:
    struct State;
    std::filesystem::path target_, path_;
    std::unique_ptr<State> state_;
};

/// Removes everything in the making, files and directories, for a process that is about to end: from any thread.
ANVILCAST_API void abandon_pending_results() noexcept;

}  // namespace anvilcast
