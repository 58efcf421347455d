// The first stages of a build, which a plan goes through too.
#pragma once

#include <anvilcast/errors.hpp>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/prediction.hpp>
#include <chrono>

namespace anvilcast {

/// Times each stage from the end of the one before.
class Stopwatch {
  public:
    explicit Stopwatch(std::vector<StageCost>& costs) : costs_(costs), start_(Clock::now()) {}
    void lap(const char* stage, bool is_kept = false);

  private:
    using Clock = std::chrono::steady_clock;
    std::vector<StageCost>& costs_;
    Clock::time_point start_;
};

/// From the case to the domain; fills in what the result tells about parts and regions.
Domain prepare_domain(const Case& c, BuildResult& result, const Context& context);

/// What breaks a limit on the number of cells, and which size to change; nothing when the limit holds.
std::optional<std::string> beyond_budget(const std::vector<SourceShare>& sources, double total, const Case& c);

/// Cells of the size field beyond which the mesh is hopelessly above the limit of cells.
std::size_t octree_budget(const Case& c);

/// What the case asks of the layers.
LayerRequest layer_request(const Case& c);

/// Runs work on layers; what it says of a line of the case file is told with the file.
template <typename Work>
auto with_case_file(const Case& c, const Work& work) {
    try {
        return work();
    } catch (const InputError& e) {
        // What has its place in the file already is told as it is.
        const std::string what = e.what(), file = c.file.string();
        throw InputError(what.starts_with(file) ? what : file + ", " + what);
    }
}

/// Steps of a duct that is swept before an opening, where sizes are as given.
int steps_of(const OpeningSpec& opening, double length, double size);

}  // namespace anvilcast
