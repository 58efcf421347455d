#include "figures/colours.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <span>

namespace anvilcast::figures {
namespace {

constexpr Colour rgb(unsigned hex) {
    return {static_cast<double>(hex >> 16 & 255) / 255, static_cast<double>(hex >> 8 & 255) / 255,
            static_cast<double>(hex & 255) / 255};
}

Colour between(std::span<const Colour> stops, double share) {
    const double at = std::clamp(share, 0.0, 1.0) * static_cast<double>(stops.size() - 1);
    const auto k = std::min(static_cast<std::size_t>(at), stops.size() - 2);
    return mixed(stops[k], stops[k + 1], at - static_cast<double>(k));
}

}  // namespace

std::string css(const Colour& c) {
    auto byte = [](double v) { return static_cast<int>(std::lround(255 * std::clamp(v, 0.0, 1.0))); };
    return fmt::format("#{:02x}{:02x}{:02x}", byte(c.r), byte(c.g), byte(c.b));
}

Colour mixed(const Colour& a, const Colour& b, double t) {
    return {a.r + t * (b.r - a.r), a.g + t * (b.g - a.g), a.b + t * (b.b - a.b)};
}

Theme theme(bool dark) {
    if (dark) return {rgb(0x181C20), rgb(0xE9E6DF), rgb(0x59626A), rgb(0x49525A), rgb(0x101316), rgb(0xFF6B5E)};
    return {rgb(0xFBFAF7), rgb(0x20262B), rgb(0xB9B5AB), rgb(0xDAD7CF), rgb(0x2B3238), rgb(0xC81E1E)};
}

Colour category(std::size_t k) {
    constexpr std::array<Colour, 8> kFar{rgb(0x56B4E9), rgb(0xE69F00), rgb(0x009E73), rgb(0xCC79A7),
                                         rgb(0x0072B2), rgb(0xD55E00), rgb(0xF0E442), rgb(0x9A9A9A)};
    const Colour base = kFar[k % kFar.size()];
    const std::size_t round = k / kFar.size();
    if (round == 0) return base;
    return round % 2 == 1 ? mixed(base, rgb(0xFFFFFF), 0.45) : mixed(base, rgb(0x000000), 0.4);
}

Colour along_scale(double share) {
    constexpr std::array<Colour, 5> kStops{rgb(0x1F2A5A), rgb(0x2C6E91), rgb(0x5BA889), rgb(0xC3CF6B), rgb(0xFBE8A6)};
    return between(kStops, share);
}

Colour along_quality(double share) {
    constexpr std::array<Colour, 5> kStops{rgb(0xE6EEF2), rgb(0xA9CBDD), rgb(0xF2C879), rgb(0xD9632B), rgb(0x7A0C1E)};
    return between(kStops, share);
}

}  // namespace anvilcast::figures
