#include "layers/assignment.hpp"

#include <anvilcast/errors.hpp>
#include <anvilcast/naming.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "domain/facing_sides.hpp"

namespace anvilcast {
namespace layers {
namespace {

[[noreturn]] void refuse(const LayerRecipe& recipe, const std::string& what) {
    throw InputError(recipe.line > 0 ? fmt::format("line {}: [[layers]]: {}", recipe.line, what)
                                     : fmt::format("layers: {}", what));
}

void check_patterns(const Surface& surface, std::span<const Region> all_regions, const LayerRequest& request) {
    for (const LayerRecipe& r : request.recipes) {
        std::vector<std::string> names, regions;
        for (const Zone& z : surface.zones) {
            names.push_back(z.name);
            if (!z.other_name.empty()) names.push_back(z.other_name);
        }
        for (const Region& region : all_regions) regions.push_back(region.name);
        auto check = [&](const std::vector<std::string>& patterns, const std::vector<std::string>& all,
                         const char* what) {
            for (const std::string& p : patterns)
                if (std::none_of(all.begin(), all.end(), [&p](const auto& n) { return matches_pattern(n, p); }))
                    refuse(r, fmt::format("\"{}\" fits no {}; there are {}", p, what, fmt::join(all, ", ")));
        };
        check(r.on, names, "zone");
        check(r.in, regions, "region");
        if (!(r.squeeze_to > 0 && r.squeeze_to <= 1))
            refuse(r, fmt::format("squeeze_to is {}; it must be above 0 and at most 1", r.squeeze_to));
    }
}

}  // namespace

Assignment assign(const Surface& s, std::span<const std::array<Index, 2>> sides, std::span<const Region> regions,
                  const SizeField& sizes, const LayerRequest& request) {
    check_patterns(s, regions, request);
    Assignment out;
    out.recipe_of_side.assign(2 * s.triangles.size(), kNone);
    out.stack_of_side.assign(2 * s.triangles.size(), kNone);
    std::vector<bool> is_used(request.recipes.size(), false);
    std::map<std::array<Index, 2>, Index> known;  // zone and region
    std::vector<double> size_sum;
    for (Index side = 0; side < out.recipe_of_side.size(); ++side) {
        const Index t = side / 2, region = sides[t][side & 1U];
        if (region == kNone) continue;
        const Zone& zone = s.zones[s.zone_of[t]];
        // `name` is what the region behind calls an interface.
        const std::string& name = (side & 1U) == 0 && !zone.other_name.empty() ? zone.other_name : zone.name;
        const Index other = sides[t][1 - (side & 1U)];
        const auto beyond = other == kNone ? std::nullopt : std::optional(regions[other].kind);
        const auto recipe = recipe_for(request.recipes, name, zone.role, regions[region], beyond);
        if (!recipe) continue;
        is_used[*recipe] = true;
        out.recipe_of_side[side] = *recipe;
        const auto [at, is_new] = known.try_emplace({s.zone_of[t], region}, static_cast<Index>(out.zones.size()));
        if (is_new) {
            out.zones.emplace_back();
            out.zones.back().zone = s.zone_of[t];
            out.zones.back().region = region;
            size_sum.push_back(0);
        }
        out.stack_of_side[side] = at->second;
        const Vec3 &a = s.corner(t, 0), &b = s.corner(t, 1), &c = s.corner(t, 2);
        const double area = triangle_area(a, b, c);
        out.zones[at->second].area += area;
        size_sum[at->second] += area * sizes.at((a + b + c) / 3.0);
    }
    for (std::size_t r = 0; r < is_used.size(); ++r)
        if (!is_used[r])
            refuse(
                request.recipes[r],
                "it lands on no face: without \"on\" it means the walls of the fluids, and what an earlier recipe is "
                "for is taken; name zones with on = [\"zone*\"] and regions with in = [\"region*\"]");
    out.stacks.resize(out.zones.size());
    for (std::size_t z = 0; z < out.zones.size(); ++z) out.size_of_stack.push_back(size_sum[z] / out.zones[z].area);
    for (Index side = 0; side < out.recipe_of_side.size(); ++side) {
        const Index z = out.stack_of_side[side];
        if (z == kNone || out.stacks[z].count > 0) continue;
        const LayerRecipe& recipe = request.recipes[out.recipe_of_side[side]];
        try {
            out.stacks[z] = solve_stack(recipe, size_sum[z] / out.zones[z].area, request.wall, request.y_plus_at);
        } catch (const InputError& e) {
            refuse(recipe, e.what());
        }
        if (out.stacks[z].total > s.bounds().diagonal())
            refuse(recipe, fmt::format("the stack on zone \"{}\" would be {:.4g} m high, more than the whole model "
                                       "({:.4g} m): is the unit right?",
                                       s.zones[out.zones[z].zone].name, out.stacks[z].total, s.bounds().diagonal()));
        out.zones[z].asked = out.stacks[z];
    }
    return out;
}

bool goes_on_behind(const Surface& surface, std::span<const std::array<Index, 2>> sides,
                    std::span<const Index> recipe_of_side, Index triangle) {
    const auto& [front, behind] = sides[triangle];
    const Role role = surface.zones[surface.zone_of[triangle]].role;
    return front != kNone && behind != kNone && (role == Role::interface_ || is_within_region(role)) &&
           recipe_of_side[front_of(triangle)] == kNone && recipe_of_side[back_of(triangle)] == kNone;
}

}  // namespace layers

std::optional<Index> recipe_for(const std::vector<LayerRecipe>& recipes, const std::string& name, Role role,
                                const Region& region, std::optional<RegionKind> beyond) {
    // The flow goes on there: layers of the walls beside it do, too.
    if (role == Role::periodic) return std::nullopt;
    const bool is_wall = role == Role::wall ||
                         (role == Role::interface_ && region.kind == RegionKind::fluid && beyond == RegionKind::solid);
    auto fits = [](const std::vector<std::string>& patterns, const std::string& text) {
        return std::any_of(patterns.begin(), patterns.end(), [&](const auto& p) { return matches_pattern(text, p); });
    };
    for (Index i = 0; i < recipes.size(); ++i) {
        const LayerRecipe& r = recipes[i];
        if (r.in.empty() ? region.kind != RegionKind::fluid : !fits(r.in, region.name)) continue;
        if (r.on.empty() ? is_wall : fits(r.on, name)) return i;
    }
    return std::nullopt;
}

}  // namespace anvilcast
