// Surrounds are made in a frame of their own: x along the flow, z up, y across. The round ones are surfaces of
// revolution about the flow through a centre; ground and symmetry planes go through that centre and leave a half or a
// quarter of the turn.

#include <anvilcast/errors.hpp>
#include <anvilcast/polygon.hpp>
#include <anvilcast/surround.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>

namespace anvilcast {
namespace {

using std::numbers::pi;

constexpr int kSegments = 128;  // round a full turn
// Rules of the trade for bluff bodies in free flow.
constexpr double kMostBlockage = 0.03, kLeastAhead = 5, kLeastBehind = 10;

constexpr std::array<const char*, 5> kShapeNames{"box", "cylinder", "sphere", "half-sphere", "bullet"};

struct Frame {
    Vec3 x, y, z;
    Vec3 into(const Vec3& p) const { return {dot(p, x), dot(p, y), dot(p, z)}; }
    Vec3 out_of(const Vec3& p) const { return x * p.x + y * p.y + z * p.z; }
};

Frame frame_of(const SurroundOptions& o) {
    if (length(o.flow) == 0) throw InputError("[surround] flow is [0, 0, 0]; it must be a direction, e.g. [1, 0, 0]");
    const Vec3 x = normalized(o.flow);
    const Vec3 up = normalized(o.up), side = cross(up, x);
    if (length(side) < 1e-6)
        throw InputError("[surround] flow and up are the same direction; give up = [0, 1, 0], say");
    if (o.ground && std::abs(dot(up, x)) > 1e-9)
        throw InputError(
            "[surround] the flow runs into the ground: with ground = true it must be at right angles to up");
    const Vec3 y = normalized(side);
    return {x, y, cross(x, y)};
}

double metres(const Reach& reach, double body_length, const char* name) {
    if (!(reach.value >= 0))
        throw InputError(
            fmt::format("[surround] {} is negative: distances are measured outwards from the body's extent, so "
                        "that a larger number makes a larger surround; for coordinates write from and to",
                        name));
    return reach.in_body_lengths ? reach.value * body_length : reach.value;
}

class Maker {
  public:
    Maker(const Surface& bodies, const SurroundOptions& options, const LengthUnit& unit)
        : bodies_(bodies), o_(options), unit_(unit), frame_(frame_of(options)) {
        for (const Triangle& t : bodies.triangles)
            for (const Index p : t) body_.include(frame_.into(bodies.points[p]));
        if (body_.is_empty()) throw InputError("[surround] there is no body to surround");
        find_planes();
        out_.body_length = body_.extent().x;
    }

    Surround make() {
        if (o_.shape == SurroundShape::half_sphere && !o_.ground && !o_.symmetry)
            throw InputError(
                "[surround] a half-sphere needs the plane that cuts it: write ground = true or symmetry = \"y\"");
        if (o_.corners && o_.shape != SurroundShape::box)
            throw InputError(
                "[surround] from and to are the corners of a box; this shape takes distances or center and radius");
        if (o_.shape == SurroundShape::box)
            make_box();
        else
            make_round();
        for (Vec3& p : out_.surface.points) p = frame_.out_of(p);
        judge();
        return std::move(out_);
    }

  private:
    double reach(const Reach& r, const char* name) const { return metres(r, out_.body_length, name); }
    Reach below() const { return o_.below.value_or(o_.above); }

    void find_planes() {
        if (o_.ground) ground_ = o_.ground_at.value_or(body_.lo.z);
        if (!o_.symmetry) return;
        const Vec3 kept = frame_.into(o_.symmetry->kept);
        if (std::abs(std::abs(kept.y) - 1) > 1e-9)
            throw InputError(
                "[surround] the symmetry plane must run along the flow and up: its axis has to be at right angles "
                "to both");
        keeps_left_ = kept.y > 0;
        // Coordinates are told along the axis itself.
        const Vec3& k = o_.symmetry->kept;
        symmetry_ = o_.symmetry->at * (dot(Vec3{std::abs(k.x), std::abs(k.y), std::abs(k.z)}, frame_.y) > 0 ? 1 : -1);
    }

