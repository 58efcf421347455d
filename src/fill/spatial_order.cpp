#include "fill/spatial_order.hpp"

#include <algorithm>
#include <bit>

namespace anvilcast::fill {
namespace {

constexpr int kBits = 16;  // 65536 steps an axis: enough to keep neighbours together

/// Hilbert key from integer coordinates of kBits bits (Skilling's transposed form, then interleaved).
std::uint64_t hilbert_key(std::array<std::uint32_t, 3> x) {
    for (std::uint32_t q = 1U << (kBits - 1); q > 1; q >>= 1) {
        const std::uint32_t p = q - 1;
        for (std::size_t i = 0; i < 3; ++i) {
            if ((x[i] & q) != 0) {
                x[0] ^= p;
            } else {
                const std::uint32_t t = (x[0] ^ x[i]) & p;
                x[0] ^= t;
                x[i] ^= t;
            }
        }
    }
    x[1] ^= x[0];
    x[2] ^= x[1];
    std::uint32_t t = 0;
    for (std::uint32_t q = 1U << (kBits - 1); q > 1; q >>= 1)
        if ((x[2] & q) != 0) t ^= q - 1;
    std::uint64_t key = 0;
    for (int bit = kBits - 1; bit >= 0; --bit)
        for (const std::uint32_t c : x) key = (key << 1) | (((c ^ t) >> bit) & 1U);
    return key;
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
    bool operator<(const Keyed& o) const { return key != o.key ? key < o.key : number < o.number; }
};

template <typename RoundOf>
std::vector<Index> sorted_by_key(const std::vector<Vec3>& points, RoundOf round_of) {
    Box box;
    for (const Vec3& p : points) box.include(p);
    const Vec3 extent = box.extent();
    const double side = std::max({extent.x, extent.y, extent.z, std::numeric_limits<double>::min()});
    const double scale = ((1U << kBits) - 1) / side;
    std::vector<Keyed> keyed(points.size());
    for (Index i = 0; i < points.size(); ++i) {
        const Vec3 r = (points[i] - box.lo) * scale;
        const std::uint64_t key = hilbert_key(
            {static_cast<std::uint32_t>(r.x), static_cast<std::uint32_t>(r.y), static_cast<std::uint32_t>(r.z)});
        keyed[i] = {key | (round_of(i) << (3 * kBits)), i};
    }
    std::sort(keyed.begin(), keyed.end());
    std::vector<Index> order(points.size());
    std::transform(keyed.begin(), keyed.end(), order.begin(), [](const Keyed& k) { return k.number; });
    return order;
}

}  // namespace

std::vector<Index> insertion_order(const std::vector<Vec3>& points) {
    // Half of the points are in the last round, a quarter in the one before, and so on; rounds of under
    // some thousand points would not pay, so they are one.
    const int largest = std::clamp(static_cast<int>(std::bit_width(points.size() / 2000)), 0, 15);
    return sorted_by_key(points, [largest](Index i) {
        const int back = std::countl_zero(mixed(i) | 1U);
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

}  // namespace anvilcast::fill
