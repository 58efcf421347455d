#include "console.hpp"

#include <anvilcast/results.hpp>

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cerrno>
#include <csignal>
#include <cstdlib>
#include <exception>
#include <new>
#include <thread>

namespace cli {
namespace {

std::atomic<bool> stop_requested{false};

std::atomic<int> signal_received{SIGINT};

constexpr std::array<int, 3> kSignals{SIGINT, SIGTERM, SIGHUP};

/// Waits for signals beside everything else, so that it can do what a signal handler must not.
void wait_for_signals(sigset_t signals) {
    int number = 0;
    if (sigwait(&signals, &number) != 0) return;
    signal_received = number;
    stop_requested = true;
    // The computation stops by itself as a rule, and main() returns.
    constexpr timespec kPatience{0, 700'000'000};
    while (sigtimedwait(&signals, nullptr, &kPatience) < 0 && errno == EINTR) {
    }
    anvilcast::abandon_pending_results();
    if (isatty(STDERR_FILENO) == 1) tell("\r\x1b[2K");
    tell("anvilcast: stopped on request\n");
    _exit(status_of_interrupt());
}

/// How much of a whole build each stage usually takes, in their order.
struct StageShare {
    std::string_view stage;
    double share;
};
constexpr std::array<StageShare, 8> kShares{{{"mend", 0.01},
                                             {"domain", 0.02},
                                             {"sizes", 0.07},
                                             {"surface", 0.28},
                                             {"layers", 0.08},
                                             {"fill", 0.40},
                                             {"assess", 0.08},
                                             {"report", 0.06}}};

constexpr double kLongWork = 1;  // seconds

/// Of everything up to the last stage of the work at hand.
double whole_fraction(const anvilcast::Progress& p, const std::vector<std::string_view>& stages) {
    double before = 0, own = 0, all = 0;
    bool is_past = false;
    for (const StageShare& s : kShares) {
        if (std::find(stages.begin(), stages.end(), s.stage) == stages.end()) continue;
        all += s.share;
        if (s.stage == p.stage) {
            own = s.share;
            is_past = true;
        } else if (!is_past) {
            before += s.share;
        }
    }
    const double fraction = std::clamp(p.fraction, 0.0, 1.0);
    return own > 0 ? (before + own * fraction) / all : fraction;
}

}  // namespace

bool is_coloured() {
    static const bool answer = isatty(STDOUT_FILENO) == 1 && std::getenv("NO_COLOR") == nullptr;
    return answer;
}

void catch_interrupts() {
    sigset_t signals;
    sigemptyset(&signals);
    for (const int number : kSignals) {
        struct sigaction action {};
        // What was started to go on in spite of a signal goes on.
        if (sigaction(number, nullptr, &action) == 0 && action.sa_handler != SIG_IGN) sigaddset(&signals, number);
    }
    pthread_sigmask(SIG_BLOCK, &signals, nullptr);
    std::thread(wait_for_signals, signals).detach();
}

anvilcast::Context stoppable() {
    anvilcast::Context context;
    context.stop = &stop_requested;
    return context;
}

void catch_memory_shortage() {
    std::set_terminate([] {
        try {
            if (const auto thrown = std::current_exception()) std::rethrow_exception(thrown);
        } catch (const std::bad_alloc&) {
            anvilcast::abandon_pending_results();
            tell(kOutOfMemory);
            _exit(kFailed);
        } catch (...) {  // one of ours: a core dump tells where
        }
        std::abort();
    });
}

int status_of_interrupt() { return 128 + signal_received; }

std::string printable(std::string_view text) {
    std::string out;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const auto c = static_cast<unsigned char>(text[i]);
        if (c == 0x1B) {
            // Colours, and the end of a line of progress: what this program itself writes.
            const std::size_t end = text.find_first_not_of("0123456789;", i + 2);
            if (text.substr(i + 1, 1) == "[" && end != std::string_view::npos &&
                (text[end] == 'm' || text[end] == 'K')) {
                out += text.substr(i, end + 1 - i);
                i = end;
            } else {
                out += '?';
            }
            continue;
        }
        const bool is_control = (c < 0x20 && c != '\n' && c != '\t' && c != '\r') || c == 0x7F;
        out += is_control ? '?' : text[i];
    }
    return out;
}

void tell(std::string_view text) noexcept {
    std::string clean;
    std::string_view rest = text;
    try {
        clean = printable(text);
        rest = clean;
    } catch (const std::bad_alloc&) {  // then as it is
    }
    while (!rest.empty()) {
        const ssize_t n = ::write(STDERR_FILENO, rest.data(), rest.size());
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) return;
        rest.remove_prefix(static_cast<std::size_t>(n));
    }
}

ProgressLine::ProgressLine(const ConsoleOptions& options, std::vector<std::string_view> stages)
    : options_(options),
      stages_(std::move(stages)),
      is_terminal_(isatty(STDERR_FILENO) == 1),
      start_(std::chrono::steady_clock::now()) {}

ProgressLine::~ProgressLine() { wipe(); }

anvilcast::Context ProgressLine::context() {
    anvilcast::Context context;
    context.threads = options_.threads;
    context.stop = &stop_requested;
    if (!options_.quiet) {
        context.on_progress = [this](const anvilcast::Progress& p) { show(p); };
        context.on_warning = [this](const std::string& text) {
            wipe();
            tell(fmt::format("warning: {}\n", text));
        };
    }
    return context;
}

void ProgressLine::wipe() {
    if (is_drawn_) tell("\r\x1b[2K");
    is_drawn_ = false;
}

void ProgressLine::show(const anvilcast::Progress& p) {
    const auto now = std::chrono::steady_clock::now();
    const double elapsed = std::chrono::duration<double>(now - start_).count();
    const std::string what = fmt::format("{}: {}", p.stage, p.step);
    if (options_.verbose || !is_terminal_) {
        // A log is told of long work only.
        if (what != last_ && (options_.verbose || elapsed > kLongWork))
            tell(fmt::format("{:7.2f} s  {}\n", elapsed, what));
        last_ = what;
        return;
    }
    if (is_drawn_ && what == last_ && now - drawn_at_ < std::chrono::milliseconds(100)) return;
    last_ = what;
    drawn_at_ = now;
    // Work that is done again does not take back what was done.
    done_ = std::max(done_, whole_fraction(p, stages_));
    const double f = done_;
    const int filled = static_cast<int>(f * 24);
    std::string bar;
    for (int i = 0; i < 24; ++i) bar += i < filled ? "\xE2\x94\x81" : "\xC2\xB7";
    const std::string left = f > 0.05 && elapsed > 1 ? fmt::format("about {:.0f} s left", elapsed * (1 - f) / f) : "";
    wipe();
    tell(fmt::format("{} {:3.0f} %  {}  {}", bar, 100 * f, what, left));
    is_drawn_ = true;
}

}  // namespace cli
