// A result is known again by the key of its case and by the content of each of its files; what was warned of on the way
// by the key of the stage that it came from.

#include <anvilcast/case.hpp>
#include <anvilcast/errors.hpp>

#include <nlohmann/json.hpp>

#include "io/files.hpp"
#include "pipeline/kept/hash.hpp"
#include "pipeline/kept/keys.hpp"
#include "pipeline/kept/stages.hpp"
#include "pipeline/kept/store.hpp"
#include "pipeline/warnings.hpp"

namespace anvilcast {

namespace {
constexpr const char* kStage = "result";
}

template <typename Archive>
void fields(Archive& a, UnchangedResult& v) {
    auto& [n_cells, is_good, warnings] = v;
    a(n_cells, is_good, warnings);
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
        const UnchangedResult noted{result.n_cells, result.is_good, gathered(result.warnings)};
        kept.store().save(kStage, key_of_result(c), noted, files_of(directory));
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

std::vector<std::string> warnings_of_build(const Case& c, KeptStages& kept) {
    std::vector<std::string> told;
    // The plan of a plane makes its section, and is told all that a build would be.
    if (c.plane) return told;
    try {
        const auto find = [&](const ContentHash& key) { return kept.store().load(kept::Stages::kWarnings, key, told); };
        const kept::StageKeys keys = kept::keys_of(c);
        if (!find(keys.mesh)) find(keys.surface);
    } catch (const InputError&) {
        // A part that is missing is told by who reads it.
    }
    return told;
}

}  // namespace anvilcast
