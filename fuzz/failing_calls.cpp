// Loaded before a program (LD_PRELOAD), makes one of its allocations fail, or its writing to files from one call on:
// FAIL_ALLOCATION=n, FAIL_WRITE=n, counted from 1. COUNT_CALLS=FILE writes how many of each there were, at the end.
// What C libraries take by malloc is left alone: they do not always look at what they get.

#include <dlfcn.h>
#include <sys/stat.h>
#include <sys/uio.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cstdio>
#include <cstdlib>
#include <new>

namespace {

std::atomic<long> n_allocations{0}, n_writes{0};
long failing_allocation = 0, first_failing_write = 0;

long number_in(const char* name) {
    const char* text = std::getenv(name);
    return text != nullptr ? std::atol(text) : 0;
}

struct Plan {
    Plan() {
        failing_allocation = number_in("FAIL_ALLOCATION");
        first_failing_write = number_in("FAIL_WRITE");
    }
    ~Plan() {
        const char* file = std::getenv("COUNT_CALLS");
        if (file == nullptr) return;
        if (std::FILE* out = std::fopen(file, "w")) {
            std::fprintf(out, "%ld %ld\n", n_allocations.load(), n_writes.load());
            std::fclose(out);
        }
    }
} plan;

bool write_fails(int to) {
    struct stat what {};
    if (::fstat(to, &what) != 0 || !S_ISREG(what.st_mode)) return false;
    const long n = ++n_writes;
    if (first_failing_write == 0 || n < first_failing_write) return false;
    errno = ENOSPC;
    return true;
}

void* allocated(std::size_t size, std::size_t alignment) {
    if (++n_allocations == failing_allocation) throw std::bad_alloc();
    void* got = alignment == 0 ? std::malloc(size > 0 ? size : 1)
                               : std::aligned_alloc(alignment, (size + alignment - 1) / alignment * alignment);
    if (got == nullptr) throw std::bad_alloc();
    return got;
}

template <typename Function>
Function* original(const char* name) {
    return reinterpret_cast<Function*>(::dlsym(RTLD_NEXT, name));
}

}  // namespace

void* operator new(std::size_t size) { return allocated(size, 0); }
void* operator new[](std::size_t size) { return allocated(size, 0); }
void* operator new(std::size_t size, std::align_val_t a) { return allocated(size, static_cast<std::size_t>(a)); }
void* operator new[](std::size_t size, std::align_val_t a) { return allocated(size, static_cast<std::size_t>(a)); }
void operator delete(void* p) noexcept { std::free(p); }
void operator delete[](void* p) noexcept { std::free(p); }
void operator delete(void* p, std::size_t) noexcept { std::free(p); }
void operator delete[](void* p, std::size_t) noexcept { std::free(p); }
void operator delete(void* p, std::align_val_t) noexcept { std::free(p); }
void operator delete[](void* p, std::align_val_t) noexcept { std::free(p); }
void operator delete(void* p, std::size_t, std::align_val_t) noexcept { std::free(p); }
void operator delete[](void* p, std::size_t, std::align_val_t) noexcept { std::free(p); }

extern "C" {

ssize_t write(int to, const void* what, std::size_t n) {
    static auto* const real = original<decltype(write)>("write");
    return write_fails(to) ? -1 : real(to, what, n);
}
ssize_t writev(int to, const iovec* what, int n) {
    static auto* const real = original<decltype(writev)>("writev");
    return write_fails(to) ? -1 : real(to, what, n);
}
ssize_t pwrite(int to, const void* what, std::size_t n, off_t at) {
    static auto* const real = original<decltype(pwrite)>("pwrite");
    return write_fails(to) ? -1 : real(to, what, n, at);
}
ssize_t pwrite64(int to, const void* what, std::size_t n, off64_t at) {
    static auto* const real = original<decltype(pwrite64)>("pwrite64");
    return write_fails(to) ? -1 : real(to, what, n, at);
}

std::size_t fwrite(const void* what, std::size_t size, std::size_t n, std::FILE* to) {
    static auto* const real = original<decltype(fwrite)>("fwrite");
    return write_fails(::fileno(to)) ? 0 : real(what, size, n, to);
}

}  // extern "C"
