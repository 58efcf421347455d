// How a first case comes about: the files are looked at once (extent, openings, what is hollow), which decides what is
// meshed and how large its cells may be. Then the case is written down, parsed and planned as a user's would be, and
// what the plan says (too many cells, a leak, no room for layers) changes one thing at a time until it is content.

#include <anvilcast/errors.hpp>
#include <anvilcast/first_case.hpp>
#include <anvilcast/flow.hpp>
#include <anvilcast/leaks.hpp>
#include <anvilcast/naming.hpp>
#include <anvilcast/openings.hpp>
#include <anvilcast/plan.hpp>
#include <anvilcast/surface_files.hpp>
#include <anvilcast/weld.hpp>
#include <anvilcast/wrap.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "io/files.hpp"

namespace anvilcast {
namespace {

using Where = FirstCaseOptions::Where;

/// Numbers above this are taken for millimetres, others for metres: few bodies are wider than ten metres, and few
/// thinner than ten millimetres.
constexpr double kLargestInMetres = 10;
/// Of the extent: what bodies that are to touch are apart at most.
constexpr double kSeam = 3e-4;
/// Edges across the narrowest opening, and along what has none.
constexpr double kAcrossOpening = 10, kAlongBody = 60;
constexpr double kGrowth = 1.2;
constexpr int kLayers = 5;
/// Layers may take this share of the narrowest opening from each side.
constexpr double kShareOfLayers = 0.2;
constexpr int kMostPlans = 16;
/// Below this share of the cells that are allowed sizes are made finer.
constexpr double kFew = 0.1;

/// To two digits.
double rounded(double value) {
    const double step = std::pow(10, std::floor(std::log10(value)) - 1);
    return std::round(value / step) * step;
}

/// A text as TOML has it.
std::string quoted(const std::string& text) {
    std::string out = "\"";
    for (const char c : text) {
        if (c == '"' || c == '\\') out += '\\';
        if (static_cast<unsigned char>(c) < 0x20)
            out += fmt::format("\\u{:04x}", static_cast<int>(c));
        else
            out += c;
    }
    return out + '"';
}

enum class Layers { none, by_y_plus, by_shape };

/// The files, looked at.
struct Model {
    struct Part {
        std::filesystem::path file;
        bool states_unit = false;
    };
    std::vector<Part> parts;
    LengthUnit unit;
    bool unit_is_guess = false;
    double extent_in_file = 0;  ///< the longest, in the file's numbers
    Surface surface;
    double extent = 0;  ///< the diagonal, metres

    double seam() const { return kSeam * extent; }
};

Model look_at(const std::vector<std::filesystem::path>& files, const FirstCaseOptions& options,
              const Context& context) {
    const LengthUnit metre = parse_length_unit("m");
    Model model;
    model.unit = options.unit.value_or(metre);
    std::vector<Surface> surfaces;
    bool is_any_open = false;
    Box numbers;
    for (const std::filesystem::path& file : files) {
        context.check_stop();
        ReadSurfaceOptions reading;
        const bool states = states_unit(file);
        if (!states) reading.unit = options.unit.value_or(metre);
        reading.stop = context.stop;
        SurfaceFile read = read_surface(file, reading);
        model.parts.push_back({file, states});
        if (states && !options.unit) model.unit = read.unit;
        if (!states) {
            is_any_open = true;
            numbers.include(read.surface.bounds());
        }
        surfaces.push_back(std::move(read.surface));
    }
    if (is_any_open && !options.unit) {
        const Vec3 e = numbers.extent();
        model.unit_is_guess = true;
        model.extent_in_file = std::max({e.x, e.y, e.z});
        model.unit = model.extent_in_file > kLargestInMetres ? parse_length_unit("mm") : metre;
        for (std::size_t k = 0; k < surfaces.size(); ++k)
            if (!model.parts[k].states_unit)
                for (Vec3& p : surfaces[k].points) p = p * model.unit.metres;
    }
    model.surface = joined(surfaces);
    weld(model.surface);
    if (model.surface.triangles.empty()) throw InputError("there is nothing to mesh in these files");
    model.extent = model.surface.bounds().diagonal();
    return model;
}

class Draft {
  public:
    Draft(const Model& model, const std::filesystem::path& case_file, const FirstCaseOptions& options,
          const Context& context)
        : model_(model), case_file_(case_file), options_(options), context_(context) {
        find_openings_and_seams();
        decide_where();
        choose_size();
        if (options.speed) choose_layers();
    }

