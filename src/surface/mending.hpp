// The mends, one by one. Each changes the surface in place and returns what it did.
#pragma once

#include <anvilcast/mend.hpp>

namespace anvilcast::mending {

Mending drop_duplicates(Surface& surface);
Mending orient(Surface& surface);
Mending turn_outward(Surface& surface);
Mending drop_specks(Surface& surface, double extent);
Mending stitch(Surface& surface, double distance);
Mending remove_needles(Surface& surface, double height);
Mending close_rims(Surface& surface, double extent, std::vector<std::string>& left);

/// Keeps the triangles for which keep[t] holds.
void keep_triangles(Surface& surface, const std::vector<bool>& keep);
/// Notes a move when it is the largest so far.
inline void note_move(Mending& m, double move, const Vec3& at) {
    if (move <= m.largest_move) return;
    m.largest_move = move;
    m.at = at;
}

}  // namespace anvilcast::mending
