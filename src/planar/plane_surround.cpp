// Outer boundaries in the plane, made in a frame with x along the flow and y to its left.

#include <anvilcast/errors.hpp>
#include <anvilcast/planar.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "planar/vec2.hpp"

namespace anvilcast {
namespace {

using namespace planar;
using std::numbers::pi;

class Maker {
  public:
    Maker(const std::vector<PlaneCurve>& curves, const SurroundOptions& options, const LengthUnit& unit)
        : o_(options), unit_(unit) {
        flow_ = {o_.flow.x, o_.flow.y};
        if (!(length_squared(flow_) > 0) || o_.flow.z != 0)
            throw InputError("[surround] flow is a direction in the plane: [1, 0, 0], say");
        flow_ = normalized(flow_);
        for (const PlaneCurve& c : curves)
            for (const CurvePiece& piece : c.pieces)
                for (int k = 0; k <= 64; ++k) {
                    const Vec2 p = into(place_on(piece, k / 64.0));
                    places_.push_back(p);
                    lo_ = {std::min(lo_.x, p.x), std::min(lo_.y, p.y)};
                    hi_ = {std::max(hi_.x, p.x), std::max(hi_.y, p.y)};
                }
        if (places_.empty()) throw InputError("[surround] there is no curve to surround");
        find_lower_end();
    }

    std::vector<PlaneCurve> make() {
        switch (o_.shape) {
            case SurroundShape::box:
                make_box();
                break;
            case SurroundShape::sphere:
            case SurroundShape::half_sphere:
                make_circle();
                break;
            case SurroundShape::bullet:
                make_bullet();
                break;
            case SurroundShape::cylinder:
                throw InputError("[surround] in a plane the shape is box, circle, half-circle or bullet");
        }
        return std::move(out_);
    }
    Vec2 within() const { return out_of(within_); }

  private:
    Vec2 into(const Vec2& p) const { return {dot(p, flow_), dot(p, left_of(flow_))}; }
    Vec2 out_of(const Vec2& p) const { return flow_ * p.x + left_of(flow_) * p.y; }
    double reach(const Reach& r, const char* name) const {
        if (!(r.value >= 0))
            throw InputError(fmt::format("[surround] {} is negative: distances are measured outwards", name));
        return r.in_body_lengths ? r.value * (hi_.x - lo_.x) : r.value;
    }

    /// A ground or a mirror line below.
    void find_lower_end() {
        if (o_.ground && o_.symmetry)
            throw InputError("[surround] ground and symmetry are one line in a plane; leave one of them out");
        if (o_.ground) low_ = o_.ground_at.value_or(lo_.y);
        if (!o_.symmetry) return;
        const Vec2 kept = into({o_.symmetry->kept.x, o_.symmetry->kept.y});
        if (std::abs(kept.y - 1) > 1e-9)
            throw InputError(
                "[surround] the mirror line runs along the flow, and what is on its left is kept: symmetry = \"y\" for "
                "a flow along x");
        low_ = o_.symmetry->at;
    }
    Zone lower() const {
        if (!low_) return zone("bottom", Role::farfield);
        return o_.ground ? zone("ground", Role::wall) : zone("symmetry", Role::symmetry);
    }
    static Zone zone(const char* name, Role role) {
        Zone out{name, role};
        out.is_of_surround = true;
        return out;
    }
    void add(const Zone& zone, CurvePieces pieces) {
        PlaneCurve curve;
        curve.zone = zone;
        curve.pieces = std::move(pieces);
        curve.gives_way = true;
        out_.push_back(std::move(curve));
    }
    void add_line(const Zone& zone, const Vec2& a, const Vec2& b) {
        add(zone, straight_pieces({out_of(a), out_of(b)}));
    }
    /// Angles from the flow's direction.
    void add_arc(const Zone& zone, const Vec2& middle, double radius, double from, double to) {
        const double turned = std::atan2(flow_.y, flow_.x);
        ArcPiece arc{out_of(middle), radius, radius, turned, from, to};
        add(zone, {arc});
    }

