// PLY: a head that describes the content, then ASCII or binary of either byte order. Of the elements, `vertex` and
// `face` matter, of their properties x, y, z, vertex_indices (or vertex_index) and zone; all others are passed over.

#include <anvilcast/errors.hpp>
#include <anvilcast/surface_files.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>
#include <charconv>
#include <cmath>
#include <cstring>
#include <iterator>
#include <map>

#include "io/surfaces/surface_text.hpp"
#include "io/surfaces/surface_writers.hpp"

namespace anvilcast {
namespace {

constexpr std::size_t kMostCorners = 2000;

struct Type {
    std::string_view name, other_name;
    std::size_t bytes;
    enum { signed_, unsigned_, floating } kind;
};
constexpr std::array<Type, 8> kTypes{{{"char", "int8", 1, Type::signed_},
                                      {"uchar", "uint8", 1, Type::unsigned_},
                                      {"short", "int16", 2, Type::signed_},
                                      {"ushort", "uint16", 2, Type::unsigned_},
                                      {"int", "int32", 4, Type::signed_},
                                      {"uint", "uint32", 4, Type::unsigned_},
                                      {"float", "float32", 4, Type::floating},
                                      {"double", "float64", 8, Type::floating}}};

struct Property {
    std::string name;
    const Type* type = nullptr;
    const Type* count_type = nullptr;  ///< of a list
};

struct Element {
    std::string name;
    std::uint64_t count = 0;
    std::vector<Property> properties;

    std::size_t smallest_bytes(bool ascii) const {
        std::size_t n = 0;
        for (const Property& p : properties) n += ascii ? 2 : (p.count_type != nullptr ? p.count_type : p.type)->bytes;
        return n;
    }
};

class PlyReader {
  public:
    PlyReader(std::string_view content, const std::string& name, const LengthUnit& unit)
        : content_(content), lines_(content, name), name_(name), unit_(unit) {}

    Surface read() {
        read_head();
        at_ = lines_.offset();
        zone_names_.try_emplace(0, io::stem_of(name_));
        for (const Element& element : elements_) read_element(element);
        sort_zones();
        return std::move(surface_);
    }

  private:
    void read_head() {
        if (lines_.next() != "ply") lines_.fail("a PLY file begins with a line \"ply\"");
        while (true) {
            if (lines_.at_end()) lines_.fail("the head has no \"end_header\"; the file is truncated or no PLY file");
            std::string_view line = lines_.next();
            const std::string_view word = io::take_word(line);
            if (word == "end_header") break;
            if (word == "format")
                read_format(line);
            else if (word == "element")
                read_element_head(line);
            else if (word == "property")
                read_property(line);
            else if (word == "comment")
                read_comment(line);
            else if (!word.empty() && word != "obj_info")
                lines_.fail(fmt::format("\"{}\" does not begin a line of a PLY head", word.substr(0, 40)));
        }
        if (!has_format_) lines_.fail("the head has no \"format\" line");
    }

    void read_format(std::string_view line) {
        const std::string_view format = io::take_word(line);
        is_ascii_ = format == "ascii";
        is_big_endian_ = format == "binary_big_endian";
        if (!is_ascii_ && !is_big_endian_ && format != "binary_little_endian")
            lines_.fail(fmt::format("format \"{}\" is not ascii, binary_little_endian or binary_big_endian",
                                    format.substr(0, 40)));
        has_format_ = true;
    }

    void read_element_head(std::string_view line) {
        Element element;
        element.name = io::take_word(line);
        const std::string_view count = io::take_word(line);
        const auto [end, status] = std::from_chars(count.data(), count.data() + count.size(), element.count);
        if (element.name.empty() || status != std::errc() || end != count.data() + count.size())
            lines_.fail("an element needs a name and a number, e.g. \"element vertex 8\"");
        elements_.push_back(std::move(element));
    }

    const Type* type_named(std::string_view name) const {
        for (const Type& type : kTypes)
            if (name == type.name || name == type.other_name) return &type;
        lines_.fail(fmt::format("\"{}\" is not a type of PLY", name.substr(0, 40)));
    }

    void read_property(std::string_view line) {
        if (elements_.empty()) lines_.fail("a property before the first element");
        Property property;
        std::string_view word = io::take_word(line);
        if (word == "list") {
            property.count_type = type_named(io::take_word(line));
            if (property.count_type->kind == Type::floating) lines_.fail("the length of a list must be an integer");
            word = io::take_word(line);
        }
        property.type = type_named(word);
        property.name = io::take_word(line);
        elements_.back().properties.push_back(std::move(property));
    }

