// Any bytes as an STL file: a surface with finite points, or an InputError.

#include <anvilcast/stl.hpp>

#include "surface_target.hpp"

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* data, std::size_t size) {
    return fuzz::surface(data, size, [](std::string_view content) {
        return anvilcast::parse_stl(content, "fuzz.stl", anvilcast::parse_length_unit("mm"));
    });
}
