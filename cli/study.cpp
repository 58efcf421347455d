// anvilcast study: variants of one case, each built by a process of its own, so that one that fails leaves the others
// alone. They share what the stages made.

#include <anvilcast/errors.hpp>
#include <anvilcast/kept.hpp>
#include <anvilcast/plan.hpp>
#include <anvilcast/report.hpp>
#include <anvilcast/results.hpp>
#include <anvilcast/study.hpp>
#include <anvilcast/tell.hpp>

#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <map>
#include <optional>
#include <sstream>
#include <thread>

#include "command.hpp"

extern char** environ;

namespace cli {
namespace {

namespace fs = std::filesystem;

struct StudyOptions : CommonOptions {
    std::string input, directory;
    int jobs = 0;
    bool plan = false, list = false, fresh = false;
};

fs::path case_file_of(const fs::path& directory, const StudyVariant& v) {
    return directory / "cases" / (v.name + ".toml");
}

/// What builds a variant, here or anywhere that sees the same files.
std::vector<std::string> command_of(const fs::path& directory, const StudyVariant& v, bool fresh) {
    std::vector<std::string> words{"build",  case_file_of(directory, v).string(),
                                   "--out",  (directory / v.name).string(),
                                   "--kept", (directory / "kept").string()};
    if (fresh) words.emplace_back("--fresh");
    return words;
}

std::string quoted(const std::string& word) {
    if (word.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_-./+,:=@") ==
        std::string::npos)
        return word;
    std::string out = "'";
    for (const char c : word) out += c == '\'' ? "'\\''" : std::string(1, c);
    return out + "'";
}

/// Returns whether it was.
bool write_if_new(const fs::path& file, const std::string& text) {
    std::ostringstream old;
    old << std::ifstream(file).rdbuf();
    if (old.str() == text) return false;
    fs::create_directories(file.parent_path());
    std::ofstream out(file);
    out << text;
    if (!out.flush()) throw FailureError(fmt::format("{}: cannot be written", file.string()));
    return true;
}

void write_cases(const Study& study, const fs::path& directory) {
    for (const StudyVariant& v : study.variants) write_if_new(case_file_of(directory, v), case_text_of(v));
}

/// What is found on the way is kept for the build.
VariantForecast predicted(const StudyVariant& v, KeptStages* kept) {
    VariantForecast p;
    try {
        const Plan planned = plan(v.c, stoppable(), kept);
        p = {planned.total_cells(), planned.cost.megabytes, planned.cost.seconds, ""};
        if (!planned.beyond.empty()) p.refused = planned.beyond.front();
    } catch (const Cancelled&) {
        throw;
    } catch (const Error& e) {
        p.refused = e.what();
    }
    return p;
}

std::vector<VariantForecast> predict_all(const Study& study, KeptStages* kept) {
    std::vector<VariantForecast> out;
    for (const StudyVariant& v : study.variants) out.push_back(predicted(v, kept));
    return out;
}

/// Memory that other programs leave, MB; without an end where the system does not say.
double free_megabytes() {
    std::ifstream in("/proc/meminfo");
    std::string key;
    double kilobytes = 0;
    while (in >> key >> kilobytes) {
        if (key == "MemAvailable:") return kilobytes / 1024;
        in.ignore(1000, '\n');
    }
    return 1e12;
}

/// Builds that run at once.
class Builds {
  public:
    Builds(const Study& study, const fs::path& directory, const StudyOptions& o)
        : study_(study), directory_(directory), o_(o), context_(stoppable()) {
        const int cores = std::max(1, static_cast<int>(std::thread::hardware_concurrency()));
        jobs_ = o.jobs > 0 ? o.jobs : cores;
        threads_ = std::max(1, (o.console.threads > 0 ? o.console.threads : cores) / jobs_);
    }
    ~Builds() {
        for (const auto& [pid, variant] : running_) ::kill(pid, SIGTERM);
        for (const auto& [pid, variant] : running_) ::waitpid(pid, nullptr, 0);
    }
    Builds(const Builds&) = delete;
    Builds& operator=(const Builds&) = delete;

    /// Returns the worst exit status. Each variant is predicted while those before it are built.
    int run() {
        const double most = 0.8 * free_megabytes();
        double used = 0;
        KeptStages kept(directory_ / "kept");
        std::vector<double> megabytes;
        for (std::size_t next = 0; next < study_.variants.size() || !running_.empty();) {
            if (next < study_.variants.size() && megabytes.size() == next)
                megabytes.push_back(jobs_ > 1 ? predicted(study_.variants[next], &kept).megabytes : 0);
            const bool has_room = running_.empty() || (static_cast<int>(running_.size()) < jobs_ &&
                                                       next < megabytes.size() && used + megabytes[next] <= most);
            if (next < study_.variants.size() && has_room) {
                used += megabytes[next];
                running_.emplace(start(next), next);
                ++next;
                continue;
            }
            const auto [pid, status] = await_one();
            used -= megabytes[running_.at(pid)];
            finish(running_.at(pid), status);
            running_.erase(pid);
        }
        return worst_;
    }

  private:
    fs::path log_of(std::size_t variant) const {
        return directory_ / "failed" / (study_.variants[variant].name + ".txt");
    }

