#include "poly/faces.hpp"

#include <fmt/format.h>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_sort.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <optional>

#include "base/disjoint_sets.hpp"

namespace anvilcast::poly {
namespace {

/// Cells or vertices that one piece of parallel work takes.
constexpr std::size_t kBlock = 4096;

/// An edge of a facet, directed with the facet seen from its first polyhedron.
struct Segment {
    Node from, to;
    Segment reversed() const { return {to, from}; }
};

/// Chains directed segments, those that run both ways taken out, to closed rows; a row that comes back to a node is
/// parted there. Each row begins with its lowest node. Needs work space only.
class Chains {
  public:
    template <typename Visit>
    void close(std::vector<Segment>& segments, const Visit& visit) {
        cancel(segments);
        std::sort(segments.begin(), segments.end(),
                  [](const Segment& a, const Segment& b) { return a.from != b.from ? a.from < b.from : a.to < b.to; });
        is_used_.assign(segments.size(), 0);
        for (std::size_t first = 0; first < segments.size(); ++first) {
            if (is_used_[first] != 0) continue;
            row_.clear();
            for (std::size_t at = first;;) {
                is_used_[at] = 1;
                row_.push_back(segments[at].from);
                const Node next = segments[at].to;
                if (const auto back = std::find(row_.begin(), row_.end(), next); back != row_.end()) {
                    rows_.assign(back, row_.end());
                    visit(rows_);
                    row_.erase(back, row_.end());
                    if (row_.empty()) break;
                }
                at = follower(segments, next);
            }
        }
    }

  private:
    static void cancel(std::vector<Segment>& segments) {
        auto key = [](const Segment& s) { return std::pair{std::min(s.from, s.to), std::max(s.from, s.to)}; };
        std::sort(segments.begin(), segments.end(), [&](const Segment& a, const Segment& b) {
            return key(a) != key(b) ? key(a) < key(b) : a.from < b.from;
        });
        std::size_t kept = 0;
        for (std::size_t i = 0, j = 0; i < segments.size(); i = j) {
            std::ptrdiff_t sum = 0;
            for (j = i; j < segments.size() && key(segments[j]) == key(segments[i]); ++j)
                sum += segments[j].from < segments[j].to ? 1 : -1;
            const Segment s{key(segments[i]).first, key(segments[i]).second};
            for (std::ptrdiff_t n = std::abs(sum); n > 0 && s.from != s.to; --n)
                segments[kept++] = sum > 0 ? s : s.reversed();
        }
        segments.resize(kept);
    }
    std::size_t follower(const std::vector<Segment>& segments, Node from) const {
        auto at = static_cast<std::size_t>(std::lower_bound(segments.begin(), segments.end(), from,
                                                            [](const Segment& s, Node n) { return s.from < n; }) -
                                           segments.begin());
        while (at < segments.size() && segments[at].from == from && is_used_[at] != 0) ++at;
        if (at == segments.size() || segments[at].from != from)
            throw InternalError("a face of a polyhedron does not close");
        return at;
    }

    std::vector<char> is_used_;
    std::vector<Node> row_, rows_;
};

/// A part of a kept face that belongs to one polyhedron on each side.
struct Piece {
    DualFaces::Face face;
    std::array<Node, 4> nodes;  // counter-clockwise seen from outside of the owner; two may be the same
};

class Builder {
  public:
    explicit Builder(const DualFrame& frame) : frame_(frame), mesh_(frame.mesh()) {}

    DualFaces build() {
        in_blocks(mesh_.n_cells(), [this](Index begin, Index end, DualFaces& out) {
            for (Index c = begin; c < end; ++c)
                if (mesh_.cell_types[c] == CellType::tetrahedron && !frame_.is_layer(c)) close_rings(c, out);
        });
        close_sides();
        close_other_facets();
        list_kept_faces();
        in_blocks(mesh_.points.size(), [this](Index begin, Index end, DualFaces& out) {
            std::vector<Piece> pieces;
            for (Index v = begin; v < end; ++v) {
                if (frame_.is_on_rim(v)) continue;
                pieces.clear();
                add_pieces(v, pieces);
                join(pieces, out);
            }
        });
        close_rims();
        drop_needless_nodes();
        return std::move(out_);
    }

