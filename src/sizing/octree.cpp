// Sheets of pieces, each with a size, and volumes come in; out comes an octree with a size at the corners of its
// leaves.
// 1. From the whole domain downwards a cell is divided until it is fine enough for what rules in it: at most kAtWalls
//    sizes wide where a wall runs through it, and as wide as interpolation between its corners stays within
//    kInterpolationError of the size in its middle.
// 2. What can rule in a cell (branches of the sheets' box trees, volumes) is narrowed down on the way, so that a small
//    cell looks at little. What would lower a size by less than kWorthIt is not looked into.
// 3. The top is grown breadth first, then its branches side by side; grafted in order they are the same tree on any
//    number of threads.
// It ends because cells halve and no cell below kDeepest is divided; a budget of cells bounds what is asked for in
// vain. Sizes are in single precision and rounded; nothing topological rests on them.

#include "sizing/octree.hpp"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <anvilcast/triangle_tree.hpp>
#include <atomic>
#include <cmath>
#include <map>
#include <memory>
#include <numeric>
#include <unordered_map>

namespace anvilcast::sizing {
namespace {

constexpr double kSqrt3 = 1.7320508075688772;
/// The size in the middle of a cell may be off by this share.
constexpr double kInterpolationError = 0.05;

/// A cell that a wall runs through is at most so many sizes wide.
constexpr double kAtWalls = 1.5;
/// What could lower a size by less than one in fifty is not looked into: inside of a ball all of its wall is as near.
constexpr double kWorthIt = 0.98;

/// A part of a sheet's box tree that can rule in a cell.
struct Candidate {
    Index sheet, node;
    double least;  ///< size that it asks for anywhere in the cell
};

struct Sample {
    float size;
    Index source;
};
using Corners = std::array<Sample, 8>;

/// What can rule in a cell, or in the one that it is an eighth of.
struct Rulers {
    std::vector<Candidate> sheets;  ///< sorted, the least size first
    std::vector<Index> volumes;
    double smallest = 0;  ///< no size below that
};

struct Cell {
    Vec3 lo;
    double width;
    std::array<std::uint32_t, 4> place;
    Corners corners;
    std::shared_ptr<const Rulers> rulers;  ///< its own, or those of the cell that it is an eighth of

    Vec3 center() const { return lo + Vec3{width, width, width} * 0.5; }
    Box box() const { return {lo, lo + Vec3{width, width, width}}; }
};

double gap_between(const Box& a, const Box& b) {
    double sum = 0;
    for (int i = 0; i < 3; ++i) {
        const double d = std::max({a.lo[i] - b.hi[i], 0.0, b.lo[i] - a.hi[i]});
        sum += d * d;
    }
    return std::sqrt(sum);
}

double reach_between(const Box& a, const Box& b) {
    double sum = 0;
    for (int i = 0; i < 3; ++i) {
        const double d = std::max(a.hi[i] - b.lo[i], b.hi[i] - a.lo[i]);
        sum += d * d;
    }
    return std::sqrt(sum);
}

/// What a branch of the octree comes to, numbered on its own.
struct Branch {
    std::vector<Index> nodes;
    std::vector<std::array<float, 8>> sizes;
    std::vector<Index> source;
    std::vector<char> at_wall;
    std::vector<std::array<std::uint32_t, 4>> place;
};

/// More cells than may be: whoever counts that far first ends the work of all, so it says nothing about where.
struct OverBudget {};

class Builder {
  public:
    struct Limits {
        std::size_t max_cells;
        unsigned deepest;
        std::atomic<std::size_t> n_cells = 0;
    };
    Builder(const Sources& sources, Limits& limits, const Context& context)
        : s_(sources), limits_(limits), context_(context) {}

    Cell root(const Vec3& lo, double width) {
        Cell cell{lo, width, {0, 0, 0, 0}, {}, {}};
        cell.corners.fill({std::numeric_limits<float>::infinity(), kNone});
        Rulers all;
        for (Index sheet = 0; sheet < s_.sheets.size(); ++sheet) all.sheets.push_back({sheet, 0, 0});
        for (Index v = 0; v < s_.volumes.size(); ++v) all.volumes.push_back(v);
        cell.rulers = std::make_shared<const Rulers>(std::move(all));
        for (unsigned i = 0; i < 8; ++i) cell.corners[i] = sample(corner(cell, i), cell);
        return cell;
    }

