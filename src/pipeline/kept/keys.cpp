// A stage's key is the hash of the key before it and of what it reads of the case besides. What is in the case and in
// no key is told to people only (the case's name, lines), decides what is written (export), or is judged anew each time
// (limits).

#include "pipeline/kept/keys.hpp"

#include <anvilcast/version.hpp>

#include <map>

#include "pipeline/kept/case_fields.hpp"
#include "pipeline/kept/hash.hpp"

namespace anvilcast::kept {
namespace {

/// Changed whenever a stage that was kept by an older program of the same version must not be used.
constexpr int kFormat = 8;

struct PartContent {
    std::string file;  ///< as warnings name it
    ContentHash content;
};
template <typename Archive>
void fields(Archive& a, PartContent& v) {
    auto& [file, content] = v;
    a(file, content);
}

ContentHash key_of_parts(const Case& c) {
    std::vector<PartContent> contents;
    std::map<std::filesystem::path, ContentHash> known;
    for (const PartSpec& part : c.parts) {
        auto [at, is_new] = known.try_emplace(part.file);
        if (is_new) at->second = hash_of_file(part.file);
        contents.push_back({part.file.string(), at->second});
    }
    return key_of(std::string(version()), kFormat, contents, c.parts, c.mend, c.zones, c.unit);
}

}  // namespace

StageKeys keys_of(const Case& c) {
    StageKeys keys;
    keys.domain =
        key_of(std::string("domain"), key_of_parts(c), c.openings, c.wrap, c.surround, c.regions, c.dividers, c.join,
               c.drop_leftovers, c.absorb, c.absorbs_steps, c.absorb > 0 ? c.sizing.feature_angle : 0.0, c.periodic);
    keys.sizes = key_of(std::string("sizes"), keys.domain, c.sizing);
    keys.surface = key_of(std::string("surface"), keys.sizes, c.surface);
    keys.mesh = key_of(std::string("mesh"), keys.surface, c.flow, c.layers, c.cells, c.core, c.layout);
    return keys;
}

ContentHash section_key_of(const Case& c) {
    return key_of(std::string("section"), key_of_parts(c), c.plane, c.surround, c.sizing, c.flow, c.layers, c.periodic);
}

}  // namespace anvilcast::kept
