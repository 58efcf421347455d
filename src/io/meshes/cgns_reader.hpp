// What a CGNS file holds, as the standard's library reads it.
#pragma once

#include <anvilcast/assembly.hpp>

#include <array>
#include <filesystem>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "base/disjoint_sets.hpp"
#include "io/meshes/cgns_file.hpp"
#include "io/meshes/cgns_nodes.hpp"

namespace anvilcast::io {

/// Which points a boundary condition names.
struct ZoneByPoints {
    Index zone;
    std::vector<Index> points;
};

/// What a file holds, before anything that it leaves out is found.
struct CgnsContent {
    CellsAndBoundary cells;
    FacesOfPolyhedra polyhedra;               // their points, zones and regions are those of the cells
    std::vector<std::array<Index, 2>> twins;  // the same faces of two regions, the second first
    std::vector<ZoneByPoints> zones_by_points;
    bool is_ours = false;    // written by us: nothing is left to guess
    double plane_depth = 0;  // above 0: the cells were flat, and were drawn out by so much

    bool has_polyhedra() const { return !polyhedra.cell_region.empty(); }
};

/// Reads a file from its base to the connections between its zones. Sizes, references and types are checked before they
/// are used; what is wrong ends in an InputError. Its parts stand in files of their own: zones and coordinates in
/// cgns_reader.cpp, boundary conditions in cgns_conditions.cpp, elements in cgns_sections.cpp, structured zones in
/// cgns_blocks.cpp, what joins zones in cgns_connections.cpp.
class CgnsReader {
  public:
    explicit CgnsReader(const std::filesystem::path& path)
        : path_(path.string()), nodes_(path), file_(path, CG_MODE_READ, false) {}
    CgnsContent read();

