#include "io/files.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <memory>

namespace anvilcast::io {
namespace {

struct CloseFile {
    void operator()(std::FILE* f) const { std::fclose(f); }
};
using File = std::unique_ptr<std::FILE, CloseFile>;

}  // namespace

std::string read_file(const std::filesystem::path& file, std::size_t most) {
    std::error_code code;
    const auto status = std::filesystem::status(file, code);
    if (!std::filesystem::exists(status))
        throw InputError(
            fmt::format("{}: no such file; check the path (it is taken from the current directory)", file.string()));
    if (std::filesystem::is_directory(status))
        throw InputError(fmt::format("{}: is a directory, a file was expected", file.string()));
    if (!std::filesystem::is_regular_file(status))
        throw InputError(fmt::format(
            "{}: is a pipe or a device, which may never end; a file was expected: write its content to one first",
            file.string()));
    File in(std::fopen(file.c_str(), "rb"));
    if (!in) throw InputError(fmt::format("{}: cannot be read: {}", file.string(), std::strerror(errno)));
    // What its size promises is read at once; what came to it since, block by block.
    const std::uintmax_t promised = std::filesystem::file_size(file, code);
    std::string content;
    content.resize(std::min<std::uintmax_t>(most, code ? 0 : promised));
    content.resize(std::fread(content.data(), 1, content.size(), in.get()));
    std::string block(std::size_t{1} << 16, '\0');
    while (content.size() < most) {
        const std::size_t n = std::fread(block.data(), 1, std::min(block.size(), most - content.size()), in.get());
        if (n == 0) break;
        content.append(block, 0, n);
    }
    if (std::ferror(in.get()) != 0)
        throw InputError(fmt::format("{}: reading failed: {}", file.string(), std::strerror(errno)));
    if (content.empty()) throw InputError(fmt::format("{}: the file is empty", file.string()));
    return content;
}

PendingFile::PendingFile(std::filesystem::path target)
    : target_(std::move(target)), staging_(target_), pending_(staging_.directory() / target_.filename()) {}

void PendingFile::commit() {
    staging_.commit([this] {
        std::error_code code;
        std::filesystem::rename(pending_, target_, code);
        if (code) throw FailureError(fmt::format("{}: cannot be put in place: {}", target_.string(), code.message()));
    });
}

void write_file(const std::filesystem::path& file, std::string_view content) {
    PendingFile pending(file);
    File out(std::fopen(pending.path().c_str(), "wb"));
    if (!out) throw FailureError(fmt::format("{}: cannot be written: {}", file.string(), std::strerror(errno)));
    const bool written = std::fwrite(content.data(), 1, content.size(), out.get()) == content.size();
    if (!written || std::fclose(out.release()) != 0)
        throw FailureError(fmt::format("{}: writing failed: {}", file.string(), std::strerror(errno)));
    pending.commit();
}

}  // namespace anvilcast::io
