// The command-line tool: parses, calls the library, prints. Exit status: 0 done, 1 done but limits are broken or
// defects were found, 2 wrong input, 3 could not do it, 130 interrupted.

#include <anvilcast/errors.hpp>
#include <anvilcast/figures.hpp>
#include <anvilcast/leaks.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/plan.hpp>
#include <anvilcast/report.hpp>
#include <anvilcast/results.hpp>
#include <anvilcast/selection.hpp>
#include <anvilcast/surface_files.hpp>
#include <anvilcast/version.hpp>

#include <fcntl.h>
#include <fmt/format.h>
#include <tbb/global_control.h>
#include <unistd.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <array>
#include <cerrno>
#include <charconv>
#include <cmath>
#include <cstdio>
#include <fstream>
#include <iterator>
#include <new>
#include <sstream>

#include "console.hpp"
#include "quality_text.hpp"
#include "text.hpp"

namespace {

using namespace anvilcast;
namespace fs = std::filesystem;

constexpr int kDone = 0, kBroken = 1, kWrongInput = 2, kFailed = 3;

struct Arguments {
    cli::ConsoleOptions console;
    bool json = false;
    std::string unit;
    std::string tolerance_text, chord_text, weld_text, stitch_text, needles_text, specks_text, rims_text;
    std::string mend_file, defects_file, page_file;
    std::string wrap_file, gap_text, detail_text;
    std::vector<std::string> inside_texts;
    std::vector<std::string> files;
    std::string input, output, directory;
    double split_angle = 0, patience = 0;
    bool ascii = false;
    std::vector<std::string> limit_texts;
    bool no_usual_limits = false;
    cli::QualityView view;
    std::string selection;
    ImproveOptions improve;
    bool list = false, volumes = false;
    std::string until;
    struct {
        std::string colour, cut, worst, stack, histogram, view, at, across, size = "1280x800";
        std::vector<std::string> only;
        bool defects = false, openings = false, sizes = false, no_edges = false, dark = false;
    } picture;
    std::string speed, fluid, temperature, length, core_size;
    double density = 0, viscosity = 0, y_plus = 1, growth = 1.2;
    bool is_pipe = false, at_top = false;
};

/// A file whose mesh is none.
struct InvalidMesh {
    std::string text;
};

void print(const std::string& raw) {
    const std::string text = cli::printable(raw);
    if (std::fputs(text.c_str(), stdout) < 0 || std::fflush(stdout) != 0)
        throw FailureError("standard output cannot be written");
}

/// The unit that was asked for, or millimetres.
LengthUnit unit_of(const Arguments& a) { return parse_length_unit(a.unit.empty() ? "mm" : a.unit); }

double length_or(const std::string& text, const LengthUnit& unit, double otherwise) {
    if (text.empty()) return otherwise;
    const double value = parse_length(text, unit);
    if (value < 0) throw InputError(fmt::format("\"{}\" is negative; a distance is 0 or more", text));
    return value;
}

struct Model {
    Surface surface;
    LengthUnit unit;  ///< to print in: that of the files when they agree
    std::string name;
    std::vector<double> split_angles;  ///< of each zone; 0: stays whole
};

/// All files as one model: what belongs together is welded exactly.
Model read_model(const Arguments& a) {
    Model model;
    model.unit = unit_of(a);
    std::vector<Surface> parts;
    for (const std::string& file : a.files) {
        ReadSurfaceOptions options;
        if (!states_unit(file) || !a.unit.empty()) options.unit = unit_of(a);
        options.chord = length_or(a.chord_text, unit_of(a), 0);
        options.patience = a.patience;
        options.stop = cli::stoppable().stop;
        SurfaceFile part = read_surface(file, options);
        for (const std::string& w : part.warnings) cli::tell(fmt::format("anvilcast: {}\n", w));
        if (a.unit.empty() && a.files.size() == 1) model.unit = part.unit;
        const bool split = a.split_angle > 0 || (part.surface.zones.size() == 1 && !part.is_cad);
        const double angle = a.split_angle > 0 ? a.split_angle : PartSpec::kDefaultSplitAngle;
        model.split_angles.insert(model.split_angles.end(), part.surface.zones.size(), split ? angle : 0);
        model.name += (model.name.empty() ? "" : " + ") + file;
        parts.push_back(std::move(part.surface));
    }
    model.surface = joined(parts);
    if (parts.size() > 1) weld(model.surface);
    return model;
}

/// Zones divided as a build would do it, for people; a surface goes out as it came in, though.
Surface divided(const Model& model, const Surface& surface) {
    return split_at_sharp_edges(surface, model.split_angles);
}

bool wants_mends(const Arguments& a) { return !a.mend_file.empty(); }

/// What is not given is done within the tolerance where the tolerance bounds it, and left out where a size must be
/// chosen.
MendOptions mend_options(const Arguments& a, const LengthUnit& unit, double tolerance) {
    MendOptions options;
    options.weld = length_or(a.weld_text, unit, 0);
    options.stitch = length_or(a.stitch_text, unit, tolerance);
    options.remove_needles = length_or(a.needles_text, unit, tolerance);
    options.drop_specks = length_or(a.specks_text, unit, 0);
    options.close_rims = length_or(a.rims_text, unit, 0);
    return options;
}

/// A surface that needed no mend goes out as it came in, byte for byte, when the format stays.
void write_mended(const Arguments& a, const Model& model, const MendResult& mended) {
    const bool same_format =
        a.files.size() == 1 && fs::path(a.files.front()).extension() == fs::path(a.mend_file).extension();
    if (!mended.is_changed() && same_format)
        copy_surface_file(a.files.front(), a.mend_file);
    else
        write_surface(a.mend_file, mended.surface, model.unit, a.ascii);
}

/// "1, 2, 3" in the unit.
Vec3 place_of(const std::string& text, const LengthUnit& unit) {
    Vec3 p;
    std::string rest = text;
    for (int axis = 0; axis < 3; ++axis) {
        const std::size_t comma = axis < 2 ? rest.find(',') : rest.size();
        if (comma == std::string::npos)
            throw InputError(fmt::format("\"{}\" is no place; write X,Y,Z in {}, e.g. 10,20,30", text, unit.name));
        p[axis] = parse_length(rest.substr(0, comma), unit);
        rest = axis < 2 ? rest.substr(comma + 1) : "";
    }
    return p;
}

/// Wraps the model as its files say, zones divided as a build would do it, and writes that.
WrapResult wrap_and_write(const Arguments& a, const Model& model, const Surface& surface, const Context& context) {
    if (a.gap_text.empty()) {
        std::vector<Vec3> inside;
        for (const std::string& text : a.inside_texts) inside.push_back(place_of(text, model.unit));
        const auto gap = suggest_gap(surface, inside, model.unit, context);
        throw InputError(
            fmt::format("--wrap needs --gap, the width up to which everything is closed; {}",
                        gap ? fmt::format("--gap \"{}\" is one to begin with", format_length(*gap, model.unit))
                            : "none up to a tenth of the geometry's diagonal holds the fluid at the points given"));
    }
    WrapOptions options;
    options.gap = parse_length(a.gap_text, model.unit);
    options.detail = length_or(a.detail_text, model.unit, 0);
    for (const std::string& text : a.inside_texts) options.inside.push_back(place_of(text, model.unit));
    WrapResult wrapped = wrap(divided(model, surface), options, model.unit, context);
    write_surface(a.wrap_file, wrapped.surface, model.unit, a.ascii);
    return wrapped;
}

int inspect(const Arguments& a) {
    if (a.wrap_file.empty() && (!a.gap_text.empty() || !a.detail_text.empty() || !a.inside_texts.empty()))
        throw InputError("a wrap was asked for without a file to write: add --wrap OUT");
    for (const auto* text : {&a.weld_text, &a.stitch_text, &a.needles_text, &a.specks_text, &a.rims_text})
        if (!text->empty() && !wants_mends(a))
            throw InputError("a mend was asked for without a file to write: add --mend OUT");
    const Model model = read_model(a);
    HealthOptions options;
    options.tolerance = length_or(a.tolerance_text, model.unit, 0);
    if (options.tolerance == 0) options.tolerance = default_tolerance(model.surface);
    SurfaceHealth health;
    MendResult mended;
    std::optional<WrapResult> wrapped;
    {
        cli::ProgressLine progress(a.console);
        const Context context = progress.context();
        if (wants_mends(a)) mended = mend(model.surface, mend_options(a, model.unit, options.tolerance), context);
        health = examine(divided(model, wants_mends(a) ? mended.surface : model.surface), options, context);
        if (!a.wrap_file.empty())
            wrapped = wrap_and_write(a, model, wants_mends(a) ? mended.surface : model.surface, context);
    }
    if (wants_mends(a)) write_mended(a, model, mended);
    std::optional<Space> space;
    if (a.volumes) {
        cli::ProgressLine progress(a.console);
        space = divide_space(wants_mends(a) ? mended.surface : model.surface, {}, {}, progress.context());
    }
    if (!a.page_file.empty()) {
        const Surface shown = divided(model, wants_mends(a) ? mended.surface : model.surface);
        const std::vector<Opening> found = find_openings(shown);
        std::optional<Space> closed;  // with the openings closed, so that the flow's own volume is among them
        try {
            closed = divide_space(shown, found);
        } catch (const GeometryError& e) {
            cli::tell(fmt::format("anvilcast: volumes are left out of the page: {}\n", e.what()));
        }
        write_inspection(a.page_file, shown, health, found, closed ? &*closed : nullptr, model.unit,
                         fs::path(model.name).filename().string());
    }
    if (!a.defects_file.empty()) write_surface(a.defects_file, defect_marks(health), model.unit);
    if (a.json)
        print(health_json(health, model.name, wants_mends(a) ? &mended : nullptr, space ? &*space : nullptr,
                          wrapped ? &*wrapped : nullptr));
    else if (!a.console.quiet)
        print((wants_mends(a) ? cli::mend_text(mended, a.mend_file, model.unit) : "") +
              cli::health_text(health, wants_mends(a) ? a.mend_file : model.name, model.unit) +
              (space ? cli::volumes_text(*space, model.unit) : "") +
              (wrapped ? cli::wrap_text(*wrapped, a.wrap_file, model.unit) : ""));
    return health.is_blocked() && !wrapped ? kBroken : kDone;
}

int openings(const Arguments& a) {
    const Model model = read_model(a);
    const std::vector<Opening> found = find_openings(divided(model, model.surface));
    print(a.json ? openings_json(found, model.name) : cli::openings_text(found, model.name, model.unit));
    return kDone;
}

/// A leak's way out is written where the mesh would have been.
BuildResult built(const Case& c, const ResultDirectory& results, const fs::path& directory, const Context& context) {
    try {
        return build(c, context);
    } catch (const LeakError& e) {
        std::vector<std::vector<Vec3>> paths;
        for (const Leak& leak : e.leaks())
            if (leak.path.size() > 1) paths.push_back(leak.path);
        if (paths.empty()) throw;
        write_paths(results.path() / "leaks.vtu", paths);
        throw GeometryError(
            fmt::format("{}\nThe ways out are drawn in {}, in metres.", e.what(), (directory / "leaks.vtu").string()));
    }
}

int build_case_surface(const Arguments& a, const Case& c, ResultDirectory& results, const fs::path& directory) {
    SurfaceBuild built_surface;
    {
        cli::ProgressLine progress(a.console, {"mend", "domain", "sizes", "surface"});
        built_surface = build_surface(c, progress.context());
        write_surface_build(built_surface, c, results.path());
        results.commit();
    }
    if (a.json)
        print(surface_json(built_surface, c));
    else if (!a.console.quiet)
        print(cli::surface_text(built_surface, c, directory.string()));
    return kDone;
}

int build_case_volume(const Arguments& a, const Case& c, ResultDirectory& results, const fs::path& directory) {
    BuildResult result;
    {
        std::vector<std::string_view> stages{"mend", "domain", "sizes", "surface", "fill", "assess", "report"};
        if (!c.layers.empty()) stages.emplace_back("layers");
        cli::ProgressLine progress(a.console, stages);
        result = built(c, results, directory, progress.context());
        write_build(result, c, results.path());
        draw_build(results.path() / "figures", result.mesh, c.unit, c.name, progress.context());
        write_report(results.path() / "report.html", result.mesh, summary_json(result, c), {}, progress.context());
        results.commit();
    }
    if (a.json)
        print(summary_json(result, c));
    else if (!a.console.quiet)
        print(cli::build_text(result, c, directory.string()));
    return result.quality.is_good() ? kDone : kBroken;
}

int build_case(const Arguments& a, const fs::path& file, const fs::path& directory) {
    ResultDirectory results(directory);
    try {
        const Case c = read_case(file);
        return a.until == "surface" ? build_case_surface(a, c, results, directory)
                                    : build_case_volume(a, c, results, directory);
    } catch (const Cancelled&) {
        throw;
    } catch (const std::exception& e) {
        results.set_earlier_result_aside(e.what());
        throw;
    }
}

/// What a command that writes one file says when it is done.
void print_written(const Arguments& a, const std::string& file) {
    if (a.json)
        print(written_json(a.input, file));
    else if (!a.console.quiet)
        print(fmt::format("{} -> {}\n", a.input, file));
}

/// The page of a finished build, from what lies in its directory.
int report(const Arguments& a) {
    const fs::path directory = a.input;
    const fs::path mesh_file = directory / (fs::exists(directory / "mesh.cgns") ? "mesh.cgns" : "mesh.vtu");
    if (!fs::exists(directory / "summary.json") || !fs::exists(mesh_file))
        throw InputError(
            fmt::format("{}: no build is here; a directory with mesh.cgns and summary.json was expected, as "
                        "`anvilcast build CASE --out DIR` leaves it",
                        directory.string()));
    std::ifstream in(directory / "summary.json", std::ios::binary);
    const std::string summary{std::istreambuf_iterator<char>(in), {}};
    const fs::path page = a.output.empty() ? directory / "report.html" : fs::path(a.output);
    {
        cli::ProgressLine progress(a.console);
        write_report(page, read_mesh(mesh_file, cli::stoppable()), summary, {}, progress.context());
    }
    print_written(a, page.string());
    return kDone;
}

int plan_case(const Arguments& a) {
    const Case c = read_case(a.input);
    Plan p;
    {
        cli::ProgressLine progress(a.console, {"mend", "domain", "sizes"});
        p = plan(c, progress.context());
    }
    if (a.json)
        print(plan_json(p, c));
    else if (!a.console.quiet)
        print(cli::plan_text(p, c));
    return p.beyond.empty() ? kDone : kBroken;
}

int yplus(const Arguments& a) {
    const LengthUnit unit = unit_of(a);
    cli::WallQuestion q;
    q.flow.speed = parse_speed(a.speed);
    q.flow.length = parse_length(a.length, unit);
    q.flow.wall = a.is_pipe ? WallKind::pipe : WallKind::plate;
    if ((a.density > 0) != (a.viscosity > 0)) throw InputError("--density and --viscosity go together");
    if (a.density > 0 && (!a.fluid.empty() || !a.temperature.empty()))
        throw InputError("--density and --viscosity do not go with --fluid and --temperature");
    q.flow.fluid = a.density > 0 ? Fluid{"fluid", a.density, a.viscosity}
                                 : fluid_by_name(a.fluid.empty() ? "air" : a.fluid,
                                                 a.temperature.empty() ? 293.15 : parse_temperature(a.temperature));
    q.y_plus = a.y_plus;
    q.at = a.at_top ? YPlusAt::cell_top : YPlusAt::cell_center;
    q.growth = a.growth;
    q.core_size = length_or(a.core_size, unit, 0);
    print(a.json ? cli::wall_json(q) : cli::wall_text(q, unit));
    return kDone;
}

QualityLimits limits_of(const Arguments& a) {
    QualityLimits limits;
    limits.usual = !a.no_usual_limits;
    for (const std::string& text : a.limit_texts) {
        const std::size_t at = text.find('=');
        double value = 0;
        const char* begin = text.data() + (at == std::string::npos ? text.size() : at + 1);
        const auto [end, status] = std::from_chars(begin, text.data() + text.size(), value);
        if (at == std::string::npos || status != std::errc() || end != text.data() + text.size())
            throw InputError(fmt::format("--limit \"{}\": METRIC=VALUE was expected, e.g. skewness=0.9", text));
        limits.set(text.substr(0, at), value);
    }
    return limits;
}

/// A mesh to be looked at must be one.
VolumeMesh read_valid_mesh(const std::string& file) {
    VolumeMesh mesh = read_mesh(file, cli::stoppable());
    if (const auto faults = find_faults(mesh); !faults.empty())
        throw InvalidMesh{fmt::format("{}: not a valid mesh:\n  {}\n", file, fmt::join(faults, "\n  "))};
    return mesh;
}

/// The chosen cells alone, with a field for each metric.
void write_selection(const Arguments& a, const VolumeMesh& mesh) {
    if (a.selection.empty() || a.output.empty()) throw InputError("--select and --write go together");
    if (fs::path(a.output).extension() != ".vtu")
        throw InputError(fmt::format("{}: chosen cells are written to a .vtu file", a.output));
    const std::vector<Index> cells = select_cells(mesh, a.selection);
    std::vector<CellField> fields;
    for (const MetricInfo& m : metric_infos()) {
        if (m.of == MetricOf::boundary || cells.empty()) continue;
        const std::vector<float> all = metric_by_cell(mesh, m.id);
        CellField field{m.name, {}};
        for (const Index c : cells) field.values.push_back(static_cast<double>(all[c]));
        if (std::any_of(field.values.begin(), field.values.end(), [](double v) { return !std::isnan(v); }))
            fields.push_back(std::move(field));
    }
    if (!cells.empty()) write_vtu(a.output, cells_alone(mesh, cells), {}, fields);
    if (a.json)
        print(selection_json(a.input, a.selection, cells.size(), cells.empty() ? "" : a.output));
    else if (!a.console.quiet)
        print(cells.empty() ? fmt::format("No cell has {}; nothing is written\n", a.selection)
                            : fmt::format("{} of {} cells with {} written to {}\n", cells.size(), mesh.n_cells(),
                                          a.selection, a.output));
}

int compare_meshes(const Arguments& a) {
    std::vector<AssessedMesh> meshes;
    std::vector<std::string> files{a.input};
    files.insert(files.end(), a.files.begin(), a.files.end());
    bool all_hold = true;
    for (const std::string& file : files) {
        const VolumeMesh mesh = read_valid_mesh(file);
        cli::ProgressLine progress(a.console);
        meshes.push_back(
            {file, assess(mesh, limits_of(a), progress.context()), seconds_to_build(file, mesh.n_cells())});
        all_hold = all_hold && meshes.back().report.is_good();
    }
    if (a.json)
        print(comparison_json(meshes));
    else if (!a.console.quiet)
        print(cli::comparison_text(meshes));
    return all_hold ? kDone : kBroken;
}

int list_metrics(const Arguments& a) {
    if (a.json) {
        print(metrics_json());
        return kDone;
    }
    for (const MetricInfo& m : metric_infos())
        print(fmt::format("{:<28}{}{}: {}\n{:<28}of {}; better is {}{}\n", m.key, m.name,
                          *m.unit != 0 ? fmt::format(", {}", m.unit) : "", m.definition, "", m.where,
                          m.low_is_better ? "low" : "high",
                          m.has_usual_limit() ? fmt::format("; usual limit {}", m.usual_limit) : ""));
    return kDone;
}

int assess_mesh(const Arguments& a) {
    if (a.list) return list_metrics(a);
    if (a.input.empty()) throw InputError("which mesh? `anvilcast assess MESH`");
    const QualityLimits limits = limits_of(a);
    for (const std::string& name : a.view.histograms)
        if (name != "all") find_metric(name);
    if (!a.files.empty()) return compare_meshes(a);
    const VolumeMesh mesh = read_valid_mesh(a.input);
    if (!a.selection.empty() || !a.output.empty()) {
        write_selection(a, mesh);
        return kDone;
    }
    QualityReport report;
    {
        cli::ProgressLine progress(a.console);
        QualityOptions options;
        options.n_worst = std::max<std::size_t>(options.n_worst, a.view.n_worst);
        report = assess(mesh, limits, progress.context(), options);
    }
    if (a.json) {
        print(quality_json(mesh, report, a.input));
    } else if (!a.console.quiet) {
        print(cli::assess_text(mesh, report, a.input, unit_of(a), a.view));
    }
    return report.is_good() ? kDone : kBroken;
}

FigureOptions figure_options(const Arguments& a, const LengthUnit& unit) {
    FigureOptions o;
    o.unit = unit;
    o.title = a.input;
    int n = 0;
    if (std::sscanf(a.picture.size.c_str(), "%zux%zu%n", &o.width, &o.height, &n) != 2 ||
        static_cast<std::size_t>(n) != a.picture.size.size())
        throw InputError(fmt::format("\"{}\" is no size; write one like 1280x800", a.picture.size));
    o.dark = a.picture.dark;
    o.edges = !a.picture.no_edges;
    o.only = a.picture.only;
    if (!a.picture.view.empty()) o.eye = parse_view(a.picture.view);
    if (!a.picture.at.empty()) o.at = place_of(a.picture.at, unit);
    if (!a.picture.across.empty()) {
        if (!o.at && a.picture.worst.empty() && a.picture.stack.empty())
            throw InputError("--across needs the middle of the close-up: --at X,Y,Z");
        o.across = parse_length(a.picture.across, unit);
        if (!(*o.across > 0)) throw InputError("--across must be above 0");
    }
    return o;
}

void draw_of_surface(const Arguments& a) {
    Arguments with_file = a;
    with_file.files = {a.input};
    const Model model = read_model(with_file);
    const Surface surface = divided(model, model.surface);
    const FigureOptions options = figure_options(a, model.unit);
    if (a.picture.defects)
        draw_defects(a.output, surface, examine(surface), options);
    else if (a.picture.openings)
        draw_openings(a.output, surface, find_openings(surface), options);
    else if (!a.picture.cut.empty() || !a.picture.worst.empty() || !a.picture.stack.empty())
        throw InputError(fmt::format("{}: a surface has no cells to cut; draw a mesh", a.input));
    else if (!a.picture.histogram.empty()) {
        const MetricId id = find_metric(a.picture.histogram).id;
        const std::vector<Metric> metrics = assess_surface(surface, limits_of(a));
        const auto found = std::find_if(metrics.begin(), metrics.end(), [id](const Metric& m) { return m.id == id; });
        if (found == metrics.end())
            throw InputError(
                "of a surface there are histograms of surface_smallest_angle, surface_largest_angle, "
                "surface_skewness and area_ratio");
        draw_histogram(a.output, *found, options);
    } else
        draw_surface(a.output, surface, parse_colouring(a.picture.colour.empty() ? "zone" : a.picture.colour), options);
}

void draw_of_mesh(const Arguments& a) {
    const FigureOptions options = figure_options(a, unit_of(a));
    if (a.picture.defects || a.picture.openings)
        throw InputError("--defects and --openings are of surfaces; a mesh that is valid has none");
    const VolumeMesh mesh = read_valid_mesh(a.input);
    cli::ProgressLine progress(a.console);
    const Context context = progress.context();
    const auto colouring = [&](const char* otherwise) {
        return parse_colouring(a.picture.colour.empty() ? otherwise : a.picture.colour);
    };
    if (!a.picture.histogram.empty())
        draw_histogram(a.output, assess(mesh, limits_of(a), context).metric(a.picture.histogram), options);
    else if (!a.picture.worst.empty())
        draw_worst(a.output, mesh, find_metric(a.picture.worst).id, options, context);
    else if (!a.picture.stack.empty())
        draw_stack(a.output, mesh, place_of(a.picture.stack, options.unit), options, context);
    else if (!a.picture.cut.empty())
        draw_cut(a.output, mesh, parse_cut_plane(a.picture.cut, options.unit), colouring("type"), options, context);
    else
        draw_boundary(a.output, mesh, colouring("zone"), options, context);
}

void draw_of_case(const Arguments& a) {
    const Case c = read_case(a.input);
    const FigureOptions options = figure_options(a, a.unit.empty() ? c.unit : unit_of(a));
    if (!a.picture.sizes || a.picture.cut.empty())
        throw InputError("of a case its sizes are drawn: --sizes --cut \"y = 0\"; build it for more");
    cli::ProgressLine progress(a.console);
    const SizedDomain sized = size_case(c, progress.context());
    draw_sizes(a.output, sized.domain, sized.sizing.field, parse_cut_plane(a.picture.cut, options.unit), options,
               progress.context());
}

/// One picture shows one thing.
void check_kind_of_picture(const Arguments& a) {
    const auto& p = a.picture;
    const std::array<std::pair<bool, const char*>, 6> kinds{{{!p.cut.empty(), "--cut"},
                                                             {!p.worst.empty(), "--worst"},
                                                             {!p.stack.empty(), "--stack"},
                                                             {!p.histogram.empty(), "--histogram"},
                                                             {p.defects, "--defects"},
                                                             {p.openings, "--openings"}}};
    std::vector<std::string> asked;
    for (const auto& [is_asked, name] : kinds)
        if (is_asked) asked.emplace_back(name);
    if (asked.size() > 1)
        throw InputError(fmt::format("{} are pictures of their own: ask for one at a time", fmt::join(asked, " and ")));
    if (!a.limit_texts.empty() && p.histogram.empty())
        throw InputError("--limit is drawn into histograms: add --histogram METRIC");
}

int draw(const Arguments& a) {
    check_kind_of_picture(a);
    const std::string ending = fs::path(a.output).extension().string();
    if (ending != ".png" && ending != ".svg")
        throw InputError(fmt::format("{}: a picture is written to .png or .svg", a.output));
    if (fs::path(a.input).extension() == ".toml")
        draw_of_case(a);
    else if (is_surface_file(a.input))
        draw_of_surface(a);
    else
        draw_of_mesh(a);
    print_written(a, a.output);
    return kDone;
}

int improve(const Arguments& a) {
    const LengthUnit unit = unit_of(a);
    const VolumeMesh mesh = read_mesh(a.input, cli::stoppable());
    ImproveReport report;
    VolumeMesh better;
    {
        cli::ProgressLine progress(a.console);
        better = improve_mesh(mesh, a.improve, progress.context(), &report);
    }
    write_mesh(a.output, better, cli::stoppable());
    if (a.json) {
        print(improve_json(better, report, a.input));
    } else if (!a.console.quiet) {
        print(cli::improve_text(better, report, a.improve, a.input, a.output, unit));
    }
    return report.is_reached ? kDone : kBroken;
}

int convert(const Arguments& a) {
    const LengthUnit unit = unit_of(a);
    if (is_surface_file(a.input)) {
        if (!is_surface_file(a.output))
            throw InputError(fmt::format(
                "{}: a surface can only be written to .stl, .obj or .ply; `anvilcast build` makes volume meshes",
                a.output));
        ReadSurfaceOptions options;
        if (!states_unit(a.input) || !a.unit.empty()) options.unit = unit;
        options.chord = length_or(a.chord_text, unit, 0);
        const SurfaceFile in = read_surface(a.input, options);
        for (const std::string& w : in.warnings) cli::tell(fmt::format("anvilcast: {}\n", w));
        write_surface(a.output, in.surface, in.unit, a.ascii);
    } else if (is_surface_file(a.output)) {
        write_surface(a.output, boundary_surface(read_mesh(a.input, cli::stoppable())), unit, a.ascii);
    } else {
        write_mesh(a.output, read_mesh(a.input, cli::stoppable()), cli::stoppable());
    }
    print_written(a, a.output);
    return kDone;
}

/// Demo cases lie beside the tool, in the share directory of an installation or in the source tree.
fs::path demo_directory() {
    std::error_code ignored;
    const fs::path self = fs::read_symlink("/proc/self/exe", ignored).parent_path();
    for (const fs::path& candidate : {self.parent_path() / ANVILCAST_DEMO_INSTALL, fs::path(ANVILCAST_DEMO_SOURCE)})
        if (fs::is_directory(candidate, ignored)) return candidate;
    throw FailureError("the demo cases were not found beside the tool; install them with it");
}

std::vector<std::string> demo_names() {
    std::vector<std::string> names;
    for (const auto& entry : fs::directory_iterator(demo_directory()))
        if (fs::exists(entry.path() / "case.toml")) names.push_back(entry.path().filename().string());
    std::sort(names.begin(), names.end());
    return names;
}

int demo(const Arguments& a) {
    const std::vector<std::string> names = demo_names();
    if (a.list) {
        print(a.json ? names_json("demos", names) : fmt::format("{}\n", fmt::join(names, "\n")));
        return kDone;
    }
    const std::string name = a.input.empty() ? "dust-cyclone" : a.input;
    if (std::find(names.begin(), names.end(), name) == names.end())
        throw InputError(fmt::format("there is no demo \"{}\"; there are: {}", name, fmt::join(names, ", ")));
    return build_case(a, demo_directory() / name / "case.toml",
                      a.directory.empty() ? fs::path("anvilcast-demo") / name : fs::path(a.directory));
}

/// The options that every command has.
CLI::App* command(CLI::App& app, Arguments& a, const char* name, const char* what, const char* example) {
    CLI::App* sub = app.add_subcommand(name, what);
    sub->add_flag("--json", a.json, "print JSON (SI units) instead of text");
    sub->add_flag("-q,--quiet", a.console.quiet, "print nothing but errors (and JSON)");
    sub->add_flag("-v,--verbose", a.console.verbose, "tell each step as it begins");
    sub->add_option("--threads", a.console.threads, "threads to use (default: all); never changes the result")
        ->check(CLI::Range(1, 1024));
    sub->footer(fmt::format("Example:\n  {}", example));
    return sub;
}

void add_unit(CLI::App* sub, Arguments& a, const char* what) { sub->add_option("--unit", a.unit, what); }

void add_surface_files(CLI::App* sub, Arguments& a) {
    sub->add_option("FILE", a.files,
                    "surface files (.stl .obj .ply, also .gz; .step .iges .brep); several are looked at as one")
        ->required();
    add_unit(sub, a, "unit of the numbers in the files (default mm; STEP and IGES know theirs)");
    sub->add_option("--split-angle", a.split_angle,
                    "divide zones at edges sharper than this, in degrees (default: 40 for files that come as one zone)")
        ->check(CLI::Range(1.0, 180.0));
    sub->add_option("--chord", a.chord_text,
                    "triangles of CAD faces stay within this of them (default: 1/2000 of the diagonal)");
    sub->add_option("--patience", a.patience,
                    "seconds that reading a CAD file may take (default: far more than a sound file of its size needs)")
        ->check(CLI::Range(1.0, 1e6));
}

void add_commands(CLI::App& app, Arguments& a) {
    CLI::App* s = command(
        app, a, "inspect", "what is in these surfaces, what is wrong with them, and where",
        "anvilcast inspect body.stl --unit mm\n  anvilcast inspect body.stl --mend mended.stl --close-rims \"20 mm\"\n"
        "  anvilcast inspect body.stl --wrap wrapped.stl --gap \"3 mm\" --inside \"0, 0, 400\"");
    add_surface_files(s, a);
    s->add_option("--tolerance", a.tolerance_text,
                  "closer than this is a crack or a near miss (default: a hundred-thousandth of the diagonal)");
    s->add_flag("--volumes", a.volumes, "list every volume that the surfaces enclose, each with a point inside");
    s->add_option("--page", a.page_file,
                  "write a page (.html) to click through zones, defects, openings and enclosed volumes; it gives the "
                  "case file's lines for each");
    s->add_option("--write-defects", a.defects_file,
                  "write marks at the places of all defects, a zone for each kind (.ply, .obj, .stl)");
    s->add_option(
        "--mend", a.mend_file,
        "mend and write the result (.stl, .obj, .ply): equal points, duplicates and orientation, and what the "
        "options below ask for");
    s->add_option("--weld", a.weld_text, "points within this distance become one (default: equal points only)");
    s->add_option("--stitch", a.stitch_text, "join cracks up to this wide (default: the tolerance)");
    s->add_option("--remove-needles", a.needles_text, "remove triangles lower than this (default: the tolerance)");
    s->add_option("--drop-specks", a.specks_text, "drop pieces up to this extent (default: none)");
    s->add_option("--close-rims", a.rims_text, "close rims up to this extent (default: none)");
    s->add_option("--wrap", a.wrap_file,
                  "wrap from the fluid's side, closing everything narrower than --gap, and write the result");
    s->add_option("--gap", a.gap_text, "of the wrap: what is narrower is closed, what is wider stays open");
    s->add_option("--inside", a.inside_texts,
                  "\"x, y, z\": wrap the volume round this place from within; several may be given (default: from "
                  "outside)")
        ->allow_extra_args(false);
    s->add_option("--detail", a.detail_text, "sharp edges shorter than this are wrapped over (default: two gaps)");
    s->add_flag("--ascii", a.ascii, "write STL and PLY as text");

    s = command(app, a, "openings", "the openings found, with place, size and a snippet to name them",
                "anvilcast openings body.stl --unit mm");
    add_surface_files(s, a);

    s = command(app, a, "yplus", "first cell height from flow conditions, and layers to match",
                "anvilcast yplus --speed \"18 m/s\" --length \"200 mm\" --target 30 --core-size \"4 mm\"");
    s->add_option("--speed", a.speed, "of the flow along the wall, e.g. \"18 m/s\"; of a pipe: the mean speed")
        ->required();
    s->add_option("--length", a.length, "along the wall; of a pipe: the hydraulic diameter")->required();
    s->add_option("--target", a.y_plus, "the y+ to aim at (default 1)")->check(CLI::Range(1e-3, 1e5));
    s->add_option("--fluid", a.fluid, "air or water (default air)");
    s->add_option("--temperature", a.temperature, "of the fluid, e.g. \"60 C\" (default 20 C)");
    s->add_option("--density", a.density, "kg/m3, instead of a fluid")->check(CLI::Range(1e-9, 1e6));
    s->add_option("--viscosity", a.viscosity, "dynamic, Pa s, with the density")->check(CLI::Range(1e-9, 1e6));
    s->add_flag("--pipe", a.is_pipe, "a pipe or duct instead of a plate");
    s->add_flag("--top", a.at_top, "y+ is meant at the first cell's top (default: at its center)");
    s->add_option("--growth", a.growth, "of the layers (default 1.2)")->check(CLI::Range(1.0, 3.0));
    s->add_option("--core-size", a.core_size, "edge length of the cells beyond the layers");
    add_unit(s, a, "unit of bare lengths and of the answer (default mm)");

    s = command(app, a, "plan", "everything decided and predicted, nothing meshed; exit status 1 beyond a limit",
                "anvilcast plan cyclone.toml");
    s->add_option("CASE", a.input, "case file (TOML)")->required();

    s = command(app, a, "build", "the whole job: from a case file to a checked mesh",
                "anvilcast build cyclone.toml --out cyclone");
    s->add_option("CASE", a.input, "case file (TOML)")->required();
    s->add_option("-o,--out", a.directory, "directory for the results")->required();
    s->add_option("--until", a.until, "stop at the surface mesh, and write that: surface.vtu and surface.stl")
        ->check(CLI::IsMember({"surface"}));

    s = command(app, a, "assess", "quality, limits, worst places; exit status 1 when a limit is broken",
                "anvilcast assess mesh.cgns --limit skewness=0.9\n  anvilcast assess mesh.cgns --select \"skewness > "
                "0.8\" --write bad.vtu");
    s->add_option("MESH", a.input, "mesh file (.cgns or .vtu)");
    s->add_option("--limit", a.limit_texts, "METRIC=VALUE or cells=N; several may be given");
    s->add_flag("--no-usual-limits", a.no_usual_limits, "hold it to the limits given here alone");
    s->add_option("--worst", a.view.n_worst, "list so many worst places of each leading metric")
        ->check(CLI::Range(0, 1000))
        ->capture_default_str();
    s->add_option("--histogram", a.view.histograms, "draw the histogram of a metric, or of all; several may be given");
    s->add_flag("--groups", a.view.groups, "figures by region, cell type, and zone that the cells touch");
    s->add_option("--select", a.selection,
                  "choose cells, e.g. \"skewness > 0.8 and zone = floor*\"; goes with --write");
    s->add_option("--write", a.output, "write the chosen cells, with all their metrics, to this file (.vtu)");
    s->add_option("--compare", a.files, "other meshes, to stand beside this one in one table");
    s->add_flag("--metrics", a.list, "list the metrics with their definitions, and do nothing else");
    add_unit(s, a, "unit for the printed lengths");

    s = command(app, a, "report", "the report page of a finished build: one HTML file, offline",
                "anvilcast report cyclone\n  anvilcast report cyclone --out for-a-colleague.html");
    s->add_option("DIR", a.input, "the directory of a build")->required();
    s->add_option("-o,--out", a.output, "the page to write (default: report.html in the directory)");

    s = command(app, a, "draw", "a picture (.png or .svg): boundary, cut, worst cell, layers, defects, openings, sizes",
                "anvilcast draw mesh.cgns --cut \"y = 0\" --out cut.png\n"
                "  anvilcast draw mesh.cgns --worst skewness --out worst.png\n"
                "  anvilcast draw body.stl --openings --out openings.svg");
    s->add_option("INPUT", a.input, "a mesh (.cgns .vtu), a surface (.stl .obj .ply .step ...) or a case (.toml)")
        ->required();
    s->add_option("-o,--out", a.output, "the picture to write (.png .svg)")->required();
    s->add_option("--colour", a.picture.colour,
                  "zone, role, type, region, size, layers, or a metric (default: zone; of cuts: type)");
    s->add_option("--cut", a.picture.cut, "the whole cells that a plane meets: \"x = 120\" or \"1,1,0 at 10,20,30\"");
    s->add_option("--worst", a.picture.worst, "the surroundings of the worst cell of this metric");
    s->add_option("--stack", a.picture.stack, "the layers over the place of the wall nearest to X,Y,Z");
    s->add_option("--histogram", a.picture.histogram, "the histogram of this metric");
    s->add_flag("--defects", a.picture.defects, "of a surface: its rims and defects");
    s->add_flag("--openings", a.picture.openings, "of a surface: its openings");
    s->add_flag("--sizes", a.picture.sizes, "of a case: the sizes asked for, on the plane of --cut");
    s->add_option("--view", a.picture.view,
                  "front, back, left, right, top, bottom, corner, or where the eye is: \"1,-2,1\"");
    s->add_option("--at", a.picture.at, "middle of a close-up, X,Y,Z");
    s->add_option("--across", a.picture.across, "what a close-up shows from side to side, e.g. \"20 mm\"");
    s->add_option("--only", a.picture.only, "zones to show, * and ? as wildcards; several may be given");
    s->add_option("--limit", a.limit_texts, "METRIC=VALUE, drawn into the histogram");
    s->add_option("--size", a.picture.size, "width x height in pixels")->capture_default_str();
    s->add_flag("--no-edges", a.picture.no_edges, "without the edges of the cells");
    s->add_flag("--dark", a.picture.dark, "on dark ground");
    s->add_option("--chord", a.chord_text, "triangles of CAD faces stay within this of them");
    add_unit(s, a, "unit of places and of the scale bar, and of the numbers in surface files (default mm)");

    s = command(app, a, "improve", "raise the worst cells of a mesh; its boundary and layers stay",
                "anvilcast improve mesh.cgns --out better.cgns --target 20");
    s->add_option("MESH", a.input, "a mesh of standard cells (.cgns .vtu)")->required();
    s->add_option("-o,--out", a.output, "the mesh to write (.cgns .vtu)")->required();
    s->add_option("--target", a.improve.target, "smallest dihedral angle of the tetrahedra to reach, degrees")
        ->capture_default_str();
    s->add_flag("--all", a.improve.all_cells, "better all tetrahedra, not only the worst");
    s->add_flag("--more-cells", a.improve.may_add_cells, "allow more cells and points than there are");
    add_unit(s, a, "unit for the printed lengths");

    s = command(app, a, "convert", "between the formats that are read and written",
                "anvilcast convert mesh.cgns mesh.vtu");
    s->add_option("IN", a.input, "a surface (.stl .obj .ply, also .gz; .step .iges .brep) or a mesh (.cgns .vtu)")
        ->required();
    s->add_option("OUT", a.output, "a surface (.stl .obj .ply; of a mesh: its boundary) or a mesh (.cgns .vtu)")
        ->required();
    s->add_flag("--ascii", a.ascii, "write STL and PLY as text");
    s->add_option("--chord", a.chord_text, "triangles of CAD faces stay within this of them");
    add_unit(s, a, "unit of the numbers in surface files (default mm; STEP and IGES know theirs)");

    s = command(app, a, "demo", "run a demo case shipped with the tool", "anvilcast demo dust-cyclone --out cyclone");
    s->add_option("NAME", a.input, "demo to run; dust-cyclone when left out");
    s->add_option("-o,--out", a.directory, "directory for the results; anvilcast-demo/NAME when left out");
    s->add_flag("--list", a.list, "list the demos");
}

int run(const CLI::App& app, const Arguments& a) {
    std::optional<tbb::global_control> threads;
    if (a.console.threads > 0)
        threads.emplace(tbb::global_control::max_allowed_parallelism, static_cast<std::size_t>(a.console.threads));
    const std::string name = app.get_subcommands().front()->get_name();
    if (name == "inspect") return inspect(a);
    if (name == "openings") return openings(a);
    if (name == "yplus") return yplus(a);
    if (name == "plan") return plan_case(a);
    if (name == "build") return build_case(a, a.input, a.directory);
    if (name == "assess") return assess_mesh(a);
    if (name == "report") return report(a);
    if (name == "draw") return draw(a);
    if (name == "improve") return improve(a);
    if (name == "convert") return convert(a);
    return demo(a);
}

int status_of(const Error& e) {
    switch (e.kind()) {
        case Error::Kind::input:
        case Error::Kind::geometry:
            return kWrongInput;
        case Error::Kind::cancelled:
            return cli::status_of_interrupt();
        case Error::Kind::failure:
        case Error::Kind::internal:
            break;
    }
    return kFailed;
}

/// Files that are opened must not get the numbers of standard streams that were closed: what is told would go into
/// them.
void hold_standard_streams() {
    for (const int stream : {STDIN_FILENO, STDOUT_FILENO, STDERR_FILENO})
        if (::fcntl(stream, F_GETFD) < 0 && errno == EBADF) [[maybe_unused]]
            const int held = ::open("/dev/null", stream == STDERR_FILENO ? O_WRONLY : O_RDONLY);
}

int parse_and_run(int argc, char** argv) {
    CLI::App app{"Anvilcast makes volume meshes for flow simulation from the geometry at hand."};
    app.set_version_flag("--version", "anvilcast " + version());
    app.require_subcommand(1);
    app.footer("`anvilcast COMMAND --help` shows a command's options and an example.");
    Arguments arguments;
    add_commands(app, arguments);
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& e) {
        std::ostringstream out, err;
        const int status = app.exit(e, out, err);
        cli::tell(err.str());
        print(out.str());
        return status == 0 ? kDone : kWrongInput;
    }
    return run(app, arguments);
}

}  // namespace

int main(int argc, char** argv) {
    hold_standard_streams();
    cli::catch_interrupts();
    try {
        return parse_and_run(argc, argv);
    } catch (const InvalidMesh& e) {
        cli::tell(e.text);
        return kBroken;
    } catch (const Error& e) {
        cli::tell(fmt::format("anvilcast: {}\n", e.what()));
        return status_of(e);
    } catch (const std::bad_alloc&) {
        cli::tell("anvilcast: out of memory; make the sizes larger\n");
    } catch (const std::exception& e) {
        cli::tell(fmt::format("anvilcast: {}\n", e.what()));
    }
    return kFailed;
}
