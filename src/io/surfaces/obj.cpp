// OBJ: points and faces of any number of corners. Objects, groups and materials divide the faces into zones.

#include <anvilcast/errors.hpp>
#include <anvilcast/surface_files.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <iterator>
#include <map>
#include <set>

#include "io/surfaces/surface_text.hpp"
#include "io/surfaces/surface_writers.hpp"

namespace anvilcast {
namespace {

constexpr std::size_t kMostCorners = 2000;

class ObjReader {
  public:
    ObjReader(std::string_view content, const std::string& name, const LengthUnit& unit)
        : lines_(content, name), name_(name), unit_(unit) {}

    Surface read() {
        while (!lines_.at_end()) {
            std::string_view line = next_statement();
            const std::string_view word = io::take_word(line);
            if (word == "v")
                add_point(line);
            else if (word == "f" || word == "fo")
                add_face(line);
            else if (word == "g")
                label_[1] = io::trimmed(line), changed_ = true;
            else if (word == "o")
                label_[0] = io::trimmed(line), changed_ = true;
            else if (word == "usemtl")
                label_[2] = io::trimmed(line), changed_ = true;
            else if (is_other_element(word))
                ++others_skipped_;
            else if (!is_known(word))
                lines_.fail(fmt::format("\"{}\" does not begin a line of an OBJ file", word.substr(0, 40)));
        }
        if (highest_ >= surface_.points.size() && !faces_.empty())
            throw InputError(fmt::format("{}, line {}: a face uses point {}, the file has {}", name_, line_of_highest_,
                                         highest_ + 1, surface_.points.size()));
        for (const Face& face : faces_) {
            const std::vector<Index> polygon(corners_.begin() + face.first, corners_.begin() + face.first + face.count);
            for (const Triangle& t : io::triangles_of(surface_.points, polygon)) {
                surface_.triangles.push_back(t);
                surface_.zone_of.push_back(face.zone);
            }
        }
        name_zones();
        return std::move(surface_);
    }

    std::size_t others_skipped() const { return others_skipped_; }

  private:
    using Label = std::array<std::string, 3>;  // object, group, material
    struct Face {
        std::uint32_t first, count;
        Index zone;
    };

    /// What OBJ files hold beside points and faces: none of it matters here.
    static bool is_known(std::string_view word) {
        static const std::set<std::string_view> words{
            "", "vt", "vn", "vp", "s", "mtllib", "mg", "lod", "usemap", "maplib", "bevel", "c_interp", "d_interp",
            "shadow_obj", "trace_obj", "call", "csh",
            // Of free-form curves and surfaces.
            "cstype", "deg", "bmat", "step", "parm", "trim", "hole", "scrv", "sp", "end", "con", "stech", "ctech",
            "res", "cdc", "cdp", "bsp", "bzp"};
        return words.contains(word) || word.front() == '#';
    }
    /// Elements that have no flat faces: lines, points, curves and curved surfaces.
    static bool is_other_element(std::string_view word) {
        static const std::set<std::string_view> words{"l", "p", "curv", "curv2", "surf"};
        return words.contains(word);
    }

    /// A line, with those that a backslash at its end joins to it.
    std::string_view next_statement() {
        std::string_view line = lines_.next();
        if (line.empty() || line.back() != '\\') return line;
        joined_.assign(line);
        while (!joined_.empty() && joined_.back() == '\\') {
            joined_.back() = ' ';
            if (lines_.at_end()) break;
            joined_ += lines_.next();
        }
        return joined_;
    }

    void add_point(std::string_view numbers) {
        Vec3 p;
        for (int axis = 0; axis < 3; ++axis) {
            const auto value = io::take_number(numbers);
            if (!value)
                lines_.fail(fmt::format("a point needs three finite numbers, \"{}\" is none",
                                        io::trimmed(numbers).substr(0, 24)));
            p[axis] = io::to_metres(*value, unit_, [this] { return lines_.place(); });
        }
        surface_.points.push_back(p);
    }

    void add_face(std::string_view words) {
        Face face{static_cast<std::uint32_t>(corners_.size()), 0, zone_of_label()};
        for (std::string_view word = io::take_word(words); !word.empty(); word = io::take_word(words)) {
            corners_.push_back(point_of(word));
            ++face.count;
        }
        if (face.count < 3) lines_.fail(fmt::format("a face has at least three corners, this one has {}", face.count));
        if (face.count > kMostCorners)
            lines_.fail(fmt::format("a face of {} corners; at most {} are read", face.count, kMostCorners));
        faces_.push_back(face);
    }

