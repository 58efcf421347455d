#include "case/case_placement.hpp"

#include <fmt/format.h>

#include <string_view>

namespace anvilcast {
namespace {

/// More copies than this are a mistake rather than a model.
constexpr int kMostCopies = 10'000;

int coordinate_of(const std::string& text) {
    constexpr std::string_view kNames = "xyz";
    if (text.size() != 1 || kNames.find(text[0]) == std::string_view::npos)
        throw InputError(fmt::format("\"{}\" is no direction; write \"x\", \"y\" or \"z\"", text));
    return static_cast<int>(kNames.find(text[0]));
}

std::optional<Vec3> read_place(Section& s, const char* key, bool in_plane) {
    const toml::node* node = s.find(key);
    const bool has_two = node != nullptr && node->is_array() && node->as_array()->size() == 2;
    if (!in_plane || !has_two) return s.point(key);
    const Vec2 p = s.required_plane_point(key);
    return Vec3{p.x, p.y, 0};
}

}  // namespace

Placement read_placement(Section& s, bool in_plane) {
    Placement out;
    const auto mirrored = s.parsed("mirrored", coordinate_of);
    const auto at = s.length("mirrored_at");
    if (at && !mirrored) s.fail(fmt::format("{} mirrored_at needs mirrored = \"y\"", s.name()));
    if (mirrored) out = Placement::mirrored(*mirrored, at.value_or(0));
    const auto turned = s.number("turned", -360, 360);
    const auto axis = s.direction("axis");
    const auto about = read_place(s, "about", in_plane);
    if ((axis || about) && !turned) s.fail(fmt::format("{} axis and about need turned, in degrees", s.name()));
    if (turned) out = after(out, Placement::turned(axis.value_or(Vec3{0, 0, 1}), *turned, about.value_or(Vec3{})));
    return after(out, Placement::moved(read_place(s, "moved", in_plane).value_or(Vec3{})));
}

std::vector<Placement> read_copies(Section& s, const Placement& own, const LengthUnit& unit) {
    constexpr const char* kExample = "{ count = 5, moved = [0, 20, 0] }";
    const toml::node* node = s.find("copies");
    if (node == nullptr) return {};
    std::vector<Placement> out;
    auto check = [&](const Placement& p, const toml::node& where) {
        const Placement nowhere;
        if (p.image == nowhere.image && p.origin == nowhere.origin)
            s.fail(Section::line_of(where),
                   fmt::format("{} copies: a copy stands where its original does; give it moved, turned or mirrored",
                               s.name()));
    };
    if (const toml::array* list = node->as_array()) {
        for (const toml::node& item : *list) {
            const toml::table* table = item.as_table();
            if (table == nullptr)
                s.fail(Section::line_of(item),
                       fmt::format("{} copies is a list of placements, e.g. [{{ moved = [0, 20, 0] }}], or {}",
                                   s.name(), kExample));
            Section one = s.item(*table, "copies", unit);
            const Placement p = read_placement(one);
            one.finish();
            check(p, item);
            out.push_back(after(own, p));
        }
        return out;
    }
    auto table = s.table("copies", kExample, unit);
    const auto count = table->count("count", 1, kMostCopies);
    if (!count)
        table->fail(fmt::format("{} copies count is missing: how many there are, with the part itself", s.name()));
    const Placement step = read_placement(*table);
    table->finish();
    check(step, *node);
    Placement last = own;
    for (int k = 1; k < *count; ++k) out.push_back(last = after(last, step));
    return out;
}

PeriodicRequest read_periodic(Section& s, bool in_plane) {
    PeriodicRequest out;
    const std::vector<std::string> zones = s.texts("zones").value_or(std::vector<std::string>{});
    if (zones.size() != 2 || zones[0] == zones[1])
        s.fail("[[periodic]] zones must be two names: the side that repeats, and where; zones = [\"left\", \"right\"]");
    out.first = zones[0];
    out.second = zones[1];
    if (s.has("mirrored"))
        s.fail(
            "[[periodic]] a side that repeats is moved or turned, never mirrored; a mirror's plane is a zone with the "
            "role symmetry");
    const bool is_told = s.has("moved") || s.has("turned");
    const Placement image = read_placement(s, in_plane);
    if (is_told) out.image = image;
    out.tolerance = s.positive_length("tolerance");
    out.place = s.where();
    s.finish();
    return out;
}

}  // namespace anvilcast
