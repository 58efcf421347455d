// A result is written into a hidden directory beside its place. At the end everything in that place that is not of an
// earlier result is linked into the new directory, the two are exchanged by one rename, and the old one is removed: so
// whoever looks sees the old result or the new one, whenever the process ends.

#include <anvilcast/errors.hpp>
#include <anvilcast/results.hpp>

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <set>

#include "io/files.hpp"
#include "io/staging.hpp"

namespace anvilcast {
namespace {

namespace fs = std::filesystem;

constexpr const char* kSummary = "summary.json";
constexpr const char* kAside = "earlier-result";
constexpr const char* kReason = "failed.txt";
constexpr const char* kLeaks = "leaks.vtu";

using Names = std::set<std::string>;

/// All files below a directory, by their way from it.
Names files_below(const fs::path& directory) {
    Names out;
    for (const auto& entry : fs::recursive_directory_iterator(directory))
        if (!entry.is_directory() || entry.is_symlink()) out.insert(entry.path().lexically_relative(directory));
    return out;
}

/// The files of the result in a directory: as its summary lists them, or, where there is no list, those that builds of
/// every version leave.
Names files_of_result(const fs::path& directory) {
    std::error_code code;
    if (!fs::is_directory(directory, code)) return {};
    Names out;
    auto add_below = [&](const char* name) {
        if (!fs::is_directory(directory / name, code)) return;
        for (const std::string& file : files_below(directory / name)) out.insert((fs::path(name) / file).string());
    };
    add_below(kAside);
    out.insert(kReason);
    bool is_listed = false;
    if (fs::is_regular_file(directory / kSummary, code)) {
        const auto summary = nlohmann::json::parse(io::read_file(directory / kSummary), nullptr, false);
        if (summary.is_object() && summary.contains("files") && summary["files"].is_array()) {
            is_listed = true;
            for (const auto& file : summary["files"])
                if (file.is_string()) out.insert(file.get<std::string>());
        }
    }
    if (!is_listed) {
        out.insert({"mesh.cgns", "mesh.vtu", kSummary, "report.html", kLeaks, "surface.vtu", "surface.stl"});
        add_below("zones");
        add_below("figures");
    }
    std::erase_if(out, [&](const std::string& file) { return !fs::exists(fs::symlink_status(directory / file)); });
    return out;
}

void list_files_in_summary(const fs::path& directory) {
    std::error_code code;
    if (!fs::is_regular_file(directory / kSummary, code)) return;
    auto summary = nlohmann::ordered_json::parse(io::read_file(directory / kSummary));
    summary["files"] = files_below(directory);
    io::write_file(directory / kSummary, summary.dump(2) + "\n");
}

void sync(const fs::path& path) {
    const int file = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (file < 0) return;
    const int status = ::fsync(file);
    ::close(file);
    if (status != 0 && errno != EINVAL && errno != EROFS)
        throw FailureError(fmt::format("{}: writing failed: {}", path.string(), std::strerror(errno)));
}

void sync_all(const fs::path& directory) {
    for (const std::string& file : files_below(directory)) sync(directory / file);
    sync(directory);
}

/// The same file under another name: a second link, or the link itself again.
void link_to(const fs::path& from, const fs::path& to) {
    fs::create_directories(to.parent_path());
    if (fs::is_symlink(from))
        fs::copy_symlink(from, to);
    else
        fs::create_hard_link(from, to);
}

/// Everything of a directory but some files; also directories that are empty.
void link_others(const fs::path& from, const fs::path& to, const Names& ours) {
    for (auto it = fs::recursive_directory_iterator(from); it != fs::recursive_directory_iterator(); ++it) {
        const fs::path name = it->path().lexically_relative(from);
        if (it->is_directory() && !it->is_symlink()) {
            if (fs::is_empty(it->path())) fs::create_directories(to / name);
        } else if (!ours.contains(name.string()) && !fs::exists(fs::symlink_status(to / name))) {
            link_to(it->path(), to / name);
        }
    }
}

/// A directory that somebody stands in, ourselves for one, must stay the same one.
bool holds_current_directory(const fs::path& target) {
    std::error_code code;
    const fs::path real = fs::canonical(target, code), here = fs::current_path(code);
    return std::mismatch(real.begin(), real.end(), here.begin(), here.end()).first == real.end();
}

void remove_empty_directories_of(const fs::path& directory, const Names& files) {
    std::error_code ignored;
    std::set<fs::path, std::greater<>> parents;
    for (const fs::path file : files)
        for (fs::path p = file.parent_path(); !p.empty(); p = p.parent_path()) parents.insert(p);
    for (const fs::path& p : parents) ::rmdir((directory / p).c_str());
}

/// File by file; without summary.json there is no result, and it comes last.
void replace_in_place(const fs::path& target, const fs::path& fresh, const Names& before) {
    const Names files = files_below(fresh);
    fs::remove(target / kSummary);
    for (const std::string& file : before)
        if (!files.contains(file)) fs::remove(target / file);
    remove_empty_directories_of(target, before);
    for (const std::string& file : files) {
        if (file == kSummary) continue;
        fs::create_directories((target / file).parent_path());
        fs::rename(fresh / file, target / file);
    }
    if (files.contains(kSummary)) fs::rename(fresh / kSummary, target / kSummary);
}

/// `before`: the files in the target that go.
void put_in_place(const fs::path& target, const fs::path& fresh, const Names& before) {
    if (!fs::exists(target)) {
        fs::rename(fresh, target);
        return;
    }
    if (!holds_current_directory(target)) {
        std::error_code code;
        try {
            link_others(target, fresh, before);
        } catch (const fs::filesystem_error& e) {
            code = e.code();
        }
        if (!code && ::renameat2(AT_FDCWD, fresh.c_str(), AT_FDCWD, target.c_str(), RENAME_EXCHANGE) == 0) return;
        // What was linked is there already.
        const Names stays = files_below(target);
        for (const std::string& file : files_below(fresh))
            if (stays.contains(file) && !before.contains(file)) fs::remove(fresh / file);
    }
    replace_in_place(target, fresh, before);
}

}  // namespace

struct ResultDirectory::State {
    explicit State(const fs::path& target) : staging(target) {}
    io::Staging staging;
};

ResultDirectory::ResultDirectory(fs::path target) : target_(std::move(target)) {
    if (target_.empty()) throw InputError("the name of the directory for the results is empty; give one: --out result");
    while (target_.has_relative_path() && target_.filename().empty()) target_ = target_.parent_path();  // "result/"
    std::error_code code;
    if (target_.filename() == "." || target_.filename() == "..") target_ = fs::weakly_canonical(target_, code);
    if (target_.filename().empty()) throw InputError(fmt::format("{}: is no directory for results", target_.string()));
    if (fs::exists(target_, code) && !fs::is_directory(target_, code))
        throw InputError(fmt::format("{}: is a file; a directory for the results was expected", target_.string()));
    if (fs::is_symlink(target_)) target_ = fs::canonical(target_, code);
    if (!target_.parent_path().empty()) fs::create_directories(target_.parent_path(), code);
    if (code) throw FailureError(fmt::format("{}: the directory cannot be made: {}", target_.string(), code.message()));
    state_ = std::make_unique<State>(target_);
    path_ = state_->staging.directory() / target_.filename();
    fs::create_directory(path_);
}

ResultDirectory::~ResultDirectory() = default;

void ResultDirectory::commit() {
    try {
        list_files_in_summary(path_);
        sync_all(path_);
        state_->staging.commit([this] { put_in_place(target_, path_, files_of_result(target_)); });
        sync(target_.parent_path().empty() ? fs::path(".") : target_.parent_path());
    } catch (const fs::filesystem_error& e) {
        throw FailureError(fmt::format("{}: the results cannot be put in place: {}", target_.string(), e.what()));
    }
}

void ResultDirectory::set_earlier_result_aside(const std::string& reason) {
    try {
        const Names before = files_of_result(target_);
        // Of what was written already only the ways out of a leak are worth keeping.
        for (const std::string& file : files_below(path_))
            if (file != kLeaks) fs::remove(path_ / file);
        if (before.empty() && !fs::exists(path_ / kLeaks)) return;
        for (const std::string& file : before) {
            const fs::path name = file;
            const bool is_aside = *name.begin() == kAside;
            if (file == kReason || file == kLeaks) continue;
            // Of two failures in a row the second finds the result aside already.
            if (is_aside && fs::exists(target_ / kSummary)) continue;
            link_to(target_ / file, is_aside ? path_ / name : path_ / kAside / name);
        }
        io::write_file(
            path_ / kReason,
            fmt::format("{}\n\nThere is no result of this build.{}\n", reason,
                        fs::exists(path_ / kAside) ? fmt::format(" What an earlier one left is in {}/.", kAside) : ""));
        sync_all(path_);
        state_->staging.commit([&] { put_in_place(target_, path_, before); });
    } catch (const fs::filesystem_error& e) {
        throw FailureError(fmt::format("{}: the earlier result cannot be put aside: {}", target_.string(), e.what()));
    }
}

void abandon_pending_results() noexcept { io::abandon_all(); }

}  // namespace anvilcast
