// Work done in a forked process, so that it cannot take this one with it.
// 1. The child takes back all signals, gets bounds for its time and memory, and sends what it makes through a pipe as
// it
//    makes it; an error is sent as its kind and text.
// 2. The parent reads, listens for a stop, and waits a busy machine's while longer than the child may compute.
// 3. How the child ended tells which message fits: done, out of time, out of memory, or fallen.
// What comes through the pipe is checked by who asked for it: a process with a damaged memory may write anything.

#include "io/apart.hpp"

#include <anvilcast/errors.hpp>

#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <chrono>
#include <cmath>
#include <csignal>
#include <cstring>
#include <fstream>
#include <new>
#include <string>
#include <utility>

namespace anvilcast::io {
namespace {

// What comes through the pipe begins with a letter that tells what it is.
constexpr char kContent = 'C', kOutOfMemory = 'M';
/// One for each kind of error.
constexpr std::array<char, 5> kErrors{'i', 'g', 'f', 'c', 'b'};

/// Waiting may take so many times the time of the processor: a busy machine is no hang.
constexpr double kPatience = 6;

class Pipe {
  public:
    Pipe() {
        if (::pipe2(ends_.data(), O_CLOEXEC) != 0)
            throw FailureError(fmt::format("no pipe can be had: {}", std::strerror(errno)));
    }
    ~Pipe() {
        close(0);
        close(1);
    }
    Pipe(const Pipe&) = delete;
    Pipe& operator=(const Pipe&) = delete;
    int read_end() const { return ends_[0]; }
    int write_end() const { return ends_[1]; }
    void close(std::size_t end) {
        if (ends_[end] >= 0) ::close(ends_[end]);
        ends_[end] = -1;
    }

  private:
    std::array<int, 2> ends_{-1, -1};
};

#ifndef ANVILCAST_SANITIZED
std::size_t own_address_space() {
    std::size_t pages = 0;
    std::ifstream("/proc/self/statm") >> pages;
    return pages * static_cast<std::size_t>(::sysconf(_SC_PAGESIZE));
}
#endif

void set_limits([[maybe_unused]] const ApartLimits& limits) {
    const auto seconds = static_cast<rlim_t>(std::ceil(limits.cpu_seconds));
    const rlimit time{seconds, seconds + 1};
    ::setrlimit(RLIMIT_CPU, &time);
    const rlimit none{0, 0};
    ::setrlimit(RLIMIT_CORE, &none);
#ifndef ANVILCAST_SANITIZED  // sanitizers take terabytes of address space for their shadow
    const std::size_t most = own_address_space() + limits.bytes;
    const rlimit space{most, most};
    ::setrlimit(RLIMIT_AS, &space);
#endif
}

void be_ordinary() {
    ::prctl(PR_SET_PDEATHSIG, SIGKILL);
    sigset_t none;
    sigemptyset(&none);
    for (const int number : {SIGINT, SIGTERM, SIGHUP, SIGSEGV, SIGFPE, SIGABRT, SIGBUS, SIGILL, SIGXCPU})
        ::signal(number, SIG_DFL);
    ::pthread_sigmask(SIG_SETMASK, &none, nullptr);
    const int nowhere = ::open("/dev/null", O_RDWR);
    ::dup2(nowhere, STDOUT_FILENO);
    ::dup2(nowhere, STDERR_FILENO);
}

void send(int to, std::string_view bytes) {
    while (!bytes.empty()) {
        const ssize_t n = ::write(to, bytes.data(), bytes.size());
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) ::_exit(1);
        bytes.remove_prefix(static_cast<std::size_t>(n));
    }
}

[[noreturn]] void work_and_exit(const std::function<void(ArchiveWriter&)>& work, const ApartLimits& limits, int to) {
    be_ordinary();
    set_limits(limits);
    bool has_begun = false;
    auto answer = [to](char kind, std::string_view text) {
        send(to, {&kind, 1});
        send(to, text);
    };
    try {
        ArchiveWriter out([&](std::string_view bytes) {
            if (!std::exchange(has_begun, true)) send(to, {&kContent, 1});
            send(to, bytes);
        });
        work(out);
        ::_exit(0);
    } catch (const Error& e) {
        if (!has_begun) answer(kErrors[static_cast<std::size_t>(e.kind())], e.what());
    } catch (const std::bad_alloc&) {
        if (!has_begun) answer(kOutOfMemory, "");
    } catch (...) {
    }
    ::_exit(1);
}

/// A process of ours, gone when this goes.
class Child {
  public:
    explicit Child(pid_t pid) : pid_(pid) {}
    ~Child() {
        if (pid_ <= 0) return;
        ::kill(pid_, SIGKILL);
        wait();
    }
    Child(const Child&) = delete;
    Child& operator=(const Child&) = delete;
    int wait() {
        int status = 0;
        while (::waitpid(pid_, &status, 0) < 0 && errno == EINTR) {
        }
        pid_ = -1;
        return status;
    }