    /// "comment zone 3 lid" names the faces whose property `zone` is 3.
    void read_comment(std::string_view line) {
        if (io::take_word(line) != "zone") return;
        const auto number = io::take_number(line);
        if (number && !io::trimmed(line).empty()) zone_names_[*number] = io::trimmed(line);
    }

    /// By their numbers, not by the order in which faces use them.
    void sort_zones() {
        std::vector<Index> number(surface_.zones.size(), kNone);
        std::vector<Zone> sorted;
        for (const auto& [value, zone] : zones_) {
            if (number[zone] != kNone) continue;
            number[zone] = static_cast<Index>(sorted.size());
            sorted.push_back(surface_.zones[zone]);
        }
        surface_.zones = std::move(sorted);
        for (Index& z : surface_.zone_of) z = number[z];
    }

    std::string here() const { return is_ascii_ ? lines_.place() : fmt::format("{}, byte {}", name_, at_); }
    [[noreturn]] void fail(const std::string& what) const { throw InputError(fmt::format("{}: {}", here(), what)); }

    void read_element(const Element& element) {
        const std::size_t left = content_.size() - std::min(content_.size(), is_ascii_ ? lines_.offset() : at_);
        const std::size_t each = element.smallest_bytes(is_ascii_);
        // The last number of the last line needs nothing behind it.
        if (element.count > 0 && (each == 0 || element.count > (left + 1) / each))
            fail(fmt::format(
                "the head announces {} of element \"{}\", the file is too short for them; it is truncated or damaged",
                element.count, element.name));
        const bool is_vertex = element.name == "vertex", is_face = element.name == "face";
        std::array<std::size_t, 3> axes{kNone, kNone, kNone};
        std::size_t corners = kNone, zone = kNone;
        for (std::size_t i = 0; i < element.properties.size(); ++i) {
            const Property& p = element.properties[i];
            if (is_vertex && p.count_type == nullptr && p.name.size() == 1 && p.name[0] >= 'x' && p.name[0] <= 'z')
                axes[static_cast<std::size_t>(p.name[0] - 'x')] = i;
            if (is_face && p.count_type != nullptr && (p.name == "vertex_indices" || p.name == "vertex_index"))
                corners = i;
            if (is_face && p.count_type == nullptr && p.name == "zone") zone = i;
        }
        if (is_vertex && std::find(axes.begin(), axes.end(), kNone) != axes.end())
            fail("element \"vertex\" needs the properties x, y and z");
        if (is_face && corners == kNone) fail("element \"face\" needs a list property vertex_indices");
        if (is_vertex) surface_.points.reserve(element.count);
        if (is_face) surface_.triangles.reserve(element.count);
        for (std::uint64_t n = 0; n < element.count; ++n) {
            begin_item();
            Vec3 point;
            polygon_.clear();
            double zone_number = 0;
            for (std::size_t i = 0; i < element.properties.size(); ++i) {
                const Property& p = element.properties[i];
                if (p.count_type != nullptr) {
                    read_list(p, i == corners);
                    continue;
                }
                const double value = read_value(*p.type);
                for (int axis = 0; axis < 3; ++axis)
                    if (axes[static_cast<std::size_t>(axis)] == i)
                        point[axis] = io::to_metres(value, unit_, [this] { return here(); });
                if (i == zone) zone_number = value;
            }
            if (is_ascii_ && !io::trimmed(line_).empty()) fail("there is more on this line than the head says");
            if (is_vertex) surface_.points.push_back(point);
            if (is_face) add_face(zone_number);
        }
    }

    void begin_item() {
        if (!is_ascii_) return;
        do {
            if (lines_.at_end()) fail("the file ends before all that its head announces; it is truncated");
            line_ = lines_.next();
        } while (line_.empty());
    }

    void read_list(const Property& p, bool is_polygon) {
        const double count = read_value(*p.count_type);
        const std::size_t left = is_ascii_ ? line_.size() : content_.size() - at_;
        const double each = is_ascii_ ? 2 : static_cast<double>(p.type->bytes);
        // Only what would be too much memory is told here; a short line is told at its missing number.
        if (!(count >= 0) || count * each > static_cast<double>(left) + 16)
            fail(fmt::format("a list of {} entries does not fit in what is left", count));
        if (is_polygon && count > static_cast<double>(kMostCorners))
            fail(fmt::format("a face of {} corners; at most {} are read", count, kMostCorners));
        for (std::uint64_t k = 0; k < static_cast<std::uint64_t>(count); ++k) {
            const double value = read_value(*p.type);
            if (!is_polygon) continue;
            if (!(value >= 0 && value < static_cast<double>(surface_.points.size())) || value != std::floor(value))
                fail(fmt::format("a face uses point {}; they are numbered from 0 to {}", value,
                                 static_cast<double>(surface_.points.size()) - 1));
            polygon_.push_back(static_cast<Index>(value));
        }
    }

