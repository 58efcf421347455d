// The fluid carved out of a Delaunay triangulation of places beside dirty geometry.
//
// All places lie at an offset from the geometry; where the fluid's volume and the rest meet is the wrap. A ball
// carries the fluid from tetrahedron to tetrahedron, along the edge between their circumcentres: it passes where it
// touches neither the places nor the geometry itself. Where it touches only the geometry there are too few places, and
// one more is put in; so the wrap is refined just where the ball went, and an opening is passed exactly when it is
// wider than the ball.
//
// Invariants
//  (1) No carved tetrahedron meets the geometry: what is carved is a volume of whole tetrahedra, and its boundary does
//      not cross itself.
//  (2) A new place is at least kDepth gaps inside an empty ball: there are no more places than their spacing allows.
#pragma once

#include <anvilcast/leaks.hpp>
#include <memory>
#include <optional>
#include <queue>

#include "tets/kernel.hpp"
#include "wrap/features.hpp"
#include "wrap/place_grid.hpp"

namespace anvilcast::wrapping {

/// In gaps.
inline constexpr double kOffset = 1.0 / 20;  ///< of the places from the geometry
inline constexpr double kPass = 0.47;        ///< clearance that the ball needs: a little less than its radius
inline constexpr double kDepth = 0.05;       ///< of a new place in the ball that it stops
inline constexpr double kBlocked = kPass - kOffset + kDepth;  ///< radius of empty balls that need no look

/// Places are put aside by so much of their offset: in one plane, every decision would be one of exact arithmetic.
inline constexpr double kScatter = 2e-3;
/// Places beside curves: so many gaps apart; others move onto a curve within this reach.
inline constexpr double kCurveSpacing = 0.4;
inline constexpr double kCurveReach = 0.2;

/// The wrap at the offset.
struct Shell {
    std::vector<Vec3> points;
    std::vector<Site> sites;          ///< of the points
    std::vector<Triangle> triangles;  ///< normals point out of what they enclose
    double curve_length = 0;          ///< of the curves, as far as the fluid reaches them; metres
    std::size_t peak_bytes = 0;
};

class Carver {
  public:
    Carver(const Surface& original, const TriangleTree& tree, const CurveSet& curves, const WrapOptions& options,
           const LengthUnit& unit, const Context& context);

    Shell run();

  private:
    struct CellState {
        float clearance = -1;  // of the circumcentre; below zero: not known yet
        std::uint32_t generation = 0;
        std::uint8_t region = 0;  // carved for the volume of this number; 0: not carved
        bool was_opened = false;  // or closed, where the wrap touched itself
    };
    struct Gate {
        float radius;
        Index code;  // of the carved side
        std::uint32_t generation;
        bool operator<(const Gate& o) const { return radius != o.radius ? radius < o.radius : code > o.code; }
    };
    /// The way through a face: the edge between two circumcentres, and its narrowest place.
    struct Passage {
        Vec3 from, to;
        Vec3 narrowest;
        double radius = 0;  // of the empty ball there
        Vec3 middle;        // of the face's circle
        double circle = 0;  // its radius, squared
    };
    struct Foot {
        Vec3 point;
        double distance;
        double offset;
    };
    enum class View { clear, wall, narrow };
    struct Look {
        View view;
        Vec3 at;
        Foot foot;
    };

    double gap_at(const Vec3& p) const { return options_.gap_at ? local_gap(p) : options_.gap; }
    double local_gap(const Vec3& p) const;
    Foot foot(const Vec3& p, double known) const;
    double known_distance(Index cell, const Vec3& p) const;
    Foot some_foot(const Vec3& p) const;
    Foot exact_foot(const Vec3& p) const;
    Vec3 center(Index cell) const;
    bool has_center(Index cell) const { return kernel_->sphere(cell).inside_below >= 0; }
    double clearance(Index cell);
    Passage passage(Index cell, int face) const;
    double ball_radius(const Passage& way, const Vec3& p) const {
        return std::sqrt(way.circle + distance_squared(p, way.middle));
    }
    Look look_along(const Passage& way, Index from, Index to);
    bool is_free_gate(Index cell, int face) const;

    void begin();
    void put_in_curves();
    bool is_reached(Index vertex, Index& near) const;
    bool keep_what_is_reached();
    bool join_curves();
    std::vector<std::vector<Index>> places_of_curves() const;
    void mark_what_is_reached();
    double length_of_curves() const;
    std::optional<Index> next_on_side(const std::vector<Index>& list, std::size_t i) const;
    void start();
    void carve();
    void carve_cell(Index cell, std::uint8_t region);
    void push_gate(Index cell, int face);
    void push_gates_of_star();
    void pass(Index cell, int face);
    bool stop_ball(const Vec3& center, double radius, const Foot& foot, Index near);
    bool add(const Vec3& place, const Site& site, Index near);
    void refuse_joined(Index cell, std::uint8_t region);
    std::string name_of(std::uint8_t region) const;
    bool touches_other_region(Index cell, std::uint8_t region) const;
    bool is_in_hollow(Index cell) const;
    Vec3 middle_of_face(Index cell, int face) const;
    bool is_beyond(Index cell, const Vec3& stop) const;
    void seat_in_hollows();
    bool makes_membrane(Index cell) const;
    std::vector<Triangle> triangles_when_seated();
    bool is_on_wall(Index vertex, const Vec3& normal) const;
    bool deepen_hollows();
    void keep_connected();
    bool is_membrane(Index cell, int face) const;
    bool thicken_membranes();
    bool mend_pinches();
    void open_islands();
    /// Cells, and the region that they become part of; 0: closed.
    struct Repair {
        std::vector<Index> cells;
        std::uint8_t region = 0;
    };
    enum class Fold { none, crevice, fin };
    Fold fold_at(Index a, Index b, Index left, Index right) const;
    Repair repair_at(Index vertex, const std::vector<Index>& star);
    std::vector<std::vector<Index>> smaller_ones(std::vector<std::vector<Index>> pieces) const;
    bool lies_on_one_wall(Index cell) const;
    std::uint8_t region_to_open(const std::vector<Index>& cells) const;
    std::vector<Index> bridge_between(const std::vector<std::vector<Index>>& solid, Index vertex,
                                      const std::vector<Index>& star);
    std::vector<std::vector<Index>> pieces_of(const std::vector<Index>& star, bool is_carved,
                                              std::initializer_list<Index> vertices);
    void star_of(Index vertex, Index start, std::vector<Index>& star);
    bool meets_geometry(Index cell) const;
    [[noreturn]] void report_leak(Index cell, std::uint8_t region);
    Shell shell() const;

    bool is_seed(Index vertex) const { return vertex < first_place_; }
    bool is_box(Index vertex) const { return vertex >= 1 && vertex <= 8; }

    const Surface& original_;
    const TriangleTree& tree_;
    const CurveSet& curves_;
    const WrapOptions& options_;
    const LengthUnit& unit_;
    const Context& context_;
    Box bounds_;
    double far_ = 0;

    std::unique_ptr<tets::Kernel> kernel_;
    std::vector<Site> sites_;  // of vertices
    std::vector<CellState> cells_;
    std::priority_queue<Gate> gates_;
    Index first_place_ = 0;            // vertices before it are the box and the seeds
    mutable PlaceCache<double> gaps_;  // local ones: those that were asked for
    std::vector<std::uint32_t> seen_;  // by cell, for walks
    std::uint32_t walk_ = 0;
};

}  // namespace anvilcast::wrapping
