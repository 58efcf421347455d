#include <anvilcast/naming.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <cmath>
#include <numbers>
#include <set>

namespace anvilcast {
namespace {

constexpr double kDefaultTolerance = 1e-3;  // of the model's diagonal
constexpr std::size_t kMostCandidates = 5;

/// What rules ask about a zone.
struct ZoneFacts {
    Box box;
    double area = 0;
    std::vector<Index> triangles;
    std::set<Index> touches;  ///< zones across its edges
};

double degrees_between(const Vec3& a, const Vec3& b) {
    return std::acos(std::clamp(dot(normalized(a), normalized(b)), -1.0, 1.0)) * 180 / std::numbers::pi;
}

class Namer {
  public:
    Namer(Surface& surface, const LengthUnit& unit, const std::map<std::string, std::string>& file_of_part)
        : surface_(surface),
          unit_(unit),
          file_of_part_(file_of_part),
          names_(surface.zones),
          named_by_(surface.zones.size(), nullptr),
          default_tolerance_(kDefaultTolerance * surface.bounds().diagonal()) {
        facts_.resize(surface.zones.size());
        for (Index t = 0; t < surface.triangles.size(); ++t) {
            ZoneFacts& f = facts_[surface.zone_of[t]];
            f.triangles.push_back(t);
            f.area += triangle_area(surface.corner(t, 0), surface.corner(t, 1), surface.corner(t, 2));
            for (int k = 0; k < 3; ++k) f.box.include(surface.corner(t, k));
        }
        const SurfaceEdges edges(surface.triangles, surface.points.size());
        for (std::size_t e = 0; e < edges.size(); ++e)
            for (const auto* u = edges.begin(e); u != edges.end(e); ++u)
                for (const auto* v = u + 1; v != edges.end(e); ++v) {
                    const Index a = surface.zone_of[u->triangle], b = surface.zone_of[v->triangle];
                    if (a == b) continue;
                    facts_[a].touches.insert(b);
                    facts_[b].touches.insert(a);
                }
    }

    void apply(const ZoneRule& rule) {
        std::vector<Index> fitting;
        for (Index z = 0; z < facts_.size(); ++z)
            if (!facts_[z].triangles.empty() && objections(rule, z).empty()) fitting.push_back(z);
        if (rule.near && !fitting.empty()) {
            const Index nearest = *std::min_element(fitting.begin(), fitting.end(), [&](Index a, Index b) {
                const double da = distance_to(a, *rule.near), db = distance_to(b, *rule.near);
                return da != db ? da < db : a < b;
            });
            if (named_by_[nearest] != nullptr)
                throw GeometryError(fmt::format(
                    "{}: the zone nearest to near = {} is \"{}\", which an earlier rule has named \"{}\"{}", rule.place,
                    place(*rule.near), names_[nearest].name, surface_.zones[nearest].name, candidates(rule)));
            fitting = {nearest};
        }
        std::erase_if(fitting, [this](Index z) { return named_by_[z] != nullptr; });
        if (fitting.empty())
            throw GeometryError(fmt::format("{}: the rule for zone \"{}\" fits no zone that is still unnamed{}",
                                            rule.place, rule.name, candidates(rule)));
        for (const Index z : fitting) {
            named_by_[z] = &rule;
            Zone& zone = surface_.zones[z];
            zone.name = rule.name;
            zone.role = rule.role.value_or(guess_role(rule.name));
            zone.role_is_guess = !rule.role;
            zone.bc_type = rule.bc_type;
        }
    }

  private:
    std::string place(const Vec3& p) const {
        return fmt::format("[{:.6g}, {:.6g}, {:.6g}]", p.x / unit_.metres, p.y / unit_.metres, p.z / unit_.metres);
    }

    bool is_of_part(const std::string& part, const std::string& pattern) const {
        const auto file = file_of_part_.find(part);
        return matches_pattern(part, pattern) ||
               (file != file_of_part_.end() && matches_pattern(file->second, pattern));
    }

