// The case file: what to mesh and how, in TOML. docs/case-file.md explains every key to its writer.
//
//     Case c = read_case("cyclone.toml");
//     BuildResult result = build(c, context);       // <anvilcast/pipeline.hpp>
#pragma once

#include <anvilcast/domain.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/fill.hpp>
#include <anvilcast/flow.hpp>
#include <anvilcast/layer_stack.hpp>
#include <anvilcast/mend.hpp>
#include <anvilcast/naming.hpp>
#include <anvilcast/periodic.hpp>
#include <anvilcast/placement.hpp>
#include <anvilcast/planar.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/sizing.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/surface_mesh.hpp>
#include <anvilcast/surround.hpp>
#include <anvilcast/sweep.hpp>
#include <anvilcast/units.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace anvilcast {

struct PartSpec {
    std::string name;                ///< of the file, without its endings, unless given
    std::filesystem::path file;      ///< absolute, or relative to the current directory
    std::optional<LengthUnit> unit;  ///< left out where the file says it
    /// Degrees. Left out: kDefaultSplitAngle for a part that comes as one zone, else its zones are taken as they are.
    std::optional<double> split_angle;
    double weld = 0;   ///< metres
    double chord = 0;  ///< of CAD faces, metres; see ReadSurfaceOptions
    double angle = 10;
    double patience = 0;      ///< seconds that reading a CAD file may take; see ReadSurfaceOptions
    Placement placement;      ///< of what the file has
    std::string zone_ending;  ///< of a copy, put to the names of its zones
    static constexpr double kDefaultSplitAngle = 40;
};

/// Which openings to close: the one near a place, the one whose rim touches a zone, or all of either (then the name's
/// star stands for a number, from the largest on).
struct OpeningSpec {
    std::string name;
    Role role = Role::inlet;
    std::string bc_type = {};  ///< see BoundaryRole
    std::optional<Vec3> near;
    std::string rim;  ///< pattern of zone names
    bool all = false;
    double distance = 0;    ///< the patch is moved outwards by a duct, or inwards when negative; metres
    bool is_swept = false;  ///< the duct is made of prisms and hexahedra on the opening's own faces
    int steps = 0;          ///< of such a duct; 0: by size
    int line = 0;
};

struct FlowSpec {
    FlowConditions conditions;
    YPlusAt y_plus_at = YPlusAt::cell_center;
    int line = 0;
};

struct SurroundSpec {
    SurroundOptions options;
    int line = 0;
};

/// The parts, or some of them, wrapped; see <anvilcast/wrap.hpp>. Lengths in metres.
struct WrapSpec {
    double gap = 0, detail = 0;
    double feature_angle = 40;
    std::vector<std::string> parts;  ///< patterns of those that are wrapped from outside; empty: all, from the fluid
    /// A finer gap in a volume, or near zones; it grows from there to the one everywhere else.
    struct Finer {
        double gap = 0;
        std::optional<Volume> volume;
        std::vector<std::string> near;  ///< patterns of zone names
        int line = 0;
    };
    std::vector<Finer> finer;
    int line = 0;
};

/// A mesh in a plane, or the section that is swept.
struct PlaneSpec {
    std::vector<PlaneCurve> curves;
    std::vector<PlaneArea> areas;
    /// The plane that the parts are cut by, whose outlines are curves too.
    std::optional<SectionPlane> at;
    double corner_angle_deg = 30;  ///< of those outlines
    double join = 0;               ///< ends of curves within this distance are one point; metres
    bool is_swept = true;          ///< else the mesh stays in its plane
    SweepPath path = StraightPath{};
    SweepOptions sweep;
    double step_size = 0;  ///< metres: steps come from it; 0: the number of steps is given
    int sweep_line = 0;
};

struct Case {
    std::string name;
    LengthUnit unit;
    std::filesystem::path file;
    std::string text;  ///< the file as it was read
    std::vector<PartSpec> parts;
    MendOptions mend;
    std::vector<ZoneRule> zones;
    std::vector<OpeningSpec> openings;
    std::optional<WrapSpec> wrap;
    std::optional<SurroundSpec> surround;
    std::vector<RegionRequest> regions;
    std::vector<Divider> dividers;  ///< shapes whose insides are regions, and sheets
    std::vector<PeriodicRequest> periodic;
    double join = 0;  ///< parts within this distance are joined, metres
    bool drop_leftovers = false;
    double absorb = 0;           ///< details narrower than this are taken out of the parts; metres, 0: none
    bool absorbs_steps = false;  ///< nobody asked for that: it follows from `join`
    SizeOptions sizing;
    SurfaceMeshOptions surface;
    std::optional<FlowSpec> flow;
    std::vector<LayerRecipe> layers;  ///< the first one that fits a zone is its own
    FillCells cells = FillCells::tetrahedra;
    FillCore core = FillCore::same;
    CubeLayout layout = {};
    QualityLimits limits;
    std::optional<PlaneSpec> plane;  ///< instead of parts
    bool write_report = true;        ///< the report's page and the figures
    bool write_vtu = false;
    bool write_stl = false;
    bool stl_as_text = false;  ///< of the zones
    double kept_bytes = 2e9;   ///< of what the stages made, see KeptStages; 0: nothing is kept
};

/// Throws InputError that names the file and the line: TOML that is none, an unknown key (with the nearest known one),
/// a value of the wrong type or out of range, something required that is missing.
ANVILCAST_API Case read_case(const std::filesystem::path& file);
ANVILCAST_API Case parse_case(const std::string& text, const std::filesystem::path& file);

/// The case as it is understood, what it left out put in: a case file again, for the same directory.
ANVILCAST_API std::string case_with_defaults(const Case& c);

}  // namespace anvilcast