    /// Divides a cell as long as needed and appends it; the node at `slot` becomes the root of it.
    void grow(Cell&& cell, Index slot, Branch& out) {
        if (!is_leaf(cell)) {
            const auto first = static_cast<Index>(out.nodes.size());
            out.nodes.resize(first + 8);
            out.nodes[slot] = first;
            auto children = divide(cell);
            cell = {};
            for (Index i = 0; i < 8; ++i) grow(std::move(children[i]), first + i, out);
            return;
        }
        add_leaf(cell, slot, out);
    }

    /// Is the cell fine enough for what rules in it? Seven cells of eight are, most of them by what is known from the
    /// cell that they are an eighth of; one that is to be divided has its own rulers afterwards.
    bool is_leaf(Cell& cell) {
        const double wall_size = find_wall(cell);
        if (cell.place[3] >= limits_.deepest) return true;
        const double least = least_corner(cell);
        if (cell.width <= std::min(kAtWalls * wall_size, 2 * std::min(cell.rulers->smallest, least))) {
            if (is_even(cell)) return true;
            narrow(cell);
            return false;
        }
        narrow(cell);
        if (cell.width > kAtWalls * wall_size) return false;
        if (cell.rulers->smallest == Box::inf) return true;  // the largest size, all over
        return cell.width <= 2 * std::min(cell.rulers->smallest, least) && is_even(cell);
    }

    /// What asks for the smallest size in a cell, and about how many cells that comes to.
    std::pair<Index, double> demand(const Cell& cell) {
        if (const double at_wall = find_wall(cell); wall_source_ != kNone)
            return {wall_source_, std::pow(cell.width / at_wall, 2)};
        const Sample& least = *std::min_element(cell.corners.begin(), cell.corners.end(),
                                                [](const Sample& a, const Sample& b) { return a.size < b.size; });
        return {least.source, std::pow(cell.width / double{least.size}, 3)};
    }

    std::vector<Cell> divide(const Cell& cell) {
        // The 27 places of the cell's halves: its corners are known, the rest is asked for once.
        std::array<Sample, 27> lattice;
        for (unsigned i = 0; i < 27; ++i) {
            const unsigned x = i % 3, y = i / 3 % 3, z = i / 9;
            if (x != 1 && y != 1 && z != 1)
                lattice[i] = cell.corners[x / 2 + y / 2 * 2 + z / 2 * 4];
            else
                lattice[i] = sample_halves({x, y, z}, cell);
        }
        std::vector<Cell> children(8);
        const std::uint32_t half = std::uint32_t{1} << (limits_.deepest - cell.place[3] - 1);
        for (unsigned c = 0; c < 8; ++c) {
            const unsigned x = c & 1U, y = c >> 1U & 1U, z = c >> 2U;
            Cell& child = children[c];
            child.width = 0.5 * cell.width;
            child.lo = cell.lo + Vec3{double(x), double(y), double(z)} * child.width;
            child.place = {cell.place[0] + x * half, cell.place[1] + y * half, cell.place[2] + z * half,
                           cell.place[3] + 1};
            for (unsigned i = 0; i < 8; ++i)
                child.corners[i] = lattice[x + (i & 1U) + 3 * (y + (i >> 1U & 1U)) + 9 * (z + (i >> 2U))];
            child.rulers = cell.rulers;
        }
        return children;
    }

    void add_leaf(const Cell& cell, Index slot, Branch& out) {
        const Sample* least = &cell.corners[0];
        std::array<float, 8> sizes;
        for (std::size_t i = 0; i < 8; ++i) {
            sizes[i] = cell.corners[i].size;
            if (sizes[i] < least->size) least = &cell.corners[i];
        }
        out.nodes[slot] = SizeOctree::kLeafBit | static_cast<Index>(out.sizes.size());
        out.sizes.push_back(sizes);
        out.source.push_back(wall_source_ != kNone ? wall_source_ : least->source);
        out.at_wall.push_back(wall_source_ != kNone ? 1 : 0);
        out.place.push_back(cell.place);
        count(out);
    }

  private:
    static Vec3 corner(const Cell& cell, unsigned i) {
        return cell.lo + Vec3{double(i & 1U), double(i >> 1U & 1U), double(i >> 2U)} * cell.width;
    }

    static double least_corner(const Cell& cell) {
        double least = Box::inf;
        for (const Sample& c : cell.corners) least = std::min(least, double{c.size});
        return least;
    }

