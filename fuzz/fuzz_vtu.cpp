// Any bytes as a VTU file: a mesh whose references hold, or an InputError.

#include <unistd.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>

#include <cstdio>
#include <cstdlib>
#include <string>

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* data, std::size_t size) {
    using namespace anvilcast;
    static const std::string file = "/tmp/anvilcast-fuzz-" + std::to_string(::getpid()) + ".vtu";
    std::FILE* out = std::fopen(file.c_str(), "wb");
    if (out == nullptr) return 0;
    std::fwrite(data, 1, size, out);
    std::fclose(out);
    try {
        const VolumeMesh mesh = read_vtu(file);
        for (const Index p : mesh.cell_points)
            if (p >= mesh.points.size()) std::abort();
    } catch (const InputError&) {
    }
    return 0;
}