  private:
    pid_t pid_;
};

struct OutOfTime {};
struct EndOfAnswer {};

/// The answer as it comes. Throws OutOfTime, EndOfAnswer or Cancelled.
class Answer {
  public:
    Answer(int from, double seconds, const std::atomic<bool>* stop) : from_(from), seconds_(seconds), stop_(stop) {}

    void read(char* room, std::size_t n) {
        while (n > 0) {
            const std::size_t some = read_some(room, n);
            if (some == 0) throw EndOfAnswer{};
            room += some;
            n -= some;
        }
    }
    std::string rest() {
        std::string out, block(4096, '\0');
        while (const std::size_t n = read_some(block.data(), block.size())) out.append(block, 0, n);
        return out;
    }

  private:
    std::size_t read_some(char* room, std::size_t n) {
        while (true) {
            if (stop_ != nullptr && stop_->load(std::memory_order_relaxed)) throw Cancelled();
            if (std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count() > seconds_)
                throw OutOfTime{};
            pollfd wanted{from_, POLLIN, 0};
            if (::poll(&wanted, 1, 50) == 0) continue;
            const ssize_t got = ::read(from_, room, n);
            if (got >= 0) return static_cast<std::size_t>(got);
            if (errno != EINTR) return 0;
        }
    }
    std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
    int from_;
    double seconds_;
    const std::atomic<bool>* stop_;
};

void throw_again(char kind, const std::string& text) {
    if (kind == kErrors[0]) throw InputError(text);
    if (kind == kErrors[1]) throw GeometryError(text);
    if (kind == kErrors[2]) throw FailureError(text);
    if (kind == kErrors[3]) throw Cancelled();
    if (kind == kErrors[4]) throw InternalError(text);
}

ApartEnd end_of(int status) {
    if (WIFEXITED(status)) return WEXITSTATUS(status) == 0 ? ApartEnd::done : ApartEnd::died;
    const int number = WTERMSIG(status);
    if (number == SIGINT || number == SIGTERM || number == SIGHUP) throw Cancelled();
    // The second limit of the processor's time kills outright.
    return number == SIGXCPU || number == SIGKILL ? ApartEnd::out_of_time : ApartEnd::died;
}

}  // namespace

ApartEnd run_apart(const std::function<void(ArchiveWriter&)>& work, const std::function<void(ArchiveReader&)>& receive,
                   const ApartLimits& limits, const std::atomic<bool>* stop) {
    Pipe pipe;
    const pid_t pid = ::fork();
    if (pid < 0) throw FailureError(fmt::format("no process can be had: {}", std::strerror(errno)));
    if (pid == 0) work_and_exit(work, limits, pipe.write_end());
    Child child(pid);
    pipe.close(1);
    Answer answer(pipe.read_end(), kPatience * limits.cpu_seconds, stop);
    try {
        char kind = 0;
        answer.read(&kind, 1);
        if (kind == kOutOfMemory) return ApartEnd::out_of_memory;
        if (kind != kContent) throw_again(kind, answer.rest());
        ArchiveReader in([&](char* room, std::size_t n) { answer.read(room, n); }, limits.bytes);
        receive(in);
    } catch (const OutOfTime&) {
        return ApartEnd::out_of_time;
    } catch (const EndOfAnswer&) {
        const ApartEnd end = end_of(child.wait());
        return end == ApartEnd::done ? ApartEnd::died : end;
    }
    return end_of(child.wait());
}

}  // namespace anvilcast::io
