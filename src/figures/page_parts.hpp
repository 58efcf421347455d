// The files that a page is made of, built into the library.
#pragma once

#include <string_view>

namespace anvilcast::figures {

std::string_view page_style();
std::string_view view_script();
std::string_view report_script();
std::string_view inspection_script();
std::string_view study_script();
std::string_view three_library();
std::string_view orbit_library();

}  // namespace anvilcast::figures
