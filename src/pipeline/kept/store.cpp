// Files appear by a rename, so that a process that is killed leaves a stage or none. Locks are the system's and go with
// the process that holds them. What goes wrong here never stops a build: it only makes it slower, and is told.

#include "pipeline/kept/store.hpp"

#include <anvilcast/errors.hpp>

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cstdio>
#include <cstring>
#include <thread>

#include "io/files.hpp"
#include "pipeline/kept/hash.hpp"

namespace anvilcast {
namespace {

namespace fs = std::filesystem;

constexpr std::array<char, 8> kMagic{'a', 'n', 'v', 'i', 'l', 'k', 'p', 't'};
constexpr std::uint32_t kRecordFormat = 1;
constexpr const char* kEnding = ".kept";

struct Close {
    void operator()(std::FILE* file) const { std::fclose(file); }
};
using File = std::unique_ptr<std::FILE, Close>;

/// Writes and hashes what it is given.
class FileSink final : public kept::Sink {
  public:
    explicit FileSink(const fs::path& file) : file_(std::fopen(file.c_str(), "wbe")) {
        if (!file_) throw FailureError(fmt::format("{}: {}", file.string(), std::strerror(errno)));
        std::setvbuf(file_.get(), nullptr, _IOFBF, std::size_t{1} << 20U);
    }
    void put(const void* bytes, std::size_t n) override {
        hasher_.put(bytes, n);
        write(bytes, n);
    }
    void finish() {
        const ContentHash hash = hasher_.value();
        write(hash.data(), sizeof hash);
        if (std::fflush(file_.get()) != 0 || ::fsync(::fileno(file_.get())) != 0)
            throw FailureError(std::strerror(errno));
    }

  private:
    void write(const void* bytes, std::size_t n) {
        if (n > 0 && std::fwrite(bytes, 1, n, file_.get()) != n) throw FailureError(std::strerror(errno));
    }
    File file_;
    kept::Hasher hasher_;
};

class FileSource final : public kept::Source {
  public:
    FileSource(File file, std::size_t n) : file_(std::move(file)), left_(n) {}
    void get(void* bytes, std::size_t n) override {
        if (n == 0) return;  // an empty list has no place of its own
        if (n > left_ || std::fread(bytes, 1, n, file_.get()) != n) throw kept::Damaged("it ends too early");
        left_ -= n;
    }
    std::size_t n_left() const override { return left_; }

