// anvilcast draw: pictures of meshes, surfaces, and the sizes of cases.

#include <anvilcast/errors.hpp>
#include <anvilcast/figures.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/openings.hpp>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/surface_files.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstdio>
#include <filesystem>

#include "model.hpp"

namespace cli {
namespace {

struct DrawOptions : ModelOptions {
    std::string input, output;
    std::vector<std::string> limit_texts;
    std::string colour, cut, worst, stack, histogram, view, at, across, size = "1280x800";
    std::vector<std::string> only;
    bool defects = false, openings = false, sizes = false, no_edges = false, dark = false;
};

FigureOptions figure_options(const DrawOptions& o, const LengthUnit& unit) {
    FigureOptions f;
    f.unit = unit;
    f.title = o.input;
    int n = 0;
    if (std::sscanf(o.size.c_str(), "%zux%zu%n", &f.width, &f.height, &n) != 2 ||
        static_cast<std::size_t>(n) != o.size.size())
        throw InputError(fmt::format("\"{}\" is no size; write one like 1280x800", o.size));
    f.dark = o.dark;
    f.edges = !o.no_edges;
    f.only = o.only;
    if (!o.view.empty()) f.eye = parse_view(o.view);
    if (!o.at.empty()) f.at = place_of(o.at, unit);
    if (!o.across.empty()) {
        if (!f.at && o.worst.empty() && o.stack.empty())
            throw InputError("--across needs the middle of the close-up: --at X,Y,Z");
        f.across = parse_length(o.across, unit);
        if (!(*f.across > 0)) throw InputError("--across must be above 0");
    }
    return f;
}

void draw_of_surface(const DrawOptions& o) {
    DrawOptions with_file = o;
    with_file.files = {o.input};
    const Model model = read_model(with_file);
    const Surface surface = divided(model, model.surface);
    const FigureOptions options = figure_options(o, model.unit);
    if (o.defects)
        draw_defects(o.output, surface, examine(surface), options);
    else if (o.openings)
        draw_openings(o.output, surface, find_openings(surface, {.join = usual_seam(surface)}), options);
    else if (!o.cut.empty() || !o.worst.empty() || !o.stack.empty())
        throw InputError(fmt::format("{}: a surface has no cells to cut; draw a mesh", o.input));
    else if (!o.histogram.empty()) {
        const MetricId id = find_metric(o.histogram).id;
        const std::vector<Metric> metrics = assess_surface(surface, limits_of(o.limit_texts, true));
        const auto found = std::find_if(metrics.begin(), metrics.end(), [id](const Metric& m) { return m.id == id; });
        if (found == metrics.end())
            throw InputError(
                "of a surface there are histograms of surface_smallest_angle, surface_largest_angle, "
                "surface_skewness and area_ratio");
        draw_histogram(o.output, *found, options);
    } else
        draw_surface(o.output, surface, parse_colouring(o.colour.empty() ? "zone" : o.colour), options);
}

void draw_of_mesh(const DrawOptions& o) {
    const FigureOptions options = figure_options(o, unit_of(o));
    if (o.defects || o.openings)
        throw InputError("--defects and --openings are of surfaces; a mesh that is valid has none");
    const VolumeMesh mesh = read_valid_mesh(o.input);
    ProgressLine progress(o.console);
    const Context context = progress.context();
    const auto colouring = [&](const char* otherwise) {
        return parse_colouring(o.colour.empty() ? otherwise : o.colour);
    };
    if (!o.histogram.empty())
        draw_histogram(o.output, assess(mesh, limits_of(o.limit_texts, true), context).metric(o.histogram), options);
    else if (!o.worst.empty())
        draw_worst(o.output, mesh, find_metric(o.worst).id, options, context);
    else if (!o.stack.empty())
        draw_stack(o.output, mesh, place_of(o.stack, options.unit), options, context);
    else if (!o.cut.empty())
        draw_cut(o.output, mesh, parse_cut_plane(o.cut, options.unit), colouring("type"), options, context);
    else
        draw_boundary(o.output, mesh, colouring("zone"), options, context);
}

void draw_of_case(const DrawOptions& o) {
    const Case c = read_case(o.input);
    const FigureOptions options = figure_options(o, o.unit.empty() ? c.unit : unit_of(o));
    if (!o.sizes || o.cut.empty())
        throw InputError("of a case its sizes are drawn: --sizes --cut \"y = 0\"; build it for more");
    ProgressLine progress(o.console);
    const SizedDomain sized = size_case(c, progress.context());
    draw_sizes(o.output, sized.domain, sized.sizing.field, parse_cut_plane(o.cut, options.unit), options,
               progress.context());
}

/// One picture shows one thing.
void check_kind_of_picture(const DrawOptions& o) {
    const std::array<std::pair<bool, const char*>, 6> kinds{{{!o.cut.empty(), "--cut"},
                                                             {!o.worst.empty(), "--worst"},
                                                             {!o.stack.empty(), "--stack"},
                                                             {!o.histogram.empty(), "--histogram"},
                                                             {o.defects, "--defects"},
                                                             {o.openings, "--openings"}}};
    std::vector<std::string> asked;
    for (const auto& [is_asked, name] : kinds)
        if (is_asked) asked.emplace_back(name);
    if (asked.size() > 1)
        throw InputError(fmt::format("{} are pictures of their own: ask for one at a time", fmt::join(asked, " and ")));
    if (!o.limit_texts.empty() && o.histogram.empty())
        throw InputError("--limit is drawn into histograms: add --histogram METRIC");
}

int draw(const DrawOptions& o) {
    check_kind_of_picture(o);
    const std::string ending = std::filesystem::path(o.output).extension().string();
    if (ending != ".png" && ending != ".svg")
        throw InputError(fmt::format("{}: a picture is written to .png or .svg", o.output));
    if (std::filesystem::path(o.input).extension() == ".toml")
        draw_of_case(o);
    else if (is_surface_file(o.input))
        draw_of_surface(o);
    else
        draw_of_mesh(o);
    print_written(o, o.input, o.output);
    return kDone;
}

}  // namespace

void add_draw(CLI::App& app, Commands& commands) {
    const auto o = std::make_shared<DrawOptions>();
    CLI::App* s = command(app, *o, "draw",
                          "a picture (.png or .svg): boundary, cut, worst cell, layers, defects, openings, sizes",
                          "anvilcast draw mesh.cgns --cut \"y = 0\" --out cut.png\n"
                          "  anvilcast draw mesh.cgns --worst skewness --out worst.png\n"
                          "  anvilcast draw body.stl --openings --out openings.svg");
    s->add_option("INPUT", o->input,
                  fmt::format("a mesh {}, a surface {} or a case (.toml)", mesh_endings(), surface_endings()))
        ->required();
    s->add_option("-o,--out", o->output, "the picture to write (.png .svg)")->required();
    s->add_option("--colour", o->colour,
                  "zone, role, type, region, size, layers, or a metric (default: zone; of cuts: type)");
    s->add_option("--cut", o->cut, "the whole cells that a plane meets: \"x = 120\" or \"1,1,0 at 10,20,30\"");
    s->add_option("--worst", o->worst, "the surroundings of the worst cell of this metric");
    s->add_option("--stack", o->stack, "the layers over the place of the wall nearest to X,Y,Z");
    s->add_option("--histogram", o->histogram, "the histogram of this metric");
    s->add_flag("--defects", o->defects, "of a surface: its rims and defects");
    s->add_flag("--openings", o->openings, "of a surface: its openings");
    s->add_flag("--sizes", o->sizes, "of a case: the sizes asked for, on the plane of --cut");
    s->add_option("--view", o->view, "front, back, left, right, top, bottom, corner, or where the eye is: \"1,-2,1\"");
    s->add_option("--at", o->at, "middle of a close-up, X,Y,Z");
    s->add_option("--across", o->across, "what a close-up shows from side to side, e.g. \"20 mm\"");
    s->add_option("--only", o->only, "zones to show, * and ? as wildcards; several may be given");
    s->add_option("--limit", o->limit_texts, "METRIC=VALUE, drawn into the histogram");
    s->add_option("--size", o->size, "width x height in pixels")->capture_default_str();
    s->add_flag("--no-edges", o->no_edges, "without the edges of the cells");
    s->add_flag("--dark", o->dark, "on dark ground");
    s->add_option("--chord", o->chord_text, "triangles of CAD faces stay within this of them");
    add_unit(s, *o, "unit of places and of the scale bar, and of the numbers in surface files (default mm)");
    commands.push_back({s, &o->console, [o] { return draw(*o); }});
}

}  // namespace cli