    double read_value(const Type& type) {
        if (is_ascii_) {
            const auto value = io::take_number(line_);
            if (!value) fail(fmt::format("a number was expected, \"{}\" is none", io::trimmed(line_).substr(0, 24)));
            return *value;
        }
        if (content_.size() - at_ < type.bytes)
            fail("the file ends before all that its head announces; it is truncated");
        std::array<char, 8> bytes{};
        std::memcpy(bytes.data(), content_.data() + at_, type.bytes);
        at_ += type.bytes;
        if (is_big_endian_) std::reverse(bytes.begin(), bytes.begin() + static_cast<std::ptrdiff_t>(type.bytes));
        if (type.kind == Type::floating)
            return type.bytes == 4 ? static_cast<double>(from<float>(bytes)) : from<double>(bytes);
        const bool is_signed = type.kind == Type::signed_;
        switch (type.bytes) {
            case 1:
                return is_signed ? from<std::int8_t>(bytes) : from<std::uint8_t>(bytes);
            case 2:
                return is_signed ? from<std::int16_t>(bytes) : from<std::uint16_t>(bytes);
            default:
                return is_signed ? from<std::int32_t>(bytes) : from<std::uint32_t>(bytes);
        }
    }
    template <typename T>
    static T from(const std::array<char, 8>& bytes) {
        static_assert(std::endian::native == std::endian::little);
        T value;
        std::memcpy(&value, bytes.data(), sizeof(T));
        return value;
    }

    void add_face(double zone_number) {
        if (polygon_.size() < 3)
            fail(fmt::format("a face has at least three corners, this one has {}", polygon_.size()));
        const auto [it, is_new] = zones_.try_emplace(zone_number, kNone);
        if (is_new) {
            const auto named = zone_names_.find(zone_number);
            it->second = io::zone_named(
                surface_, named != zone_names_.end() ? named->second : fmt::format("zone-{}", zone_number));
        }
        for (const Triangle& t : io::triangles_of(surface_.points, polygon_)) {
            surface_.triangles.push_back(t);
            surface_.zone_of.push_back(it->second);
        }
    }

    std::string_view content_;
    io::LineReader lines_;
    std::string name_;
    LengthUnit unit_;
    bool has_format_ = false, is_ascii_ = false, is_big_endian_ = false;
    std::vector<Element> elements_;
    std::map<double, std::string> zone_names_;
    std::map<double, Index> zones_;
    std::size_t at_ = 0;
    std::string_view line_;
    std::vector<Index> polygon_;
    Surface surface_;
};

}  // namespace

Surface parse_ply(std::string_view content, const std::string& name, const LengthUnit& unit,
                  std::size_t* triangles_dropped) {
    Surface surface = PlyReader(content, name, unit).read();
    const std::size_t dropped = io::finish(surface, name);
    if (triangles_dropped != nullptr) *triangles_dropped = dropped;
    return surface;
}

std::string io::ply_content(const Surface& surface, const LengthUnit& unit, bool ascii) {
    std::string text =
        fmt::format("ply\nformat {} 1.0\ncomment lengths in {}\n", ascii ? "ascii" : "binary_little_endian", unit.name);
    auto out = std::back_inserter(text);
    for (std::size_t z = 0; z < surface.zones.size(); ++z)
        fmt::format_to(out, "comment zone {} {}\n", z, surface.zones[z].name);
    fmt::format_to(out,
                   "element vertex {}\nproperty double x\nproperty double y\nproperty double z\n"
                   "element face {}\nproperty list uchar int vertex_indices\nproperty int zone\nend_header\n",
                   surface.points.size(), surface.triangles.size());
    auto put = [&text](const auto& value) { text.append(reinterpret_cast<const char*>(&value), sizeof(value)); };
    for (const Vec3& p : surface.points) {
        const Vec3 q = p / unit.metres;
        if (ascii)
            fmt::format_to(out, "{} {} {}\n", q.x, q.y, q.z);
        else
            put(q.x), put(q.y), put(q.z);
    }
    for (Index t = 0; t < surface.triangles.size(); ++t) {
        const Triangle& c = surface.triangles[t];
        if (ascii)
            fmt::format_to(out, "3 {} {} {} {}\n", c[0], c[1], c[2], surface.zone_of[t]);
        else
            put(std::uint8_t{3}), put(c[0]), put(c[1]), put(c[2]), put(surface.zone_of[t]);
    }
    return text;
}

}  // namespace anvilcast
