// Bases, unstructured zones and coordinates of CGNS files.

#include "io/meshes/cgns_reader.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "assemble/flat_cells.hpp"

namespace anvilcast::io {

/// Of the extent: points of a plane mesh differ by less in height.
constexpr double kLevel = 1e-9;
constexpr double kRadian = 180 / std::numbers::pi;  // in degrees; the standard's unit where none is told

CgnsContent CgnsReader::read() {
    choose_base();
    int n_zones = 0;
    file_.check(cg_nzones(*file_, base_, &n_zones));
    if (n_zones < 1) wrong("it has no zone");
    for (zone_ = 1; zone_ <= n_zones; ++zone_) read_zone();
    join_connections();
    double depth = 0;
    if (is_plane_) {
        Box box;
        for (const Vec3& p : out_.points) box.include(p);
        for (const Vec3& p : out_.points)
            if (!(std::abs(p.z - box.lo.z) <= kLevel * box.diagonal()))
                wrong("its cells are flat, but do not lie in one plane z = ...; surfaces are read from other files");
        const std::size_t n = out_.points.size();
        depth = assemble::draw_out(out_);
        // What names points of a boundary means what stands on them.
        for (ZoneByPoints& z : zones_by_points_)
            for (std::size_t k = z.points.size(); k-- > 0;) z.points.push_back(z.points[k] + static_cast<Index>(n));
    }
    return {std::move(out_), std::move(polyhedra_), std::move(twin_), std::move(zones_by_points_), is_ours_, depth};
}

void CgnsReader::wrong(const std::string& what) const { throw InputError(path_ + ": " + what); }

std::string CgnsReader::zone_path() const {
    std::array<char, 33> base{}, zone{};
    std::array<cgsize_t, 9> size{};
    int cells = 0, space = 0;
    file_.check(cg_base_read(*file_, base_, base.data(), &cells, &space));
    file_.check(cg_zone_read(*file_, base_, zone_, zone.data(), size.data()));
    return fmt::format("/{}/{}", base.data(), zone.data());
}

std::string CgnsReader::section_path(const char* section) const { return zone_path() + "/" + section; }

void CgnsReader::expect_values(const std::string& path, cgsize_t n) const {
    if (const auto there = nodes_.n_values(path); there && *there != static_cast<std::uint64_t>(n))
        wrong(fmt::format("node \"{}\" holds {} values, {} were expected; the file is damaged", path, *there, n));
}

void CgnsReader::choose_base() {
    int n = 0;
    file_.check(cg_nbases(*file_, &n));
    std::vector<int> flat;
    for (base_ = 1; base_ <= n; ++base_) {
        std::array<char, 33> name{};
        int cell_dimension = 0, physical_dimension = 0;
        file_.check(cg_base_read(*file_, base_, name.data(), &cell_dimension, &physical_dimension));
        if (cell_dimension == 3 && physical_dimension == 3) break;
        if (cell_dimension == 2 && (physical_dimension == 2 || physical_dimension == 3)) flat.push_back(base_);
    }
    if (base_ > n && flat.empty()) wrong("it has no base of volumes or of a plane mesh; it may be empty");
    if (base_ > n) {
        base_ = flat.front();
        is_plane_ = true;
        std::array<char, 33> name{};
        int cell_dimension = 0;
        file_.check(cg_base_read(*file_, base_, name.data(), &cell_dimension, &n_axes_));
    }
    file_.check(cg_goto(*file_, base_, "end"));
    MassUnits_t mass{};
    LengthUnits_t length{};
    TimeUnits_t time{};
    TemperatureUnits_t temperature{};
    AngleUnits_t angle{};
    if (cg_units_read(&mass, &length, &time, &temperature, &angle) != CG_OK) return;
    metres_ = length == Centimeter   ? 0.01
              : length == Millimeter ? 0.001
              : length == Foot       ? 0.3048
              : length == Inch       ? 0.0254
                                     : 1;
    degrees_ = angle == Degree ? 1 : kRadian;
}

void CgnsReader::read_zone() {
    ZoneType_t type{};
    file_.check(cg_zone_type(*file_, base_, zone_, &type));
    if (type == Structured && is_plane_)
        wrong("a structured zone of a plane mesh is not read; write it as an unstructured one");
    if (type == Structured) return read_block();
    if (type != Unstructured) wrong("a zone is neither structured nor unstructured");
    block_of_.emplace_back();
    read_region();
}

void CgnsReader::read_region() {
    std::array<char, 33> name{};
    std::array<cgsize_t, 9> size{};
    file_.check(cg_zone_read(*file_, base_, zone_, name.data(), size.data()));
    if (size[0] <= 0 || size[1] <= 0 || static_cast<std::uint64_t>(size[0]) + out_.points.size() >= kNone)
        wrong("its sizes make no sense");
    zone_names_.emplace_back(name.data());
    region_ = static_cast<Index>(out_.regions.size());
    std::string region = region_name(name.data());
    const RegionKind kind = region_kind(region);
    out_.regions.push_back({region, kind});
    first_point_ = out_.points.size();
    first_points_.push_back(first_point_);
    n_points_.push_back(static_cast<std::size_t>(size[0]));
    ranges_.clear();
    read_points({size.data(), 1});
    read_bcs();
    read_connections();
    int n_sections = 0;
    file_.check(cg_nsections(*file_, base_, zone_, &n_sections));
    face_of_.clear();
    parents_.clear();
    has_nface_ = false;
    for (int s = 1; s <= n_sections; ++s) read_section(s);
    // Cells of polyhedra refer to faces of any section.
    for (int s = 1; s <= n_sections; ++s) read_polyhedra(s);
    turn_faces();
    if (!has_nface_ && !parents_.empty()) make_polyhedra_of_parents();
    out_.cell_region.resize(out_.cell_types.size(), region_);
}

std::string CgnsReader::region_name(const char* zone_name) const {
    std::array<char, 33 * 20> family{};
    file_.check(cg_goto(*file_, base_, "Zone_t", zone_, "end"));
    return cg_famname_read(family.data()) == CG_OK ? family.data() : zone_name;
}

std::map<std::string, std::string> CgnsReader::descriptors() const {
    std::map<std::string, std::string> out;
    int n = 0;
    file_.check(cg_ndescriptors(&n));
    for (int d = 1; d <= n; ++d) {
        std::array<char, 33> name{};
        char* text = nullptr;
        file_.check(cg_descriptor_read(d, name.data(), &text));
        out[name.data()] = text;
        cg_free(text);
    }
    return out;
}

RegionKind CgnsReader::region_kind(std::string& name) {
    file_.check(cg_goto(*file_, base_, "Zone_t", zone_, "end"));
    const auto said = descriptors();
    const auto kind = said.find(kRegionKind), whole = said.find(kWholeName);
    if (kind == said.end()) return RegionKind::fluid;
    is_ours_ = true;
    if (whole != said.end()) name = whole->second;
    return parse_region_kind(kind->second);
}

void CgnsReader::read_points(std::span<const cgsize_t> shape) {
    cgsize_t n = 1;
    for (const cgsize_t k : shape) n *= k;
    std::vector<cgsize_t> first(shape.size(), 1);
    out_.points.resize(first_point_ + static_cast<std::size_t>(n));
    std::vector<double> values(static_cast<std::size_t>(n));
    const std::array<const char*, 3> names{"X", "Y", "Z"};
    for (const char* axis : std::span(names).first(static_cast<std::size_t>(n_axes_)))
        expect_values(fmt::format("{}/GridCoordinates/Coordinate{}", zone_path(), axis), n);
    constexpr std::array<const char*, 3> kAxes{"CoordinateX", "CoordinateY", "CoordinateZ"};
    for (int axis = 0; axis < n_axes_; ++axis) {
        file_.check(cg_coord_read(*file_, base_, zone_, kAxes[static_cast<std::size_t>(axis)], RealDouble, first.data(),
                                  shape.data(), values.data()));
        for (std::size_t i = 0; i < values.size(); ++i) out_.points[first_point_ + i][axis] = metres_ * values[i];
    }
    for (const Vec3& p : out_.points)
        if (!is_finite(p)) wrong("a coordinate is not a finite number");
}

}  // namespace anvilcast::io
