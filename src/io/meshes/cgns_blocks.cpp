// Structured zones of CGNS files.

#include "io/meshes/cgns_reader.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace anvilcast::io {

void CgnsReader::read_block() {
    is_block_ = true;
    std::array<char, 33> name{};
    std::array<cgsize_t, 9> size{};
    file_.check(cg_zone_read(*file_, base_, zone_, name.data(), size.data()));
    double n = 1;
    for (std::size_t k = 0; k < 3; ++k) {
        if (size[k] < 2) wrong("a block is fewer than two points wide");
        n *= static_cast<double>(size[k]);
    }
    if (n + static_cast<double>(out_.points.size()) >= kNone) wrong("its sizes make no sense");
    zone_names_.emplace_back(name.data());
    first_point_ = out_.points.size();
    first_points_.push_back(first_point_);
    n_points_.push_back(static_cast<std::size_t>(n));
    block_of_.push_back(Block{{size[0], size[1], size[2]}});
    region_ = region_of_block();
    read_points({size.data(), 3});
    const Block& block = *block_of_.back();
    auto point = [&](cgsize_t i, cgsize_t j, cgsize_t k) {
        return static_cast<Index>(first_point_ + block.number({i, j, k}));
    };
    for (cgsize_t k = 1; k < size[2]; ++k)
        for (cgsize_t j = 1; j < size[1]; ++j)
            for (cgsize_t i = 1; i < size[0]; ++i) {
                for (const cgsize_t up : {k, k + 1})
                    for (const auto& [di, dj] : {std::pair{0, 0}, {1, 0}, {1, 1}, {0, 1}})
                        out_.cell_points.push_back(point(i + di, j + dj, up));
                out_.cell_offsets.push_back(out_.cell_points.size());
                out_.cell_types.push_back(CellType::hexahedron);
            }
    out_.cell_region.resize(out_.cell_types.size(), region_);
    turn_left_handed_cells(out_.cell_types.size() -
                           static_cast<std::size_t>((size[0] - 1) * (size[1] - 1) * (size[2] - 1)));
    for (const Condition& c : read_conditions()) add_block_faces(c, block);
    read_block_connections();
}

void CgnsReader::turn_left_handed_cells(std::size_t first) {
    double sum = 0;
    for (std::size_t c = first; c < out_.cell_types.size(); ++c) {
        const Index* p = out_.cell_points.data() + out_.cell_offsets[c];
        sum += tetrahedron_volume(out_.points[p[0]], out_.points[p[1]], out_.points[p[3]], out_.points[p[4]]) +
               tetrahedron_volume(out_.points[p[6]], out_.points[p[5]], out_.points[p[7]], out_.points[p[2]]);
    }
    if (sum >= 0) return;
    for (std::size_t c = first; c < out_.cell_types.size(); ++c) {
        Index* p = out_.cell_points.data() + out_.cell_offsets[c];
        std::swap_ranges(p, p + 4, p + 4);
    }
}

void CgnsReader::add_block_faces(const Condition& c, const Block& block) {
    if (c.set != PointRange || c.items.size() != 6)
        wrong(fmt::format("boundary \"{}\" of a block is not a range of points", out_.zones[c.zone].name));
    std::array<cgsize_t, 3> low{}, high{};
    int flat = c.location == IFaceCenter ? 0 : c.location == JFaceCenter ? 1 : c.location == KFaceCenter ? 2 : -1;
    for (std::size_t k = 0; k < 3; ++k) {
        low[k] = std::min(c.items[k], c.items[k + 3]);
        high[k] = std::max(c.items[k], c.items[k + 3]);
        // By faces, the range counts cells in the two directions along them.
        if (flat >= 0 && static_cast<int>(k) != flat) ++high[k];
        if (low[k] < 1 || high[k] > block.size[k])
            wrong(fmt::format("boundary \"{}\" reaches out of its block", out_.zones[c.zone].name));
    }
    for (int k = 0; k < 3 && flat < 0; ++k)
        if (low[static_cast<std::size_t>(k)] == high[static_cast<std::size_t>(k)]) flat = k;
    if (flat < 0) wrong(fmt::format("boundary \"{}\" is no side of its block", out_.zones[c.zone].name));
    const auto a = static_cast<std::size_t>((flat + 1) % 3), b = static_cast<std::size_t>((flat + 2) % 3);
    for (cgsize_t u = low[a]; u < high[a]; ++u)
        for (cgsize_t v = low[b]; v < high[b]; ++v) {
            for (const auto& [du, dv] : {std::pair{0, 0}, {1, 0}, {1, 1}, {0, 1}}) {
                std::array<cgsize_t, 3> at = low;
                at[a] = u + du;
                at[b] = v + dv;
                out_.boundary_points.push_back(static_cast<Index>(first_point_ + block.number(at)));
            }
            out_.boundary_offsets.push_back(out_.boundary_points.size());
            out_.boundary_zone.push_back(c.zone);
        }
}

