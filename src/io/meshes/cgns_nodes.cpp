#include "io/meshes/cgns_nodes.hpp"

#include <anvilcast/errors.hpp>

#include <fmt/format.h>
#include <hdf5.h>

#include <array>
#include <utility>
#include <vector>

namespace anvilcast::io {
namespace {

constexpr const char* kData = " data";

/// A handle of the library, given back whatever happens.
class Handle {
  public:
    Handle(hid_t id, herr_t (*close)(hid_t)) : id_(id), close_(close) {}
    ~Handle() {
        if (id_ >= 0) close_(id_);
    }
    Handle(const Handle&) = delete;
    Handle& operator=(const Handle&) = delete;
    explicit operator bool() const { return id_ >= 0; }
    hid_t operator*() const { return id_; }

  private:
    hid_t id_;
    herr_t (*close_)(hid_t);
};

struct DataType {
    const char* name;
    H5T_class_t kind;
    std::size_t bytes;
};
/// The standard's names of types; MT is a node without data.
constexpr std::array<DataType, 8> kTypes{{{"I4", H5T_INTEGER, 4},
                                          {"I8", H5T_INTEGER, 8},
                                          {"U4", H5T_INTEGER, 4},
                                          {"U8", H5T_INTEGER, 8},
                                          {"R4", H5T_FLOAT, 4},
                                          {"R8", H5T_FLOAT, 8},
                                          {"C1", H5T_INTEGER, 1},
                                          {"B1", H5T_INTEGER, 1}}};

std::string type_attribute(hid_t node) {
    if (H5Aexists(node, "type") <= 0) return "";
    const Handle attribute(H5Aopen(node, "type", H5P_DEFAULT), H5Aclose);
    if (!attribute) return "";
    const Handle type(H5Aget_type(*attribute), H5Tclose);
    if (!type || H5Tget_class(*type) != H5T_STRING || H5Tis_variable_str(*type) > 0) return "";
    std::vector<char> text(H5Tget_size(*type) + 1, '\0');
    return H5Aread(*attribute, *type, text.data()) < 0 ? "" : text.data();
}

bool fits(hid_t node, const std::string& wanted) {
    const Handle data(H5Dopen2(node, kData, H5P_DEFAULT), H5Dclose);
    if (!data) return false;
    const Handle type(H5Dget_type(*data), H5Tclose);
    if (!type) return false;
    for (const DataType& known : kTypes)
        if (wanted == known.name) return H5Tget_class(*type) == known.kind && H5Tget_size(*type) == known.bytes;
    return wanted != "MT";  // complex numbers and the like are not read
}

struct Walk {
    std::string fault;
};

herr_t look_at(hid_t root, const char* name, const H5O_info_t* info, void* data) {
    if (info->type != H5O_TYPE_GROUP) return 0;
    const Handle node(H5Gopen2(root, name, H5P_DEFAULT), H5Gclose);
    if (!node) return 0;
    if (H5Lexists(*node, kData, H5P_DEFAULT) <= 0) return 0;
    const std::string wanted = type_attribute(*node);
    if (fits(*node, wanted)) return 0;
    static_cast<Walk*>(data)->fault =
        fmt::format("the data of node \"/{}\" is not of the type \"{}\" that its head says", name, wanted);
    return 1;
}

}  // namespace

CgnsNodes::CgnsNodes(const std::filesystem::path& file) : name_(file.string()) {
    H5Eset_auto2(H5E_DEFAULT, nullptr, nullptr);  // it would print
    file_ = H5Fopen(name_.c_str(), H5F_ACC_RDONLY, H5P_DEFAULT);
    if (file_ < 0)
        throw InputError(fmt::format("{}: the file is damaged, or no CGNS file; copy or export it again", name_));
    Walk walk;
    const herr_t status = H5Ovisit(file_, H5_INDEX_NAME, H5_ITER_NATIVE, look_at, &walk);
    if (status == 0) return;
    H5Fclose(file_);
    throw InputError(fmt::format("{}: {}: the file is damaged; copy or export it again", name_,
                                 status > 0 ? walk.fault : "its nodes cannot be walked through"));
}

CgnsNodes::~CgnsNodes() { H5Fclose(file_); }

std::optional<std::uint64_t> CgnsNodes::n_values(const std::string& path) const {
    const std::string data_path = path + "/" + kData;
    const Handle data(H5Dopen2(file_, data_path.c_str(), H5P_DEFAULT), H5Dclose);
    if (!data) return std::nullopt;
    const Handle space(H5Dget_space(*data), H5Sclose);
    if (!space) return std::nullopt;
    const hssize_t n = H5Sget_simple_extent_npoints(*space);
    return n < 0 ? std::nullopt : std::optional(static_cast<std::uint64_t>(n));
}

}  // namespace anvilcast::io
