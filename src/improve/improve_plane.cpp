#include "improve/improve_plane.hpp"

#include <anvilcast/predicates.hpp>
#include <anvilcast/sheet.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <set>

namespace anvilcast::improve {
namespace {

constexpr int kMostRounds = 20;
/// A point is moved in this many directions, by steps that are halved.
constexpr int kDirections = 12, kMostSteps = 24;
/// Angles that a sweep over all cells need not better, degrees: of triangles and of quadrangles.
constexpr double kFineTriangle = 45, kFineQuadrangle = 75;

double degrees(double radians) { return radians * 180 / std::numbers::pi; }

class PlaneImprover {
  public:
    PlaneImprover(PlanarMesh& mesh, const ImproveOptions& options) : m_(mesh), target_(options.target) {
        cells_of_.resize(m_.points.size());
        for (Index c = 0; c < m_.cells.size(); ++c)
            for (int k = 0; k < n_of(c); ++k) cells_of_[at(c, k)].push_back(c);
        may_move_.assign(m_.points.size(), 1);
        for (const PlanarEdge& e : m_.edges) {
            may_move_[e.from] = may_move_[e.to] = 0;
            zone_edges_.insert(std::minmax(e.from, e.to));
        }
        const bool has_triangles =
            std::any_of(m_.cells.begin(), m_.cells.end(), [](const auto& c) { return c[3] == kNone; });
        for (Index c = 0; c < m_.cells.size() && has_triangles; ++c)
            for (int k = 0; k < n_of(c) && n_of(c) == 4; ++k) may_move_[at(c, k)] = 0;
    }

    void raise_worst(const Context& context) {
        for (int round = 0; round < kMostRounds; ++round) {
            context.check_stop();
            std::vector<Index> bad;
            for (Index c = 0; c < m_.cells.size(); ++c)
                if (angle_of(c) < target_) bad.push_back(c);
            bool has_changed = false;
            for (const Index c : bad) has_changed = better(c, target_) || has_changed;
            if (bad.empty() || !has_changed) return;
        }
    }
    void sweep(const Context& context) {
        for (Index c = 0; c < m_.cells.size(); ++c) {
            if (c % 10000 == 0) context.check_stop();
            const double fine = n_of(c) == 3 ? kFineTriangle : kFineQuadrangle;
            if (angle_of(c) < fine) better(c, fine);
        }
    }
    SharpCells sharp() const {
        SharpCells out;
        for (Index c = 0; c < m_.cells.size(); ++c) {
            out.smallest = std::min(out.smallest, angle_of(c));
            out.n += angle_of(c) < target_ ? 1 : 0;
        }
        return out;
    }

  private:
    int n_of(Index c) const { return PlanarMesh::n_corners(m_.cells[c]); }
    Index at(Index c, int k) const { return m_.cells[c][static_cast<std::size_t>(k % n_of(c))]; }

    /// The smallest corner angle, and of a quadrangle what is left to 180 degrees of its largest; with one point moved.
    double angle_of(Index c, Index moved = kNone, const Vec2& place = {}) const {
        const int n = n_of(c);
        auto p = [&](int k) -> const Vec2& { return at(c, k + n) == moved ? place : m_.points[at(c, k + n)]; };
        double least = 180;
        for (int k = 0; k < n; ++k) {
            const Vec2 &a = p(k - 1), &b = p(k), &d = p(k + 1);
            const double ux = d.x - b.x, uy = d.y - b.y, vx = a.x - b.x, vy = a.y - b.y;
            const double angle = degrees(std::atan2(ux * vy - uy * vx, ux * vx + uy * vy));
            least = std::min(least, n == 3 ? angle : std::min(angle, angle < 0 ? angle : 180 - angle));
        }
        return least;
    }
    double least_at(Index v, const Vec2& place) const {
        double least = 180;
        for (const Index c : cells_of_[v]) least = std::min(least, angle_of(c, v, place));
        return least;
    }
    bool keeps_sides(Index v, const Vec2& place) const {
        for (const Index c : cells_of_[v]) {
            const int n = n_of(c);
            auto p = [&](int k) -> const Vec2& { return at(c, k + n) == v ? place : m_.points[at(c, k + n)]; };
            for (int k = 0; k < n; ++k)
                if (orient2d(p(k - 1), p(k), p(k + 1)) <= 0) return false;
        }
        return true;
    }

