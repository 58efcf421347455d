// What the stages of a build made, kept from one build to the next.
//
//     KeptStages kept("cyclone/kept");
//     BuildResult result = build(c, context, &kept);     // begins where something changed
//     for (const StageCost& s : result.costs) print(s.stage, s.is_kept);
//
// Each stage is kept under a key of everything that it was made from: contents of files, the parts of the case that it
// reads, the version. A stage that is read back is what a fresh one would be, to the last bit.
#pragma once

#include <anvilcast/export.hpp>
#include <array>
#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace anvilcast {

/// A directory of kept stages. Several processes and threads may use it at once: a file appears whole or not at all,
/// one that does not check is not used, and what one makes another one that needs it waits for. A process that is
/// killed leaves what it had kept, and nothing else that lasts.
class ANVILCAST_API KeptStages {
  public:
    static constexpr double kUsualBytes = 2e9;

    /// `most_bytes`: beyond that the stages that were not used for the longest time go. `is_fresh`: nothing is read
    /// back, all is made and kept anew. The directory is made when the first stage is kept. Throws nothing: where
    /// nothing can be kept, nothing is, and warnings() says why.
    explicit KeptStages(std::filesystem::path directory, double most_bytes = kUsualBytes, bool is_fresh = false);
    ~KeptStages();
    KeptStages(const KeptStages&) = delete;
    KeptStages& operator=(const KeptStages&) = delete;

    const std::filesystem::path& directory() const;
    /// Of stages that did not check, and of a directory that cannot be written.
    std::vector<std::string> warnings() const;

    class Store;
    Store& store() { return *store_; }

  private:
    std::unique_ptr<Store> store_;
};

struct Case;

/// A result that is as its case would make it again.
struct UnchangedResult {
    std::size_t n_cells = 0;
    bool is_good = true;  ///< no limit is broken
    std::vector<std::string> warnings = {};
};
/// Notes what a directory of results holds, once it is in place: each file by its content, and the case that it came
/// from. Reads all files once.
ANVILCAST_API void note_result(const Case& c, KeptStages& kept, const std::filesystem::path& directory,
                               const UnchangedResult& result);
/// Whether a directory still holds what the case makes: the same case file, contents of parts and version, and every
/// file as it was written. Reads all of them.
ANVILCAST_API std::optional<UnchangedResult> find_unchanged(const Case& c, KeptStages& kept,
                                                            const std::filesystem::path& directory);

/// What the last build of a case warned of, as far as the stages that it came from would come out the same: of a case
/// with other layers what was said of its surface mesh, of one with other sizes nothing. Reads no stage.
ANVILCAST_API std::vector<std::string> warnings_of_build(const Case& c, KeptStages& kept);

/// A hash of 128 bits.
using ContentHash = std::array<std::uint64_t, 2>;

/// Of a file's content. Throws InputError where it cannot be read. Reads at the speed of the disk (XXH3).
ANVILCAST_API ContentHash hash_of_file(const std::filesystem::path& file);

}  // namespace anvilcast