    /// At a place of the lattice that a cell's corners and the middles between them form. Cells beside each other share
    /// most of it.
    Sample sample_halves(const std::array<unsigned, 3>& halves, const Cell& cell) {
        constexpr std::uint64_t kPlaces = (std::uint64_t{1} << SizeOctree::kDeepest) + 1;
        const std::uint64_t half = std::uint64_t{1} << (limits_.deepest - cell.place[3] - 1);
        std::uint64_t key = 0;
        for (std::size_t i = 3; i-- > 0;) key = key * kPlaces + cell.place[i] + halves[i] * half;
        const auto [known, is_new] = known_.try_emplace(key);
        if (is_new) {
            const Vec3 step{double(halves[0]), double(halves[1]), double(halves[2])};
            known->second = sample(cell.lo + step * (0.5 * cell.width), cell);
        }
        return known->second;
    }

    void count(const Branch& out) {
        constexpr std::size_t kStep = 4096;
        if (out.sizes.size() % kStep != 0) return;
        context_.check_stop();
        if ((limits_.n_cells += kStep) > limits_.max_cells) throw OverBudget{};
    }

    double cap(const Vec3& p) const {
        double h = s_.largest;
        for (const CoarseVolume& c : s_.coarse) {
            const double depth = -c.volume->distance(p);
            if (depth > 0 && c.at_least > h) h = std::min(c.at_least, s_.largest + s_.slope * depth);
        }
        return h;
    }

    /// The size at a place of the cell. Ties go to the source with the lower number.
    Sample sample(const Vec3& p, const Cell& cell) const {
        // No more than what the corners allow, with room for their rounding; something is found below that.
        double best = Box::inf;
        for (unsigned i = 0; i < 8; ++i)
            best = std::min(
                best, (double{cell.corners[i].size} * 1.000001 + s_.slope * distance(p, corner(cell, i))) / kWorthIt);
        Index source = kNone;
        const double most = cap(p);
        if (most <= best) {
            best = most;
            source = s_.largest_source;
        }
        auto take = [&](double h, Index from) {
            if (h < best || (h == best && from < source)) {
                best = h;
                source = from;
            }
        };
        for (const Index v : cell.rulers->volumes) {
            const VolumeSource& volume = s_.volumes[v];
            if (volume.size <= best) take(volume.at(volume.volume->distance(p)), volume.source);
        }
        for (const Candidate& c : cell.rulers->sheets) {
            if (c.least > kWorthIt * best) break;
            sample_node(s_.sheets[c.sheet], c.node, p, best, take);
        }
        return {static_cast<float>(best), source};
    }
    template <typename Take>
    void sample_node(const Sheet& sheet, Index at, const Vec3& p, const double& best, const Take& take) const {
        const Sheet::Node& node = sheet.node(at);
        if (node.smallest > best) return;
        if (sheet.grown(node.smallest, std::sqrt(node.box.distance_squared_to(p))) > kWorthIt * best) return;
        if (node.count == 0) {
            Index near = at + 1, far = node.first;
            if (sheet.node(far).box.distance_squared_to(p) < sheet.node(near).box.distance_squared_to(p))
                std::swap(near, far);
            sample_node(sheet, near, p, best, take);
            sample_node(sheet, far, p, best, take);
            return;
        }
        for (Index i = node.first; i < node.first + node.count; ++i) {
            const Piece& piece = sheet.piece(i);
            if (piece.size > best) continue;
            const Vec3 q = closest_point_on_triangle(p, piece.corners[0], piece.corners[1], piece.corners[2]);
            take(sheet.grown(piece.size, distance(p, q)), piece.source);
        }
    }

    double least_of_pieces(const Sheet& sheet, const Sheet::Node& node, const Cell& cell) const {
        const Vec3 center = cell.center();
        const double half = 0.5 * kSqrt3 * cell.width;
        double least = Box::inf;
        for (Index i = node.first; i < node.first + node.count; ++i) {
            const Piece& piece = sheet.piece(i);
            const Vec3 q = closest_point_on_triangle(center, piece.corners[0], piece.corners[1], piece.corners[2]);
            least = std::min(least, sheet.grown(piece.size, std::max(0.0, distance(center, q) - half)));
        }
        return least;
    }

