// Bodies that no flow gets to see: bolts, brackets, feet.
#pragma once

#include <anvilcast/case.hpp>
#include <anvilcast/domain.hpp>

#include <string>
#include <vector>

namespace anvilcast {

/// Small closed bodies that are seen from outside. They most likely hold back nothing and bound nothing, and space need
/// not be divided by them; whether that was right is looked at afterwards.
class OuterBodies {
  public:
    /// `part_of`: of each triangle. What the case names is not among them. O(n log n).
    OuterBodies(const Surface& surface, std::vector<std::string> part_of, const Case& c);

    bool empty() const { return bodies_.empty(); }
    /// The surface without them, and the parts of its triangles.
    Surface rest() const;
    std::vector<std::string> parts_of_rest() const;
    /// Takes out those that meet the domain, or come closer to it than `reach`, or lie in it. False when there were
    /// none.
    bool drop_those_that_matter(const Domain& domain, double reach);
    /// What they enclose, as cells that no region asks for.
    std::vector<SpaceCell> cells() const;

  private:
    bool is_out(Index t) const { return body_of_[t] != kNone; }

    const Surface& surface_;
    std::vector<std::string> part_of_;
    std::vector<Index> body_of_;              // of each triangle: its place in bodies_, or kNone
    std::vector<std::vector<Index>> bodies_;  // triangles; empty for one that was dropped
};

}  // namespace anvilcast
