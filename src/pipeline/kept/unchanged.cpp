// A result is known again by the key of its case and by the content of each of its files.

#include <anvilcast/case.hpp>
#include <anvilcast/errors.hpp>

#include <nlohmann/json.hpp>

#include "io/files.hpp"
#include "pipeline/kept/hash.hpp"
#include "pipeline/kept/keys.hpp"
#include "pipeline/kept/store.hpp"

namespace anvilcast {

namespace {
constexpr const char* kStage = "result";
}

template <typename Archive>
void fields(Archive& a, UnchangedResult& v) {
    auto& [n_cells, is_good] = v;
    a(n_cells, is_good);
}

namespace {

/// The case's text says what is written and judged, and its name.
ContentHash key_of_result(const Case& c) {
    const ContentHash made = c.plane ? kept::section_key_of(c) : kept::keys_of(c).mesh;
    return kept::key_of(std::string(kStage), made, c.name, c.text);
}

using Files = std::vector<std::pair<std::string, ContentHash>>;

/// As the summary lists them.
Files files_of(const std::filesystem::path& directory) {
    Files files;
    const auto summary = nlohmann::json::parse(io::read_file(directory / "summary.json"));
    for (const std::string file : summary.at("files")) files.emplace_back(file, hash_of_file(directory / file));
    return files;
}

}  // namespace

void note_result(const Case& c, KeptStages& kept, const std::filesystem::path& directory,
                 const UnchangedResult& result) {
    try {
        kept.store().save(kStage, key_of_result(c), result, files_of(directory));
    } catch (const InputError&) {
        // What changes while it is looked at is looked at again by the next build.
    } catch (const nlohmann::json::exception&) {
    }
}

std::optional<UnchangedResult> find_unchanged(const Case& c, KeptStages& kept, const std::filesystem::path& directory) {
    try {
        UnchangedResult result;
        Files files;
        if (!kept.store().load(kStage, key_of_result(c), result, files)) return std::nullopt;
        for (const auto& [file, content] : files)
            if (hash_of_file(directory / file) != content) return std::nullopt;
        return result;
    } catch (const InputError&) {
        return std::nullopt;
    }
}

}  // namespace anvilcast
