// The terminal: progress on stderr, colour where a person looks, Ctrl-C.
#pragma once

#include <anvilcast/context.hpp>
#include <chrono>
#include <string>

namespace cli {

struct ConsoleOptions {
    bool quiet = false;
    bool verbose = false;
    int threads = 0;
};

/// True when standard output is a terminal and NO_COLOR is not set.
bool is_coloured();
std::string bold(const std::string& text);
std::string good(const std::string& text);
std::string bad(const std::string& text);

/// Draws one line of progress on a terminal; writes a line for each stage to a pipe when verbose.
class ProgressLine {
  public:
    explicit ProgressLine(const ConsoleOptions& options);
    ~ProgressLine();
    ProgressLine(const ProgressLine&) = delete;
    ProgressLine& operator=(const ProgressLine&) = delete;

    /// A context that reports here and stops at Ctrl-C.
    anvilcast::Context context();

  private:
    void show(const anvilcast::Progress& progress);
    void wipe();

    ConsoleOptions options_;
    bool is_terminal_;
    bool is_drawn_ = false;
    std::string last_;
    std::chrono::steady_clock::time_point start_, drawn_at_;
};

/// From now on Ctrl-C asks the running computation to stop; a second one ends the program at once.
void catch_interrupts();

}  // namespace cli
