#include <anvilcast/stl.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <anvilcast/predicates.hpp>
#include <bit>
#include <cctype>
#include <charconv>
#include <cmath>
#include <cstring>
#include <iterator>

#include "io/files.hpp"

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

bool starts_with_word(std::string_view text, std::string_view word) {
    return text.size() >= word.size() && std::equal(word.begin(), word.end(), text.begin(), [](char a, char b) {
               return a == static_cast<char>(std::tolower(static_cast<unsigned char>(b)));
           });
}

std::string_view trimmed(std::string_view s) {
    constexpr std::string_view kBlank = " \t\r\n\v\f";
    const auto first = s.find_first_not_of(kBlank);
    return first == std::string_view::npos ? std::string_view()
                                           : s.substr(first, s.find_last_not_of(kBlank) - first + 1);
}

/// A file is binary when its size is what its triangle count says, even if it begins with "solid".
bool is_binary(std::string_view content) {
    if (content.size() >= kBinaryHead &&
        content.size() == kBinaryHead + kBinaryTriangle * std::uint64_t{binary_count(content)})
        return true;
    return !starts_with_word(trimmed(content.substr(0, 400)), "solid");
}

/// Lengths to metres; what the exact predicates cannot hold is refused, and what is too small to matter is 0.
double to_metres(double value, const LengthUnit& unit, const std::string& place) {
    const double metres = value * unit.metres;
    if (!std::isfinite(value) || std::abs(metres) > kMaxCoordinate)
        throw InputError(
            fmt::format("{}: coordinate {} is not a usable number; export the surface again", place, value));
    return std::abs(metres) < kMinCoordinate ? 0.0 : metres;
}

std::string stem_of(const std::string& name) {
    std::string stem = std::filesystem::path(name).stem().string();
    return stem.empty() ? "surface" : stem;
}

Index zone_named(Surface& surface, const std::string& name) {
    const auto it =
        std::find_if(surface.zones.begin(), surface.zones.end(), [&](const Zone& z) { return z.name == name; });
    if (it != surface.zones.end()) return static_cast<Index>(it - surface.zones.begin());
    surface.zones.push_back({name, Role::wall});
    return static_cast<Index>(surface.zones.size() - 1);
}

void add_triangle(Surface& surface, const std::array<Vec3, 3>& corners, Index zone) {
    const auto first = static_cast<Index>(surface.points.size());
    surface.points.insert(surface.points.end(), corners.begin(), corners.end());
    surface.triangles.push_back({first, first + 1, first + 2});
    surface.zone_of.push_back(zone);
}

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
    Surface surface;
    const Index zone = zone_named(surface, stem_of(name));
    surface.points.reserve(3 * n);
    surface.triangles.reserve(n);
    for (std::uint64_t t = 0; t < n; ++t) {
        std::array<float, 12> numbers{};
        std::memcpy(numbers.data(), content.data() + kBinaryHead + t * kBinaryTriangle, 48);
        std::array<Vec3, 3> corners;
        for (std::size_t k = 0; k < 9; ++k) {
            const double value = static_cast<double>(numbers[k + 3]);
            if (!std::isfinite(value))
                throw InputError(fmt::format("{}: triangle {} has a coordinate that is no number", name, t + 1));
            corners[k / 3][static_cast<int>(k % 3)] = to_metres(value, unit, name);
        }
        add_triangle(surface, corners, zone);
    }
    return surface;
}

/// Reads an ASCII file line by line; words may be in any case and lines may end in any way.
class AsciiReader {
  public:
    AsciiReader(std::string_view content, std::string name, const LengthUnit& unit)
        : content_(content), name_(std::move(name)), unit_(unit) {}