Index CgnsReader::region_of_block() {
    std::array<char, 33 * 20> family{};
    file_.check(cg_goto(*file_, base_, "Zone_t", zone_, "end"));
    const std::string name = cg_famname_read(family.data()) == CG_OK ? family.data() : "fluid";
    for (Index r = 0; r < out_.regions.size(); ++r)
        if (out_.regions[r].name == name) return r;
    out_.regions.push_back({name, RegionKind::fluid});
    return static_cast<Index>(out_.regions.size() - 1);
}

void CgnsReader::read_block_connections() {
    int n = 0;
    file_.check(cg_n1to1(*file_, base_, zone_, &n));
    for (int k = 1; k <= n; ++k) {
        std::array<char, 33> name{}, donor{};
        std::array<float, 3> center{}, angle{}, way{};
        if (cg_1to1_periodic_read(*file_, base_, zone_, k, center.data(), angle.data(), way.data()) == CG_OK) continue;
        BlockConnection c;
        c.zone = zone_;
        file_.check(cg_1to1_read(*file_, base_, zone_, k, name.data(), donor.data(), c.range.data(),
                                 c.donor_range.data(), c.transform.data()));
        c.name = name.data();
        c.donor = donor.data();
        block_connections_.push_back(std::move(c));
    }
}

void CgnsReader::join_blocks(DisjointSets& same) const {
    for (const BlockConnection& c : block_connections_) {
        const auto donor = std::find(zone_names_.begin(), zone_names_.end(), c.donor);
        if (donor == zone_names_.end()) wrong(fmt::format("\"{}\" joins \"{}\", which is not there", c.name, c.donor));
        const auto other = static_cast<std::size_t>(donor - zone_names_.begin()),
                   own = static_cast<std::size_t>(c.zone - 1);
        if (!block_of_[other]) wrong(fmt::format("\"{}\" joins a block to a zone that is none", c.name));
        const Block &from = *block_of_[own], &to = *block_of_[other];
        std::array<cgsize_t, 3> at{}, step{};
        for (std::size_t d = 0; d < 3; ++d) {
            step[d] = c.range[d + 3] >= c.range[d] ? 1 : -1;
            if (std::abs(c.transform[d]) > 3) wrong(fmt::format("the directions of \"{}\" make no sense", c.name));
        }
        for (at[2] = c.range[2];; at[2] += step[2]) {
            for (at[1] = c.range[1];; at[1] += step[1]) {
                for (at[0] = c.range[0];; at[0] += step[0]) {
                    std::array<cgsize_t, 3> there{c.donor_range[0], c.donor_range[1], c.donor_range[2]};
                    for (std::size_t d = 0; d < 3; ++d)
                        if (c.transform[d] != 0)
                            there[static_cast<std::size_t>(std::abs(c.transform[d]) - 1)] +=
                                (c.transform[d] > 0 ? 1 : -1) * (at[d] - c.range[d]);
                    if (!from.has(at) || !to.has(there)) wrong(fmt::format("\"{}\" reaches out of its blocks", c.name));
                    same.join(static_cast<Index>(first_points_[own] + from.number(at)),
                              static_cast<Index>(first_points_[other] + to.number(there)));
                    if (at[0] == c.range[3]) break;
                }
                if (at[1] == c.range[4]) break;
            }
            if (at[2] == c.range[5]) break;
        }
    }
}

}  // namespace anvilcast::io