  private:
    template <typename Work>
    void in_blocks(std::size_t n, const Work& work) {
        std::vector<DualFaces> parts((n + kBlock - 1) / kBlock);
        tbb::parallel_for(std::size_t{0}, parts.size(), [&](std::size_t k) {
            work(static_cast<Index>(k * kBlock), static_cast<Index>(std::min(n, (k + 1) * kBlock)), parts[k]);
        });
        std::size_t n_faces = out_.size(), n_nodes = out_.nodes.size();
        for (const DualFaces& part : parts) {
            n_faces += part.size();
            n_nodes += part.nodes.size();
        }
        out_.faces.reserve(n_faces);
        out_.offsets.reserve(n_faces + 1);
        out_.nodes.reserve(n_nodes);
        for (DualFaces& part : parts) {
            append(part);
            part = {};
        }
    }
    void append(const DualFaces& part) {
        const std::size_t first = out_.nodes.size();
        out_.faces.insert(out_.faces.end(), part.faces.begin(), part.faces.end());
        out_.nodes.insert(out_.nodes.end(), part.nodes.begin(), part.nodes.end());
        for (std::size_t f = 1; f < part.offsets.size(); ++f) out_.offsets.push_back(first + part.offsets[f]);
    }

    // ---- round edges with nothing but the core about them ----

    /// The faces across the edges of a tetrahedron that has the lowest number of all about them.
    void close_rings(Index cell, DualFaces& out) const {
        // Corners a, b of an edge and c, d of the opposite one, so that a, b, c, d is a positive tetrahedron.
        constexpr std::array<std::array<std::size_t, 4>, 6> kEdges{
            {{0, 1, 2, 3}, {0, 2, 3, 1}, {0, 3, 1, 2}, {1, 2, 0, 3}, {1, 3, 2, 0}, {2, 3, 0, 1}}};
        const auto corner = mesh_.cell(cell);
        const auto faces = frame_.faces_of(cell);
        std::array<Index, 4> beyond{};
        std::array<bool, 4> has_edges{};
        for (std::size_t k = 0; k < 4; ++k) {
            beyond[k] = frame_.beyond(faces[k], cell);
            has_edges[k] = frame_.has_edges(corner[k]);
        }
        std::array<Node, 64> ring{};
        for (const auto& [a, b, c, d] : kEdges) {
            // On the boundary there is nothing beyond, which is a high number too.
            if (beyond[c] < cell || beyond[d] < cell) continue;
            const Index p = corner[a], q = corner[b];
            if (has_edges[a] && has_edges[b] && frame_.find_edge(p, q)) continue;
            std::size_t n = 1;
            ring[0] = frame_.node_of_cell(cell);
            Index at = beyond[c], turned_from = corner[d];
            while (at > cell) {
                if (n == ring.size()) throw InternalError("an edge has more tetrahedra than a polyhedron's face holds");
                ring[n++] = frame_.node_of_cell(at);
                const auto v = mesh_.cell(at);
                const std::size_t k = v[0] == turned_from ? 0 : v[1] == turned_from ? 1 : v[2] == turned_from ? 2 : 3;
                // The one that the next tetrahedron turns from is the fourth corner of this one.
                turned_from = v[0] + v[1] + v[2] + v[3] - p - q - turned_from;
                at = frame_.beyond(frame_.faces_of(at)[k], at);
            }
            if (at == cell)
                emit({frame_.owner_in_core(p, cell), frame_.owner_in_core(q, cell), kNone}, {ring.data(), n}, out);
        }
    }

    static void emit(DualFaces::Face face, std::span<const Node> row, DualFaces& out) {
        if (face.neighbour < face.owner) {
            std::swap(face.owner, face.neighbour);
            out.add(face, std::vector<Node>(row.rbegin(), row.rend()));
        } else {
            out.add(face, row);
        }
    }

    // ---- between the columns of layers ----

