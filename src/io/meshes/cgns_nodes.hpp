// What a CGNS file's nodes hold, looked at before the standard's library reads them: it believes what their heads say.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>

namespace anvilcast::io {

/// The nodes of a file in HDF5 form.
class CgnsNodes {
  public:
    /// Throws InputError when a node's data is not of the type, or not of the size, that its head says.
    explicit CgnsNodes(const std::filesystem::path& file);
    ~CgnsNodes();
    CgnsNodes(const CgnsNodes&) = delete;
    CgnsNodes& operator=(const CgnsNodes&) = delete;

    /// The number of values of a node by its path, "/Base/Zone/GridCoordinates/CoordinateX"; nothing where there is no
    /// such node.
    std::optional<std::uint64_t> n_values(const std::string& path) const;

  private:
    std::string name_;
    std::int64_t file_ = -1;
};

}  // namespace anvilcast::io
