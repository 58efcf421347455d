#include "pipeline/kept/hash.hpp"

#include <anvilcast/errors.hpp>

#include <fmt/format.h>
#include <xxhash.h>

#include <fstream>

namespace anvilcast {
namespace kept {

struct Hasher::State {
    State() : xxh(XXH3_createState()) { XXH3_128bits_reset(xxh); }
    ~State() { XXH3_freeState(xxh); }
    State(const State&) = delete;
    State& operator=(const State&) = delete;
    XXH3_state_t* xxh;
};

Hasher::Hasher() : state_(std::make_unique<State>()) {}
Hasher::~Hasher() = default;
void Hasher::put(const void* bytes, std::size_t n) {
    if (n > 0) XXH3_128bits_update(state_->xxh, bytes, n);
}
ContentHash Hasher::value() const {
    const XXH128_hash_t h = XXH3_128bits_digest(state_->xxh);
    return {h.high64, h.low64};
}

std::string text_of(const ContentHash& hash) { return fmt::format("{:016x}{:016x}", hash[0], hash[1]); }

}  // namespace kept

ContentHash hash_of_file(const std::filesystem::path& file) {
    std::error_code ignored;
    // A pipe would be waited for.
    std::ifstream in;
    if (std::filesystem::is_regular_file(file, ignored)) in.open(file, std::ios::binary);
    if (!in.is_open()) throw InputError(fmt::format("{}: cannot be read; a file was expected", file.string()));
    kept::Hasher hasher;
    std::vector<char> block(std::size_t{1} << 20U);
    while (in.read(block.data(), static_cast<std::streamsize>(block.size())) || in.gcount() > 0)
        hasher.put(block.data(), static_cast<std::size_t>(in.gcount()));
    if (in.bad()) throw InputError(fmt::format("{}: reading failed", file.string()));
    return hasher.value();
}

}  // namespace anvilcast
