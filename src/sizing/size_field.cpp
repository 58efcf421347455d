#include <anvilcast/errors.hpp>
#include <anvilcast/sizing.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "sizing/octree.hpp"

namespace anvilcast {
namespace {

/// Nobody fills a domain with more cells than this field has.
constexpr std::size_t kMaxOctreeCells = 60'000'000;

bool is_length(double x) { return x > 0 && std::isfinite(x); }

void validate_refinement(const Refinement& r, const SizeOptions& o) {
    auto refuse = [&](const std::string& what) {
        throw InputError(fmt::format("refinement \"{}\": {}", r.name, what));
    };
    const int places = (r.on.empty() ? 0 : 1) + (r.edges.empty() ? 0 : 1) + (r.between[0].empty() ? 0 : 1) +
                       (r.points.empty() ? 0 : 1) + (r.volume ? 1 : 0);
    if (places == 0) refuse("it does not say where: give zones, feature edges, points or a volume");
    if (places > 1) refuse("it says where in two ways; make two refinements of it");
    const int wishes = (r.size != 0 ? 1 : 0) + (r.at_least != 0 ? 1 : 0) + (r.divisions != 0 ? 1 : 0);
    if (wishes == 0) refuse("it does not say what: give a size, at_least or divisions");
    if (wishes > 1) refuse("it asks for two of size, at_least and divisions; give one");
    if (r.size != 0 && !is_length(r.size))
        refuse(fmt::format("the size is {} m; it must be a positive length", r.size));
    if (o.largest > 0 && r.size > o.largest)
        refuse(fmt::format(
            "the size, {:.6g} m, is above the largest size, {:.6g} m; at_least in a volume is for larger ones", r.size,
            o.largest));
    if (r.at_least != 0 && !is_length(r.at_least))
        refuse(fmt::format("at_least is {} m; it must be a positive length", r.at_least));
    if (r.at_least != 0 && !r.volume) refuse("at_least goes with a volume");
    if (r.divisions != 0 && r.edges.empty() && r.between[0].empty()) refuse("divisions go with feature edges");
    if (r.divisions < 0) refuse("divisions must be 1 or more");
    if (!(r.bias > 0) || !(r.bias < 1e4)) refuse("the bias, largest over smallest division, must be from 1 to 10000");
    if (r.growth != 0 && !(r.growth > 1 && r.growth <= o.growth))
        refuse(fmt::format("its growth is {:.6g}; it must be above 1 and not above that of all sizes, {:.6g}", r.growth,
                           o.growth));
    if (!(r.cells_thick >= 0) || r.cells_thick > 1000) refuse("the number of cells thick must be from 0 to 1000");
}

}  // namespace

void validate(const SizeOptions& o) {
    auto refuse = [](const std::string& what) { throw InputError(what); };
    if (o.surface == 0 && o.largest == 0)
        refuse("no size is given: a surface size or a largest size is needed, a positive length");
    if (o.surface != 0 && !is_length(o.surface))
        refuse(fmt::format("the surface size is {} m; it must be a positive length", o.surface));
    if (o.largest != 0 && !is_length(o.largest))
        refuse(fmt::format("the largest size is {} m; it must be a positive length", o.largest));
    if (o.largest > 0 && o.largest < o.surface)
        refuse(fmt::format("the largest size is {:.6g} m; it must be at least the surface size, {:.6g} m", o.largest,
                           o.surface));
    if (o.smallest != 0 && !is_length(o.smallest))
        refuse(fmt::format("the smallest size is {} m; it must be a positive length", o.smallest));
    if (o.smallest > o.surface_size())
        refuse(fmt::format("the smallest size, {:.6g} m, is above the surface size, {:.6g} m", o.smallest,
                           o.surface_size()));
    if (!(o.growth > 1) || o.growth > 4)
        refuse(fmt::format("the growth is {}; it must be above 1 and at most 4, 1.1 to 1.3 as a rule", o.growth));
    if (o.per_turn != 0 && !(o.per_turn >= 3 && o.per_turn <= 10000))
        refuse(fmt::format("per_turn is {}; it must be from 3 to 10000 edges round a full turn", o.per_turn));
    if (o.across_gaps != 0 && !(o.across_gaps >= 0.5 && o.across_gaps <= 100))
        refuse(fmt::format("across_gaps is {}; it must be from 0.5 to 100 cells", o.across_gaps));
    if (o.gap_floor != 0 && !is_length(o.gap_floor))
        refuse(fmt::format("the gap floor is {} m; it must be a positive length", o.gap_floor));
    for (const Refinement& r : o.refine) validate_refinement(r, o);
}

SizeField::SizeField(std::shared_ptr<const sizing::SizeOctree> tree, std::vector<std::string> sources)
    : trees_{std::move(tree)}, sources_(std::move(sources)) {}

double SizeField::at(const Vec3& p) const {
    double h = trees_.front()->at(p);
    for (std::size_t i = 1; i < trees_.size(); ++i) h = std::min(h, trees_[i]->at(p));
    return h;
}

Index SizeField::source_at(const Vec3& p) const { return trees_.front()->source_at(p); }
double SizeField::growth() const { return trees_.front()->growth(); }
double SizeField::largest() const {
    double h = Box::inf;
    for (const auto& tree : trees_) h = std::min(h, tree->largest());
    return h;
}
double SizeField::smallest() const {
    double h = Box::inf;
    for (const auto& tree : trees_) h = std::min(h, tree->smallest());
    return h;
}
std::size_t SizeField::n_cells() const { return trees_.front()->n_cells(); }
SizeField::Cell SizeField::cell(std::size_t i) const { return trees_.front()->cell(i); }
std::size_t SizeField::n_bytes() const {
    std::size_t n = 0;
    for (const auto& tree : trees_) n += tree->n_bytes();
    return n;
}

SizeField SizeField::smaller_of(const SizeField& a, const SizeField& b) {
    SizeField both = a;
    both.trees_.insert(both.trees_.end(), b.trees_.begin(), b.trees_.end());
    both.sources_.insert(both.sources_.end(), b.sources_.begin(), b.sources_.end());
    return both;
}

namespace {
SizeField field_of(std::vector<sizing::Piece> pieces, const Box& bounds, double largest, double growth,
                   const std::string& name) {
    sizing::Sources sources;
    sources.largest = largest;
    sources.slope = growth - 1;
    sources.largest_source = 1;
    sources.bounds = bounds;
    sources.sheets.emplace_back(std::move(pieces), growth - 1, sizing::kPlateau);
    std::vector<std::string> names{name, "largest size"};
    return {std::make_shared<sizing::SizeOctree>(sources, names, kMaxOctreeCells, Context{}), names};
}
}  // namespace

SizeField size_field_of_mesh(const Surface& mesh, const SizeOptions& options) {
    validate(options);
    std::vector<sizing::Piece> pieces;
    for (Index t = 0; t < mesh.triangles.size(); ++t) {
        const Vec3 &a = mesh.corner(t, 0), &b = mesh.corner(t, 1), &c = mesh.corner(t, 2);
        const double mean = (distance(a, b) + distance(b, c) + distance(c, a)) / 3;
        pieces.push_back({{a, b, c}, mean, 0});
    }
    double largest = options.largest > 0 ? options.largest : std::max(options.surface, mesh.bounds().diagonal());
    return field_of(std::move(pieces), mesh.bounds(), largest, options.growth, "surface mesh");
}

SizeField with_finer_surface(const SizeField& field, const Surface& mesh) {
    /// Shares of the size: from here on a triangle counts as smaller; and as what it is entered, since its edges vary.
    constexpr double kSmaller = 0.7, kEntered = 1.1;
    /// Far smaller ones stand alone or in rows, at the ends of fans for one. Round a place the number of cells goes
    /// with the third power of 1 / (growth - 1), so that sizes grow faster there: at 1.2 each takes ten thousand cells,
    /// at this about two.
    constexpr double kFarSmaller = 0.4, kGrowthThere = 1.35;
    std::vector<sizing::Piece> small, far_smaller;
    for (Index t = 0; t < mesh.triangles.size(); ++t) {
        const Vec3 &a = mesh.corner(t, 0), &b = mesh.corner(t, 1), &c = mesh.corner(t, 2);
        const double mean = (distance(a, b) + distance(b, c) + distance(c, a)) / 3;
        const double share = mean / field.at((a + b + c) / 3.0);
        if (share < kSmaller) (share < kFarSmaller ? far_smaller : small).push_back({{a, b, c}, kEntered * mean, 0});
    }
    SizeField out = field;
    auto add = [&](std::vector<sizing::Piece>& pieces, double growth) {
        if (pieces.empty()) return;
        out = SizeField::smaller_of(
            out, field_of(std::move(pieces), mesh.bounds(), field.largest(), growth, "small triangles"));
    };
    add(small, field.growth());
    add(far_smaller, std::max(field.growth(), kGrowthThere));
    return out;
}

SizeField size_field_of_places(const std::vector<Vec3>& places, const std::vector<double>& sizes, double largest,
                               double growth) {
    std::vector<sizing::Piece> pieces;
    Box box;
    double reach = 0;
    for (std::size_t i = 0; i < places.size(); ++i) {
        pieces.push_back({{places[i], places[i], places[i]}, sizes[i], 0});
        box.include(places[i]);
        reach = std::max(reach, (largest - sizes[i]) / (growth - 1));
    }
    const Vec3 margin{reach, reach, reach};
    return field_of(std::move(pieces), {box.lo - margin, box.hi + margin}, largest, growth, "places");
}

}  // namespace anvilcast