    /// Keeps what can rule somewhere in the cell, in parts not larger than half of it or of their distance.
    void narrow(Cell& cell) {
        const Box box = cell.box();
        Rulers own;
        own.smallest = Box::inf;
        std::vector<Candidate> parts;
        std::vector<Candidate> open(cell.rulers->sheets.rbegin(), cell.rulers->sheets.rend());
        double most = s_.largest;
        for (const CoarseVolume& c : s_.coarse) most = std::max(most, c.at_least);
        // The field grows by at most the slope over half the cell's diagonal from its middle, and over all of it from a
        // corner.
        const double half = 0.5 * kSqrt3 * cell.width;
        most = std::min(most, double{sample_halves({1, 1, 1}, cell).size} * (1 + 1e-6) + s_.slope * half);
        for (const Sample& corner : cell.corners)
            most = std::min(most, double{corner.size} * (1 + 1e-6) + s_.slope * 2 * half);
        while (!open.empty()) {
            const Candidate c = open.back();
            open.pop_back();
            const Sheet& sheet = s_.sheets[c.sheet];
            const Sheet::Node& node = sheet.node(c.node);
            const double gap = gap_between(box, node.box);
            double least = sheet.grown(node.smallest, gap);
            // What runs through the cell stays, whether it rules or not: it tells where walls are.
            if (least > most && gap > 0) continue;
            // Parts far away may be larger: the size that they ask for here varies no more for that.
            const double part = 0.5 * std::max(cell.width, gap);
            if (node.count == 0 && length_squared(node.box.extent()) > part * part) {
                open.push_back({c.sheet, node.first, 0});
                open.push_back({c.sheet, c.node + 1, 0});
                continue;
            }
            // The box of a large slanting triangle says little.
            if (node.count > 0 && length_squared(node.box.extent()) > part * part) {
                least = least_of_pieces(sheet, node, cell);
                if (least > most && gap > 0) continue;
            }
            most = std::min(most, sheet.grown(node.largest, reach_between(box, node.box)));
            parts.push_back({c.sheet, c.node, least});
        }
        for (const Candidate& c : parts)
            if (c.least <= most || s_.sheets[c.sheet].node(c.node).box.overlaps(box)) own.sheets.push_back(c);
        std::sort(own.sheets.begin(), own.sheets.end(), [](const Candidate& a, const Candidate& b) {
            return a.least != b.least ? a.least < b.least : a.sheet != b.sheet ? a.sheet < b.sheet : a.node < b.node;
        });
        if (!own.sheets.empty() && can_lower(own.sheets.front().least)) own.smallest = own.sheets.front().least;
        const Vec3 center = cell.center();
        for (const Index v : cell.rulers->volumes) {
            const double d = s_.volumes[v].volume->distance(center), least = s_.volumes[v].at(d - half);
            if (least > most) continue;
            own.volumes.push_back(v);
            if (can_lower(least)) own.smallest = std::min(own.smallest, least);
        }
        cell.rulers = std::make_shared<const Rulers>(std::move(own));
    }

    /// Against the largest size; where that may be passed, everything counts.
    bool can_lower(double size) const { return size < s_.largest || !s_.coarse.empty(); }

    /// Is the size in the middle what interpolation between the corners says? In small cells it hardly matters.
    bool is_even(const Cell& cell) {
        if (cell.width <= least_corner(cell)) return true;
        double mean = 0;
        for (const Sample& c : cell.corners) mean += 0.125 * double{c.size};
        const double middle = double{sample_halves({1, 1, 1}, cell).size};
        return std::abs(middle - mean) <= kInterpolationError * middle;
    }

    /// The smallest size among the pieces that run through the cell; its source is kept.
    double find_wall(const Cell& cell) {
        wall_source_ = kNone;
        double smallest = Box::inf;
        for (const Candidate& c : cell.rulers->sheets) find_wall(s_.sheets[c.sheet], c.node, cell, smallest);
        return smallest;
    }
    void find_wall(const Sheet& sheet, Index at, const Cell& cell, double& smallest) {
        const Sheet::Node& node = sheet.node(at);
        if (node.smallest >= smallest || !node.box.overlaps(cell.box())) return;
        if (node.count == 0) {
            find_wall(sheet, at + 1, cell, smallest);
            find_wall(sheet, node.first, cell, smallest);
            return;
        }
        const Vec3 center = cell.center();
        for (Index i = node.first; i < node.first + node.count; ++i) {
            const Piece& piece = sheet.piece(i);
            if (piece.size >= smallest) continue;
            const Vec3 off =
                closest_point_on_triangle(center, piece.corners[0], piece.corners[1], piece.corners[2]) - center;
            // A wall may pass through a corner of the cell though its closest point lies outside: in a large cell it
            // must not be missed.
            const bool is_near =
                cell.width > 2 * kAtWalls * piece.size
                    ? length_squared(off) <= 0.75 * cell.width * cell.width
                    : std::max({std::abs(off.x), std::abs(off.y), std::abs(off.z)}) <= 0.5 * cell.width;
            if (!is_near) continue;
            smallest = piece.size;
            wall_source_ = piece.source;
        }
    }

