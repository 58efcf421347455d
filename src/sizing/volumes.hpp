// The volumes of refinements as signed distances.
#pragma once

#include <anvilcast/placement.hpp>
#include <anvilcast/sizing.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <memory>

namespace anvilcast::sizing {

/// A volume that knows how far away it is.
class SignedVolume {
  public:
    virtual ~SignedVolume() = default;
    SignedVolume() = default;
    SignedVolume(const SignedVolume&) = delete;
    SignedVolume& operator=(const SignedVolume&) = delete;

    /// Negative inside, at most 0 on the boundary; changes by at most 1 per metre.
    virtual double distance(const Vec3& p) const = 0;
    virtual Box bounds() const = 0;
};

/// `domain`: whose parts, zones and regions volumes speak of. Throws InputError for a volume without extent, and where
/// nothing has the name.
std::shared_ptr<const SignedVolume> make_volume(const Volume& volume, const Domain& domain);

/// The same volume elsewhere.
std::shared_ptr<const SignedVolume> placed(std::shared_ptr<const SignedVolume> volume, const Placement& placement);

}  // namespace anvilcast::sizing