    Index zone(const char* name, Role role) {
        const auto [it, is_new] = zone_number_.try_emplace(name, static_cast<Index>(out_.surface.zones.size()));
        if (is_new) {
            out_.surface.zones.push_back({name, role});
            out_.surface.zones.back().is_of_surround = true;
        }
        return it->second;
    }
    void add(Index zone, Index a, Index b, Index c) {
        if (a == b || b == c || c == a) return;
        out_.surface.triangles.push_back({a, b, c});
        out_.surface.zone_of.push_back(zone);
    }

    Box extents() const {
        Box box = body_;
        if (o_.corners) {
            box = {};
            for (int i = 0; i < 8; ++i)
                box.include(frame_.into({(i & 1) != 0 ? o_.corners->hi.x : o_.corners->lo.x,
                                         (i & 2) != 0 ? o_.corners->hi.y : o_.corners->lo.y,
                                         (i & 4) != 0 ? o_.corners->hi.z : o_.corners->lo.z}));
            for (const Vec3& axis : {frame_.x, frame_.y})
                if (std::max({std::abs(axis.x), std::abs(axis.y), std::abs(axis.z)}) < 1 - 1e-9)
                    throw InputError(
                        "[surround] from and to make a box along the axes: flow and up must be along axes too");
        } else {
            box.lo.x -= reach(o_.ahead, "ahead");
            box.hi.x += reach(o_.behind, "behind");
            box.lo.y -= reach(o_.aside, "aside");
            box.hi.y += reach(o_.aside, "aside");
            box.lo.z -= o_.ground ? 0 : reach(below(), "below");
            box.hi.z += reach(o_.above, "above");
        }
        if (ground_) box.lo.z = *ground_;
        if (symmetry_) (keeps_left_ ? box.lo.y : box.hi.y) = *symmetry_;
        for (int axis = 0; axis < 3; ++axis)
            if (!(box.lo[axis] < box.hi[axis]))
                throw InputError(
                    "[surround] nothing is left of the box: the ground or the symmetry plane lies beyond its other "
                    "side");
        return box;
    }

    void make_box() {
        const Box b = extents();
        for (int i = 0; i < 8; ++i)
            out_.surface.points.push_back(
                {(i & 1) != 0 ? b.hi.x : b.lo.x, (i & 2) != 0 ? b.hi.y : b.lo.y, (i & 4) != 0 ? b.hi.z : b.lo.z});
        auto face = [&](const char* name, Role role, Index p, Index q, Index r, Index s) {
            const Index z = zone(name, role);
            add(z, p, q, r);
            add(z, p, r, s);
        };
        face("inflow", Role::inlet, 0, 4, 6, 2);
        face("outflow", Role::outlet, 1, 3, 7, 5);
        const bool right = symmetry_ && keeps_left_, left = symmetry_ && !keeps_left_;
        const char *right_side = o_.sides_apart ? "right" : "sides", *left_side = o_.sides_apart ? "left" : "sides";
        face(right ? "symmetry" : right_side, right ? Role::symmetry : Role::farfield, 0, 1, 5, 4);
        face(left ? "symmetry" : left_side, left ? Role::symmetry : Role::farfield, 2, 6, 7, 3);
        face("top", Role::farfield, 4, 5, 7, 6);
        face(ground_ ? "ground" : "bottom", ground_ ? Role::wall : Role::farfield, 0, 2, 3, 1);
        out_.section_area = b.extent().y * b.extent().z;
        limits_ = b;
    }

    /// A run of points of the meridian (x, r), and the zone that it sweeps.
    struct Sweep {
        const char* name;
        Role role;
        std::vector<Vec2> line;
    };

