// Plane meshes as pictures: cells from above, zones as lines.
#pragma once

#include <anvilcast/figures.hpp>

#include <filesystem>
#include <vector>

#include "figures/frame.hpp"

namespace anvilcast::figures {

/// `picture` has its title. Throws InputError for a colouring by layers.
void draw_plane(const std::filesystem::path& file, const VolumeMesh& mesh, const Colouring& colouring,
                const std::vector<char>& is_shown, Picture picture, const FigureOptions& options,
                const Context& context);

}  // namespace anvilcast::figures
