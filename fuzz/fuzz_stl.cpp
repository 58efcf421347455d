// Any bytes as an STL file: a surface with finite points, or an InputError.

#include <anvilcast/errors.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/stl.hpp>

#include <cstdlib>

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* data, std::size_t size) {
    using namespace anvilcast;
    try {
        const Surface s = parse_stl({reinterpret_cast<const char*>(data), size}, "fuzz.stl", parse_length_unit("mm"));
        for (const Vec3& p : s.points)
            if (!is_finite(p)) std::abort();
        for (const Triangle& t : s.triangles)
            for (const Index p : t)
                if (p >= s.points.size()) std::abort();
        examine(s);
    } catch (const InputError&) {
    }
    return 0;
}