    /// What keeps a zone from fitting, `near` apart.
    std::vector<std::string> objections(const ZoneRule& rule, Index z) const {
        const ZoneFacts& f = facts_[z];
        const double tolerance = rule.tolerance > 0 ? rule.tolerance : default_tolerance_;
        std::vector<std::string> out;
        if (rule.part && !is_of_part(names_[z].part, *rule.part))
            out.push_back(fmt::format("its part is \"{}\"", names_[z].part));
        if (rule.matches && !matches_pattern(names_[z].name, *rule.matches)) out.push_back("its name does not match");
        if (rule.inside_box) {
            Box both = *rule.inside_box;
            both.include(f.box);
            const double beyond =
                std::max(distance(both.lo, rule.inside_box->lo), distance(both.hi, rule.inside_box->hi));
            if (beyond > 0) out.push_back(fmt::format("it reaches {} out of the box", format_length(beyond, unit_)));
        }
        if (rule.normal) {
            const double off = largest_turn(f, *rule.normal);
            if (off > rule.normal_tolerance) out.push_back(fmt::format("it faces up to {:.3g} degrees away", off));
        }
        if (rule.on_plane) {
            const Vec3 n = normalized(rule.on_plane->normal);
            const double off = largest(f, [&](const Vec3& p) { return std::abs(dot(p - rule.on_plane->point, n)); });
            if (off > tolerance) out.push_back(fmt::format("it is up to {} off the plane", format_length(off, unit_)));
        }
        if (rule.on_cylinder) {
            const Cylinder& c = *rule.on_cylinder;
            const Vec3 axis = normalized(c.to - c.from);
            const double off =
                largest(f, [&](const Vec3& p) { return std::abs(length(cross(p - c.from, axis)) - c.radius); });
            if (off > tolerance)
                out.push_back(fmt::format("it is up to {} off the cylinder", format_length(off, unit_)));
        }
        if (rule.area && (f.area < (*rule.area)[0] || f.area > (*rule.area)[1]))
            out.push_back(fmt::format("its area is {}", format_area(f.area, unit_)));
        if (rule.touching && std::none_of(f.touches.begin(), f.touches.end(), [&](Index other) {
                return surface_.zones[other].name == *rule.touching || names_[other].name == *rule.touching;
            }))
            out.push_back(fmt::format("it does not touch \"{}\"", *rule.touching));
        return out;
    }

    double largest(const ZoneFacts& f, const auto& measure) const {
        double most = 0;
        for (const Index t : f.triangles)
            for (int k = 0; k < 3; ++k) most = std::max(most, measure(surface_.corner(t, k)));
        return most;
    }
    /// Slivers, whose normals are noise, have no say.
    double largest_turn(const ZoneFacts& f, const Vec3& direction) const {
        double most = 0;
        for (const Index t : f.triangles) {
            const Vec3 n = triangle_normal(surface_.corner(t, 0), surface_.corner(t, 1), surface_.corner(t, 2));
            if (length(n) > 1e-6 * f.area) most = std::max(most, degrees_between(n, direction));
        }
        return most;
    }
    double distance_to(Index z, const Vec3& p) const {
        double best = Box::inf;
        for (const Index t : facts_[z].triangles)
            best = std::min(
                best, distance_squared(p, closest_point_on_triangle(p, surface_.corner(t, 0), surface_.corner(t, 1),
                                                                    surface_.corner(t, 2))));
        return std::sqrt(best);
    }