    /// Bottom and top of the cells on both sides of a stack's inner side, where nothing else comes in.
    void close_sides() {
        in_blocks(mesh_.n_inner_faces(), [this](Index begin, Index end, DualFaces& out) {
            for (Index f = begin; f < end; ++f)
                if (const auto slot = plain_side(f)) {
                    const Index cell = mesh_.owner[f], other = mesh_.neighbour[f];
                    const std::size_t next = (*slot + 1) % frame_.slots_of(cell).count();
                    const std::array<Node, 4> row{frame_.bottom(cell), frame_.top(cell), frame_.top(other),
                                                  frame_.bottom(other)};
                    emit({frame_.owner_in_layer(cell, *slot), frame_.owner_in_layer(cell, next), kNone}, row, out);
                }
        });
    }

    /// The slot of the owner whose side this face is, when it is one, and its upper and lower edges are plain.
    std::optional<std::size_t> plain_side(Index f) const {
        const Index cell = mesh_.owner[f], other = mesh_.neighbour[f];
        if (frame_.is_kept(f) || !frame_.is_layer(cell) || !frame_.is_layer(other)) return std::nullopt;
        for (const Index c : {cell, other})
            if (frame_.kind(frame_.bottom(c)) != DualFrame::NodeKind::face) return std::nullopt;
        for (std::size_t k = 0, n = frame_.slots_of(cell).count(); k < n; ++k) {
            if (frame_.side_of(cell, k) != f) continue;
            const std::size_t next = (k + 1) % n;
            for (const Node e : {frame_.node_between(frame_.low(cell, k), frame_.low(cell, next)),
                                 frame_.node_between(frame_.up(cell, k), frame_.up(cell, next))})
                if (frame_.kind(e) != DualFrame::NodeKind::edge || frame_.is_special(frame_.index(e)))
                    return std::nullopt;
            return k;
        }
        return std::nullopt;
    }

    // ---- facets inside of cells at kept faces ----

    struct Record {
        Index owner, neighbour;
        Segment segment;
    };
    static void record(Index a, Index b, std::initializer_list<Segment> segments, std::vector<Record>& out) {
        if (a == b) return;
        for (const Segment& s : segments)
            if (s.from != s.to) out.push_back({std::min(a, b), std::max(a, b), a < b ? s : s.reversed()});
    }

    void close_other_facets() {
        const std::size_t n = mesh_.n_cells();
        std::vector<std::vector<Record>> parts((n + kBlock - 1) / kBlock);
        tbb::parallel_for(std::size_t{0}, parts.size(), [&](std::size_t k) {
            for (auto c = static_cast<Index>(k * kBlock); c < std::min(n, (k + 1) * kBlock); ++c) {
                if (frame_.is_layer(c))
                    add_facets_of_layer(c, parts[k]);
                else
                    add_facets_of_core(c, parts[k]);
            }
        });
        // Into buckets by owner, whose few records are sorted.
        std::vector<std::size_t> first(frame_.n_polyhedra() + 1, 0);
        for (const auto& part : parts)
            for (const Record& r : part) ++first[r.owner + 1];
        for (std::size_t p = 1; p < first.size(); ++p) first[p] += first[p - 1];
        std::vector<Record> records(first.back());
        std::vector<std::size_t> at(first.begin(), first.end() - 1);
        for (auto& part : parts) {
            for (const Record& r : part) records[at[r.owner]++] = r;
            part = {};
        }
        tbb::parallel_for(tbb::blocked_range<std::size_t>(0, frame_.n_polyhedra(), 256), [&](const auto& range) {
            for (std::size_t p = range.begin(); p < range.end(); ++p)
                std::stable_sort(records.begin() + static_cast<std::ptrdiff_t>(first[p]),
                                 records.begin() + static_cast<std::ptrdiff_t>(first[p + 1]),
                                 [](const Record& a, const Record& b) { return a.neighbour < b.neighbour; });
        });
        Chains chains;
        std::vector<Segment> segments;
        for (std::size_t i = 0, j = 0; i < records.size(); i = j) {
            segments.clear();
            for (j = i; j < records.size() && records[j].owner == records[i].owner &&
                        records[j].neighbour == records[i].neighbour;
                 ++j)
                segments.push_back(records[j].segment);
            chains.close(segments, [&](const std::vector<Node>& row) {
                out_.add({records[i].owner, records[i].neighbour, kNone}, row);
            });
        }
    }

