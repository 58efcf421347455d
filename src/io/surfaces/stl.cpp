#include <anvilcast/stl.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <bit>
#include <cstring>
#include <iterator>
#include <unordered_map>
#include <utility>

#include "geometry/point_merger.hpp"
#include "io/files.hpp"
#include "io/surfaces/surface_text.hpp"

namespace anvilcast {
namespace {

constexpr std::size_t kBinaryHead = 84;
constexpr std::size_t kBinaryTriangle = 50;

static_assert(std::endian::native == std::endian::little, "binary STL is read and written as it lies in memory");

std::uint32_t binary_count(std::string_view content) {
    std::uint32_t n = 0;
    std::memcpy(&n, content.data() + 80, 4);
    return n;
}

/// A file is binary when its size is what its triangle count says, even if it begins with "solid"; and when what
/// follows a "solid" is no text of an STL file.
bool is_binary(std::string_view content) {
    if (content.size() >= kBinaryHead &&
        content.size() == kBinaryHead + kBinaryTriangle * std::uint64_t{binary_count(content)})
        return true;
    const std::string_view begin = io::trimmed(content.substr(0, 400));
    return !io::starts_with_word(begin, "solid") || content.substr(0, 400).find('\0') != std::string_view::npos;
}

/// Triangles of loose corners, welded as they come: equal corners are one point from the start.
class Soup {
  public:
    explicit Soup(std::size_t expected) : merger_(expected / 2) {
        surface_.triangles.reserve(expected);
        surface_.zone_of.reserve(expected);
        corners_.reserve(kBlock);
    }
    Surface& surface() { return surface_; }
    void add(const std::array<Vec3, 3>& corners, Index zone) {
        corners_.insert(corners_.end(), corners.begin(), corners.end());
        surface_.zone_of.push_back(zone);
        if (corners_.size() == kBlock) flush();
    }
    Surface finished() {
        flush();
        surface_.points = merger_.take_points();
        return std::move(surface_);
    }

  private:
    static constexpr std::size_t kBlock = 3 * 64;
    void flush() {
        std::array<Index, kBlock> numbers;  // NOLINT: only what was put in is read
        merger_.numbers_of(corners_, numbers.data());
        for (std::size_t i = 0; i < corners_.size(); i += 3)
            surface_.triangles.push_back({numbers[i], numbers[i + 1], numbers[i + 2]});
        corners_.clear();
    }
    PointMerger merger_;
    Surface surface_;
    std::vector<Vec3> corners_;
};

Surface parse_binary(std::string_view content, const std::string& name, const LengthUnit& unit) {
    if (content.size() < kBinaryHead)
        throw InputError(
            fmt::format("{}: {} bytes are too few for an STL file, and it does not begin with \"solid\"; "
                        "is it an STL file?",
                        name, content.size()));
    const std::uint64_t n = binary_count(content);
    const std::uint64_t held = (content.size() - kBinaryHead) / kBinaryTriangle;
    if (n > held)
        throw InputError(
            fmt::format("{}: truncated, or no STL file: its head announces {} triangles, the file holds {}; "
                        "copy or export it again",
                        name, n, held));
    Soup soup(n);
    const Index zone = io::zone_named(soup.surface(), io::stem_of(name));
    for (std::uint64_t t = 0; t < n; ++t) {
        std::array<float, 12> numbers{};
        std::memcpy(numbers.data(), content.data() + kBinaryHead + t * kBinaryTriangle, 48);
        std::array<Vec3, 3> corners;
        for (std::size_t k = 0; k < 9; ++k)
            corners[k / 3][static_cast<int>(k % 3)] = io::to_metres(static_cast<double>(numbers[k + 3]), unit, [&] {
                return fmt::format("{}, triangle {} (byte {})", name, t + 1, kBinaryHead + t * kBinaryTriangle);
            });
        soup.add(corners, zone);
    }
    return soup.finished();
}

/// Reads an ASCII file; words may be in any case, and lines may end in any way, anywhere or not at all.
class AsciiReader {
  public:
    AsciiReader(std::string_view content, std::string name, const LengthUnit& unit)
        : lines_(content, name), name_(std::move(name)), unit_(unit), soup_(content.size() / 200) {}

    Surface read() {
        while (!lines_.at_end())
            for (std::string_view line = lines_.next(); !line.empty(); line = io::trimmed(line)) read_statement(line);
        if (!corners_.empty()) lines_.fail("the file ends inside a triangle; it is truncated, copy or export it again");
        return soup_.finished();
    }

  private:
    /// Takes one statement off the line: as a rule there is no more on it.
    void read_statement(std::string_view& line) {
        const std::string_view whole = line, word = io::take_word(line);
        auto is = [word](std::string_view known) {
            return word.size() == known.size() && io::starts_with_word(word, known);
        };
        if (is("vertex")) {
            add_vertex(line);
        } else if (is("facet")) {
            skip_normal(line);
        } else if (is("solid")) {
            begin_solid(take_name(line, "facet", "endsolid"));
        } else if (is("endloop") || is("endfacet")) {
            end_loop();
        } else if (is("endsolid")) {
            // A name may hold the word "solid"; only where triangles follow on the same line another solid begins.
            std::string_view rest = line;
            take_name(rest, "facet", "facet");
            take_name(line, rest.empty() ? "" : "solid", "");
        } else if (is("outer")) {
            if (const std::string_view loop = io::take_word(line); !io::starts_with_word(loop, "loop"))
                lines_.fail("\"outer\" is not followed by \"loop\"");
        } else {
            lines_.fail(fmt::format("\"{}\" is not a line of an STL file", whole.substr(0, 40)));
        }
    }

