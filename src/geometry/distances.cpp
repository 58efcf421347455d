#include "geometry/distances.hpp"

#include <anvilcast/triangle_tree.hpp>

namespace anvilcast {

ClosestPair closest_between_segments(const Vec3& p1, const Vec3& q1, const Vec3& p2, const Vec3& q2) {
    const Vec3 d1 = q1 - p1, d2 = q2 - p2, r = p1 - p2;
    const double a = length_squared(d1), e = length_squared(d2), f = dot(d2, r);
    double s = 0, t = 0;
    if (a > 0 && e > 0) {
        const double b = dot(d1, d2), c = dot(d1, r), parallel = a * e - b * b;
        if (parallel > 0) s = std::clamp((b * f - c * e) / parallel, 0.0, 1.0);
        t = (b * s + f) / e;
        if (t < 0) {
            t = 0;
            s = std::clamp(-c / a, 0.0, 1.0);
        } else if (t > 1) {
            t = 1;
            s = std::clamp((b - c) / a, 0.0, 1.0);
        }
    } else if (a > 0) {
        s = std::clamp(-dot(d1, r) / a, 0.0, 1.0);
    } else if (e > 0) {
        t = std::clamp(f / e, 0.0, 1.0);
    }
    const Vec3 x = p1 + d1 * s, y = p2 + d2 * t;
    return {x, y, distance_squared(x, y)};
}

ClosestPair closest_between_triangles(const std::array<Vec3, 3>& s, const std::array<Vec3, 3>& t) {
    ClosestPair best{{}, {}, Box::inf};
    auto take = [&best](const ClosestPair& pair) {
        if (pair.squared < best.squared) best = pair;
    };
    for (std::size_t i = 0; i < 3; ++i) {
        const Vec3 on_t = closest_point_on_triangle(s[i], t[0], t[1], t[2]);
        take({s[i], on_t, distance_squared(s[i], on_t)});
        const Vec3 on_s = closest_point_on_triangle(t[i], s[0], s[1], s[2]);
        take({on_s, t[i], distance_squared(on_s, t[i])});
        for (std::size_t j = 0; j < 3; ++j) take(closest_between_segments(s[i], s[(i + 1) % 3], t[j], t[(j + 1) % 3]));
    }
    return best;
}

}  // namespace anvilcast
