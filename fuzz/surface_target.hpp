// What every reader of surfaces must keep: points are finite, triangles name points and zones that are there, and the
// examination and the mends take whatever was read.
#pragma once

#include <anvilcast/errors.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/mend.hpp>
#include <anvilcast/surface_files.hpp>

#include <cstdlib>
#include <string_view>

namespace fuzz {

template <typename Read>
int surface(const unsigned char* data, std::size_t size, Read read) {
    using namespace anvilcast;
    try {
        const Surface s = read(std::string_view(reinterpret_cast<const char*>(data), size));
        for (const Vec3& p : s.points)
            if (!is_finite(p)) std::abort();
        for (const Triangle& t : s.triangles)
            for (const Index p : t)
                if (p >= s.points.size()) std::abort();
        for (const Index z : s.zone_of)
            if (z >= s.zones.size()) std::abort();
        if (s.triangles.size() > 2000) return 0;  // slow and no news
        const double d = default_tolerance(s);
        examine(mend(s, {.stitch = d, .remove_needles = d, .drop_specks = d, .close_rims = 1e3 * d}).surface);
    } catch (const InputError&) {
    }
    return 0;
}

}  // namespace fuzz