  private:
    File file_;
    std::size_t left_;
};

struct Head {
    std::array<char, 8> magic = kMagic;
    std::uint32_t format = kRecordFormat;
    ContentHash key{};
};
template <typename Archive>
void fields(Archive& a, Head& v) {
    auto& [magic, format, key] = v;
    a(magic, format, key);
}
constexpr std::size_t kHeadBytes = 8 + 4 + 16;

/// Whether the hash at the end of a file is that of all before it.
bool ends_with_its_hash(std::FILE* file, std::size_t n_bytes) {
    kept::Hasher hasher;
    std::vector<char> block(std::size_t{1} << 20U);
    for (std::size_t left = n_bytes - sizeof(ContentHash); left > 0;) {
        const std::size_t n = std::min(left, block.size());
        if (std::fread(block.data(), 1, n, file) != n) return false;
        hasher.put(block.data(), n);
        left -= n;
    }
    ContentHash told{};
    return std::fread(told.data(), 1, sizeof told, file) == sizeof told && told == hasher.value();
}

/// Locks that killed builds left.
void remove_litter(const fs::path& directory) {
    std::error_code code;
    for (fs::directory_iterator it(directory, code), end; !code && it != end; it.increment(code)) {
        if (it->path().extension() != ".lock") continue;
        const int lock = ::open(it->path().c_str(), O_RDWR | O_CLOEXEC);
        if (lock < 0) continue;
        if (::flock(lock, LOCK_EX | LOCK_NB) == 0) ::unlink(it->path().c_str());
        ::close(lock);
    }
}

}  // namespace

KeptStages::KeptStages(fs::path directory, double most_bytes, bool is_fresh)
    : store_(std::make_unique<Store>(std::move(directory), most_bytes, is_fresh)) {}
KeptStages::~KeptStages() = default;
const fs::path& KeptStages::directory() const { return store_->directory(); }
std::vector<std::string> KeptStages::warnings() const { return store_->warnings(); }

KeptStages::Store::Store(fs::path directory, double most_bytes, bool is_fresh)
    : directory_(std::move(directory)), most_bytes_(most_bytes), is_fresh_(is_fresh) {}

std::vector<std::string> KeptStages::Store::warnings() const {
    const std::lock_guard guard(mutex_);
    return warnings_;
}

fs::path KeptStages::Store::file_of(const std::string& stage, const ContentHash& key) const {
    return directory_ / fmt::format("{}-{}{}", stage, kept::text_of(key), kEnding);
}

KeptStages::Store::Claim::Claim(const fs::path& directory, const std::string& name, const Context& context)
    : file_(directory / name) {
    std::error_code ignored;
    for (fs::path p = directory; !p.empty() && !fs::exists(p, ignored); p = p.parent_path()) made_.push_back(p);
    fs::create_directories(directory, ignored);
    lock_ = ::open(file_.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0666);
    // Where there can be no lock two builds may make the same, which is only slower.
    while (lock_ >= 0 && ::flock(lock_, LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK) {
        if (context.stop != nullptr && context.stop->load()) {
            ::close(lock_);
            throw Cancelled();
        }
        std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
}
KeptStages::Store::Claim::~Claim() {
    if (lock_ >= 0) {
        ::unlink(file_.c_str());
        ::close(lock_);
    }
    for (const fs::path& directory : made_) ::rmdir(directory.c_str());
}

std::unique_ptr<KeptStages::Store::Claim> KeptStages::Store::claim(const std::string& stage, const ContentHash& key,
                                                                   const Context& context) const {
    return std::make_unique<Claim>(directory_, fmt::format(".{}-{}.lock", stage, kept::text_of(key)), context);
}

std::unique_ptr<kept::Source> KeptStages::Store::checked(const std::string& stage, const ContentHash& key) {
    if (is_fresh_) return nullptr;
    const fs::path path = file_of(stage, key);
    std::error_code ignored;
    if (!fs::is_regular_file(path, ignored)) return nullptr;
    File file(std::fopen(path.c_str(), "rbe"));
    struct stat status {};
    if (!file || ::fstat(::fileno(file.get()), &status) != 0) return nullptr;
    const auto n = static_cast<std::size_t>(status.st_size);
    if (n < kHeadBytes + sizeof(ContentHash) || !ends_with_its_hash(file.get(), n)) {
        warn_of_damage(stage, key, "its hash is another one");
        return nullptr;
    }
    std::rewind(file.get());
    auto source = std::make_unique<FileSource>(std::move(file), n - sizeof(ContentHash));
    Head head;
    kept::Reader{*source}(head);
    if (head.magic != kMagic || head.format != kRecordFormat || head.key != key) {
        warn_of_damage(stage, key, "it is of another kind");
        return nullptr;
    }
    // The time of use decides what goes first when room is short.
    ::utimensat(AT_FDCWD, path.c_str(), nullptr, 0);
    return source;
}

void KeptStages::Store::save_by(const std::string& stage, const ContentHash& key,
                                const std::function<void(kept::Sink&)>& write) {
    try {
        fs::create_directories(directory_);
        io::PendingFile pending(file_of(stage, key));
        {
            FileSink sink(pending.path());
            kept::Writer{sink}(Head{.key = key});
            write(sink);
            sink.finish();
        }
        pending.commit();
        remove_litter(directory_);
        make_room(file_of(stage, key));
    } catch (const Cancelled&) {
        throw;
    } catch (const std::exception& e) {
        const std::lock_guard guard(mutex_);
        warnings_.push_back(fmt::format("{}: stages cannot be kept there, so the next build makes them anew: {}",
                                        directory_.string(), e.what()));
    }
}

void KeptStages::Store::warn_of_damage(const std::string& stage, const ContentHash& key, const std::string& what) {
    const std::lock_guard guard(mutex_);
    warnings_.push_back(
        fmt::format("{}: the kept stage is damaged ({}) and is made anew", file_of(stage, key).string(), what));
}

/// The oldest go first, the newest stays whatever its size.
void KeptStages::Store::make_room(const fs::path& newest) const {
    struct Kept {
        fs::file_time_type used;
        fs::path path;
        double bytes;
    };
    std::vector<Kept> all;
    double sum = 0;
    std::error_code code;
    for (fs::directory_iterator it(directory_, code), end; !code && it != end; it.increment(code)) {
        if (it->path().extension() != kEnding || it->path().filename().string().starts_with(".")) continue;
        std::error_code gone;
        const auto bytes = static_cast<double>(it->file_size(gone));
        const auto used = it->last_write_time(gone);
        if (gone) continue;
        all.push_back({used, it->path(), bytes});
        sum += bytes;
    }
    std::sort(all.begin(), all.end(),
              [](const Kept& a, const Kept& b) { return a.used != b.used ? a.used < b.used : a.path < b.path; });
    for (const Kept& k : all) {
        if (sum <= most_bytes_) return;
        if (k.path == newest) continue;
        fs::remove(k.path, code);
        sum -= k.bytes;
    }
}

}  // namespace anvilcast
