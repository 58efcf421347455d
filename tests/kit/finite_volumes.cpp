#include "kit/finite_volumes.hpp"

#include <Eigen/Dense>
#include <Eigen/Sparse>
#include <algorithm>
#include <cmath>
#include <numbers>

namespace anvilcast::kit {
namespace {

Eigen::Vector3d eigen(const Vec3& v) { return {v.x, v.y, v.z}; }

/// Places and differences of the neighbours of each cell, boundary faces among them.
using Neighbours = std::vector<std::vector<std::pair<Vec3, double>>>;

/// Least squares, weighted by the inverse of the squared distance.
std::vector<Eigen::Vector3d> gradients(const Neighbours& neighbours) {
    std::vector<Eigen::Vector3d> out(neighbours.size());
    for (std::size_t c = 0; c < neighbours.size(); ++c) {
        Eigen::Matrix3d m = Eigen::Matrix3d::Zero();
        Eigen::Vector3d b = Eigen::Vector3d::Zero();
        for (const auto& [step, difference] : neighbours[c]) {
            const Eigen::Vector3d d = eigen(step);
            m += d * d.transpose() / d.squaredNorm();
            b += d * (difference / d.squaredNorm());
        }
        out[c] = m.ldlt().solve(b);
    }
    return out;
}

/// What lies beyond each face: a cell, or nothing; the other's centre as it is seen from here. Where sides repeat, the
/// cell is the one behind the image, for the faces of the first side; those of the second count with them.
struct Beyond {
    Index cell = kNone;
    Vec3 center;
    bool is_second = false;
};

std::vector<Beyond> beyond_faces(const VolumeMesh& mesh, const Cells& cells) {
    std::vector<Beyond> out(mesh.n_faces());
    for (std::size_t f = 0; f < mesh.n_inner_faces(); ++f)
        out[f] = {mesh.neighbour[f], cells.cell_center[mesh.neighbour[f]]};
    auto zone = [&](const std::string& name) {
        return *std::find_if(mesh.zones.begin(), mesh.zones.end(), [&](const auto& z) { return z.name == name; });
    };
    for (const PeriodicPair& pair : mesh.periodic) {
        const BoundaryZone first = zone(pair.first), second = zone(pair.second);
        for (std::size_t f = first.first_face; f < first.first_face + first.n_faces; ++f) {
            std::size_t image = second.first_face;
            const Vec3 there = pair.image(cells.face_center[f]);
            for (std::size_t g = second.first_face; g < second.first_face + second.n_faces; ++g)
                if (distance(cells.face_center[g], there) < distance(cells.face_center[image], there)) image = g;
            out[f] = {mesh.owner[image], inverse(pair.image)(cells.cell_center[mesh.owner[image]])};
            out[image].is_second = true;
        }
    }
    return out;
}

Neighbours neighbours_of(const VolumeMesh& mesh, const Cells& cells, const std::vector<double>& value,
                         const std::function<double(const Vec3&)>& on_boundary) {
    Neighbours out(mesh.n_cells());
    const std::vector<Beyond> beyond = beyond_faces(mesh, cells);
    for (std::size_t f = 0; f < mesh.n_faces(); ++f) {
        const Index own = mesh.owner[f];
        if (beyond[f].is_second) continue;
        if (beyond[f].cell == kNone) {
            out[own].emplace_back(cells.face_center[f] - cells.cell_center[own],
                                  on_boundary(cells.face_center[f]) - value[own]);
            continue;
        }
        const Index other = beyond[f].cell;
        const Vec3 step = beyond[f].center - cells.cell_center[own];
        out[own].emplace_back(step, value[other] - value[own]);
        out[other].emplace_back(-1.0 * step, value[own] - value[other]);
    }
    return out;
}

}  // namespace

Cells::Cells(const VolumeMesh& mesh)
    : face_center(mesh.n_faces()), face_area(mesh.n_faces()), cell_center(mesh.n_cells()), volume(mesh.n_cells(), 0) {
    std::vector<Vec3> inside(mesh.n_cells()), gap(mesh.n_cells());
    std::vector<double> n(mesh.n_cells(), 0), total(mesh.n_cells(), 0);
    for (std::size_t f = 0; f < mesh.n_faces(); ++f) {
        const auto p = mesh.face(f);
        Vec3 mean{}, weighted{};
        for (const Index i : p) mean += mesh.points[i] / static_cast<double>(p.size());
        double area = 0;
        for (std::size_t k = 0; k < p.size(); ++k) {
            const Vec3 &a = mesh.points[p[k]], &b = mesh.points[p[(k + 1) % p.size()]];
            const Vec3 piece = 0.5 * cross(a - mean, b - mean);
            face_area[f] += piece;
            weighted += (mean + a + b) * (length(piece) / 3);
            area += length(piece);
        }
        face_center[f] = weighted / area;
        auto visit = [&](Index c, double sense) {
            inside[c] += face_center[f];
            n[c] += 1;
            gap[c] += face_area[f] * sense;
            total[c] += length(face_area[f]);
        };
        visit(mesh.owner[f], 1);
        if (f < mesh.n_inner_faces()) visit(mesh.neighbour[f], -1);
    }
    for (std::size_t c = 0; c < mesh.n_cells(); ++c) {
        inside[c] = inside[c] / n[c];
        worst_gap = std::max(worst_gap, length(gap[c]) / total[c]);
    }
    std::vector<Vec3> weighted(mesh.n_cells());
    for (std::size_t f = 0; f < mesh.n_faces(); ++f) {
        auto visit = [&](Index c, double sense) {
            const double pyramid = sense * dot(face_center[f] - inside[c], face_area[f]) / 3;
            volume[c] += pyramid;
            weighted[c] += (0.75 * face_center[f] + 0.25 * inside[c]) * pyramid;
        };
        visit(mesh.owner[f], 1);
        if (f < mesh.n_inner_faces()) visit(mesh.neighbour[f], -1);
    }
    for (std::size_t c = 0; c < mesh.n_cells(); ++c) cell_center[c] = weighted[c] / volume[c];
}

PolyhedraFigures polyhedra_figures(const VolumeMesh& mesh) {
    const Cells cells(mesh);
    std::vector<double> angles, warps;
    std::vector<char> is_unseen(mesh.n_cells(), 0);
    for (std::size_t f = 0; f < mesh.n_faces(); ++f) {
        const double area = length(cells.face_area[f]);
        const Vec3 n = cells.face_area[f] / area;
        double farthest = 0;
        for (const Index p : mesh.face(f))
            farthest = std::max(farthest, std::abs(dot(mesh.points[p] - cells.face_center[f], n)));
        warps.push_back(farthest / std::sqrt(area));
        if (!(dot(n, cells.face_center[f] - cells.cell_center[mesh.owner[f]]) > 0)) is_unseen[mesh.owner[f]] = 1;
        if (f >= mesh.n_inner_faces()) continue;
        if (!(dot(n, cells.face_center[f] - cells.cell_center[mesh.neighbour[f]]) < 0))
            is_unseen[mesh.neighbour[f]] = 1;
        const Vec3 d = cells.cell_center[mesh.neighbour[f]] - cells.cell_center[mesh.owner[f]];
        angles.push_back(std::atan2(length(cross(n, d)), dot(n, d)) * 180 / std::numbers::pi);
    }
    auto thousandth = [](std::vector<double>& list) {
        const std::size_t k = list.size() - 1 - list.size() / 1000;
        std::nth_element(list.begin(), list.begin() + static_cast<std::ptrdiff_t>(k), list.end());
        return list[k];
    };
    const auto n = static_cast<double>(mesh.n_cells());
    return {thousandth(angles), thousandth(warps),
            static_cast<double>(std::count(is_unseen.begin(), is_unseen.end(), 1)) / n,
            static_cast<double>(mesh.n_faces() + mesh.n_inner_faces()) / n};
}

double linear_gradient_error(const VolumeMesh& mesh) {
    const Cells cells(mesh);
    const Vec3 slope = normalized({0.3, -0.5, 0.8});
    auto linear = [&](const Vec3& p) { return dot(slope, p); };
    std::vector<double> value(mesh.n_cells());
    std::transform(cells.cell_center.begin(), cells.cell_center.end(), value.begin(), linear);
    double worst = 0;
    for (const Eigen::Vector3d& g : gradients(neighbours_of(mesh, cells, value, linear)))
        worst = std::max(worst, (g - eigen(slope)).norm());
    return worst;
}

double poisson_error(const VolumeMesh& mesh, const std::function<double(const Vec3&)>& exact,
                     const std::function<double(const Vec3&)>& source) {
    constexpr int kCorrections = 12;
    const Cells cells(mesh);
    const auto n = static_cast<Eigen::Index>(mesh.n_cells());
    // The part of a face's area vector along the line of centres, so long that the rest is at right angles to it.
    std::vector<double> conductance(mesh.n_faces(), 0);
    std::vector<Vec3> rest(mesh.n_faces());
    // Nothing passes through symmetry planes.
    std::vector<char> is_shut(mesh.n_faces(), 0);
    for (const BoundaryZone& zone : mesh.zones)
        if (zone.role == Role::symmetry)
            std::fill_n(is_shut.begin() + static_cast<std::ptrdiff_t>(zone.first_face), zone.n_faces, 1);
    const std::vector<Beyond> beyond = beyond_faces(mesh, cells);
    for (std::size_t f = 0; f < mesh.n_faces(); ++f)
        if (beyond[f].is_second) is_shut[f] = 1;
    std::vector<Eigen::Triplet<double>> entries;
    Eigen::VectorXd right = Eigen::VectorXd::Zero(n);
    for (std::size_t f = 0; f < mesh.n_faces(); ++f) {
        if (is_shut[f] != 0) continue;
        const Index own = mesh.owner[f];
        const bool is_inner = beyond[f].cell != kNone;
        const Vec3 d = (is_inner ? beyond[f].center : cells.face_center[f]) - cells.cell_center[own];
        conductance[f] = dot(cells.face_area[f], cells.face_area[f]) / dot(cells.face_area[f], d);
        rest[f] = cells.face_area[f] - d * conductance[f];
        entries.emplace_back(own, own, conductance[f]);
        if (is_inner) {
            const Index other = beyond[f].cell;
            entries.emplace_back(other, other, conductance[f]);
            entries.emplace_back(own, other, -conductance[f]);
            entries.emplace_back(other, own, -conductance[f]);
        } else {
            right[own] += conductance[f] * exact(cells.face_center[f]);
        }
    }
    for (std::size_t c = 0; c < mesh.n_cells(); ++c)
        right[static_cast<Eigen::Index>(c)] += source(cells.cell_center[c]) * cells.volume[c];
    Eigen::SparseMatrix<double> matrix(n, n);
    matrix.setFromTriplets(entries.begin(), entries.end());
    Eigen::ConjugateGradient<Eigen::SparseMatrix<double>, Eigen::Lower | Eigen::Upper> solver(matrix);
    solver.setTolerance(1e-10);
    std::vector<double> value(mesh.n_cells(), 0);
    Eigen::VectorXd now = Eigen::VectorXd::Zero(n);
    for (int k = 0; k < kCorrections; ++k) {
        Eigen::VectorXd b = right;
        if (k > 0) {
            const auto slope = gradients(neighbours_of(mesh, cells, value, exact));
            for (std::size_t f = 0; f < mesh.n_faces(); ++f) {
                if (is_shut[f] != 0) continue;
                const Index own = mesh.owner[f];
                if (beyond[f].cell == kNone) {
                    b[own] += slope[own].dot(eigen(rest[f]));
                    continue;
                }
                const Index other = beyond[f].cell;
                const double flux = 0.5 * (slope[own] + slope[other]).dot(eigen(rest[f]));
                b[own] += flux;
                b[other] -= flux;
            }
        }
        now = solver.solveWithGuess(b, now);
        for (std::size_t c = 0; c < value.size(); ++c) value[c] = now[static_cast<Eigen::Index>(c)];
    }
    double sum = 0, total = 0;
    for (std::size_t c = 0; c < value.size(); ++c) {
        sum += std::pow(value[c] - exact(cells.cell_center[c]), 2) * cells.volume[c];
        total += cells.volume[c];
    }
    return std::sqrt(sum / total);
}

}  // namespace anvilcast::kit
