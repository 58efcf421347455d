// Compressing what is written; unpacking is anvilcast::gunzip().
#pragma once

#include <string>
#include <string_view>

namespace anvilcast::io {

std::string gzipped(std::string_view content);

}  // namespace anvilcast::io