    FirstCase settled() {
        for (int n = 0;; ++n) {
            try {
                const Plan p = plan(parse_case(text(), case_file_), context_);
                if (n == kMostPlans || !(drop_openings_beside(p) || adapt(p.total_cells()))) return result(p);
            } catch (const Cancelled&) {
                throw;
            } catch (const Error& e) {
                if (n == kMostPlans || !mend(e)) throw;
            }
        }
    }

  private:
    /// Without the blanks between thousands that people get to read.
    std::string length(double metres) const {
        return quoted(fmt::format("{:.6g} {}", rounded(metres) / model_.unit.metres, model_.unit.name));
    }
    std::string place(const Vec3& p) const {
        const Vec3 u = p / model_.unit.metres;
        return fmt::format("[{:.6g}, {:.6g}, {:.6g}]", u.x, u.y, u.z);
    }

    // ---- what is there ----

    /// Seams are joined only where that makes a difference.
    void find_openings_and_seams() {
        openings_ = find_openings(model_.surface);
        std::vector<Opening> joined = find_openings(model_.surface, {.join = model_.seam()});
        const bool has_seam = std::any_of(joined.begin(), joined.end(), [](const Opening& o) { return o.seam > 0; });
        if (!has_seam && joined.size() == openings_.size()) return;
        openings_ = std::move(joined);
        join_ = model_.seam();
    }

    void decide_where() {
        if (options_.where == Where::around) {
            openings_.clear();
            is_around_ = true;
            return;
        }
        if (!openings_.empty()) {
            if (options_.where == Where::guessed)
                guess("the flow is taken to go through the openings; for the flow round the bodies: --around");
            return;
        }
        const Space space = divide_space(model_.surface, {}, {.join = join_});
        const SpaceCell *hollow = nullptr, *material = nullptr;
        for (std::size_t k = 1; k < space.cells.size(); ++k) {
            const SpaceCell& cell = space.cells[k];
            if (cell.is_sliver()) continue;
            const SpaceCell*& largest = cell.inside_of.empty() ? hollow : material;
            if (largest == nullptr || cell.volume > largest->volume) largest = &cell;
        }
        if (hollow == nullptr && holds_the_others(space)) {
            inside_ = material->inside;
            why_inside_ = "in the body that holds the others";
        }
        const bool is_named = std::any_of(model_.surface.zones.begin(), model_.surface.zones.end(),
                                          [](const Zone& z) { return guess_role(z.name) != Role::wall; });
        if (inside_) {
            // what is round the other bodies
        } else if (hollow != nullptr) {
            inside_ = hollow->inside;
            why_inside_ = "in the hollow of the bodies";
        } else if (material != nullptr && (options_.where == Where::inside || is_named)) {
            inside_ = material->inside;
            why_inside_ = "in the body, which is the fluid";
        } else if (options_.where == Where::inside) {
            throw GeometryError(
                "these surfaces enclose nothing and have no opening that could be closed; `anvilcast inspect` tells "
                "where they are open");
        } else {
            is_around_ = true;
            guess(
                "there is no opening and nothing hollow: the flow is taken to go round the bodies; if a body is the "
                "fluid itself: --inside");
        }
        if (inside_ && options_.where == Where::guessed)
            guess(fmt::format("the fluid is taken to be {}; for the flow round it: --around", why_inside_));
    }

    /// Of several parts, is one round all others: the skin of a fluid?
    bool holds_the_others(const Space& space) const {
        std::map<std::string, Box> boxes;
        for (Index t = 0; t < model_.surface.triangles.size(); ++t)
            for (int k = 0; k < 3; ++k) boxes[space.part_of[t]].include(model_.surface.corner(t, k));
        if (boxes.size() < 2) return false;
        return std::any_of(boxes.begin(), boxes.end(), [&](const auto& outer) {
            return std::all_of(boxes.begin(), boxes.end(), [&](const auto& b) {
                Box both = outer.second;
                both.include(b.second);
                return both.lo == outer.second.lo && both.hi == outer.second.hi;
            });
        });
    }

    // ---- sizes and layers ----

    /// The narrowest opening; what encloses its fluid without one counts by its extent.
    double width() const {
        double least = is_around_ || openings_.empty() ? model_.extent : Box::inf;
        for (const Opening& o : openings_) least = std::min(least, o.hydraulic_diameter());
        return std::max(least, model_.extent / 100);
    }
    void choose_size() { size_ = width() / (is_around_ || openings_.empty() ? kAlongBody : kAcrossOpening); }