    const Sources& s_;
    Limits& limits_;
    const Context& context_;
    Index wall_source_ = kNone;  // of the cell looked at last
    std::unordered_map<std::uint64_t, Sample> known_;
};

/// So many branches are grown side by side; the number does not depend on that of threads.
constexpr std::size_t kBranches = 512;

/// Puts a branch, whose root is its node 0, where the trunk has a slot for it.
void graft(const Branch& branch, Index slot, Branch& trunk) {
    const auto first_node = static_cast<Index>(trunk.nodes.size()), first_leaf = static_cast<Index>(trunk.sizes.size());
    auto renumbered = [&](Index node) {
        return (node & SizeOctree::kLeafBit) != 0 ? node + first_leaf : node - 1 + first_node;
    };
    trunk.nodes[slot] = renumbered(branch.nodes[0]);
    for (std::size_t k = 1; k < branch.nodes.size(); ++k) trunk.nodes.push_back(renumbered(branch.nodes[k]));
    trunk.sizes.insert(trunk.sizes.end(), branch.sizes.begin(), branch.sizes.end());
    trunk.source.insert(trunk.source.end(), branch.source.begin(), branch.source.end());
    trunk.at_wall.insert(trunk.at_wall.end(), branch.at_wall.begin(), branch.at_wall.end());
    trunk.place.insert(trunk.place.end(), branch.place.begin(), branch.place.end());
}

/// The same message on any number of threads: from what was known before the branches were grown.
[[noreturn]] void refuse(const std::map<Index, double>& demands, const std::vector<std::string>& names,
                         std::size_t max_cells) {
    const auto most = std::max_element(demands.begin(), demands.end(),
                                       [](const auto& a, const auto& b) { return a.second < b.second; });
    throw FailureError(
        fmt::format("the sizes asked for are far too small for this domain: more than {} cells of the size field "
                    "alone, most of them for \"{}\"; ask for larger sizes there",
                    max_cells, names[most->first]));
}

}  // namespace

SizeOctree::SizeOctree(const Sources& sources, const std::vector<std::string>& names, std::size_t max_cells,
                       const Context& context)
    : growth_(1 + sources.slope) {
    const Vec3 extent = sources.bounds.extent();
    width_ = 1.02 * std::max({extent.x, extent.y, extent.z, 1e-300});
    lo_ = sources.bounds.center() - Vec3{width_, width_, width_} * 0.5;
    finest_per_metre_ = (1U << kDeepest) / width_;

    // The top, breadth first, until there are branches enough to grow side by side.
    Builder::Limits limits{max_cells, kDeepest};
    Builder top(sources, limits, context);
    Branch all;
    all.nodes.resize(1);
    std::vector<std::pair<Cell, Index>> open;
    open.emplace_back(top.root(lo_, width_), 0);
    while (!open.empty() && open.size() < kBranches) {
        std::vector<std::pair<Cell, Index>> next;
        for (auto& [cell, slot] : open) {
            if (top.is_leaf(cell)) {
                top.add_leaf(cell, slot, all);
                continue;
            }
            const auto first = static_cast<Index>(all.nodes.size());
            all.nodes.resize(first + 8);
            all.nodes[slot] = first;
            auto children = top.divide(cell);
            for (Index i = 0; i < 8; ++i) next.emplace_back(std::move(children[i]), first + i);
        }
        open = std::move(next);
    }

    std::map<Index, double> demands;
    for (const auto& [cell, slot] : open) {
        const auto [source, n] = top.demand(cell);
        demands[source] += n;
    }
    std::vector<Branch> branches(open.size());
    try {
        tbb::parallel_for(std::size_t{0}, open.size(), [&](std::size_t i) {
            branches[i].nodes.resize(1);
            Builder(sources, limits, context).grow(std::move(open[i].first), 0, branches[i]);
        });
    } catch (const OverBudget&) {
        refuse(demands, names, max_cells);
    }
    const std::size_t n_leaves = std::accumulate(branches.begin(), branches.end(), all.sizes.size(),
                                                 [](std::size_t n, const Branch& b) { return n + b.sizes.size(); });
    if (n_leaves > max_cells && !demands.empty()) refuse(demands, names, max_cells);
    for (std::size_t i = 0; i < branches.size(); ++i) {
        graft(branches[i], open[i].second, all);
        branches[i] = {};
    }
    nodes_ = std::move(all.nodes);
    sizes_ = std::move(all.sizes);
    source_ = std::move(all.source);
    at_wall_.assign(all.at_wall.begin(), all.at_wall.end());
    place_ = std::move(all.place);
    constexpr std::size_t kSide = 1U << kTopLevels;
    top_.resize(kSide * kSide * kSide);
    for (std::uint32_t i = 0; i < top_.size(); ++i) {
        Entry entry{nodes_[0], kDeepest};
        for (unsigned level = kTopLevels; level > 0 && (entry.node & kLeafBit) == 0; --level) {
            --entry.bit;
            entry.node = nodes_[entry.node + (i >> (level - 1) & 1U) + 2 * (i >> (kTopLevels + level - 1) & 1U) +
                                4 * (i >> (2 * kTopLevels + level - 1) & 1U)];
        }
        top_[i] = entry;
    }
    float smallest = std::numeric_limits<float>::infinity(), largest = 0;
    for (const auto& corners : sizes_)
        for (const float h : corners) {
            smallest = std::min(smallest, h);
            largest = std::max(largest, h);
        }
    smallest_ = double{smallest};
    largest_ = double{largest};
}

SizeOctree::Place SizeOctree::leaf_at(const Vec3& p) const {
    constexpr auto kFinest = double{1U << kDeepest};
    std::array<double, 3> at;
    std::array<std::uint32_t, 3> key;
    for (int i = 0; i < 3; ++i) {
        at[static_cast<std::size_t>(i)] = std::clamp((p[i] - lo_[i]) * finest_per_metre_, 0.0, kFinest * (1 - 1e-12));
        key[static_cast<std::size_t>(i)] = static_cast<std::uint32_t>(at[static_cast<std::size_t>(i)]);
    }
    constexpr unsigned kTop = kDeepest - kTopLevels;
    auto [node, bit] = top_[(key[2] >> kTop << 2 * kTopLevels) + (key[1] >> kTop << kTopLevels) + (key[0] >> kTop)];
    while ((node & kLeafBit) == 0) {
        --bit;
        node = nodes_[node + (key[0] >> bit & 1U) + 2 * (key[1] >> bit & 1U) + 4 * (key[2] >> bit & 1U)];
    }
    Place place{node & ~kLeafBit, {}};
    const std::uint32_t width = std::uint32_t{1} << bit;
    for (std::size_t i = 0; i < 3; ++i)
        place.fraction[i] = static_cast<float>((at[i] - static_cast<double>(key[i] & ~(width - 1))) / width);
    return place;
}

double SizeOctree::at(const Vec3& p) const {
    const Place place = leaf_at(p);
    const auto& h = sizes_[place.leaf];
    const auto [x, y, z] = place.fraction;
    auto mix = [](float a, float b, float t) { return a + t * (b - a); };
    return double{
        mix(mix(mix(h[0], h[1], x), mix(h[2], h[3], x), y), mix(mix(h[4], h[5], x), mix(h[6], h[7], x), y), z)};
}

SizeField::Cell SizeOctree::cell(std::size_t i) const {
    const double finest = width_ / (1U << kDeepest);
    const auto& [x, y, z, depth] = place_[i];
    return {lo_ + Vec3{double(x), double(y), double(z)} * finest, width_ / static_cast<double>(1U << depth), sizes_[i],
            source_[i], at_wall_[i]};
}

std::size_t SizeOctree::n_bytes() const {
    return nodes_.capacity() * sizeof(Index) + sizes_.capacity() * sizeof(sizes_[0]) +
           source_.capacity() * sizeof(Index) + at_wall_.capacity() / 8 + place_.capacity() * sizeof(place_[0]) +
           top_.capacity() * sizeof(Entry);
}

}  // namespace anvilcast::sizing
