// A sheet to draw on, by cairo: PNG or SVG, whole or not at all.
#pragma once

#include <filesystem>
#include <memory>
#include <string>

#include "figures/raster.hpp"

namespace anvilcast::figures {

enum class Align : unsigned char { left, center, right };

class Canvas {
  public:
    /// By the file's ending, .png or .svg. Throws InputError for another one.
    Canvas(std::filesystem::path file, std::size_t width, std::size_t height, const Colour& ground);
    ~Canvas();
    Canvas(const Canvas&) = delete;
    Canvas& operator=(const Canvas&) = delete;

    double width() const { return width_; }
    double height() const { return height_; }

    void rectangle(double x, double y, double w, double h, const Colour& fill);
    void frame(double x, double y, double w, double h, const Colour& line);
    void line(double x0, double y0, double x1, double y1, const Colour& colour, double width = 1);
    void ring(double x, double y, double radius, const Colour& colour, double width = 2);
    void disc(double x, double y, double radius, const Colour& colour);
    /// y: of the baseline.
    void text(double x, double y, const std::string& text, const Colour& colour, double size, Align align = Align::left,
              bool bold = false);
    double text_width(const std::string& text, double size, bool bold = false) const;
    void image(double x, double y, const Image& image);

    /// Throws FailureError when the file cannot be written.
    void finish();

  private:
    struct State;
    std::unique_ptr<State> state_;
    std::filesystem::path file_;
    double width_, height_;
};

}  // namespace anvilcast::figures