    /// Between two corners of a cell of the core lies a facet from the edge's middle over those of its two faces to the
    /// cell's. Each face gives the half on its side.
    void add_facets_of_core(Index cell, std::vector<Record>& out) const {
        const auto corners = mesh_.cell(cell);
        if (std::count_if(corners.begin(), corners.end(), [this](Index v) { return frame_.has_edges(v); }) < 2) return;
        for (const Index f : frame_.faces_of(cell)) {
            const auto v = mesh_.face(f);
            for (std::size_t k = 0; k < v.size(); ++k) {
                Index p = v[k], q = v[(k + 1) % v.size()];
                const auto e = frame_.find_edge(p, q);
                if (!e) continue;
                if (mesh_.owner[f] != cell) std::swap(p, q);
                record(frame_.owner_in_core(p, cell), frame_.owner_in_core(q, cell),
                       {{frame_.node_of_cell(cell), frame_.node_of_face(f)},
                        {frame_.node_of_face(f), frame_.node_of_edge(*e)}},
                       out);
            }
        }
    }

    /// Between two columns of a layer cell, from the line between its ends to the middle of its side.
    void add_facets_of_layer(Index cell, std::vector<Record>& out) const {
        const std::size_t n = frame_.slots_of(cell).count();
        for (std::size_t k = 0; k < n; ++k) {
            const std::size_t next = (k + 1) % n;
            const auto side = frame_.side_of(cell, k);
            if (side && *side < mesh_.n_inner_faces() && plain_side(*side)) continue;
            const Node low = frame_.node_between(frame_.low(cell, k), frame_.low(cell, next)),
                       up = frame_.node_between(frame_.up(cell, k), frame_.up(cell, next)),
                       bottom = frame_.bottom(cell), top = frame_.top(cell);
            record(frame_.owner_in_layer(cell, k), frame_.owner_in_layer(cell, next),
                   {{low, bottom}, {bottom, top}, {top, up}, {up, low}}, out);
        }
    }

    // ---- pieces of kept faces ----

    void list_kept_faces() {
        first_kept_.assign(mesh_.points.size() + 1, 0);
        auto for_corners = [&](const auto& visit) {
            for (Index f = 0; f < mesh_.n_faces(); ++f)
                if (frame_.is_kept(f))
                    for (const Index v : mesh_.face(f)) visit(v, f);
            for (const DualFrame::Cut& cut : frame_.cuts()) visit(cut.vertex, cut.face);
        };
        for_corners([this](Index v, Index) { ++first_kept_[v + 1]; });
        for (std::size_t v = 1; v < first_kept_.size(); ++v) first_kept_[v] += first_kept_[v - 1];
        kept_.resize(first_kept_.back());
        std::vector<Index> at(first_kept_.begin(), first_kept_.end() - 1);
        for_corners([&](Index v, Index f) { kept_[at[v]++] = f; });
    }

    static Piece turned(Piece piece) {
        if (piece.face.neighbour < piece.face.owner) {
            std::swap(piece.face.owner, piece.face.neighbour);
            std::reverse(piece.nodes.begin(), piece.nodes.end());
        }
        return piece;
    }