    /// The zones that fail in the fewest conditions, and in which.
    std::string candidates(const ZoneRule& rule) const {
        struct Candidate {
            Index zone;
            std::vector<std::string> objections;
            double distance;
        };
        std::vector<Candidate> list;
        for (Index z = 0; z < facts_.size(); ++z) {
            if (facts_[z].triangles.empty()) continue;
            Candidate c{z, objections(rule, z), rule.near ? distance_to(z, *rule.near) : 0};
            if (named_by_[z] != nullptr)
                c.objections.push_back(fmt::format("{} named it \"{}\"", named_by_[z]->place, surface_.zones[z].name));
            list.push_back(std::move(c));
        }
        std::stable_sort(list.begin(), list.end(), [](const Candidate& a, const Candidate& b) {
            return a.objections.size() != b.objections.size() ? a.objections.size() < b.objections.size()
                                                              : a.distance < b.distance;
        });
        std::string text = "; nearest to it come:";
        for (std::size_t i = 0; i < std::min(kMostCandidates, list.size()); ++i) {
            text +=
                fmt::format("\n  \"{}\" at {}", names_[list[i].zone].name, place(facts_[list[i].zone].box.center()));
            if (rule.near) text += fmt::format(", {} away", format_length(list[i].distance, unit_));
            if (!list[i].objections.empty()) text += fmt::format(": {}", fmt::join(list[i].objections, ", "));
        }
        return text;
    }

    Surface& surface_;
    LengthUnit unit_;
    const std::map<std::string, std::string>& file_of_part_;
    std::vector<Zone> names_;  ///< as they came
    std::vector<const ZoneRule*> named_by_;
    double default_tolerance_;
    std::vector<ZoneFacts> facts_;
};

/// Zones of one name become one; the first decides about role and part.
void merge_equal_zones(Surface& s) {
    std::vector<Zone> kept;
    std::vector<Index> number;
    for (const Zone& z : s.zones) {
        const auto it = std::find_if(kept.begin(), kept.end(), [&](const Zone& k) { return k.name == z.name; });
        number.push_back(static_cast<Index>(it - kept.begin()));
        if (it == kept.end())
            kept.push_back(z);
        else if (it->role_is_guess && !z.role_is_guess)
            *it = z;
    }
    for (Index& z : s.zone_of) z = number[z];
    s.zones = std::move(kept);
}

/// The letters of a name in lower case, a word for each run of them or at each capital after a small one.
std::vector<std::string> words_of(std::string_view name) {
    auto is_small = [](char c) { return c >= 'a' && c <= 'z'; };
    auto is_capital = [](char c) { return c >= 'A' && c <= 'Z'; };
    std::vector<std::string> words(1);
    char before = ' ';
    for (const char c : name) {
        if ((is_capital(c) && is_small(before)) || !(is_small(c) || is_capital(c))) words.emplace_back();
        if (is_small(c) || is_capital(c)) words.back() += static_cast<char>(is_capital(c) ? c - 'A' + 'a' : c);
        before = c;
    }
    return words;
}

}  // namespace

Role guess_role(std::string_view name) {
    struct Hint {
        std::string_view word;
        bool whole;
        Role role;
    };
    static constexpr std::array<Hint, 18> kHints{{{"inlet", false, Role::inlet},
                                                  {"inflow", false, Role::inlet},
                                                  {"intake", false, Role::inlet},
                                                  {"supply", false, Role::inlet},
                                                  {"feed", true, Role::inlet},
                                                  {"in", true, Role::inlet},
                                                  {"outlet", false, Role::outlet},
                                                  {"outflow", false, Role::outlet},
                                                  {"exhaust", false, Role::outlet},
                                                  {"discharge", false, Role::outlet},
                                                  {"drain", true, Role::outlet},
                                                  {"out", true, Role::outlet},
                                                  {"sym", false, Role::symmetry},
                                                  {"far", true, Role::farfield},
                                                  {"farfield", true, Role::farfield},
                                                  {"freestream", true, Role::farfield},
                                                  {"interface", true, Role::interface_},
                                                  {"baffle", false, Role::baffle}}};
    for (const std::string& word : words_of(name))
        for (const Hint& hint : kHints)
            if (hint.whole ? word == hint.word : word.starts_with(hint.word)) return hint.role;
    return Role::wall;
}

void name_zones(Surface& surface, const std::vector<ZoneRule>& rules, const LengthUnit& unit,
                const std::map<std::string, std::string>& file_of_part) {
    if (!rules.empty()) {
        Namer namer(surface, unit, file_of_part);
        for (const ZoneRule& rule : rules) namer.apply(rule);
    }
    merge_equal_zones(surface);
}

}  // namespace anvilcast