    pid_t start(std::size_t variant) {
        fs::create_directories(directory_ / "failed");
        std::vector<std::string> words = command_of(directory_, study_.variants[variant], o_.fresh);
        words.insert(words.begin(), "anvilcast");
        words.insert(words.end(), {"--threads", std::to_string(threads_), "--quiet"});
        std::vector<char*> arguments;
        for (std::string& w : words) arguments.push_back(w.data());
        arguments.push_back(nullptr);
        posix_spawn_file_actions_t actions;
        posix_spawn_file_actions_init(&actions);
        posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, log_of(variant).c_str(), O_WRONLY | O_CREAT | O_TRUNC,
                                         0666);
        pid_t pid = 0;
        const int code = ::posix_spawn(&pid, "/proc/self/exe", &actions, nullptr, arguments.data(), environ);
        posix_spawn_file_actions_destroy(&actions);
        if (code != 0)
            throw FailureError(fmt::format("{}: its build cannot be started: {}", study_.variants[variant].name,
                                           std::generic_category().message(code)));
        return pid;
    }

    std::pair<pid_t, int> await_one() {
        while (true) {
            context_.check_stop();
            for (const auto& [pid, variant] : running_) {
                int status = 0;
                if (::waitpid(pid, &status, WNOHANG) == pid) return {pid, status};
            }
            std::this_thread::sleep_for(std::chrono::milliseconds(20));
        }
    }

    void finish(std::size_t variant, int status) {
        const int code = WIFEXITED(status) ? WEXITSTATUS(status) : kFailed;
        const bool is_built = WIFEXITED(status) && (code == kDone || code == kBroken);
        std::error_code ignored;
        if (is_built) fs::remove(log_of(variant), ignored);
        if (WIFSIGNALED(status))
            std::ofstream(log_of(variant), std::ios::app) << "ended by signal " << WTERMSIG(status) << "\n";
        worst_ = std::max(worst_, is_built ? code : kFailed);
        ++n_done_;
        if (!o_.console.quiet)
            tell(fmt::format("{:>4} of {}  {}  {}\n", n_done_, study_.variants.size(),
                             is_built ? code == kDone ? "built " : "not fit" : "FAILED",
                             study_.variants[variant].name));
    }

    const Study& study_;
    const fs::path& directory_;
    const StudyOptions& o_;
    Context context_;
    std::map<pid_t, std::size_t> running_;
    int jobs_ = 1, threads_ = 1, worst_ = kDone;
    std::size_t n_done_ = 0;
};

int run_study(const StudyOptions& o) {
    const Study study = read_study(o.input);
    if (o.directory.empty() && !o.plan)
        throw InputError("a study needs a directory for its variants: --out DIR (or --plan to predict them only)");
    const fs::path directory = o.directory;
    if (!o.directory.empty()) write_cases(study, directory);
    if (o.list) {
        std::string text;
        for (const StudyVariant& v : study.variants) {
            text += "anvilcast";
            for (const std::string& word : command_of(fs::absolute(directory), v, o.fresh)) text += " " + quoted(word);
            text += "\n";
        }
        print(text);
        return kDone;
    }
    if (o.plan) {
        std::optional<KeptStages> kept;
        if (!o.directory.empty()) kept.emplace(directory / "kept");
        const auto forecasts = predict_all(study, kept ? &*kept : nullptr);
        print(o.json ? study_plan_json(study, forecasts) : study_plan_text(study, forecasts));
        return std::all_of(forecasts.begin(), forecasts.end(),
                           [](const VariantForecast& p) { return p.refused.empty(); })
                   ? kDone
                   : kBroken;
    }
    const int status = Builds(study, directory, o).run();
    const bool is_new = write_if_new(directory / "study.json", study_json(study, directory));
    write_if_new(directory / "study.csv", study_csv(study, directory));
    if (is_new || !fs::exists(directory / "study.html"))
        write_study_page(directory / "study.html", study, directory, stoppable());
    if (o.json)
        print(study_json(study, directory));
    else if (!o.console.quiet)
        print(study_text(study, directory) +
              fmt::format("Written to {}: study.html, study.json, study.csv, and a directory for each variant\n",
                          directory.string()));
    return status;
}

}  // namespace

void add_study(CLI::App& app, Commands& commands) {
    const auto o = std::make_shared<StudyOptions>();
    CLI::App* s = command(app, *o, "study", "variants of a case side by side, and one table of them",
                          "anvilcast study hut-study.toml --out hut-study");
    s->add_option("CASE", o->input, "case file with [[vary]], or a file whose [study] names one")->required();
    s->add_option("-o,--out", o->directory, "directory for the variants");
    s->add_option("-j,--jobs", o->jobs, "builds at once (default: as many as there are cores and memory for)")
        ->check(CLI::Range(1, 1024));
    s->add_flag("--plan", o->plan, "predict all of them, build none");
    s->add_flag("--list", o->list, "print a command for each variant, to be run anywhere in any order");
    s->add_flag("--fresh", o->fresh, "build all of them, whatever is kept");
    commands.push_back({s, &o->console, [o] { return run_study(*o); }});
}

}  // namespace cli