    FlowConditions flow() const {
        FlowConditions f;
        f.speed = *options_.speed;
        f.fluid = fluid_by_name(options_.fluid, 293.15);
        f.length = rounded(is_around_ ? flow_extent() : width());
        f.wall = is_around_ ? WallKind::plate : WallKind::pipe;
        return f;
    }
    void choose_layers() {
        layers_ = Layers::by_y_plus;
        const WallEstimate wall = estimate_wall(flow());
        const double room = kShareOfLayers * width();
        for (const double y_plus : {30.0, 1.0}) {
            y_plus_ = y_plus;
            const double first = first_height(wall, y_plus, YPlusAt::cell_center);
            n_layers_ = y_plus > 1 ? kLayers : 3 * kLayers;
            if (wall.is_turbulent && first * (std::pow(kGrowth, n_layers_) - 1) / (kGrowth - 1) < room) return;
        }
        layers_ = Layers::by_shape;
    }

    /// Along x or y, whichever is longer.
    double flow_extent() const {
        const Vec3 e = model_.surface.bounds().extent();
        return std::max(e.x, e.y);
    }
    bool flows_along_y() const {
        const Vec3 e = model_.surface.bounds().extent();
        return e.y > 1.2 * e.x;
    }

    // ---- what a plan says ----

    /// Those that do not lead into the fluid. Tells whether there were any.
    bool drop_openings_beside(const Plan& p) {
        std::vector<Opening> kept;
        for (std::size_t k = 0; k < openings_.size(); ++k) {
            const bool leads_in = std::any_of(p.zones.begin(), p.zones.end(),
                                              [&](const ZonePlan& z) { return z.name == opening_name(k); });
            if (leads_in) kept.push_back(openings_[k]);
        }
        if (kept.empty() || kept.size() == openings_.size()) return false;
        guess(fmt::format("{} more openings lead elsewhere: they are left out", openings_.size() - kept.size()));
        openings_ = std::move(kept);
        choose_size();
        if (layers_ == Layers::by_y_plus) choose_layers();
        return true;
    }

    /// Tells whether another plan is needed.
    bool adapt(double cells) {
        if (cells > options_.cells) {
            size_ *= std::max(1.2, std::sqrt(cells / options_.cells));
            was_coarsened_ = true;
            return true;
        }
        if (was_coarsened_ || n_refined_ == 2 || cells > kFew * options_.cells) return false;
        size_ /= 1.5;
        ++n_refined_;
        return true;
    }

    /// One thing that may help; false when there is none left.
    bool mend(const Error& e) {
        const bool is_geometry = e.kind() == Error::Kind::geometry;
        if (e.kind() == Error::Kind::failure) {
            // The field of sizes alone is too much.
            if (heeds_gaps_)
                heeds_gaps_ = false;
            else
                size_ *= 2;
            return true;
        }
        if (layers_ == Layers::by_y_plus && !is_geometry) {
            layers_ = Layers::by_shape;
            return true;
        }
        if (is_geometry && join_ == 0) {
            join_ = model_.seam();
            return true;
        }
        if (is_geometry && !openings_.empty() && !takes_largest_) {
            // What is behind an opening may be several volumes.
            takes_largest_ = true;
            return true;
        }
        if (is_geometry && gap_ == 0 && !model_is_cad()) {
            takes_largest_ = false;
            gap_ = is_around_ ? size_ : width() / 4;
            if (!openings_.empty()) inside_ = openings_.front().clear - openings_.front().facing * (width() / 4);
            guess("the surfaces have gaps that could not be closed otherwise: they are wrapped");
            return true;
        }
        if (is_geometry && gap_ > 0 && gap_ < width() / 2) {
            gap_ *= 2;
            return true;
        }
        if (layers_ == Layers::none) return false;
        layers_ = Layers::none;
        guess("there is no room for layers");
        return true;
    }
    bool model_is_cad() const {
        return std::all_of(model_.parts.begin(), model_.parts.end(),
                           [](const Model::Part& p) { return p.states_unit; });
    }
    void guess(std::string text) { guesses_.push_back(std::move(text)); }

