// Any bytes as gzip data: at most a hundred times as much, or an InputError.

#include <anvilcast/errors.hpp>
#include <anvilcast/surface_files.hpp>

#include <cstdlib>

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* data, std::size_t size) {
    using namespace anvilcast;
    try {
        const std::string content = gunzip({reinterpret_cast<const char*>(data), size}, "fuzz.gz");
        if (content.size() > 100 * size + (std::size_t{1} << 18)) std::abort();
    } catch (const InputError&) {
    }
    return 0;
}