    static std::vector<Vec2> arc(double center, double radius, double from, double to) {
        const int n = std::max(1, static_cast<int>(std::lround(std::abs(to - from) / (2 * pi) * kSegments)));
        std::vector<Vec2> line;
        for (int i = 0; i <= n; ++i) {
            const double a = from + (to - from) * i / n;
            // The ends of quarter turns exactly.
            const double c = std::abs(std::cos(a)) < 1e-12 ? 0 : std::cos(a),
                         s = std::abs(std::sin(a)) < 1e-12 ? 0 : std::sin(a);
            line.push_back({center - radius * c, radius * s});
        }
        return line;
    }

    void make_round() {
        Vec3 center = body_.center();
        if (o_.center) center = frame_.into(*o_.center);
        if (ground_) center.z = *ground_;
        if (symmetry_) center.y = *symmetry_;
        double across = 0, all_round = 0;
        for (const Triangle& t : bodies_.triangles)
            for (const Index p : t) {
                const Vec3 r = frame_.into(bodies_.points[p]) - center;
                across = std::max(across, std::hypot(r.y, r.z));
                all_round = std::max(all_round, length(r));
            }
        std::vector<Sweep> sweeps;
        double radius = o_.radius.value_or(0);
        if (o_.radius && !(radius > 0)) throw InputError("[surround] the radius must be a positive length");
        const bool is_ball = o_.shape == SurroundShape::sphere || o_.shape == SurroundShape::half_sphere;
        if (is_ball) {
            if (radius == 0) radius = all_round + reach(o_.ahead, "ahead");
            sweeps = {{"inflow", Role::inlet, arc(center.x, radius, 0, pi / 2)},
                      {"outflow", Role::outlet, arc(center.x, radius, pi / 2, pi)}};
            limits_.include(center - Vec3{radius, radius, radius});
            limits_.include(center + Vec3{radius, radius, radius});
        } else {
            if (radius == 0) radius = across + reach(o_.aside, "aside");
            const double front = body_.lo.x - reach(o_.ahead, "ahead"), back = body_.hi.x + reach(o_.behind, "behind");
            if (o_.shape == SurroundShape::cylinder) {
                sweeps = {{"inflow", Role::inlet, {{front, 0}, {front, radius}}},
                          {"sides", Role::farfield, {{front, radius}, {back, radius}}}};
            } else {
                if (front + radius >= back)
                    throw InputError(
                        fmt::format("[surround] the bullet's nose, a half-sphere of radius {}, is longer than the "
                                    "whole: make behind or "
                                    "ahead larger, or aside smaller",
                                    format_length(radius, unit_)));
                sweeps = {{"inflow", Role::inlet, arc(front + radius, radius, 0, pi / 2)},
                          {"sides", Role::farfield, {{front + radius, radius}, {back, radius}}}};
            }
            sweeps.push_back({"outflow", Role::outlet, {{back, radius}, {back, 0}}});
            limits_.include(Vec3{front, center.y - radius, center.z - radius});
            limits_.include(Vec3{back, center.y + radius, center.z + radius});
        }
        sweep_all(sweeps, center);
        const double share = (ground_ ? 0.5 : 1) * (symmetry_ ? 0.5 : 1);
        out_.section_area = share * pi * radius * radius;
        if (ground_) limits_.lo.z = *ground_;
        if (symmetry_) (keeps_left_ ? limits_.lo.y : limits_.hi.y) = *symmetry_;
    }

