// The terminal: progress on stderr, colour where a person looks, Ctrl-C.
#pragma once

#include <anvilcast/context.hpp>
#include <chrono>
#include <string>
#include <string_view>
#include <vector>

namespace cli {

constexpr int kDone = 0, kBroken = 1, kWrongInput = 2, kFailed = 3;
constexpr std::string_view kOutOfMemory = "anvilcast: out of memory; make the sizes larger\n";

struct ConsoleOptions {
    bool quiet = false;
    bool verbose = false;
    int threads = 0;
};

/// True when standard output is a terminal and NO_COLOR is not set.
bool is_coloured();

/// Draws one line of progress on a terminal; writes a line for each stage to a pipe when verbose.
class ProgressLine {
  public:
    /// `stages`: those that the work goes through, for the share of the whole that is done.
    explicit ProgressLine(const ConsoleOptions& options, std::vector<std::string_view> stages = {});
    ~ProgressLine();
    ProgressLine(const ProgressLine&) = delete;
    ProgressLine& operator=(const ProgressLine&) = delete;

    /// A context that reports here and stops at Ctrl-C.
    anvilcast::Context context();

  private:
    void show(const anvilcast::Progress& progress);
    void wipe();

    ConsoleOptions options_;
    std::vector<std::string_view> stages_;
    double done_ = 0;
    bool is_terminal_;
    bool is_drawn_ = false;
    std::string last_;
    std::chrono::steady_clock::time_point start_, drawn_at_;
};

/// A context that does no more than stop when the program is asked to.
anvilcast::Context stoppable();

/// From now on an interrupt (Ctrl-C), a termination or a hang-up asks the running computation to stop. What has not
/// stopped within a second is ended, and so it is by a second signal; nothing half-written stays in either case. To be
/// called before there are other threads.
void catch_interrupts();
/// From now on memory that runs out where no exception may leave, as while an object is taken apart, ends the program
/// with exit status 3 and a message as it does elsewhere; nothing half-written stays.
void catch_memory_shortage();
/// Exit status of a program that was asked to stop: 128 and the number of the signal, 130 for an interrupt.
int status_of_interrupt();

/// A text without what would act on the terminal that it is printed on, but for colours: names and messages come from
/// files.
std::string printable(std::string_view text);

/// Writes to standard error, as far as that is possible: what cannot be told there is told by the exit status alone.
void tell(std::string_view text) noexcept;

}  // namespace cli