    FirstCase result(const Plan& p) {
        cells_ = p.total_cells();
        FirstCase out;
        out.text = text();
        if (model_.unit_is_guess)
            out.guesses.push_back(
                fmt::format("the numbers in the files are taken for {}: the bodies are then {} at "
                            "the longest; otherwise: --unit",
                            model_.unit.name, format_length(model_.extent_in_file * model_.unit.metres, model_.unit)));
        if (openings_.size() > 1)
            out.guesses.push_back("the largest opening is taken for the inlet: look at the roles");
        out.guesses.insert(out.guesses.end(), guesses_.begin(), guesses_.end());
        out.cells = cells_;
        out.is_around = is_around_;
        out.has_layers = layers_ != Layers::none;
        out.n_openings = openings_.size();
        return out;
    }

    // ---- the text ----

    /// A line and what it is for.
    static std::string line(const std::string& key, const std::string& value, const std::string& why) {
        constexpr std::size_t kColumn = 34;
        std::string out = key + " = " + value;
        if (!why.empty()) out += std::string(out.size() < kColumn ? kColumn - out.size() : 2, ' ') + "# " + why;
        return out + "\n";
    }

    std::string text() const {
        return "# Made by `anvilcast start`: what was guessed says so. Next: `anvilcast plan`, then `anvilcast "
               "build`.\n\n" +
               head() + parts() + wrap_and_surround() + openings() + region() + domain() + sizing() + layers() +
               limits();
    }

    std::string head() const {
        const std::string name = case_file_.stem().string();
        return "[case]\n" + line("name", quoted(name), "for reports") +
               line("unit", quoted(model_.unit.name), "of bare lengths in this file, and of what is printed") + "\n";
    }

    std::string parts() const {
        std::string out;
        for (const Model::Part& p : model_.parts) {
            const auto directory = std::filesystem::absolute(case_file_).parent_path();
            std::filesystem::path shown = std::filesystem::absolute(p.file).lexically_proximate(directory);
            out += "[[part]]\n" + line("file", quoted(shown.generic_string()), "relative to this file");
            if (!p.states_unit)
                out += line("unit", quoted(model_.unit.name),
                            model_.unit_is_guess ? "guessed: of the numbers in that file, which does not say"
                                                 : "of the numbers in that file");
            out += "\n";
        }
        return out;
    }

    std::string wrap_and_surround() const {
        std::string out;
        if (gap_ > 0)
            out +=
                "[wrap]\n" + line("gap", length(gap_), "what is narrower is closed, what is wider stays open") + "\n";
        if (is_around_)
            out += "[surround]\n" + line("shape", "\"box\"", "or cylinder, sphere, half-sphere, bullet") +
                   line("flow", flows_along_y() ? "[0, 1, 0]" : "[1, 0, 0]", "guessed: where the flow goes") +
                   line("ahead", "5", "body lengths before it") + line("behind", "10", "and behind it") +
                   line("aside", "5", "to the left and right") + line("above", "5", "and above and below") +
                   "# ground = true                   # for a wall right under the bodies\n\n";
        return out;
    }

    std::string openings() const {
        std::string out;
        for (std::size_t k = 0; k < openings_.size(); ++k) {
            const Opening& o = openings_[k];
            const std::string role = role_of(k);
            out += "[[opening]]\n" +
                   line("name", quoted(opening_name(k)),
                        fmt::format("{} of them, this one {} wide", openings_.size(),
                                    format_length(o.hydraulic_diameter(), model_.unit))) +
                   line("role", quoted(role),
                        openings_.size() == 1 ? "in or out" : "guessed: or \"inlet\", \"outlet\", \"open\"") +
                   line("near", place(rounded_place(o, parse_length_unit("m"))), "its middle") + "\n";
        }
        return out;
    }
    /// By the names of the zones at its rim, if they tell.
    std::string role_of(std::size_t k) const {
        for (const std::string& zone : openings_[k].rim_zones) {
            const Role role = guess_role(zone);
            if (role == Role::inlet || role == Role::outlet) return role_name(role);
        }
        return openings_.size() == 1 ? "open" : k == 0 ? "inlet" : "outlet";
    }
    std::string opening_name(std::size_t k) const {
        if (openings_.size() == 1) return "opening";
        if (k == 0) return "inlet";
        return openings_.size() == 2 ? "outlet" : fmt::format("outlet-{}", k);
    }

