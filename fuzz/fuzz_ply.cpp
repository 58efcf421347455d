// Any bytes as an PLY file: a surface whose references hold, or an InputError.

#include "surface_target.hpp"

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* data, std::size_t size) {
    return fuzz::surface(data, size, [](std::string_view content) {
        return anvilcast::parse_ply(content, "fuzz.ply", anvilcast::parse_length_unit("mm"));
    });
}
