#include "surfmesh/repeat.hpp"

#include <anvilcast/errors.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace anvilcast::surfmesh {
namespace {

/// Of each patch of a pair's first zone the one on the second that is its image.
std::map<Index, Index> images_of_patches(const Original& original, std::array<Index, 2> zones,
                                         const std::vector<Index>& images) {
    const Surface& s = original.surface();
    auto key = [](Triangle t) {
        std::sort(t.begin(), t.end());
        return t;
    };
    std::map<Triangle, Index> patch_at;
    for (Index t = 0; t < s.triangles.size(); ++t)
        if (s.zone_of[t] == zones[1]) patch_at[key(s.triangles[t])] = original.features().patch_of[t];
    std::map<Index, Index> out;
    for (Index t = 0; t < s.triangles.size(); ++t) {
        if (s.zone_of[t] != zones[0]) continue;
        const Triangle& c = s.triangles[t];
        if (const auto at = patch_at.find(key({images[c[0]], images[c[1]], images[c[2]]})); at != patch_at.end())
            out.try_emplace(original.features().patch_of[t], at->second);
    }
    return out;
}

/// Side k of a triangle whose second and third corner change places is the old side 2 - k.
std::uint8_t turned_over(std::uint8_t sides) {
    return static_cast<std::uint8_t>((sides & 1U) << 2 | (sides & 2U) | (sides & 4U) >> 2);
}

class Repeater {
  public:
    Repeater(Draft& draft, const Original& original)
        : d_(draft),
          original_(original),
          images_(shape::images_of_points(original.surface(), original.domain().periodic)),
          reach_(shape::kSameImage * original.surface().bounds().diagonal()) {}

    void repeat(Index pair) {
        const PeriodicPair& p = original_.domain().periodic[pair];
        const auto zones = shape::zones_of(original_.surface(), p);
        const auto patches = images_of_patches(original_, zones, images_[pair]);
        std::vector<Index> of_first, fixed[2];
        for (Index t = 0; t < d_.triangles.size(); ++t) {
            const Index zone = original_.zone_of_patch(d_.patch_of[t]);
            if (zone == zones[0]) of_first.push_back(t);
            for (std::size_t k = 0; k < 2; ++k)
                if (zone == zones[k])
                    for (const Index q : d_.triangles[t])
                        if (d_.kind[q] == PointKind::corner) fixed[k].push_back(q);
        }
        for (auto& list : fixed) {
            std::sort(list.begin(), list.end());
            list.erase(std::unique(list.begin(), list.end()), list.end());
        }
        std::vector<Index> there(d_.points.size(), kNone);
        const auto found = shape::images_among(d_.points, fixed[0], fixed[1], p.image, reach_);
        for (std::size_t i = 0; i < found.size(); ++i) {
            if (found[i] == kNone) refuse(p, d_.points[fixed[0][i]]);
            there[fixed[0][i]] = found[i];
        }
        if (fixed[0].size() != fixed[1].size()) refuse(p, d_.points[fixed[1].front()]);
        const std::size_t n_before = d_.triangles.size();
        for (const Index t : of_first) add_image(t, p.image, patches.at(d_.patch_of[t]), there);
        erase(zones[1], n_before);
    }

    /// Leaves out points that no triangle has.
    void tidy() {
        std::vector<Index> now(d_.points.size(), kNone);
        for (const Triangle& t : d_.triangles)
            for (const Index p : t) now[p] = 0;
        Index n = 0;
        for (Index p = 0; p < now.size(); ++p) {
            if (now[p] == kNone) continue;
            d_.points[n] = d_.points[p];
            d_.size[n] = d_.size[p];
            d_.normal[n] = d_.normal[p];
            d_.kind[n] = d_.kind[p];
            now[p] = n++;
        }
        d_.points.resize(n);
        d_.size.resize(n);
        d_.normal.resize(n);
        d_.kind.resize(n);
        for (Triangle& t : d_.triangles)
            for (Index& p : t) p = now[p];
    }

  private:
    [[noreturn]] static void refuse(const PeriodicPair& pair, const Vec3& at) {
        throw FailureError(fmt::format(
            "the rims of \"{}\" and \"{}\" were not divided alike near [{:.6g}, {:.6g}, {:.6g}] m, though they repeat; "
            "ask for equal sizes there",
            pair.first, pair.second, at.x, at.y, at.z));
    }

    void add_image(Index t, const Placement& image, Index patch, std::vector<Index>& there) {
        const Triangle c = d_.triangles[t];
        Triangle out{};
        for (std::size_t k = 0; k < 3; ++k) {
            const Index p = c[k];
            if (there[p] == kNone) {
                there[p] = static_cast<Index>(d_.points.size());
                const Vec3 place = image(d_.points[p]), normal = -image.direction(d_.normal[p]);
                const double size = d_.size[p];
                d_.points.push_back(place);
                d_.normal.push_back(normal);
                d_.size.push_back(size);
                d_.kind.push_back(PointKind::patch);
            }
            out[(3 - k) % 3] = there[p];
        }
        d_.triangles.push_back(out);
        d_.patch_of.push_back(patch);
        d_.feature_sides.push_back(turned_over(d_.feature_sides[t]));
    }

    /// Of the triangles that were there before, those of a zone.
    void erase(Index zone, std::size_t n_before) {
        std::size_t n = 0;
        for (std::size_t t = 0; t < d_.triangles.size(); ++t) {
            if (t < n_before && original_.zone_of_patch(d_.patch_of[t]) == zone) continue;
            d_.triangles[n] = d_.triangles[t];
            d_.patch_of[n] = d_.patch_of[t];
            d_.feature_sides[n] = d_.feature_sides[t];
            ++n;
        }
        d_.triangles.resize(n);
        d_.patch_of.resize(n);
        d_.feature_sides.resize(n);
    }

    Draft& d_;
    const Original& original_;
    std::vector<std::vector<Index>> images_;  // of the original's points, by each pair
    double reach_;
};

}  // namespace

void repeat_sides(Draft& draft, const Original& original) {
    const auto& pairs = original.domain().periodic;
    if (pairs.empty()) return;
    Repeater repeater(draft, original);
    for (Index k = 0; k < pairs.size(); ++k) repeater.repeat(k);
    repeater.tidy();
}

}  // namespace anvilcast::surfmesh