    /// "7", "7/2", "7//3" and "7/2/3" are point 7; negative numbers count back from the last point.
    Index point_of(std::string_view word) {
        long long number = 0;
        const auto [end, status] = std::from_chars(word.data(), word.data() + word.size(), number);
        if (status != std::errc() || (end != word.data() + word.size() && *end != '/') || number == 0)
            lines_.fail(
                fmt::format("\"{}\" is not a corner of a face; points are numbered from 1", word.substr(0, 24)));
        const auto have = static_cast<long long>(surface_.points.size());
        if (number < -have)
            lines_.fail(fmt::format("a face uses point {}, counted back, but only {} came before", number, have));
        const long long at = number > 0 ? number - 1 : have + number;
        if (at >= kNone) lines_.fail(fmt::format("a face uses point {}", number));
        if (static_cast<std::size_t>(at) > highest_ || faces_.empty()) {
            highest_ = std::max(highest_, static_cast<std::size_t>(at));
            line_of_highest_ = lines_.line();
        }
        return static_cast<Index>(at);
    }

    Index zone_of_label() {
        if (changed_) {
            const auto [it, is_new] = zones_.try_emplace(label_, static_cast<Index>(zones_.size()));
            if (is_new) labels_.push_back(label_);
            zone_ = it->second;
            changed_ = false;
        }
        return zone_;
    }

    /// A zone is called by what tells it from the others: its group, object or material, or several joined by a dot.
    void name_zones() {
        std::array<bool, 3> differs{};
        for (const Label& label : labels_)
            for (std::size_t k = 0; k < 3; ++k) differs[k] = differs[k] || label[k] != labels_.front()[k];
        std::vector<Index> number;
        for (const Label& label : labels_) {
            std::string name;
            for (std::size_t k = 0; k < 3; ++k)
                if (differs[k] && !label[k].empty()) name += (name.empty() ? "" : ".") + label[k];
            for (const std::size_t k : {1U, 0U, 2U})
                if (name.empty()) name = label[k];
            if (name.empty()) name = io::stem_of(name_);
            number.push_back(io::zone_named(surface_, name));
        }
        for (Index& z : surface_.zone_of) z = number[z];
    }

    io::LineReader lines_;
    std::string name_;
    LengthUnit unit_;
    Surface surface_;
    std::string joined_;
    std::vector<Index> corners_;
    std::vector<Face> faces_;
    std::size_t highest_ = 0, line_of_highest_ = 0;
    Label label_;
    bool changed_ = true;
    std::map<Label, Index> zones_;
    std::vector<Label> labels_;
    Index zone_ = 0;
    std::size_t others_skipped_ = 0;
};

}  // namespace

Surface parse_obj(std::string_view content, const std::string& name, const LengthUnit& unit,
                  std::size_t* triangles_dropped, std::size_t* others_skipped) {
    ObjReader reader(io::without_byte_order_mark(content), name, unit);
    Surface surface = reader.read();
    if (others_skipped != nullptr) *others_skipped = reader.others_skipped();
    const std::size_t dropped = io::finish(surface, name);
    if (triangles_dropped != nullptr) *triangles_dropped = dropped;
    return surface;
}

std::string io::obj_text(const Surface& surface, const LengthUnit& unit) {
    std::string text = fmt::format("# lengths in {}\n", unit.name);
    auto out = std::back_inserter(text);
    for (const Vec3& p : surface.points) {
        const Vec3 q = p / unit.metres;
        fmt::format_to(out, "v {} {} {}\n", q.x, q.y, q.z);
    }
    std::vector<std::vector<Index>> of_zone(surface.zones.size());
    for (Index t = 0; t < surface.triangles.size(); ++t) of_zone[surface.zone_of[t]].push_back(t);
    for (Index z = 0; z < surface.zones.size(); ++z) {
        fmt::format_to(out, "g {}\n", surface.zones[z].name);
        for (const Index t : of_zone[z]) {
            const Triangle& c = surface.triangles[t];
            fmt::format_to(out, "f {} {} {}\n", c[0] + 1, c[1] + 1, c[2] + 1);
        }
    }
    return text;
}

}  // namespace anvilcast
