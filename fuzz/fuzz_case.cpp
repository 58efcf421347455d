// Any bytes as a case file: a case with usable sizes, or an InputError.

#include <anvilcast/case.hpp>
#include <anvilcast/errors.hpp>

#include <cstdlib>
#include <string>

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* data, std::size_t size) {
    using namespace anvilcast;
    try {
        const Case c = parse_case(std::string(reinterpret_cast<const char*>(data), size), "fuzz.toml");
        if ((c.parts.empty() && !c.plane) || !(c.sizing.surface > 0)) std::abort();
    } catch (const InputError&) {
    }
    return 0;
}
