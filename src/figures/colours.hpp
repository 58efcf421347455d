// Colours that colour-blind readers can tell apart, on light and on dark ground.
#pragma once

#include <array>
#include <cstddef>
#include <string>

namespace anvilcast::figures {

struct Colour {
    double r = 0, g = 0, b = 0;  ///< 0 to 1, as screens take them
    friend bool operator==(const Colour&, const Colour&) = default;
};

/// "#rrggbb" for pages.
std::string css(const Colour& c);
Colour mixed(const Colour& a, const Colour& b, double share_of_b);

struct Theme {
    Colour ground, ink, faint;  ///< background, text, lines that do not matter
    Colour context;             ///< of walls that are only there to be recognised
    Colour edge;                ///< of cells
    Colour mark;                ///< of what is pointed at
};
Theme theme(bool dark);

/// The k-th of colours for names. Eight are far apart (M. Okabe & K. Ito 2008); further ones are shades of these.
Colour category(std::size_t k);

/// Along a scale, 0 to 1: from dark and cold to light and warm, even in lightness.
Colour along_scale(double share);
/// For quality: from good, pale, to bad, dark red.
Colour along_quality(double share);

}  // namespace anvilcast::figures
