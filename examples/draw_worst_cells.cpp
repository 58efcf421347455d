// Judges a mesh by limits and draws the surroundings of what breaks them: what a nightly run would leave for the
// morning.
//
//     draw_worst_cells mesh.cgns DIRECTORY

#include <anvilcast/figures.hpp>
#include <anvilcast/mesh_files.hpp>

#include <cstdio>

int main(int argc, char** argv) try {
    using namespace anvilcast;
    if (argc != 3) return std::fputs("usage: draw_worst_cells MESH DIRECTORY\n", stderr), 2;
    const VolumeMesh mesh = read_mesh(argv[1]);
    QualityLimits limits;
    limits.set("skewness", 0.5);
    limits.set("non_orthogonality", 70);
    const QualityReport report = assess(mesh, limits);
    std::printf("%s\n", report.verdict.c_str());

    FigureOptions options;
    options.unit = parse_length_unit("mm");
    options.title = argv[1];
    for (const Metric& m : report.metrics) {
        if (m.n_beyond == 0) continue;
        const std::filesystem::path file = std::filesystem::path(argv[2]) / (m.key + ".png");
        draw_worst(file, mesh, m.id, options);
        std::printf("%zu beyond %s, the worst %s: %s\n", m.n_beyond, m.name.c_str(),
                    m.worst.front().cause.empty() ? "for no plain reason" : m.worst.front().cause.c_str(),
                    file.c_str());
    }
    return report.limits_hold ? 0 : 1;
} catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 2;
}