    bool better(Index c, double enough) {
        bool has_changed = false;
        for (int k = 0; k < 3 && n_of(c) == 3; ++k) has_changed = flip(c, k) || has_changed;
        for (int k = 0; k < n_of(c); ++k)
            if (const Index v = at(c, k); may_move_[v] != 0) has_changed = move(v, enough) || has_changed;
        return has_changed;
    }

    bool move(Index v, double enough) {
        double best = least_at(v, m_.points[v]), step = 0;
        if (best >= enough) return false;
        for (const Index c : cells_of_[v])
            for (int k = 0; k < n_of(c); ++k) {
                const Vec2 &a = m_.points[at(c, k)], &b = m_.points[v];
                step = std::max(step, 0.3 * std::hypot(a.x - b.x, a.y - b.y));
            }
        bool has_moved = false;
        for (int i = 0; i < kMostSteps && best < enough; ++i) {
            bool found = false;
            for (int k = 0; k < kDirections && !found; ++k) {
                const double a = 2 * std::numbers::pi * k / kDirections;
                const Vec2 place{m_.points[v].x + step * std::cos(a), m_.points[v].y + step * std::sin(a)};
                const double angle = least_at(v, place);
                if (angle <= best * (1 + 1e-6) || !keeps_sides(v, place)) continue;
                best = angle;
                m_.points[v] = place;
                found = has_moved = true;
            }
            if (!found) step *= 0.5;
        }
        return has_moved;
    }

    /// Of the edge from corner k on, where that makes the worse of its two triangles better.
    bool flip(Index c, int k) {
        const Index a = at(c, k), b = at(c, k + 1), p = at(c, k + 2);
        if (zone_edges_.contains(std::minmax(a, b))) return false;
        for (const Index d : cells_of_[a]) {
            if (d == c || n_of(d) != 3 || m_.cell_region[d] != m_.cell_region[c]) continue;
            for (int i = 0; i < 3; ++i) {
                if (at(d, i) != b || at(d, i + 1) != a) continue;
                const Index q = at(d, i + 2);
                const std::array<Vec2, 4> s{m_.points[a], m_.points[q], m_.points[b], m_.points[p]};
                if (orient2d(s[3], s[0], s[1]) <= 0 || orient2d(s[1], s[2], s[3]) <= 0) return false;
                const auto one = m_.cells[c], other = m_.cells[d];
                const double before = std::min(angle_of(c), angle_of(d));
                m_.cells[c] = {p, a, q, kNone};
                m_.cells[d] = {q, b, p, kNone};
                if (std::min(angle_of(c), angle_of(d)) <= before * (1 + 1e-6)) {
                    m_.cells[c] = one;
                    m_.cells[d] = other;
                    return false;
                }
                std::erase(cells_of_[b], c);
                std::erase(cells_of_[a], d);
                cells_of_[p].push_back(d);
                cells_of_[q].push_back(c);
                return true;
            }
        }
        return false;
    }

    PlanarMesh& m_;
    double target_;
    std::vector<std::vector<Index>> cells_of_;
    std::vector<char> may_move_;
    std::set<std::pair<Index, Index>> zone_edges_;
};

void note_moves(const PlanarMesh& before, const PlanarMesh& after, ImproveReport& report) {
    for (std::size_t p = 0; p < before.points.size(); ++p) {
        const Vec2 &a = before.points[p], &b = after.points[p];
        const double move = std::hypot(b.x - a.x, b.y - a.y);
        report.points_moved += move > 0 ? 1 : 0;
        if (move <= report.largest_move) continue;
        report.largest_move = move;
        report.largest_move_at = {a.x, a.y, 0};
    }
}

}  // namespace

VolumeMesh improve_plane(const VolumeMesh& sheet, const ImproveOptions& options, const Context& context,
                         ImproveReport& report) {
    const PlanarMesh before = plane_of(sheet);
    PlanarMesh plane = before;
    PlaneImprover improver(plane, options);
    report.sharp_before = improver.sharp();
    improver.raise_worst(context);
    if (options.all_cells) improver.sweep(context);
    report.sharp_after = improver.sharp();
    report.is_reached = report.sharp_after.n == 0;
    note_moves(before, plane, report);
    report.before = report.after = assess(sheet, {}, context);
    if (report.points_moved == 0 && plane.cells == before.cells) return sheet;
    VolumeMesh better = sheet_of(plane);
    report.after = assess(better, {}, context);
    return better;
}

}  // namespace anvilcast::improve