    std::string region() const {
        if (is_around_) return "";
        std::string out = "[[region]]\n" + line("name", "\"fluid\"", "of the cells");
        if (takes_largest_)
            out += line("largest", "true", "the largest enclosed volume that the fewest bodies fill");
        else if (inside_)
            out += line("inside", place(*inside_), "a point " + (why_inside_.empty() ? "in the fluid" : why_inside_));
        else
            out += line("inside", "{ opening = " + quoted(opening_name(0)) + " }", "what is right behind this opening");
        return out + "\n";
    }

    std::string domain() const {
        if (join_ == 0) return "";
        return "[domain]\n" + line("join", length(join_), "bodies this close to each other are laid onto each other") +
               "\n";
    }

    std::string sizing() const {
        const double largest = is_around_ ? 20 * size_ : 2 * size_;
        return "[sizing]\n" +
               line("surface", length(size_),
                    is_around_ || openings_.empty()
                        ? "edge length on walls"
                        : fmt::format("edge length on walls: {:.2g} across the narrowest opening", width() / size_)) +
               line("largest", length(largest), "away from them") +
               line("growth", fmt::format("{}", kGrowth), "from one cell to the next, at most") +
               line("per_turn", "20", "edges round a full turn: rounds get smaller cells") +
               (heeds_gaps_ ? line("across_gaps", "3", "cells between walls that face each other") : "") +
               line("smallest", length(size_ / 6), "what rounds and gaps may ask for at the least") + "\n";
    }

    std::string layers() const {
        if (layers_ == Layers::none) return "";
        std::string out;
        if (options_.speed) {
            const FlowConditions f = flow();
            out += "[flow]\n" + line("speed", quoted(fmt::format("{:g} m/s", f.speed)), "of the flow") +
                   line("fluid", quoted(options_.fluid), "at 20 C, unless `temperature` says otherwise") +
                   line("length", length(f.length), is_around_ ? "along the wall" : "hydraulic diameter") +
                   line("wall", is_around_ ? "\"plate\"" : "\"pipe\"", "which correlation holds") + "\n";
        }
        out += "[[layers]]\n";
        if (layers_ == Layers::by_y_plus)
            out += line("y_plus", fmt::format("{:g}", y_plus_),
                        y_plus_ > 1 ? "for wall functions; 1 resolves the layer" : "resolves the boundary layer");
        else
            out += line("first_flatness", "4", "edge length over height: y+ asks for nothing that has room here");
        return out + line("growth", fmt::format("{}", kGrowth), "from one layer to the next") +
               line("count", fmt::format("{}", layers_ == Layers::by_y_plus ? n_layers_ : kLayers), "layers") + "\n";
    }

    std::string limits() const {
        const double cells = std::ceil(2 * std::max(cells_, options_.cells));
        return "[limits]\n" +
               line("cells", fmt::format("{:.0f}", cells),
                    cells_ > 0 ? fmt::format("about {} are predicted: nothing is meshed when it is more than this",
                                             format_count(static_cast<std::size_t>(rounded(cells_))))
                               : "");
    }

    const Model& model_;
    const std::filesystem::path& case_file_;
    const FirstCaseOptions& options_;
    const Context& context_;
    std::vector<std::string> guesses_;
    std::vector<Opening> openings_;
    double join_ = 0, gap_ = 0, size_ = 0, cells_ = 0;
    bool is_around_ = false, was_coarsened_ = false, heeds_gaps_ = true, takes_largest_ = false;
    int n_refined_ = 0;
    std::optional<Vec3> inside_;
    std::string why_inside_;
    Layers layers_ = Layers::none;
    double y_plus_ = 0;
    int n_layers_ = 0;
};

}  // namespace

FirstCase first_case(const std::vector<std::filesystem::path>& files, const std::filesystem::path& case_file,
                     const FirstCaseOptions& options, const Context& context) {
    if (files.empty()) throw InputError("no surface file was given");
    if (!(options.cells >= 1000)) throw InputError("at least 1000 cells must be allowed");
    if (options.speed && !(*options.speed > 0)) throw InputError("the speed must be positive");
    const Model model = look_at(files, options, context);
    return Draft(model, case_file, options, context).settled();
}

void write_first_case(const std::filesystem::path& case_file, const FirstCase& first, bool replaces) {
    if (!replaces && std::filesystem::exists(case_file))
        throw InputError(
            fmt::format("there is a {} already; give another name with --out, or --replace it", case_file.string()));
    io::write_file(case_file, first.text);
}

}  // namespace anvilcast
