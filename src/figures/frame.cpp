#include "figures/frame.hpp"

#include <anvilcast/errors.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace anvilcast::figures {
namespace {

constexpr double kMargin = 24, kTitle = 64, kLegend = 300, kFoot = 72;

/// The part of the sheet that the scene has.
struct Area {
    double x = 0, y = 0, width = 0, height = 0;
};

Area scene_area(const Canvas& canvas, bool has_legend) {
    const double legend = has_legend ? std::min(kLegend, 0.3 * canvas.width()) : 0;
    return {kMargin, kTitle, canvas.width() - legend - 2 * kMargin, canvas.height() - kTitle - kFoot};
}

/// Cut so that it fits.
std::string fitted(const Canvas& canvas, std::string text, double size, double width) {
    if (canvas.text_width(text, size) <= width) return text;
    while (text.size() > 1 && canvas.text_width(text + "\u2026", size) > width) {
        // A character may be several bytes.
        do text.pop_back();
        while (!text.empty() && (static_cast<unsigned char>(text.back()) & 0xC0) == 0x80);
    }
    return text + "\u2026";
}

void draw_legend(Canvas& canvas, const Picture& p, double x, double y, double width, const Theme& theme) {
    constexpr double kRow = 21, kSize = 13;
    if (!p.legend.empty()) {
        canvas.text(x, y, p.legend_title, theme.ink, kSize, Align::left, true);
        y += 10;
        const auto room = static_cast<std::size_t>(std::max(1.0, (canvas.height() - y - kFoot) / kRow));
        const std::size_t n = p.legend.size() <= room ? p.legend.size() : room - 1;
        for (std::size_t k = 0; k < n; ++k) {
            const LegendEntry& e = p.legend[k];
            canvas.rectangle(x, y + 4, 14, 14, e.colour);
            canvas.frame(x + 0.5, y + 4.5, 13, 13, theme.faint);
            const double detail = canvas.text_width(e.detail, kSize - 1);
            canvas.text(x + 22, y + 16, fitted(canvas, e.name, kSize, width - 34 - detail), theme.ink, kSize);
            canvas.text(x + width, y + 16, e.detail, mixed(theme.ink, theme.ground, 0.35), kSize - 1, Align::right);
            y += kRow;
        }
        if (n < p.legend.size())
            canvas.text(x + 22, y + 16, fmt::format("and {} more", p.legend.size() - n), theme.ink, kSize);
        y += 2 * kRow;
    }
    if (!p.scale) return;
    const Scale& s = *p.scale;
    canvas.text(x, y, fitted(canvas, s.name, kSize, width), theme.ink, kSize, Align::left, true);
    y += 14;
    const double height = std::min(320.0, canvas.height() - y - kFoot - 20);
    constexpr int kSteps = 160;
    auto value_at = [&s](double t) {
        return s.logarithmic ? s.low * std::pow(s.high / s.low, t) : s.low + t * (s.high - s.low);
    };
    for (int k = 0; k < kSteps; ++k) {
        const double t = (k + 0.5) / kSteps;
        canvas.rectangle(x, y + height * (1 - static_cast<double>(k + 1) / kSteps), 22, height / kSteps + 0.6,
                         s.colour(value_at(t)));
    }
    canvas.frame(x + 0.5, y + 0.5, 21, height, theme.faint);
    constexpr int kTicks = 6;
    for (int k = 0; k <= kTicks; ++k) {
        const double t = static_cast<double>(k) / kTicks, at = y + height * (1 - t);
        canvas.line(x + 22, at, x + 27, at, theme.ink);
        canvas.text(x + 33, at + 4.5, fmt::format("{:.3g}", value_at(t) * s.factor), theme.ink, kSize);
    }
}

void draw_scale_bar(Canvas& canvas, const Camera& camera, const LengthUnit& unit, const Area& area,
                    const Theme& theme) {
    const double metres = round_length(0.22 * area.width * camera.metres_per_pixel / unit.metres) * unit.metres;
    const double pixels = metres / camera.metres_per_pixel, y = canvas.height() - 22, x = area.x + 84;
    canvas.line(x, y, x + pixels, y, theme.ink, 2);
    for (const double end : {x, x + pixels}) canvas.line(end, y - 5, end, y + 5, theme.ink, 2);
    canvas.text(x + pixels + 10, y + 5, format_length(metres, unit), theme.ink, 13);
}

void draw_axes(Canvas& canvas, const Camera& camera, const Area& area, const Theme& theme) {
    const double x = area.x + 30, y = canvas.height() - 38, length = 20;
    constexpr std::array<const char*, 3> kNames{"x", "y", "z"};
    for (int axis = 0; axis < 3; ++axis) {
        Vec3 e{};
        e[axis] = 1;
        const double dx = dot(e, camera.right), dy = -dot(e, camera.up);
        if (std::hypot(dx, dy) < 0.12) continue;
        canvas.line(x, y, x + length * dx, y + length * dy, theme.ink, 1.6);
        canvas.text(x + (length + 8) * dx, y + (length + 8) * dy + 4.5, kNames[static_cast<std::size_t>(axis)],
                    theme.ink, 12, Align::center);
    }
}

/// Labels beside their places, moved down where they would cover each other.
void draw_labels(Canvas& canvas, const Picture& p, const Camera& camera, const Area& area, const Theme& theme) {
    struct Placed {
        double x, y, width;
    };
    constexpr double kSize = 13, kHigh = 19;
    std::vector<Placed> placed;
    for (const Label& l : p.labels) {
        const Projected at =
            project(camera, static_cast<std::size_t>(area.width), static_cast<std::size_t>(area.height), l.place);
        if (at.x < 0 || at.y < 0 || at.x > area.width || at.y > area.height) continue;
        const double width = canvas.text_width(l.text, kSize) + 12;
        Placed box{area.x + at.x + 14, area.y + at.y - 8, width};
        if (box.x + width > area.x + area.width) box.x = area.x + at.x - 14 - width;
        for (bool moved = true; moved;) {
            moved = false;
            for (const Placed& o : placed)
                if (box.x < o.x + o.width && o.x < box.x + box.width && std::abs(box.y - o.y) < kHigh) {
                    box.y = o.y + kHigh;
                    moved = true;
                }
        }
        placed.push_back(box);
        canvas.line(area.x + at.x, area.y + at.y, box.x + (box.x > area.x + at.x ? 0 : width), box.y + 5, theme.ink);
        canvas.disc(area.x + at.x, area.y + at.y, 4, l.colour);
        canvas.rectangle(box.x, box.y - 5, width, kHigh - 1, theme.ground);
        canvas.frame(box.x + 0.5, box.y - 4.5, width - 1, kHigh - 2, l.colour);
        canvas.text(box.x + 6, box.y + 9, l.text, theme.ink, kSize);
    }
}

/// So that all points are within the area.
void fit(Camera& camera, const Area& area, const std::vector<Vec3>& points) {
    double left = Box::inf, right = -Box::inf, low = Box::inf, high = -Box::inf;
    for (const Vec3& p : points) {
        const double x = dot(p, camera.right), y = dot(p, camera.up);
        left = std::min(left, x), right = std::max(right, x), low = std::min(low, y), high = std::max(high, y);
    }
    if (points.empty()) left = right = low = high = 0;
    camera.center = camera.right * (0.5 * (left + right)) + camera.up * (0.5 * (low + high));
    camera.metres_per_pixel = 1.04 * std::max((right - left) / area.width, (high - low) / area.height);
    if (!(camera.metres_per_pixel > 0)) camera.metres_per_pixel = 1e-3;
}

}  // namespace

