// Sides that repeat: what flows out of one flows into the other.
//
//     Domain channel = make_periodic(domain, {{.first = "left", .second = "right"}}, mm);
//     print(channel.periodic.front().residual);
#pragma once

#include <anvilcast/domain.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/placement.hpp>
#include <optional>
#include <string>
#include <vector>

namespace anvilcast {

struct PeriodicRequest {
    std::string first, second;            ///< zones
    std::optional<Placement> image = {};  ///< of the first: the second; left out: found from the two
    double tolerance =
        0;  ///< metres by which the second may differ from the image; 0: kPeriodicTolerance of its extent
    std::string place = {};  ///< of the case file, for messages
};
inline constexpr double kPeriodicTolerance = 2e-4;

/// The same domain with the triangles of each second zone replaced by the images of the first one's, so that all that
/// is made of it can be equal on both. Points of rims are put in where only the other side has them; those of the
/// second move by at most the residual. Pairs may share rims; the triangles of a zone may bound several regions. Throws
/// InputError for a zone that is not there, or is in two pairs; GeometryError that tells where two zones differ most
/// when they are not each other's image. O(n log n).
ANVILCAST_API Domain make_periodic(const Domain& domain, const std::vector<PeriodicRequest>& requests,
                                   const LengthUnit& unit);

}  // namespace anvilcast