    /// Of all kept faces and cuts at a vertex, but for the sides of stacks on the boundary.
    void add_pieces(Index v, std::vector<Piece>& out) const {
        for (Index i = first_kept_[v]; i < first_kept_[v + 1]; ++i) {
            const Index f = kept_[i], own = mesh_.owner[f], other = frame_.beyond(f, own);
            if (frame_.is_side(f, own)) continue;
            const Index a = frame_.owner_at(f, v, own), b = other == kNone ? kNone : frame_.owner_at(f, v, other);
            if (a == b && frame_.zone_of(f) == kNone) continue;
            const auto p = mesh_.face(f);
            if (a == b)
                throw InternalError(fmt::format(
                    "one polyhedron lies on both sides of zone \"{}\" at [{:.6g}, {:.6g}, {:.6g}] m",
                    mesh_.zones[frame_.zone_of(f)].name, mesh_.points[v].x, mesh_.points[v].y, mesh_.points[v].z));
            const auto k = static_cast<std::size_t>(std::find(p.begin(), p.end(), v) - p.begin());
            out.push_back(turned({{a, b, frame_.zone_of(f)},
                                  {frame_.node_of_vertex(v), frame_.node_between(v, p[(k + 1) % p.size()]),
                                   frame_.node_of_face(f), frame_.node_between(p[(k + p.size() - 1) % p.size()], v)}}));
        }
    }

    /// The two halves of a stack's side, where it is on the boundary or a cut.
    void add_pieces_of_side(Index f, std::vector<Piece>& out) const {
        const Index cell = mesh_.owner[f];
        const std::size_t n = frame_.slots_of(cell).count();
        for (std::size_t k = 0; k < n; ++k) {
            if (frame_.side_of(cell, k) != f) continue;
            const std::size_t next = (k + 1) % n;
            auto face = [&](std::size_t slot) {
                return DualFaces::Face{frame_.owner_in_layer(cell, slot),
                                       f < mesh_.n_inner_faces() ? frame_.owner_across(f, cell, slot) : kNone,
                                       frame_.zone_of(f)};
            };
            auto vertex = [&](Index v) { return frame_.node_of_vertex(v); };
            const Node low = frame_.node_between(frame_.low(cell, k), frame_.low(cell, next)),
                       up = frame_.node_between(frame_.up(cell, k), frame_.up(cell, next));
            const Piece one{face(k), {vertex(frame_.low(cell, k)), low, up, vertex(frame_.up(cell, k))}},
                two{face(next), {low, vertex(frame_.low(cell, next)), vertex(frame_.up(cell, next)), up}};
            for (const Piece& piece : {one, two})
                if (piece.face.owner != piece.face.neighbour) out.push_back(turned(piece));
        }
    }

    void close_rims() {
        std::vector<Piece> pieces;
        for (Index v = 0; v < mesh_.points.size(); ++v)
            if (frame_.is_on_rim(v)) add_pieces(v, pieces);
        for (auto f = static_cast<Index>(mesh_.n_inner_faces()); f < mesh_.n_faces(); ++f)
            if (frame_.is_side(f, mesh_.owner[f])) add_pieces_of_side(f, pieces);
        for (const Index f : frame_.cut_sides()) add_pieces_of_side(f, pieces);
        DualFaces part;
        join(pieces, part);
        append(part);
    }

    /// Pieces of the same polyhedra and zone are one face where they meet in a segment that does not lie on, or across,
    /// a sharp edge.
    void join(const std::vector<Piece>& pieces, DualFaces& out) const {
        struct Use {
            Node a, b;
            Index piece;
        };
        std::vector<Use> uses;
        for (Index i = 0; i < pieces.size(); ++i)
            for (std::size_t k = 0; k < 4; ++k) {
                const Node a = pieces[i].nodes[k], b = pieces[i].nodes[(k + 1) % 4];
                if (a != b) uses.push_back({std::min(a, b), std::max(a, b), i});
            }
        std::sort(uses.begin(), uses.end(), [](const Use& p, const Use& q) {
            return p.a != q.a ? p.a < q.a : p.b != q.b ? p.b < q.b : p.piece < q.piece;
        });
        DisjointSets sets(pieces.size());
        auto key = [&](const Use& u) {
            const DualFaces::Face& f = pieces[u.piece].face;
            return std::array{f.owner, f.neighbour, f.zone};
        };
        for (std::size_t i = 0, j = 0; i < uses.size(); i = j) {
            for (j = i; j < uses.size() && uses[j].a == uses[i].a && uses[j].b == uses[i].b;) ++j;
            if (is_sharp(uses[i].a, uses[i].b)) continue;
            for (std::size_t k = i; k < j; ++k)
                for (std::size_t l = k + 1; l < j; ++l)
                    if (key(uses[k]) == key(uses[l])) sets.join(uses[k].piece, uses[l].piece);
        }
        std::vector<std::pair<Index, Index>> order;  // set, piece
        for (Index i = 0; i < pieces.size(); ++i) order.emplace_back(sets.find(i), i);
        std::sort(order.begin(), order.end());
        Chains chains;
        std::vector<Segment> segments;
        for (std::size_t i = 0, j = 0; i < order.size(); i = j) {
            segments.clear();
            for (j = i; j < order.size() && order[j].first == order[i].first; ++j)
                for (std::size_t k = 0; k < 4; ++k) {
                    const auto& nodes = pieces[order[j].second].nodes;
                    if (nodes[k] != nodes[(k + 1) % 4]) segments.push_back({nodes[k], nodes[(k + 1) % 4]});
                }
            chains.close(segments, [&](const std::vector<Node>& row) { out.add(pieces[order[i].second].face, row); });
        }
    }

