// Any bytes as a CGNS file: a mesh whose references hold, or an InputError.

#include <anvilcast/mesh_files.hpp>

#include "mesh_target.hpp"

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* data, std::size_t size) {
    return fuzz::mesh(data, size, ".cgns",
                      [](const std::filesystem::path& file) { return anvilcast::read_cgns(file); });
}
