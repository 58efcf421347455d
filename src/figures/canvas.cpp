#include "figures/canvas.hpp"

#include <anvilcast/errors.hpp>

#include <cairo-svg.h>
#include <cairo.h>
#include <fmt/format.h>

#include <numbers>

#include "io/files.hpp"

namespace anvilcast::figures {

struct Canvas::State {
    cairo_surface_t* surface = nullptr;
    cairo_t* context = nullptr;
    std::string content;

    ~State() {
        if (context != nullptr) cairo_destroy(context);
        if (surface != nullptr) cairo_surface_destroy(surface);
    }
    static cairo_status_t append(void* closure, const unsigned char* data, unsigned length) {
        static_cast<std::string*>(closure)->append(reinterpret_cast<const char*>(data), length);
        return CAIRO_STATUS_SUCCESS;
    }
    void paint_with(const Colour& c) const { cairo_set_source_rgb(context, c.r, c.g, c.b); }
};

Canvas::Canvas(std::filesystem::path file, std::size_t width, std::size_t height, const Colour& ground)
    : state_(std::make_unique<State>()),
      file_(std::move(file)),
      width_(static_cast<double>(width)),
      height_(static_cast<double>(height)) {
    if (file_.extension() == ".svg")
        state_->surface = cairo_svg_surface_create_for_stream(&State::append, &state_->content, width_, height_);
    else if (file_.extension() == ".png")
        state_->surface =
            cairo_image_surface_create(CAIRO_FORMAT_ARGB32, static_cast<int>(width), static_cast<int>(height));
    else
        throw InputError(fmt::format("{}: a picture is written to .png or .svg, not to \"{}\"", file_.string(),
                                     file_.extension().string()));
    state_->context = cairo_create(state_->surface);
    if (cairo_status(state_->context) != CAIRO_STATUS_SUCCESS)
        throw FailureError(fmt::format("{}: the picture cannot be made: {}", file_.string(),
                                       cairo_status_to_string(cairo_status(state_->context))));
    rectangle(0, 0, width_, height_, ground);
}

Canvas::~Canvas() = default;

void Canvas::rectangle(double x, double y, double w, double h, const Colour& fill) {
    state_->paint_with(fill);
    cairo_rectangle(state_->context, x, y, w, h);
    cairo_fill(state_->context);
}

void Canvas::frame(double x, double y, double w, double h, const Colour& line) {
    state_->paint_with(line);
    cairo_set_line_width(state_->context, 1);
    cairo_rectangle(state_->context, x, y, w, h);
    cairo_stroke(state_->context);
}

void Canvas::line(double x0, double y0, double x1, double y1, const Colour& colour, double width) {
    state_->paint_with(colour);
    cairo_set_line_width(state_->context, width);
    cairo_move_to(state_->context, x0, y0);
    cairo_line_to(state_->context, x1, y1);
    cairo_stroke(state_->context);
}

void Canvas::ring(double x, double y, double radius, const Colour& colour, double width) {
    state_->paint_with(colour);
    cairo_set_line_width(state_->context, width);
    cairo_new_sub_path(state_->context);
    cairo_arc(state_->context, x, y, radius, 0, 2 * std::numbers::pi);
    cairo_stroke(state_->context);
}

void Canvas::disc(double x, double y, double radius, const Colour& colour) {
    state_->paint_with(colour);
    cairo_new_sub_path(state_->context);
    cairo_arc(state_->context, x, y, radius, 0, 2 * std::numbers::pi);
    cairo_fill(state_->context);
}

static void choose_font(cairo_t* context, double size, bool bold) {
    cairo_select_font_face(context, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL,
                           bold ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
    cairo_set_font_size(context, size);
}

double Canvas::text_width(const std::string& text, double size, bool bold) const {
    choose_font(state_->context, size, bold);
    cairo_text_extents_t extents;
    cairo_text_extents(state_->context, text.c_str(), &extents);
    return extents.x_advance;
}

void Canvas::text(double x, double y, const std::string& text, const Colour& colour, double size, Align align,
                  bool bold) {
    const double w = align == Align::left ? 0 : text_width(text, size, bold);
    choose_font(state_->context, size, bold);
    state_->paint_with(colour);
    cairo_move_to(state_->context, align == Align::left ? x : align == Align::center ? x - 0.5 * w : x - w, y);
    cairo_show_text(state_->context, text.c_str());
}

void Canvas::image(double x, double y, const Image& image) {
    // The pixels are only read; cairo has no way to say so.
    auto* data = reinterpret_cast<unsigned char*>(const_cast<std::uint32_t*>(image.pixels.data()));
    cairo_surface_t* source =
        cairo_image_surface_create_for_data(data, CAIRO_FORMAT_ARGB32, static_cast<int>(image.width),
                                            static_cast<int>(image.height), static_cast<int>(4 * image.width));
    cairo_set_source_surface(state_->context, source, x, y);
    cairo_paint(state_->context);
    cairo_surface_flush(state_->surface);
    cairo_set_source_rgb(state_->context, 0, 0, 0);  // lets go of the pixels
    cairo_surface_destroy(source);
}

void Canvas::finish() {
    const bool is_png = cairo_surface_get_type(state_->surface) == CAIRO_SURFACE_TYPE_IMAGE;
    cairo_status_t status = cairo_status(state_->context);
    if (status == CAIRO_STATUS_SUCCESS && is_png)
        status = cairo_surface_write_to_png_stream(state_->surface, &State::append, &state_->content);
    cairo_surface_finish(state_->surface);
    if (status == CAIRO_STATUS_SUCCESS && !is_png) status = cairo_surface_status(state_->surface);
    if (status != CAIRO_STATUS_SUCCESS)
        throw FailureError(
            fmt::format("{}: the picture cannot be made: {}", file_.string(), cairo_status_to_string(status)));
    io::write_file(file_, state_->content);
}

}  // namespace anvilcast::figures
