// What the commands have in common: options, printing, exit status.
#pragma once

#include <anvilcast/quality.hpp>
#include <anvilcast/units.hpp>
#include <anvilcast/volume_mesh.hpp>

#include <CLI/CLI.hpp>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "console.hpp"

namespace cli {

using namespace anvilcast;

/// Options that every command has.
struct CommonOptions {
    ConsoleOptions console;
    bool json = false;
    std::string unit;
};

/// A command that may be asked for, and its work, which returns the exit status.
struct Command {
    const CLI::App* app;
    const ConsoleOptions* console;
    std::function<int()> run;
};
using Commands = std::vector<Command>;

void add_start(CLI::App& app, Commands& commands);
void add_inspect(CLI::App& app, Commands& commands);
void add_openings(CLI::App& app, Commands& commands);
void add_yplus(CLI::App& app, Commands& commands);
void add_plan(CLI::App& app, Commands& commands);
void add_build(CLI::App& app, Commands& commands);
void add_assess(CLI::App& app, Commands& commands);
void add_report(CLI::App& app, Commands& commands);
void add_draw(CLI::App& app, Commands& commands);
void add_improve(CLI::App& app, Commands& commands);
void add_convert(CLI::App& app, Commands& commands);
void add_study(CLI::App& app, Commands& commands);
void add_demo(CLI::App& app, Commands& commands);

/// A command with the options that all have.
CLI::App* command(CLI::App& app, CommonOptions& o, const char* name, const char* what, const char* example);
void add_unit(CLI::App* sub, CommonOptions& o, const char* what);

/// For help: "surface files (.stl .obj .ply, also .gz; .step .iges .brep)" and "(.cgns .vtu)".
std::string surface_endings();
std::string mesh_endings();

/// Throws FailureError when standard output takes nothing. Marks show on a terminal alone.
void print(const std::string& text);
/// What a command that writes one file says when it is done.
void print_written(const CommonOptions& o, const std::string& input, const std::string& file);

/// The unit that was asked for, or millimetres.
LengthUnit unit_of(const CommonOptions& o);
/// Throws InputError below 0.
double length_or(const std::string& text, const LengthUnit& unit, double otherwise);
/// "1, 2, 3" in the unit.
Vec3 place_of(const std::string& text, const LengthUnit& unit);
/// Of "METRIC=VALUE" each.
QualityLimits limits_of(const std::vector<std::string>& texts, bool with_usual);

/// A file whose mesh is none.
struct InvalidMesh {
    std::string text;
};
/// A mesh to be looked at must be one. Throws InvalidMesh.
VolumeMesh read_valid_mesh(const std::string& file);

}  // namespace cli
