#include <anvilcast/errors.hpp>
#include <anvilcast/zones.hpp>

#include <fmt/format.h>

#include <array>

namespace anvilcast {
namespace {

constexpr std::array<const char*, 7> kRoleNames{"wall",     "inlet",     "outlet", "symmetry",
                                                "farfield", "interface", "baffle"};

constexpr std::array<const char*, 3> kKindNames{"fluid", "solid", "void"};

}  // namespace

const char* role_name(Role role) { return kRoleNames[static_cast<std::size_t>(role)]; }

Role parse_role(const std::string& name) {
    for (std::size_t i = 0; i < kRoleNames.size(); ++i)
        if (name == kRoleNames[i]) return static_cast<Role>(i);
    throw InputError(fmt::format("\"{}\" is not a role; write one of {}", name, fmt::join(kRoleNames, ", ")));
}

const char* region_kind_name(RegionKind kind) { return kKindNames[static_cast<std::size_t>(kind)]; }

RegionKind parse_region_kind(const std::string& name) {
    for (std::size_t i = 0; i < kKindNames.size(); ++i)
        if (name == kKindNames[i]) return static_cast<RegionKind>(i);
    throw InputError(fmt::format("\"{}\" is not a kind of region; write fluid, solid or void", name));
}

bool matches_pattern(std::string_view name, std::string_view pattern) {
    std::size_t n = 0, p = 0, star = std::string_view::npos, after = 0;
    while (n < name.size()) {
        if (p < pattern.size() && (pattern[p] == '?' || (pattern[p] != '*' && pattern[p] == name[n]))) {
            ++n;
            ++p;
        } else if (p < pattern.size() && pattern[p] == '*') {
            star = p++;
            after = n;
        } else if (star != std::string_view::npos) {
            p = star + 1;
            n = ++after;
        } else {
            return false;
        }
    }
    return pattern.find_first_not_of('*', p) == std::string_view::npos;
}

}  // namespace anvilcast
