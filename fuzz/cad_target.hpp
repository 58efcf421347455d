// What the readers of CAD files must keep, whatever their library does: a surface that can be examined, or an
// InputError.
#pragma once

#include <anvilcast/surface_files.hpp>

#include "file_target.hpp"
#include "surface_target.hpp"

namespace fuzz {

inline int cad(const unsigned char* data, std::size_t size, const char* ending) {
    as_file(data, size, ending, [](const std::filesystem::path& file) {
        surface(nullptr, 0, [&](std::string_view) {
            anvilcast::ReadSurfaceOptions options;
            if (!anvilcast::states_unit(file)) options.unit = anvilcast::parse_length_unit("mm");
            return anvilcast::read_surface(file, options).surface;
        });
    });
    return 0;
}

}  // namespace fuzz
