// The report page: one HTML file with a view to turn, tables, histograms and everything that a colleague asks for.
// Works offline, prints, and is a few megabytes at most.
//
//     write_report("out/report.html", mesh, summary_json(result, c));
//     write_inspection("body.html", surface, health, openings, &space, unit);
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/domain.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/openings.hpp>
#include <anvilcast/study.hpp>
#include <anvilcast/units.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <filesystem>
#include <string>

namespace anvilcast {

struct PageOptions {
    std::size_t most_faces = 200'000;  ///< of the surface in the view; more are simplified away, and the page says so
    std::size_t most_cut_faces = 150'000;  ///< of all cuts together; fewer cuts are made where cells are many, ...
    std::size_t most_cuts = 9;             ///< along each axis
    std::size_t least_cuts = 3;            ///< ... but no fewer: then they are simplified, which the page says
};

/// `summary`: what summary_json() made of the same mesh. Throws InputError when the summary is none, or of another
/// mesh; FailureError when the file cannot be written. O(n).
ANVILCAST_API void write_report(const std::filesystem::path& file, const VolumeMesh& mesh, const std::string& summary,
                                const PageOptions& options = {}, const Context& context = {});

/// What a surface is like, to click through: zones, defects, openings and enclosed volumes (of `space`, when there is
/// one), each with the lines for a case file that pick it.
ANVILCAST_API void write_inspection(const std::filesystem::path& file, const Surface& surface,
                                    const SurfaceHealth& health, const std::vector<Opening>& openings,
                                    const Space* space, const LengthUnit& unit, const std::string& source,
                                    const PageOptions& options = {});

/// The page of a study: the table of its variants, plots of any figure against any other, cuts through all of them at
/// the same place and scale, and what differs between their case files. Reads summaries and meshes from the variants'
/// directories below `directory`, one mesh at a time. Throws FailureError where the page cannot be written.
ANVILCAST_API void write_study_page(const std::filesystem::path& file, const Study& study,
                                    const std::filesystem::path& directory, const Context& context = {});

}  // namespace anvilcast