  private:
    using Face = std::vector<Index>;
    /// An interface as one of its sides tells it.
    struct Connection {
        int zone;
        std::string name, donor;
        std::vector<cgsize_t> own, theirs;
        std::map<cgsize_t, Face> faces;      // of the own elements
        std::map<cgsize_t, Index> polygons;  // those of them that are of polyhedra
        bool is_by_points = false;           // then own and theirs are points
        std::optional<Placement> image;      // of sides that repeat
    };
    struct Range {
        cgsize_t first, last;
        Index zone;
    };
    /// Points in rows, from 1 on each way.
    struct Block {
        std::array<cgsize_t, 3> size;
        std::size_t number(const std::array<cgsize_t, 3>& at) const {
            return static_cast<std::size_t>(at[0] - 1 + size[0] * (at[1] - 1 + size[1] * (at[2] - 1)));
        }
        bool has(const std::array<cgsize_t, 3>& at) const {
            for (std::size_t k = 0; k < 3; ++k)
                if (at[k] < 1 || at[k] > size[k]) return false;
            return true;
        }
    };
    struct BlockConnection {
        int zone = 0;
        std::string name, donor;
        std::array<cgsize_t, 6> range{}, donor_range{};
        std::array<int, 3> transform{};
    };
    struct Parents {
        cgsize_t first, second;
        Index face;
    };
    [[noreturn]] void wrong(const std::string& what) const;
    std::string zone_path() const;
    std::string section_path(const char* section) const;
    /// The library reads as much as is there, whatever room there is for it.
    void expect_values(const std::string& path, cgsize_t n) const;
    /// The first base of volumes, and the metres that its unit of length has.
    void choose_base();
    void read_zone();
    void read_region();
    /// The family of a zone is our region; without one, the zone's own name.
    std::string region_name(const char* zone_name) const;
    RegionKind region_kind(std::string& name);
    /// `shape`: points each way; of an unstructured zone their number alone.
    void read_points(std::span<const cgsize_t> shape);
    /// A boundary condition as the file has it.
    struct Condition {
        Index zone;
        GridLocation_t location;
        PointSetType_t set;
        std::vector<cgsize_t> items;
    };
    std::vector<Condition> read_conditions();
    /// Blocks tell one zone piece by piece: those of one family are one. Without a family the condition's name counts.
    Index zone_of_condition(int b, std::string name, BCType_t type);
    struct Family {
        BCType_t type = BCWall;
        std::string name;          ///< whole
        std::optional<Role> role;  ///< where the type does not say it
    };
    /// Each is read once. A name that no family has gives one of its own.
    const Family& family(const std::string& name);
    /// The descriptors of ours at the node where the file stands.
    std::map<std::string, std::string> descriptors() const;
    /// Which zone each boundary element belongs to, or each point.
    void read_bcs();
    /// Pieces in order, none of which overlaps another: where ranges do, the shortest rules, and of equal ones the
    /// first.
    static std::vector<Range> without_overlaps(std::vector<Range>&& given);
    /// Ours may be written in pieces, which say what zone they are of.
    std::string zone_of_connection(int connection, const char* otherwise) const;
    std::optional<Placement> periodic_image(int connection) const;
    /// A zone that repeats, and what joins it.
    struct Repeated {
        std::size_t connection;
        Index zone;
    };
    void name_repeated(const Connection& c);
    std::array<std::vector<Vec3>, 2> points_of_pair(const Connection& c, const Connection& d) const;
    static Vec3 mean_difference(const std::vector<Vec3>& own, const std::vector<Vec3>& theirs, const Placement& image);
    void pair_repeated();
    void read_connections();
    void complete_repeated(std::size_t first);
    Index zone_of(cgsize_t element) const;
    void read_section(int s);
    /// Each element's type stands before its points.
    void read_mixed(int s, const char* name, cgsize_t first, cgsize_t last, cgsize_t size);
    /// The linear element with the same corners, which are the first points of the higher ones; itself where it is one.
    static ElementType_t linear(ElementType_t type);
    void add_element(const char* section, cgsize_t e, ElementType_t full_type, const cgsize_t* p);
    /// Numbers in rows, each of at least so many.
    struct Rows {
        std::vector<cgsize_t> values, offsets;
    };
    Rows read_rows(int s, const char* name, cgsize_t first, cgsize_t last, cgsize_t size, cgsize_t least);
    void read_polygons(int s, const char* name, cgsize_t first, cgsize_t last, cgsize_t size, bool has_parents);
    void read_polyhedra(int s);
    /// Faces that point into their only cell.
    void turn_faces();
    /// Files that name the two cells of each face instead of the faces of each cell: the normal points from the first
    /// to the second.
    void make_polyhedra_of_parents();
    /// Hexahedra between the points of a block, and the quadrangles of its conditions.
    void read_block();
    /// Of a block whose directions make a left-handed frame, cells are inside out: their lower and upper faces change
    /// places.
    void turn_left_handed_cells(std::size_t first);
    /// A range of points that is flat one way, or of faces across one direction.
    void add_block_faces(const Condition& c, const Block& block);
    /// Blocks are how a region was divided, not regions: those of one family, or all without, are one.
    Index region_of_block();
    void read_block_connections();
    /// The points that blocks have in common.
    void join_blocks(DisjointSets& same) const;
    void append(const cgsize_t* points, int n, std::vector<Index>& to) const;
    void join_points(const Connection& c, std::size_t other, DisjointSets& same) const;
    Index zone_of_interface(const std::string& name, const std::string& other_name);
    /// The points on both sides of an interface become one, and its faces a zone.
    void join_connections();
    std::string path_;
    CgnsNodes nodes_;  // looked at before the library opens the file
    CgnsFile file_;
    CellsAndBoundary out_;
    int base_ = 1, zone_ = 0;
    double metres_ = 1, degrees_ = 57.29577951308232;  // of the base's units
    bool is_plane_ = false;                            // cells are flat, boundaries are lines
    int n_axes_ = 3;
    bool is_ours_ = false;   // written by us: nothing is left to guess
    bool is_block_ = false;  // the zone at hand
    Index region_ = 0;       // of the zone at hand
    std::size_t first_point_ = 0;
    std::vector<std::size_t> first_points_, n_points_;  // of each zone
    std::vector<std::optional<Block>> block_of_;        // of each zone that is one
    std::vector<BlockConnection> block_connections_;
    std::vector<ZoneByPoints> zones_by_points_;
    std::vector<Parents> parents_;  // of the faces of the zone at hand
    bool has_nface_ = false;
    std::vector<std::string> zone_names_;
    std::map<std::string, Family> families_;
    std::vector<Range> ranges_;
    std::vector<Connection> connections_;
    std::vector<Repeated> repeated_;
    FacesOfPolyhedra polyhedra_;              // its points are those of out_
    std::map<cgsize_t, Index> face_of_;       // element number, in the region at hand
    std::vector<std::array<Index, 2>> twin_;  // the same faces of two regions, the second first
};

}  // namespace anvilcast::io
