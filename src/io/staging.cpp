#include "io/staging.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <atomic>
#include <cerrno>
#include <cstring>
#include <mutex>
#include <vector>

namespace anvilcast::io {
namespace {

namespace fs = std::filesystem;

constexpr const char* kEnding = ".part";

/// What is in the making in this process. Never destroyed: a process may end while others still work.
struct Registry {
    std::mutex mutex;
    std::vector<fs::path> directories;
    bool is_closed = false;
};
Registry& registry() {
    static auto* const all = new Registry;
    return *all;
}

std::string prefix_of(const fs::path& target) { return "." + target.filename().string() + "."; }

/// The lock of a directory, or -1 when somebody else holds it or it cannot be had.
int lock_of(const fs::path& directory) {
    const int lock = ::open(directory.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (lock < 0) return -1;
    if (::flock(lock, LOCK_EX | LOCK_NB) == 0) return lock;
    ::close(lock);
    return -1;
}

void remove_litter(const fs::path& parent, const std::string& prefix) {
    std::error_code code;
    std::vector<fs::path> found;
    for (fs::directory_iterator it(parent, code), end; !code && it != end; it.increment(code)) {
        const std::string name = it->path().filename().string();
        if (name.starts_with(prefix) && name.ends_with(kEnding)) found.push_back(it->path());
    }
    for (const fs::path& directory : found) {
        const int lock = lock_of(directory);
        if (lock < 0) continue;
        fs::remove_all(directory, code);
        ::close(lock);
    }
}

void check_target(const fs::path& target) {
    std::error_code code;
    const fs::file_status status = fs::status(target, code);
    if (fs::exists(status) && !fs::is_regular_file(status) && !fs::is_directory(status))
        throw FailureError(fmt::format("{}: is a device or a pipe, and is not replaced by a file", target.string()));
}

}  // namespace

Staging::Staging(const fs::path& target) {
    static std::atomic<int> number{0};
    check_target(target);
    const fs::path parent = target.parent_path().empty() ? fs::path(".") : target.parent_path();
    remove_litter(parent, prefix_of(target));
    const std::string name = fmt::format("{}{}-{}{}", prefix_of(target), ::getpid(), number++, kEnding);
    Registry& all = registry();
    const std::lock_guard guard(all.mutex);
    if (all.is_closed) throw Cancelled();
    directory_ = target.parent_path() / name;
    if (::mkdir(directory_.c_str(), 0777) != 0)
        throw FailureError(fmt::format("{}: cannot be written: {}", target.string(), std::strerror(errno)));
    lock_ = lock_of(directory_);
    all.directories.push_back(directory_);
}

Staging::~Staging() {
    std::error_code ignored;
    fs::remove_all(directory_, ignored);
    if (lock_ >= 0) ::close(lock_);
    Registry& all = registry();
    const std::lock_guard guard(all.mutex);
    std::erase(all.directories, directory_);
}

void Staging::commit(const std::function<void()>& step) const {
    Registry& all = registry();
    const std::lock_guard guard(all.mutex);
    if (all.is_closed) throw Cancelled();
    step();
}

void abandon_all() noexcept {
    Registry& all = registry();
    const std::lock_guard guard(all.mutex);
    all.is_closed = true;
    // Others may still be writing into them: what they made in the meantime goes in the next round.
    constexpr int kRounds = 20;
    std::error_code ignored;
    for (int round = 0; round < kRounds; ++round)
        for (const fs::path& directory : all.directories) fs::remove_all(directory, ignored);
}

}  // namespace anvilcast::io