    /// Angles about the flow: 0 is left (y), a quarter turn is up.
    void sweep_all(const std::vector<Sweep>& sweeps, const Vec3& center) {
        double from = 0, to = 2 * pi;
        if (ground_) to = pi;
        if (symmetry_ && !ground_) {
            from = keeps_left_ ? -pi / 2 : pi / 2;
            to = from + pi;
        }
        if (symmetry_ && ground_) (keeps_left_ ? to : from) = pi / 2;
        const bool is_whole = !ground_ && !symmetry_;
        const int n = static_cast<int>(std::lround((to - from) / (2 * pi) * kSegments));
        std::vector<Vec2> meridian;
        for (const Sweep& s : sweeps)
            meridian.insert(meridian.end(), s.line.begin() + (meridian.empty() ? 0 : 1), s.line.end());
        const int n_angles = is_whole ? n : n + 1;
        std::vector<std::vector<Index>> number(meridian.size());
        for (std::size_t i = 0; i < meridian.size(); ++i)
            for (int k = 0; k < n_angles; ++k) {
                if (meridian[i].y == 0 && k > 0) {
                    number[i].push_back(number[i][0]);
                    continue;
                }
                const double a = from + (to - from) * k / n;
                const double c = std::abs(std::cos(a)) < 1e-12 ? 0 : std::cos(a),
                             s = std::abs(std::sin(a)) < 1e-12 ? 0 : std::sin(a);
                number[i].push_back(static_cast<Index>(out_.surface.points.size()));
                out_.surface.points.push_back(
                    {meridian[i].x, center.y + meridian[i].y * c, center.z + meridian[i].y * s});
            }
        std::size_t row = 0;
        for (const Sweep& s : sweeps) {
            const Index z = zone(s.name, s.role);
            for (std::size_t i = 0; i + 1 < s.line.size(); ++i, ++row)
                for (int k = 0; k < n; ++k) {
                    const auto here = static_cast<std::size_t>(k), next = static_cast<std::size_t>((k + 1) % n_angles);
                    add(z, number[row][here], number[row + 1][next], number[row + 1][here]);
                    add(z, number[row][here], number[row][next], number[row + 1][next]);
                }
        }
        if (is_whole) return;
        // The planes at the first and the last angle.
        for (const bool first : {true, false}) {
            const double a = first ? from : to;
            const bool is_ground = ground_ && std::abs(std::sin(a)) < 1e-9;
            const Index z = is_ground ? zone("ground", Role::wall) : zone("symmetry", Role::symmetry);
            for (const Triangle& t : triangulate_polygon(meridian)) {
                std::array<Index, 3> p{};
                for (std::size_t k = 0; k < 3; ++k) p[k] = first ? number[t[k]].front() : number[t[k]].back();
                if (first)
                    add(z, p[0], p[1], p[2]);
                else
                    add(z, p[0], p[2], p[1]);
            }
        }
    }

