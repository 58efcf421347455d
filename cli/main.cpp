// The command-line tool: parses, calls the library, prints. Exit status: 0 done, 1 done but limits are broken or
// defects were found, 2 wrong input, 3 could not do it, 130 interrupted.

#include <anvilcast/errors.hpp>
#include <anvilcast/version.hpp>

#include <fcntl.h>
#include <fmt/format.h>
#include <tbb/global_control.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <new>
#include <optional>
#include <sstream>

#include "command.hpp"

namespace {

using namespace cli;

int run(const Command& command) {
    std::optional<tbb::global_control> threads;
    if (command.console->threads > 0)
        threads.emplace(tbb::global_control::max_allowed_parallelism,
                        static_cast<std::size_t>(command.console->threads));
    return command.run();
}

int status_of(const Error& e) {
    switch (e.kind()) {
        case Error::Kind::input:
        case Error::Kind::geometry:
            return kWrongInput;
        case Error::Kind::cancelled:
            return cli::status_of_interrupt();
        case Error::Kind::failure:
        case Error::Kind::internal:
            break;
    }
    return kFailed;
}

/// Files that are opened must not get the numbers of standard streams that were closed: what is told would go into
/// them.
void hold_standard_streams() {
    for (const int stream : {STDIN_FILENO, STDOUT_FILENO, STDERR_FILENO})
        if (::fcntl(stream, F_GETFD) < 0 && errno == EBADF) [[maybe_unused]]
            const int held = ::open("/dev/null", stream == STDERR_FILENO ? O_WRONLY : O_RDONLY);
}

int parse_and_run(int argc, char** argv) {
    CLI::App app{"Anvilcast makes volume meshes for flow simulation from the geometry at hand."};
    app.set_version_flag("--version", "anvilcast " + version());
    app.require_subcommand(1);
    app.footer("`anvilcast COMMAND --help` shows a command's options and an example.");
    Commands commands;
    for (const auto add : {add_start, add_inspect, add_openings, add_yplus, add_plan, add_build, add_assess, add_report,
                           add_draw, add_improve, add_convert, add_study, add_demo})
        add(app, commands);
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& e) {
        std::ostringstream out, err;
        const int status = app.exit(e, out, err);
        cli::tell(err.str());
        print(out.str());
        return status == 0 ? kDone : kWrongInput;
    }
    return run(*std::find_if(commands.begin(), commands.end(), [&](const Command& c) { return c.app->parsed(); }));
}

}  // namespace

int main(int argc, char** argv) {
    hold_standard_streams();
    cli::catch_interrupts();
    cli::catch_memory_shortage();
    try {
        return parse_and_run(argc, argv);
    } catch (const InvalidMesh& e) {
        cli::tell(e.text);
        return kBroken;
    } catch (const Error& e) {
        cli::tell(fmt::format("anvilcast: {}\n", e.what()));
        return status_of(e);
    } catch (const std::bad_alloc&) {
        cli::tell(kOutOfMemory);
    } catch (const std::exception& e) {
        cli::tell(fmt::format("anvilcast: {}\n", e.what()));
    }
    return kFailed;
}
