// anvilcast inspect: what is in surfaces, what is wrong with them, and where; mends and wraps.

#include <anvilcast/domain.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/report.hpp>
#include <anvilcast/surface_files.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include <filesystem>
#include <optional>

#include "model.hpp"

namespace cli {
namespace {

struct InspectOptions : ModelOptions {
    std::string tolerance_text, weld_text, stitch_text, needles_text, specks_text, rims_text;
    std::string mend_file, defects_file, page_file;
    std::string wrap_file, gap_text, detail_text;
    std::vector<std::string> inside_texts;
    bool volumes = false, ascii = false;
};

bool wants_mends(const InspectOptions& o) { return !o.mend_file.empty(); }

/// What is not given is done within the tolerance where the tolerance bounds it, and left out where a size must be
/// chosen.
MendOptions mend_options(const InspectOptions& o, const LengthUnit& unit, double tolerance) {
    MendOptions options;
    options.weld = length_or(o.weld_text, unit, 0);
    options.stitch = length_or(o.stitch_text, unit, tolerance);
    options.remove_needles = length_or(o.needles_text, unit, tolerance);
    options.drop_specks = length_or(o.specks_text, unit, 0);
    options.close_rims = length_or(o.rims_text, unit, 0);
    return options;
}

/// A surface that needed no mend goes out as it came in, byte for byte, when the format stays.
void write_mended(const InspectOptions& o, const Model& model, const MendResult& mended) {
    const bool same_format = o.files.size() == 1 && std::filesystem::path(o.files.front()).extension() ==
                                                        std::filesystem::path(o.mend_file).extension();
    if (!mended.is_changed() && same_format)
        copy_surface_file(o.files.front(), o.mend_file);
    else
        write_surface(o.mend_file, mended.surface, model.unit, o.ascii);
}

/// Wraps the model as its files say, zones divided as a build would do it, and writes that.
WrapResult wrap_and_write(const InspectOptions& o, const Model& model, const Surface& surface, const Context& context) {
    if (o.gap_text.empty()) {
        std::vector<Vec3> inside;
        for (const std::string& text : o.inside_texts) inside.push_back(place_of(text, model.unit));
        const auto gap = suggest_gap(surface, inside, model.unit, context);
        throw InputError(
            fmt::format("--wrap needs --gap, the width up to which everything is closed; {}",
                        gap ? fmt::format("--gap \"{}\" is one to begin with", format_length(*gap, model.unit))
                            : "none up to a tenth of the geometry's diagonal holds the fluid at the points given"));
    }
    WrapOptions options;
    options.gap = parse_length(o.gap_text, model.unit);
    options.detail = length_or(o.detail_text, model.unit, 0);
    for (const std::string& text : o.inside_texts) options.inside.push_back(place_of(text, model.unit));
    WrapResult wrapped = wrap(divided(model, surface), options, model.unit, context);
    write_surface(o.wrap_file, wrapped.surface, model.unit, o.ascii);
    return wrapped;
}

int inspect(const InspectOptions& o) {
    if (o.wrap_file.empty() && (!o.gap_text.empty() || !o.detail_text.empty() || !o.inside_texts.empty()))
        throw InputError("a wrap was asked for without a file to write: add --wrap OUT");
    for (const auto* text : {&o.weld_text, &o.stitch_text, &o.needles_text, &o.specks_text, &o.rims_text})
        if (!text->empty() && !wants_mends(o))
            throw InputError("a mend was asked for without a file to write: add --mend OUT");
    const Model model = read_model(o);
    HealthOptions options;
    options.tolerance = length_or(o.tolerance_text, model.unit, 0);
    if (options.tolerance == 0) options.tolerance = default_tolerance(model.surface);
    SurfaceHealth health;
    MendResult mended;
    std::optional<WrapResult> wrapped;
    {
        ProgressLine progress(o.console);
        const Context context = progress.context();
        if (wants_mends(o)) mended = mend(model.surface, mend_options(o, model.unit, options.tolerance), context);
        health = examine(divided(model, wants_mends(o) ? mended.surface : model.surface), options, context);
        if (!o.wrap_file.empty())
            wrapped = wrap_and_write(o, model, wants_mends(o) ? mended.surface : model.surface, context);
    }
    if (wants_mends(o)) write_mended(o, model, mended);
    std::optional<Space> space;
    if (o.volumes) {
        ProgressLine progress(o.console);
        space = divide_space(wants_mends(o) ? mended.surface : model.surface, {}, {}, progress.context());
    }
    if (!o.page_file.empty()) {
        const Surface shown = divided(model, wants_mends(o) ? mended.surface : model.surface);
        const double seam = usual_seam(shown);
        const std::vector<Opening> found = find_openings(shown, {.join = seam});
        std::optional<Space> closed;  // with the openings closed, so that the flow's own volume is among them
        try {
            closed = divide_space(shown, found, {.join = seam});
        } catch (const GeometryError& e) {
            tell(fmt::format("anvilcast: volumes are left out of the page: {}\n", e.what()));
        }
        write_inspection(o.page_file, shown, health, found, closed ? &*closed : nullptr, model.unit,
                         std::filesystem::path(model.name).filename().string());
    }
    if (!o.defects_file.empty()) write_surface(o.defects_file, defect_marks(health), model.unit);
    if (o.json)
        print(health_json(health, model.name, wants_mends(o) ? &mended : nullptr, space ? &*space : nullptr,
                          wrapped ? &*wrapped : nullptr));
    else if (!o.console.quiet)
        print((wants_mends(o) ? mend_text(mended, o.mend_file, model.unit) : "") +
              health_text(health, wants_mends(o) ? o.mend_file : model.name, model.unit) +
              (space ? volumes_text(*space, model.unit) : "") +
              (wrapped ? wrap_text(*wrapped, o.wrap_file, model.unit) : ""));
    return health.is_blocked() && !wrapped ? kBroken : kDone;
}

}  // namespace

void add_inspect(CLI::App& app, Commands& commands) {
    const auto o = std::make_shared<InspectOptions>();
    CLI::App* s = command(
        app, *o, "inspect", "what is in these surfaces, what is wrong with them, and where",
        "anvilcast inspect body.stl --unit mm\n  anvilcast inspect body.stl --mend mended.stl --close-rims \"20 mm\"\n"
        "  anvilcast inspect body.stl --wrap wrapped.stl --gap \"3 mm\" --inside \"0, 0, 400\"");
    add_surface_files(s, *o);
    s->add_option("--tolerance", o->tolerance_text,
                  "closer than this is a crack or a near miss (default: a hundred-thousandth of the diagonal)");
    s->add_flag("--volumes", o->volumes, "list every volume that the surfaces enclose, each with a point inside");
    s->add_option("--page", o->page_file,
                  "write a page (.html) to click through zones, defects, openings and enclosed volumes; it gives the "
                  "case file's lines for each");
    s->add_option("--write-defects", o->defects_file,
                  "write marks at the places of all defects, a zone for each kind (.ply, .obj, .stl)");
    s->add_option(
        "--mend", o->mend_file,
        "mend and write the result (.stl, .obj, .ply): equal points, duplicates and orientation, and what the "
        "options below ask for");
    s->add_option("--weld", o->weld_text, "points within this distance become one (default: equal points only)");
    s->add_option("--stitch", o->stitch_text, "join cracks up to this wide (default: the tolerance)");
    s->add_option("--remove-needles", o->needles_text, "remove triangles lower than this (default: the tolerance)");
    s->add_option("--drop-specks", o->specks_text, "drop pieces up to this extent (default: none)");
    s->add_option("--close-rims", o->rims_text, "close rims up to this extent (default: none)");
    s->add_option("--wrap", o->wrap_file,
                  "wrap from the fluid's side, closing everything narrower than --gap, and write the result");
    s->add_option("--gap", o->gap_text, "of the wrap: what is narrower is closed, what is wider stays open");
    s->add_option("--inside", o->inside_texts,
                  "\"x, y, z\": wrap the volume round this place from within; several may be given (default: from "
                  "outside)")
        ->allow_extra_args(false);
    s->add_option("--detail", o->detail_text, "sharp edges shorter than this are wrapped over (default: two gaps)");
    s->add_flag("--ascii", o->ascii, "write STL and PLY as text");
    commands.push_back({s, &o->console, [o] { return inspect(*o); }});
}

}  // namespace cli