    /// Half of an edge, or the edge between two vertices.
    bool is_sharp(Node a, Node b) const {
        using Kind = DualFrame::NodeKind;
        const Kind ka = frame_.kind(a), kb = frame_.kind(b);
        if (ka == Kind::vertex && kb == Kind::vertex) {
            const auto e = frame_.find_edge(frame_.index(a), frame_.index(b));
            return e && frame_.is_sharp(*e);
        }
        if (ka == Kind::edge && kb == Kind::vertex) return frame_.is_sharp(frame_.index(a));
        return false;
    }

    // ---- nodes that are none ----

    void drop_needless_nodes() {
        const auto first = static_cast<Node>(mesh_.n_cells());
        std::vector<std::array<Node, 2>> links;  // of nodes that might go
        for (std::size_t f = 0; f < out_.size(); ++f) {
            const auto row = out_.face(f);
            for (std::size_t k = 0; k < row.size(); ++k) {
                if (row[k] < first || carries_shape(row[k])) continue;
                links.push_back({row[k], row[(k + 1) % row.size()]});
                links.push_back({row[k], row[(k + row.size() - 1) % row.size()]});
            }
        }
        tbb::parallel_sort(links.begin(), links.end());
        links.erase(std::unique(links.begin(), links.end()), links.end());
        std::vector<char> is_needless(frame_.n_nodes() - first, 0);
        for (std::size_t i = 0, j = 0; i < links.size(); i = j) {
            for (j = i; j < links.size() && links[j][0] == links[i][0];) ++j;
            is_needless[links[i][0] - first] = static_cast<char>(j - i == 2);
        }
        DualFaces kept;
        kept.faces.reserve(out_.size());
        kept.offsets.reserve(out_.size() + 1);
        std::vector<Node> row;
        for (std::size_t f = 0; f < out_.size(); ++f) {
            row.clear();
            for (const Node n : out_.face(f))
                if (n < first || is_needless[n - first] == 0) row.push_back(n);
            if (row.size() > 2) kept.add(out_.faces[f], row);
        }
        out_ = std::move(kept);
    }
    bool carries_shape(Node n) const {
        switch (frame_.kind(n)) {
            case DualFrame::NodeKind::cell:
                return true;
            case DualFrame::NodeKind::face:
                return frame_.is_kept(frame_.index(n));
            case DualFrame::NodeKind::edge: {
                const auto ends = frame_.ends_of(frame_.index(n));
                return frame_.is_sharp(frame_.index(n)) && frame_.is_feature(ends[0]) && frame_.is_feature(ends[1]);
            }
            case DualFrame::NodeKind::vertex:
                break;
        }
        return frame_.is_feature(frame_.index(n));
    }

    const DualFrame& frame_;
    const VolumeMesh& mesh_;
    DualFaces out_;
    std::vector<Index> first_kept_, kept_;
};

}  // namespace

DualFaces dual_faces(const DualFrame& frame) { return Builder(frame).build(); }

}  // namespace anvilcast::poly
