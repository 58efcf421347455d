// A surface cut by a plane: triangles give segments, which are put together to chains, zone by zone.

#include <anvilcast/errors.hpp>
#include <anvilcast/planar.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "planar/vec2.hpp"

namespace anvilcast {
namespace {

using namespace planar;

/// Points on the plane count as above it, so an edge is cut or is not, whatever triangle asks.
class Cutter {
  public:
    Cutter(const Surface& surface, const SectionPlane& plane) : s_(surface), x_(plane.x_axis()), y_(plane.y_axis()) {
        for (const Vec3& p : surface.points) height_.push_back(dot(plane.normal, p) - plane.offset);
    }

    std::vector<PlaneCurve> run(double corner_angle_deg) {
        find_segments();
        if (segments_.empty()) {
            // It may lie in the lowest face.
            on_is_above_ = false;
            find_segments();
        }
        std::vector<PlaneCurve> out;
        for (Index z = 0; z < s_.zones.size(); ++z)
            for (std::vector<Vec2>& chain : chains_of(z)) {
                PlaneCurve curve;
                curve.zone = s_.zones[z];
                curve.pieces = straight_pieces(chain);
                curve.corner_angle_deg = corner_angle_deg;
                curve.gives_way = true;
                out.push_back(std::move(curve));
            }
        return out;
    }

  private:
    bool is_above(Index p) const { return on_is_above_ ? height_[p] >= 0 : height_[p] > 0; }

    /// The place where an edge is cut; one for each edge.
    Index cut_of(Index a, Index b) {
        if (a > b) std::swap(a, b);
        const auto [at, is_new] = cuts_.try_emplace({a, b}, static_cast<Index>(places_.size()));
        if (is_new) {
            const double t = std::clamp(height_[a] / (height_[a] - height_[b]), 0.0, 1.0);
            const Vec3 p = s_.points[a] * (1 - t) + s_.points[b] * t;
            places_.push_back({dot(x_, p), dot(y_, p)});
        }
        return at->second;
    }

    void find_segments() {
        for (Index t = 0; t < s_.triangles.size(); ++t) {
            const Triangle& v = s_.triangles[t];
            std::vector<Index> ends;
            for (std::size_t k = 0; k < 3; ++k)
                if (is_above(v[k]) != is_above(v[(k + 1) % 3])) ends.push_back(cut_of(v[k], v[(k + 1) % 3]));
            if (ends.size() == 2 && places_[ends[0]] != places_[ends[1]])
                segments_.push_back({ends[0], ends[1], s_.zone_of[t]});
        }
        join_equal_places();
    }
    /// Corners of triangles that lie on the plane give several edges one place.
    void join_equal_places() {
        std::map<std::pair<double, double>, Index> first;
        std::vector<Index> number(places_.size());
        for (Index p = 0; p < places_.size(); ++p)
            number[p] = first.try_emplace({places_[p].x, places_[p].y}, p).first->second;
        for (Segment& s : segments_) {
            s.from = number[s.from];
            s.to = number[s.to];
        }
    }

    std::vector<std::vector<Vec2>> chains_of(Index zone) {
        std::map<Index, std::vector<std::size_t>> at;  // segments of the zone at each place
        std::vector<std::size_t> own;
        for (std::size_t k = 0; k < segments_.size(); ++k) {
            if (segments_[k].zone != zone) continue;
            own.push_back(k);
            at[segments_[k].from].push_back(k);
            at[segments_[k].to].push_back(k);
        }
        std::vector<char> is_used(segments_.size(), 0);
        std::vector<std::vector<Vec2>> out;
        auto follow = [&](Index from, std::size_t first) {
            std::vector<Vec2> chain{places_[from]};
            for (std::size_t k = first;;) {
                is_used[k] = 1;
                from = segments_[k].from == from ? segments_[k].to : segments_[k].from;
                chain.push_back(places_[from]);
                const auto& here = at[from];
                if (here.size() != 2) break;
                const std::size_t next = here[0] == k ? here[1] : here[0];
                if (is_used[next] != 0) break;
                k = next;
            }
            out.push_back(std::move(chain));
        };
        // Open chains first, from their ends; what is left is closed.
        for (const std::size_t k : own)
            for (const Index end : {segments_[k].from, segments_[k].to})
                if (is_used[k] == 0 && at[end].size() != 2) follow(end, k);
        for (const std::size_t k : own)
            if (is_used[k] == 0) follow(segments_[k].from, k);
        return out;
    }

    struct Segment {
        Index from, to, zone;
    };
    const Surface& s_;
    Vec3 x_, y_;
    std::vector<double> height_;
    bool on_is_above_ = true;
    std::map<std::pair<Index, Index>, Index> cuts_;
    std::vector<Vec2> places_;
    std::vector<Segment> segments_;
};

}  // namespace

Vec3 SectionPlane::x_axis() const {
    if (std::abs(normal.x) == 1) return {0, 1, 0};
    if (std::abs(normal.y) == 1 || std::abs(normal.z) == 1) return {1, 0, 0};
    return normalized(cross(Vec3{0, 0, 1}, normal));
}

Vec3 SectionPlane::y_axis() const {
    if (std::abs(normal.x) == 1 || std::abs(normal.y) == 1) return {0, 0, 1};
    if (std::abs(normal.z) == 1) return {0, 1, 0};
    return cross(normal, x_axis());
}

std::vector<PlaneCurve> section_of(const Surface& surface, const SectionPlane& plane, double corner_angle_deg) {
    std::vector<PlaneCurve> out = Cutter(surface, plane).run(corner_angle_deg);
    if (!out.empty()) return out;
    double low = Box::inf, high = -Box::inf;
    for (const Vec3& p : surface.points) {
        low = std::min(low, dot(plane.normal, p));
        high = std::max(high, dot(plane.normal, p));
    }
    throw GeometryError(
        fmt::format("the plane misses the parts: it lies at {:.6g} m along its normal [{:.4g}, {:.4g}, {:.4g}], they "
                    "reach from {:.6g} to {:.6g} m",
                    plane.offset, plane.normal.x, plane.normal.y, plane.normal.z, low, high));
}

}  // namespace anvilcast
