// Mending surfaces: each mend is asked for by a distance, and says what it changed and how far anything moved.
//
//     MendResult mended = mend(body, {.stitch = 1e-5, .close_rims = 0.02});
//     for (const Mending& m : mended.done) report(m.what, m.count, m.largest_move);
//
// Without asking only what is harmless is done: equal points become one, exact duplicates are dropped, triangles are
// turned to agree and closed bodies to face outward. A sound surface goes through unchanged, bit for bit.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <string>
#include <vector>

namespace anvilcast {

/// Lengths in metres; 0 leaves a mend out.
struct MendOptions {
    double weld = 0;            ///< points within this distance of each other become one
    double stitch = 0;          ///< rims, and points beside edges of rims, within this distance are joined
    double remove_needles = 0;  ///< triangles lower than this go, by collapsing or swapping an edge
    double drop_specks = 0;     ///< pieces of at most this extent go, but never the largest one
    double close_rims = 0;      ///< rims of at most this extent are closed: flat ones flat, others in a smooth patch
    bool drop_duplicates = true;
    bool orient = true;
};

struct Mending {
    std::string what;  ///< e.g. "cracks stitched, edges"
    std::size_t count = 0;
    double largest_move = 0;  ///< of any point, or of the surface; metres
    Vec3 at;                  ///< where that was
};

struct MendResult {
    Surface surface;
    std::vector<Mending> done;  ///< those that changed something, in order
    std::vector<std::string>
        left;  ///< what was asked for and could not be done, each with its reason; places in metres
    bool is_changed() const { return !done.empty(); }
};

/// Throws InputError when a distance is negative or not finite. O(n log n) beside the patches of rims that are not
/// flat: O(k^3) for k up to 300 points of a rim. Sources: P. Liepa, Filling holes in meshes (2003), for rims that are
/// not flat.
ANVILCAST_API MendResult mend(const Surface& surface, const MendOptions& options = {}, const Context& context = {});

}  // namespace anvilcast
