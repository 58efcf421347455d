#include <anvilcast/placement.hpp>
#include <anvilcast/surface.hpp>

#include <fmt/format.h>

#include <Eigen/LU>
#include <Eigen/SVD>
#include <cmath>
#include <numbers>
#include <utility>

namespace anvilcast {
namespace {

struct Angle {
    double cosine, sine;
};

Angle angle_of(double degrees) {
    const double quarters = std::remainder(degrees, 360.0) / 90;
    if (quarters == 0) return {1, 0};
    if (std::abs(quarters) == 2) return {-1, 0};
    if (std::abs(quarters) == 1) return {0, quarters};
    const double a = degrees * std::numbers::pi / 180;
    return {std::cos(a), std::sin(a)};
}

}  // namespace

/// Source: O. Rodrigues (1840), the rotation about an axis.
Placement Placement::turned(const Vec3& axis, double degrees, const Vec3& about) {
    const Vec3 n = normalized(axis);
    const auto [cosine, sine] = angle_of(degrees);
    Placement out;
    for (Vec3& d : out.image) d = d * cosine + cross(n, d) * sine + n * (dot(n, d) * (1 - cosine));
    out.origin = about - out.direction(about);
    return out;
}

Placement Placement::mirrored(int coordinate, double at) {
    Placement out;
    out.image[static_cast<std::size_t>(coordinate)][coordinate] = -1;
    out.origin[coordinate] = 2 * at;
    return out;
}

Screw screw_of(const Placement& placement) {
    const auto& [x, y, z] = placement.image;
    // Twice the sine along the axis; its length is small near half a turn too, where the matrix is nearly symmetric.
    const Vec3 twist{y.z - z.y, z.x - x.z, x.y - y.x};
    const double cosine = (x.x + y.y + z.z - 1) / 2, sine = length(twist) / 2;
    Screw out;
    if (sine == 0 && cosine > 0) {
        out.way = length(placement.origin);
        if (out.way > 0) out.axis = placement.origin / out.way;
        return out;
    }
    out.degrees = std::atan2(sine, cosine) * 180 / std::numbers::pi;
    if (cosine > -0.5) {
        out.axis = twist / (2 * sine);
    } else {
        // The symmetric part is cosine + (1 - cosine) n n^T: its largest column points along n.
        std::array<Vec3, 3> columns{x + Vec3{x.x, y.x, z.x}, y + Vec3{x.y, y.y, z.y}, z + Vec3{x.z, y.z, z.z}};
        int largest = 0;
        for (int k = 0; k < 3; ++k) {
            columns[static_cast<std::size_t>(k)][k] -= 2 * cosine;
            if (length(columns[static_cast<std::size_t>(k)]) > length(columns[static_cast<std::size_t>(largest)]))
                largest = k;
        }
        out.axis = normalized(columns[static_cast<std::size_t>(largest)]);
        if (dot(out.axis, twist) < 0) out.axis = out.axis * -1.0;
    }
    out.way = dot(placement.origin, out.axis);
    // The part across the axis is (1 - R) about; (1 - R) is turned back by halving it and adding its quarter turn.
    const Vec3 across = placement.origin - out.axis * out.way;
    const double half = std::tan(out.degrees * std::numbers::pi / 360);
    out.about = (across + cross(out.axis, across) / half) / 2;
    return out;
}

std::string placement_text(const Placement& placement, const LengthUnit& unit) {
    // What is left of rounding is no number to tell, nor is -0.
    auto told = [](double x) { return std::abs(x) < 1e-9 ? 0 : x; };
    auto place = [&](const Vec3& p) {
        const Vec3 q = p / unit.metres;
        return fmt::format("[{:.6g}, {:.6g}, {:.6g}] {}", told(q.x), told(q.y), told(q.z), unit.name);
    };
    if (!placement.is_turned()) return "moved by " + place(placement.origin);
    const Screw s = screw_of(placement);
    std::string text = fmt::format("turned by {:.8g} degrees round [{:.4g}, {:.4g}, {:.4g}] through {}", s.degrees,
                                   told(s.axis.x), told(s.axis.y), told(s.axis.z), place(s.about));
    if (std::abs(s.way) > 1e-9 * length(placement.origin))
        text += " and moved along it by " + format_length(s.way, unit);
    return text;
}

Placement fitted(const std::vector<Vec3>& points, const std::vector<Vec3>& images) {
    Vec3 from, to;
    const auto n = static_cast<double>(points.size());
    for (const Vec3& p : points) from += p / n;
    for (const Vec3& p : images) to += p / n;
    auto eigen = [](const Vec3& v) { return Eigen::Vector3d(v.x, v.y, v.z); };
    Eigen::Matrix3d covariance = Eigen::Matrix3d::Zero();
    for (std::size_t i = 0; i < points.size(); ++i)
        covariance += eigen(points[i] - from) * eigen(images[i] - to).transpose();
    const Eigen::JacobiSVD<Eigen::Matrix3d> svd(covariance, Eigen::ComputeFullU | Eigen::ComputeFullV);
    constexpr double kInLine = 1e-9;
    Placement out;
    if (svd.singularValues()(1) > kInLine * svd.singularValues()(0)) {
        Eigen::Matrix3d proper = Eigen::Matrix3d::Identity();
        if ((svd.matrixV() * svd.matrixU().transpose()).determinant() < 0) proper(2, 2) = -1;
        const Eigen::Matrix3d turn = svd.matrixV() * proper * svd.matrixU().transpose();
        for (int k = 0; k < 3; ++k) out.image[static_cast<std::size_t>(k)] = {turn(0, k), turn(1, k), turn(2, k)};
    }
    out.origin = to - out.direction(from);
    return out;
}

Surface placed(const Surface& surface, const Placement& placement) {
    Surface out = surface;
    for (Vec3& p : out.points) p = placement(p);
    if (placement.is_mirrored())
        for (Triangle& t : out.triangles) std::swap(t[1], t[2]);
    return out;
}

}  // namespace anvilcast
