// What every reader of volume meshes must keep: references hold, and points are finite.
#pragma once

#include <anvilcast/errors.hpp>
#include <anvilcast/volume_mesh.hpp>

#include <cstdlib>

#include "file_target.hpp"

namespace fuzz {

template <typename Read>
int mesh(const unsigned char* data, std::size_t size, const char* ending, Read read) {
    using namespace anvilcast;
    as_file(data, size, ending, [&](const std::filesystem::path& file) {
        try {
            const VolumeMesh mesh = read(file);
            for (const Vec3& p : mesh.points)
                if (!is_finite(p)) std::abort();
            for (const Index p : mesh.cell_points)
                if (p >= mesh.points.size()) std::abort();
            for (const Index r : mesh.cell_region)
                if (r >= mesh.regions.size()) std::abort();
        } catch (const InputError&) {
        }
    });
    return 0;
}

}  // namespace fuzz