double Scale::share(double value) const {
    double t = logarithmic ? std::log(value / low) / std::log(high / low) : (value - low) / (high - low);
    if (!(high > low)) t = 0.5;
    t = std::clamp(t, 0.0, 1.0);
    return reversed ? 1 - t : t;
}

Colour Scale::colour(double value) const {
    return of_quality ? along_quality(share(value)) : along_scale(share(value));
}

void check_size(const FigureOptions& o) {
    for (const std::size_t n : {o.width, o.height})
        if (n < 200 || n > 8000)
            throw InputError(
                fmt::format("a picture of {} x {} pixels: 200 to 8000 each way are possible", o.width, o.height));
}

double round_length(double most) {
    const double power = std::pow(10, std::floor(std::log10(most)));
    for (const double m : {5.0, 2.0, 1.0})
        if (m * power <= most * (1 + 1e-9)) return m * power;
    return power;
}

void paint(const std::filesystem::path& file, const Picture& p, Camera camera, const FigureOptions& options,
           const std::vector<Vec3>& to_fit) {
    check_size(options);
    const Theme look = theme(options.dark);
    Canvas canvas(file, options.width, options.height, look.ground);
    const bool has_legend = !p.legend.empty() || p.scale.has_value();
    const Area area = scene_area(canvas, has_legend);
    fit(camera, area, to_fit);
    if (options.at) {
        camera.center = *options.at;
        if (options.across) camera.metres_per_pixel = *options.across / std::min(area.width, area.height);
    }
    const Image image = render(p.facets, p.strokes, camera, static_cast<std::size_t>(area.width),
                               static_cast<std::size_t>(area.height), look);
    canvas.image(area.x, area.y, image);
    canvas.text(kMargin, 30, fitted(canvas, p.title, 18, canvas.width() - 2 * kMargin), look.ink, 18, Align::left,
                true);
    canvas.text(kMargin, 51, fitted(canvas, p.subtitle, 13, canvas.width() - 2 * kMargin),
                mixed(look.ink, look.ground, 0.3), 13);
    if (has_legend) {
        const double x = area.x + area.width + kMargin;
        draw_legend(canvas, p, x, kTitle + 16, canvas.width() - x - kMargin, look);
    }
    draw_scale_bar(canvas, camera, options.unit, area, look);
    draw_axes(canvas, camera, area, look);
    draw_labels(canvas, p, camera, area, look);
    if (p.ring) {
        const Projected at = project(camera, image.width, image.height, *p.ring);
        canvas.ring(area.x + at.x, area.y + at.y, 26, look.mark, 2.5);
    }
    canvas.finish();
}

}  // namespace anvilcast::figures