    Surface read() {
        while (at_ < content_.size()) {
            const std::string_view line = next_line();
            if (starts_with_word(line, "solid"))
                begin_solid(trimmed(line.substr(5)));
            else if (starts_with_word(line, "vertex"))
                add_vertex(trimmed(line.substr(6)));
            else if (starts_with_word(line, "endloop") || starts_with_word(line, "endfacet"))
                end_loop();
            else if (!line.empty() && !starts_with_word(line, "facet") && !starts_with_word(line, "outer") &&
                     !starts_with_word(line, "endsolid"))
                fail(fmt::format("\"{}\" is not a line of an STL file", line.substr(0, 40)));
        }
        if (!corners_.empty()) fail("the file ends inside a triangle; it is truncated, copy or export it again");
        return std::move(surface_);
    }

  private:
    [[noreturn]] void fail(const std::string& what) const {
        throw InputError(fmt::format("{}, line {}: {}", name_, line_, what));
    }

    std::string_view next_line() {
        const std::size_t end = std::min(content_.find_first_of("\r\n", at_), content_.size());
        const std::string_view line = content_.substr(at_, end - at_);
        at_ = end + (content_.substr(end, 2) == "\r\n" ? 2 : 1);
        ++line_;
        return trimmed(line);
    }

    void begin_solid(std::string_view solid) {
        zone_ = zone_named(surface_, solid.empty() ? stem_of(name_) : std::string(solid));
    }

    void add_vertex(std::string_view numbers) {
        if (surface_.zones.empty()) fail("a vertex before the first \"solid\"");
        Vec3 p;
        for (int axis = 0; axis < 3; ++axis) {
            numbers = trimmed(numbers);
            if (!numbers.empty() && numbers.front() == '+') numbers.remove_prefix(1);
            double value = 0;
            const auto [end, status] = std::from_chars(numbers.data(), numbers.data() + numbers.size(), value);
            if (status != std::errc() || !std::isfinite(value))
                fail(fmt::format("a vertex needs three finite numbers, \"{}\" is none", numbers.substr(0, 24)));
            numbers.remove_prefix(static_cast<std::size_t>(end - numbers.data()));
            p[axis] = to_metres(value, unit_, fmt::format("{}, line {}", name_, line_));
        }
        if (!trimmed(numbers).empty()) fail("a vertex has three numbers, there are more on this line");
        corners_.push_back(p);
    }

    void end_loop() {
        if (corners_.empty()) return;
        if (corners_.size() != 3) fail(fmt::format("a facet has three vertices, this one has {}", corners_.size()));
        add_triangle(surface_, {corners_[0], corners_[1], corners_[2]}, zone_);
        corners_.clear();
    }

    std::string_view content_;
    std::string name_;
    LengthUnit unit_;
    Surface surface_;
    std::vector<Vec3> corners_;
    std::size_t at_ = 0;
    std::size_t line_ = 0;
    Index zone_ = 0;
};

std::string ascii_content(const Surface& surface, const LengthUnit& unit) {
    std::string text;
    auto out = std::back_inserter(text);
    for (Index z = 0; z < surface.zones.size(); ++z) {
        fmt::format_to(out, "solid {}\n", surface.zones[z].name);
        for (Index t = 0; t < surface.triangles.size(); ++t) {
            if (surface.zone_of[t] != z) continue;
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

std::string binary_content(const Surface& surface, const LengthUnit& unit) {
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

}  // namespace

Surface parse_stl(std::string_view content, const std::string& name, const LengthUnit& unit) {
    Surface surface = is_binary(content) ? parse_binary(content, name, unit) : AsciiReader(content, name, unit).read();
    if (surface.triangles.empty()) throw InputError(fmt::format("{}: there is no triangle in it", name));
    weld(surface);
    if (surface.triangles.empty()) throw InputError(fmt::format("{}: all its triangles are without area", name));
    return surface;
}

Surface read_stl(const std::filesystem::path& file, const LengthUnit& unit) {
    return parse_stl(io::read_file(file), file.string(), unit);
}

void write_stl(const std::filesystem::path& file, const Surface& surface, const LengthUnit& unit, StlFormat format) {
    io::write_file(file, format == StlFormat::ascii ? ascii_content(surface, unit) : binary_content(surface, unit));
}

}  // namespace anvilcast
