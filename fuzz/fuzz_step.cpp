// Any bytes as a STEP file.

#include "cad_target.hpp"

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* data, std::size_t size) {
    return fuzz::cad(data, size, ".step");
}