    void make_box() {
        Vec2 a{lo_.x - reach(o_.ahead, "ahead"), lo_.y - reach(o_.below.value_or(o_.above), "below")},
            b{hi_.x + reach(o_.behind, "behind"), hi_.y + reach(o_.above, "above")};
        if (o_.corners) {
            const Vec2 p = into({o_.corners->lo.x, o_.corners->lo.y}), q = into({o_.corners->hi.x, o_.corners->hi.y});
            a = {std::min(p.x, q.x), std::min(p.y, q.y)};
            b = {std::max(p.x, q.x), std::max(p.y, q.y)};
        }
        if (low_) a.y = *low_;
        if (!(a.x < b.x && a.y < b.y))
            throw InputError("[surround] nothing is left of the box: ground or symmetry lie beyond its top");
        add_line(zone("inflow", Role::inlet), {a.x, b.y}, a);
        add_line(lower(), a, {b.x, a.y});
        add_line(zone("outflow", Role::outlet), {b.x, a.y}, b);
        add_line(zone("top", Role::farfield), b, {a.x, b.y});
        within_ = {a.x + kNear * (b.x - a.x), b.y - kNear * (b.y - a.y)};
    }

    void make_circle() {
        if (o_.shape == SurroundShape::half_sphere && !low_)
            throw InputError(
                "[surround] a half circle needs the line that cuts it: write ground = true or symmetry = \"y\"");
        Vec2 middle = o_.center ? into({o_.center->x, o_.center->y}) : (lo_ + hi_) * 0.5;
        if (low_) middle.y = *low_;
        double radius = o_.radius.value_or(0);
        if (radius == 0) {
            for (const Vec2& p : places_) radius = std::max(radius, distance(p, middle));
            radius += reach(o_.ahead, "ahead");
        }
        const Zone in = zone("inflow", Role::inlet), out = zone("outflow", Role::outlet);
        if (low_) {
            add_arc(out, middle, radius, 0, pi / 2);
            add_arc(in, middle, radius, pi / 2, pi);
            add_line(lower(), middle - Vec2{radius, 0}, middle + Vec2{radius, 0});
        } else {
            add_arc(out, middle, radius, -pi / 2, pi / 2);
            add_arc(in, middle, radius, pi / 2, 3 * pi / 2);
        }
        within_ = middle + Vec2{0, radius * (1 - kNear)};
    }

    void make_bullet() {
        Vec2 middle = (lo_ + hi_) * 0.5;
        if (low_) middle.y = *low_;
        double across = 0;
        for (const Vec2& p : places_) across = std::max(across, std::abs(p.y - middle.y));
        const double radius = o_.radius.value_or(across + reach(o_.aside, "aside"));
        const double front = lo_.x - reach(o_.ahead, "ahead"), back = hi_.x + reach(o_.behind, "behind");
        middle.x = front + radius;
        if (middle.x >= back)
            throw InputError(fmt::format(
                "[surround] the bullet's nose, of radius {}, is longer than the whole: make behind or ahead "
                "larger, or aside smaller",
                format_length(radius, unit_)));
        const Zone in = zone("inflow", Role::inlet), sides = zone("sides", Role::farfield),
                   out = zone("outflow", Role::outlet);
        const double low = low_ ? middle.y : middle.y - radius;
        add_arc(in, middle, radius, pi / 2, low_ ? pi : 3 * pi / 2);
        add_line(sides, {back, middle.y + radius}, {middle.x, middle.y + radius});
        add_line(out, {back, low}, {back, middle.y + radius});
        if (low_)
            add_line(lower(), {front, low}, {back, low});
        else
            add_line(sides, {middle.x, low}, {back, low});
        within_ = middle + Vec2{0, radius * (1 - kNear)};
    }

    static constexpr double kNear = 1e-3;
    const SurroundOptions& o_;
    const LengthUnit& unit_;
    Vec2 flow_, lo_{Box::inf, Box::inf}, hi_{-Box::inf, -Box::inf}, within_;
    std::vector<Vec2> places_;
    std::optional<double> low_;
    std::vector<PlaneCurve> out_;
};

}  // namespace

std::vector<PlaneCurve> surround_of(const std::vector<PlaneCurve>& curves, const SurroundOptions& options,
                                    const LengthUnit& unit, Vec2* lies_within) {
    Maker maker(curves, options, unit);
    std::vector<PlaneCurve> out = maker.make();
    if (lies_within != nullptr) *lies_within = maker.within();
    return out;
}

}  // namespace anvilcast
