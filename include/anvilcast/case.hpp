// The case file: what to mesh and how, in TOML. docs/case-file.md explains every key to its writer.
//
//     Case c = read_case("cyclone.toml");
//     BuildResult result = build(c, context);       // <anvilcast/pipeline.hpp>
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/sizing.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/units.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace anvilcast {

struct PartSpec {
    std::filesystem::path file;  ///< absolute, or relative to the current directory
    LengthUnit unit;
    double split_angle = 40;  ///< degrees
    double weld = 0;          ///< metres
};

/// Renames zones; all conditions that are given must hold, and the first rule that fits a zone wins.
struct ZoneRule {
    std::string name;
    std::optional<Role> role;
    std::optional<std::string> matches;  ///< pattern for the zone's name, * and ? as wildcards
    std::optional<Vec3> near;            ///< the zone closest to this point
    std::optional<Box> inside_box;       ///< zones that lie in it as a whole
    int line = 0;
};

struct OpeningSpec {
    std::string name;
    Role role = Role::inlet;
    Vec3 near;
    int line = 0;
};

struct RegionSpec {
    std::string name = "fluid";
    RegionKind kind = RegionKind::fluid;
    Vec3 inside;
};

struct Case {
    std::string name;
    LengthUnit unit;
    std::filesystem::path file;
    std::string text;  ///< the file as it was read
    std::vector<PartSpec> parts;
    std::vector<ZoneRule> zones;
    std::vector<OpeningSpec> openings;
    RegionSpec region;
    SizeOptions sizing;
    QualityLimits limits;
    bool write_vtu = false;
    bool write_stl = false;
};

/// Throws InputError that names the file and the line: TOML that is none, an unknown key (with the nearest known one),
/// a value of the wrong type or out of range, something required that is missing.
ANVILCAST_API Case read_case(const std::filesystem::path& file);
ANVILCAST_API Case parse_case(const std::string& text, const std::filesystem::path& file);

/// Does a name fit a pattern with * (anything) and ? (one character)?
ANVILCAST_API bool matches_pattern(std::string_view name, std::string_view pattern);

}  // namespace anvilcast
