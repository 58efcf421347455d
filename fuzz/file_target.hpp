// For readers that take files alone: the bytes as a file of its own, gone afterwards.
#pragma once

#include <unistd.h>

#include <cstdio>
#include <filesystem>
#include <string>

namespace fuzz {

template <typename Read>
void as_file(const unsigned char* data, std::size_t size, const char* ending, Read read) {
    static const std::filesystem::path file =
        std::filesystem::temp_directory_path() / ("anvilcast-fuzz-" + std::to_string(::getpid()) + ending);
    std::FILE* out = std::fopen(file.c_str(), "wb");
    if (out == nullptr) return;
    std::fwrite(data, 1, size, out);
    std::fclose(out);
    read(file);
    std::remove(file.c_str());
}

}  // namespace fuzz
