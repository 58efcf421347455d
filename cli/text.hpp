// What the commands print for people.
#pragma once

#include <anvilcast/pipeline.hpp>
#include <anvilcast/plan.hpp>
#include <string>

namespace cli {

std::string health_text(const anvilcast::SurfaceHealth& health, const std::string& source,
                        const anvilcast::LengthUnit& unit);
/// The volumes that surfaces enclose.
std::string volumes_text(const anvilcast::Space& space, const anvilcast::LengthUnit& unit);
std::string mend_text(const anvilcast::MendResult& mended, const std::string& file, const anvilcast::LengthUnit& unit);
/// `file`: empty where the wrap was not written.
std::string wrap_text(const anvilcast::WrapResult& wrap, const std::string& file, const anvilcast::LengthUnit& unit);
std::string openings_text(const std::vector<anvilcast::Opening>& openings, const std::string& source,
                          const anvilcast::LengthUnit& unit);
std::string build_text(const anvilcast::BuildResult& result, const anvilcast::Case& c, const std::string& directory);
std::string surface_text(const anvilcast::SurfaceBuild& built, const anvilcast::Case& c, const std::string& directory);
std::string plan_text(const anvilcast::Plan& plan, const anvilcast::Case& c);

/// What `yplus` was asked for and what came out.
struct WallQuestion {
    anvilcast::FlowConditions flow;
    double y_plus = 1;
    anvilcast::YPlusAt at = anvilcast::YPlusAt::cell_center;
    double growth = 1.2;
    double core_size = 0;  ///< metres; 0: not asked
};
std::string wall_text(const WallQuestion& question, const anvilcast::LengthUnit& unit);
std::string wall_json(const WallQuestion& question);

std::string improve_text(const anvilcast::VolumeMesh& after, const anvilcast::ImproveReport& report,
                         const anvilcast::ImproveOptions& options, const std::string& source, const std::string& output,
                         const anvilcast::LengthUnit& unit);

}  // namespace cli
