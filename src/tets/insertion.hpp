// Putting points into a complex where there is room for them, one after the other or side by side.
#pragma once

#include <anvilcast/context.hpp>
#include <optional>
#include <vector>

#include "tets/tet_complex.hpp"

namespace anvilcast::tets {

/// A point to be put in.
struct Candidate {
    Vec3 place;
    double size;  ///< the field's there
    Index tet;    ///< that held it when it was found
};

/// Is the candidate too near a point of tetrahedron t, or of those beside it? Most that are turned away are seen here,
/// before a cavity is looked for.
bool is_crowded(const TetComplex& complex, const Candidate& c, Index t, const TetComplex::Worker* worker = nullptr);

/// Puts in candidates that keep their distance from the points and boundary faces round them.
class Inserter {
  public:
    /// `strayed`: what it would change is not the worker's alone; nothing was done.
    enum class Outcome { put_in, refused, strayed };

    /// Works alone, or as one of the workers of the complex, from one of the worker's tetrahedra on.
    explicit Inserter(TetComplex& complex) : complex_(complex) {}
    Inserter(TetComplex& complex, TetComplex::Worker& worker, Index start)
        : complex_(complex), worker_(&worker), last_(start) {}

    /// `vertex`: the reserved one to take, or kNone for a new one.
    Outcome put(const Candidate& c, Index vertex = kNone);
    /// Tetrahedra of the last point that was put in.
    const std::vector<Index>& filled() const { return worker_ != nullptr ? worker_->filled : complex_.last_filled(); }

  private:
    std::optional<Index> find(const Candidate& c) const;
    bool keeps_distance(const Candidate& c) const;

    TetComplex& complex_;
    TetComplex::Worker* worker_ = nullptr;
    TetComplex::Cavity cavity_;
    Index last_ = kNone;
};

/// The rounds of the order that insert_side_by_side wants: the last of them has three quarters of the candidates.
inline constexpr int kDoublings = 2;

/// Puts in candidates, in insertion_order with kDoublings. After the rounds before the last, which are everywhere,
/// space is cut into blocks that are filled side by side; what comes too near a border waits for the next, other,
/// blocks, and what is left in the end goes in one by one. The result does not depend on the number of threads. Returns
/// how many points were put in.
std::size_t insert_side_by_side(TetComplex& complex, const std::vector<Candidate>& candidates, const Context& context);

}  // namespace anvilcast::tets