    /// Normals follow from the corners.
    static void skip_normal(std::string_view& line) {
        for (std::string_view rest = line; !io::starts_with_word(io::take_word(rest), "outer");) {
            line = rest;
            if (rest.empty()) return;
        }
    }

    /// A name of any words, up to the one that begins the next statement.
    static std::string_view take_name(std::string_view& line, std::string_view next, std::string_view or_next) {
        std::string_view rest = line;
        while (!rest.empty()) {
            const std::string_view before = rest, word = io::take_word(rest);
            for (const std::string_view known : {next, or_next})
                if (word.size() == known.size() && io::starts_with_word(word, known)) {
                    const std::string_view name = line.substr(0, line.size() - before.size());
                    line = before;
                    return io::trimmed(name);
                }
        }
        return io::trimmed(std::exchange(line, {}));
    }

    void begin_solid(std::string_view solid) {
        const std::string zone = solid.empty() ? io::stem_of(name_) : std::string(solid);
        const auto [it, is_new] = zone_of_name_.try_emplace(zone, static_cast<Index>(zone_of_name_.size()));
        if (is_new) soup_.surface().zones.push_back({zone, Role::wall});
        zone_ = it->second;
    }

    void add_vertex(std::string_view& numbers) {
        if (zone_ == kNone) lines_.fail("a vertex before the first \"solid\"");
        if (corners_.size() == 3) lines_.fail("a facet has three vertices, this one has more");
        Vec3 p;
        for (int axis = 0; axis < 3; ++axis) {
            const auto value = io::take_number(numbers);
            if (!value)
                lines_.fail(fmt::format("a vertex needs three finite numbers, \"{}\" is none",
                                        io::trimmed(numbers).substr(0, 24)));
            p[axis] = io::to_metres(*value, unit_, [this] { return lines_.place(); });
        }
        std::string_view next = numbers;
        if (io::take_number(next)) lines_.fail("a vertex has three numbers, this one has more");
        corners_.push_back(p);
    }

    void end_loop() {
        if (corners_.empty()) return;
        if (corners_.size() != 3)
            lines_.fail(fmt::format("a facet has three vertices, this one has {}", corners_.size()));
        soup_.add({corners_[0], corners_[1], corners_[2]}, zone_);
        corners_.clear();
    }

    io::LineReader lines_;
    std::string name_;
    LengthUnit unit_;
    Soup soup_;
    std::unordered_map<std::string, Index> zone_of_name_;
    std::vector<Vec3> corners_;
    Index zone_ = kNone;
};

}  // namespace

std::string stl_text(const Surface& surface, const LengthUnit& unit) {
    std::vector<std::vector<Index>> of_zone(surface.zones.size());
    for (Index t = 0; t < surface.triangles.size(); ++t) of_zone[surface.zone_of[t]].push_back(t);
    std::string text;
    auto out = std::back_inserter(text);
    for (Index z = 0; z < surface.zones.size(); ++z) {
        fmt::format_to(out, "solid {}\n", surface.zones[z].name);
        for (const Index t : of_zone[z]) {
            const Vec3 n =
                normalized(triangle_normal(surface.corner(t, 0), surface.corner(t, 1), surface.corner(t, 2)));
            fmt::format_to(out, "facet normal {:.6g} {:.6g} {:.6g}\nouter loop\n", n.x, n.y, n.z);
            for (int k = 0; k < 3; ++k) {
                const Vec3 p = surface.corner(t, k) / unit.metres;
                fmt::format_to(out, "vertex {} {} {}\n", p.x, p.y, p.z);
            }
            text += "endloop\nendfacet\n";
        }
        fmt::format_to(out, "endsolid {}\n", surface.zones[z].name);
    }
    return text;
}

std::string stl_bytes(const Surface& surface, const LengthUnit& unit) {
    std::string bytes(kBinaryHead + kBinaryTriangle * surface.triangles.size(), '\0');
    const std::string head = fmt::format("lengths in {}", unit.name);
    std::memcpy(bytes.data(), head.data(), head.size());
    const auto n = static_cast<std::uint32_t>(surface.triangles.size());
    std::memcpy(bytes.data() + 80, &n, 4);
    for (Index t = 0; t < n; ++t) {
        std::array<float, 12> numbers{};
        const Vec3 normal =
            normalized(triangle_normal(surface.corner(t, 0), surface.corner(t, 1), surface.corner(t, 2)));
        for (int axis = 0; axis < 3; ++axis) {
            numbers[static_cast<std::size_t>(axis)] = static_cast<float>(normal[axis]);
            for (int k = 0; k < 3; ++k)
                numbers[3 + 3 * static_cast<std::size_t>(k) + static_cast<std::size_t>(axis)] =
                    static_cast<float>(surface.corner(t, k)[axis] / unit.metres);
        }
        std::memcpy(bytes.data() + kBinaryHead + kBinaryTriangle * t, numbers.data(), 48);
    }
    return bytes;
}

Surface parse_stl(std::string_view content, const std::string& name, const LengthUnit& unit,
                  std::size_t* triangles_dropped) {
    if (!is_binary(io::without_byte_order_mark(content))) content = io::without_byte_order_mark(content);
    Surface surface = is_binary(content) ? parse_binary(content, name, unit) : AsciiReader(content, name, unit).read();
    const std::size_t dropped = io::finish(surface, name);
    if (triangles_dropped != nullptr) *triangles_dropped = dropped;
    return surface;
}

Surface read_stl(const std::filesystem::path& file, const LengthUnit& unit) {
    return parse_stl(io::read_file(file), file.string(), unit);
}

void write_stl(const std::filesystem::path& file, const Surface& surface, const LengthUnit& unit, StlFormat format) {
    io::write_file(file, format == StlFormat::ascii ? stl_text(surface, unit) : stl_bytes(surface, unit));
}

}  // namespace anvilcast
