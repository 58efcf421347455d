// What reading and writing CGNS have in common: an open file, and how the standard's words map to ours.
#pragma once

#include <cgnslib.h>
#include <fmt/format.h>
#include <hdf5.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/volume_mesh.hpp>

#include <array>
#include <filesystem>
#include <string>

namespace anvilcast::io {

/// By CellType.
inline constexpr std::array<ElementType_t, 4> kElementOf{TETRA_4, PYRA_5, PENTA_6, HEXA_8};
inline constexpr std::size_t kNameLength = 32;  // of the standard
inline constexpr DataType_t kIndexType = sizeof(cgsize_t) == 8 ? LongInteger : Integer;
// A connection of ours has its family, and the name of the zone that it is a piece of, in such a node.
inline constexpr const char* kInterfaceData = "Interface";
inline constexpr const char* kInterfaceZone = "Zone";
// Descriptors of ours. Of a zone: fluid or solid; of a zone or family: its name where that is longer than the
// standard's are; of a family: what it is to the flow, where the standard has no type of its own for that.
inline constexpr const char* kRegionKind = "RegionKind";
inline constexpr const char* kWholeName = "WholeName";
inline constexpr const char* kRole = "Role";

/// An open file; every call's status is checked, and the file is closed whatever happens.
class CgnsFile {
  public:
    CgnsFile(const std::filesystem::path& path, int mode, bool writing) : path_(path), writing_(writing) {
        // At its exit the library under it would fall over what a full disk left of a file.
        static const int without_exit_handler = H5dont_atexit();
        static_cast<void>(without_exit_handler);
        if (cg_open(path.c_str(), mode, &number_) != CG_OK) fail();
        is_open_ = true;
    }
    ~CgnsFile() {
        if (is_open_) cg_close(number_);
    }
    CgnsFile(const CgnsFile&) = delete;
    CgnsFile& operator=(const CgnsFile&) = delete;

    int operator*() const { return number_; }
    void check(int status) const {
        if (status != CG_OK) fail();
    }
    void close() {
        is_open_ = false;
        check(cg_close(number_));
    }
    [[noreturn]] void fail() const {
        if (writing_) throw FailureError(cg_get_error());
        throw InputError(fmt::format("{}: {}; is it a CGNS file?", path_.string(), cg_get_error()));
    }

  private:
    std::filesystem::path path_;
    bool writing_;
    bool is_open_ = false;
    int number_ = 0;
};

}  // namespace anvilcast::io
