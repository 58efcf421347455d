// What a long computation needs from its caller: threads, a way to report progress, a way to stop.
//
//     Context context;
//     context.threads = 4;
//     context.on_progress = [](const Progress& p) { draw(p.stage, p.fraction); };
//     SurfaceMesh mesh = mesh_surface(domain, sizes, {}, context);
#pragma once

#include <anvilcast/errors.hpp>
#include <atomic>
#include <functional>
#include <string>
#include <string_view>

namespace anvilcast {

struct Progress {
    std::string_view stage;  ///< e.g. "fill"
    std::string_view step;   ///< e.g. "boundary recovery"; may be empty
    double fraction = 0;     ///< 0 to 1 of the stage
};

struct Context {
    int threads = 0;  ///< 0: as many as the machine has. Results never depend on it.
    std::function<void(const Progress&)> on_progress;
    std::function<void(const std::string&)> on_warning;
    const std::atomic<bool>* stop = nullptr;  ///< set from elsewhere to stop the computation

    void report(std::string_view stage, std::string_view step, double fraction) const {
        check_stop();
        if (on_progress) on_progress({stage, step, fraction});
    }
    void warn(const std::string& text) const {
        if (on_warning) on_warning(text);
    }
    /// Throws Cancelled when a stop was asked for. Cheap enough for inner loops.
    void check_stop() const {
        if (stop != nullptr && stop->load(std::memory_order_relaxed)) throw Cancelled();
    }
};

}  // namespace anvilcast