    /// Seen along the flow, on a raster.
    double frontal_area() const {
        constexpr int kCells = 512;
        Box seen;
        seen.include(Vec3{0, std::max(body_.lo.y, limits_.lo.y), std::max(body_.lo.z, limits_.lo.z)});
        seen.include(Vec3{0, std::min(body_.hi.y, limits_.hi.y), std::min(body_.hi.z, limits_.hi.z)});
        const double w = seen.extent().y / kCells, h = seen.extent().z / kCells;
        if (!(w > 0) || !(h > 0)) return 0;
        std::vector<bool> hit(static_cast<std::size_t>(kCells) * kCells, false);
        for (const Triangle& t : bodies_.triangles) {
            std::array<Vec2, 3> p;
            Box box;
            for (std::size_t k = 0; k < 3; ++k) {
                const Vec3 q = frame_.into(bodies_.points[t[k]]);
                p[k] = {(q.y - seen.lo.y) / w, (q.z - seen.lo.z) / h};
                box.include(Vec3{p[k].x, p[k].y, 0});
            }
            auto side = [](const Vec2& a, const Vec2& b, const Vec2& c) {
                return (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
            };
            const double turn = side(p[0], p[1], p[2]) < 0 ? -1 : 1;
            const auto clamp = [](double v) { return static_cast<int>(std::clamp(std::floor(v), 0.0, kCells - 1.0)); };
            for (int j = clamp(box.lo.y); j <= clamp(box.hi.y); ++j)
                for (int i = clamp(box.lo.x); i <= clamp(box.hi.x); ++i) {
                    const Vec2 c{i + 0.5, j + 0.5};
                    if (side(p[0], p[1], c) * turn >= 0 && side(p[1], p[2], c) * turn >= 0 &&
                        side(p[2], p[0], c) * turn >= 0)
                        hit[static_cast<std::size_t>(j) * kCells + static_cast<std::size_t>(i)] = true;
                }
        }
        return static_cast<double>(std::count(hit.begin(), hit.end(), true)) * w * h;
    }

    void judge() {
        if (!body_.overlaps(limits_))
            throw InputError(
                "[surround] lies beside the bodies, none of which is within it: look at from and to, center, "
                "ground_at and symmetry_at, and at the unit");
        out_.frontal_area = frontal_area();
        const double l = out_.body_length;
        auto warn = [&](std::string text) { out_.warnings.push_back("surround: " + std::move(text)); };
        if (out_.blockage() > kMostBlockage)
            warn(fmt::format(
                "the body blocks {:.1f} % of the section, 3 % is the usual limit: make aside and above about {:.2g} "
                "times as large",
                100 * out_.blockage(), std::sqrt(out_.blockage() / kMostBlockage)));
        const double ahead = (body_.lo.x - limits_.lo.x) / l, behind = (limits_.hi.x - body_.hi.x) / l;
        if (ahead < kLeastAhead * (1 - 1e-9))
            warn(fmt::format("{:.3g} body lengths ahead of the body; 5 are usual for bluff bodies: {} more", ahead,
                             format_length((kLeastAhead - ahead) * l, unit_)));
        if (behind < kLeastBehind * (1 - 1e-9))
            warn(fmt::format("{:.3g} body lengths behind the body; 10 are usual for bluff bodies: {} more", behind,
                             format_length((kLeastBehind - behind) * l, unit_)));
        auto pokes = [&](bool out, const char* where) {
            if (out) warn(fmt::format("the body pokes through the {}", where));
        };
        pokes(body_.lo.x < limits_.lo.x, "inflow");
        pokes(body_.hi.x > limits_.hi.x, "outflow");
        pokes(body_.hi.z > limits_.hi.z, "top");
        pokes(!(symmetry_ && keeps_left_) && body_.lo.y < limits_.lo.y, o_.sides_apart ? "right" : "sides");
        pokes(!(symmetry_ && !keeps_left_) && body_.hi.y > limits_.hi.y, o_.sides_apart ? "left" : "sides");
        if (symmetry_ && (*symmetry_ >= body_.hi.y || *symmetry_ <= body_.lo.y) && *symmetry_ != body_.lo.y &&
            *symmetry_ != body_.hi.y)
            warn("the symmetry plane does not touch the body");
        if (ground_ && *ground_ > body_.hi.z) warn("the body lies below the ground");
    }

    const Surface& bodies_;
    const SurroundOptions& o_;
    const LengthUnit& unit_;
    Frame frame_;
    Box body_, limits_;  // in the frame
    std::optional<double> ground_, symmetry_;
    bool keeps_left_ = true;
    std::map<std::string, Index> zone_number_;
    Surround out_;
};

}  // namespace

SurroundShape parse_surround_shape(const std::string& name) {
    for (std::size_t i = 0; i < kShapeNames.size(); ++i)
        if (name == kShapeNames[i]) return static_cast<SurroundShape>(i);
    // As they are called in a plane.
    if (name == "circle") return SurroundShape::sphere;
    if (name == "half-circle") return SurroundShape::half_sphere;
    throw InputError(
        fmt::format("\"{}\" is not a shape of surround; write one of {}", name, fmt::join(kShapeNames, ", ")));
}

Surround make_surround(const Surface& bodies, const SurroundOptions& options, const LengthUnit& unit) {
    return Maker(bodies, options, unit).make();
}

}  // namespace anvilcast
