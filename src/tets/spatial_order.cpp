#include "tets/spatial_order.hpp"

#include <algorithm>
#include <bit>
#include <numeric>

namespace anvilcast::tets {
namespace {

constexpr int kBits = 16;  // 65536 steps an axis: enough to keep neighbours together

/// The bits of a number of kBits bits, each with two free ones behind it.
std::uint64_t spread(std::uint64_t x) {
    x = (x | x << 16) & 0x0000FF0000FFULL;
    x = (x | x << 8) & 0x00F00F00F00FULL;
    x = (x | x << 4) & 0x0C30C30C30C3ULL;
    return (x | x << 2) & 0x249249249249ULL;
}

/// Hilbert key from integer coordinates of kBits bits (Skilling's transposed form, then interleaved). Without branches:
/// they would be taken at random.
std::uint64_t hilbert_key(std::array<std::uint32_t, 3> x) {
    for (int bit = kBits - 1; bit > 0; --bit) {
        const std::uint32_t below = (1U << bit) - 1;
        for (std::size_t i = 0; i < 3; ++i) {
            const std::uint32_t is_set = 0U - (x[i] >> bit & 1U);
            const std::uint32_t exchanged = (x[0] ^ x[i]) & below & ~is_set;
            x[0] ^= (below & is_set) | exchanged;
            x[i] ^= exchanged;
        }
    }
    x[1] ^= x[0];
    x[2] ^= x[1];
    std::uint32_t t = 0;
    for (int bit = kBits - 1; bit > 0; --bit) t ^= ((1U << bit) - 1) & (0U - (x[2] >> bit & 1U));
    return spread(x[0] ^ t) << 2 | spread(x[1] ^ t) << 1 | spread(x[2] ^ t);
}

/// A hash of the number: the randomness of the rounds, the same on every machine.
std::uint64_t mixed(std::uint64_t x) {
    x += 0x9E3779B97F4A7C15ULL;
    x = (x ^ (x >> 30)) * 0xBF58476D1CE4E5B9ULL;
    x = (x ^ (x >> 27)) * 0x94D049BB133111EBULL;
    return x ^ (x >> 31);
}

struct Keyed {
    std::uint64_t key;
    Index number;
};

constexpr int kKeyBits = 3 * kBits + 4;  // and four for the round

/// By key, equal ones in the order that they have: counted digit by digit, the last digit first.
void sort_by_key(std::vector<Keyed>& keyed) {
    constexpr int kDigit = 13;
    static_assert(kKeyBits % kDigit == 0);
    std::vector<Keyed> other(keyed.size());
    for (int shift = 0; shift < kKeyBits; shift += kDigit) {
        auto digit = [shift](const Keyed& k) { return k.key >> shift & ((1U << kDigit) - 1); };
        std::vector<std::size_t> at((1U << kDigit) + 1, 0);
        for (const Keyed& k : keyed) ++at[digit(k) + 1];
        std::partial_sum(at.begin(), at.end(), at.begin());
        for (const Keyed& k : keyed) other[at[digit(k)]++] = k;
        keyed.swap(other);
    }
}

template <typename RoundOf>
std::vector<Index> sorted_by_key(const std::vector<Vec3>& points, RoundOf round_of) {
    Box box;
    for (const Vec3& p : points) box.include(p);
    const Vec3 extent = box.extent();
    const double side = std::max({extent.x, extent.y, extent.z, 0.0});
    // All in one place: all are alike. So near to each other that the scale is no number any more: nearly so.
    const double scale = side > 0 ? std::min(((1U << kBits) - 1) / side, std::numeric_limits<double>::max()) : 0;
    std::vector<Keyed> keyed(points.size());
    for (Index i = 0; i < points.size(); ++i) {
        const Vec3 r = (points[i] - box.lo) * scale;
        const std::uint64_t key = hilbert_key(
            {static_cast<std::uint32_t>(r.x), static_cast<std::uint32_t>(r.y), static_cast<std::uint32_t>(r.z)});
        keyed[i] = {key | (round_of(i) << (3 * kBits)), i};
    }
    sort_by_key(keyed);
    std::vector<Index> order(points.size());
    std::transform(keyed.begin(), keyed.end(), order.begin(), [](const Keyed& k) { return k.number; });
    return order;
}

}  // namespace

std::vector<Index> insertion_order(const std::vector<Vec3>& points, int doublings) {
    // Rounds of under some thousand points would not pay, so they are one. Few large rounds leave more in the cache
    // than many: with three doublings a triangulation takes an eighth less time than with one.
    const int largest = std::clamp(static_cast<int>(std::bit_width(points.size() / 2000)) / doublings, 0, 15);
    return sorted_by_key(points, [largest, doublings](Index i) {
        const int back = std::countl_zero(mixed(i) | 1U) / doublings;
        return static_cast<std::uint64_t>(std::max(0, largest - back));
    });
}

std::vector<Index> hilbert_order(const std::vector<Vec3>& points) {
    return sorted_by_key(points, [](Index) { return std::uint64_t{0}; });
}

Vec3 scattered(std::uint64_t seed) {
    const std::uint64_t x = mixed(seed);
    auto part = [x](unsigned shift) { return static_cast<double>(x >> shift & 0xFFFFU) / 0x8000 - 1; };
    return {part(0), part(16), part(32)};
}

}  // namespace anvilcast::tets
