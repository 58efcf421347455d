// Reads a mesh and prints one line for each metric: the smallest use of the assessment.
//
//     quality_table mesh.cgns

#include <anvilcast/anvilcast.hpp>

#include <cstdio>

int main(int argc, char** argv) try {
    if (argc != 2) return std::fputs("usage: quality_table MESH\n", stderr), 2;
    const anvilcast::VolumeMesh mesh = anvilcast::read_mesh(argv[1]);
    for (const anvilcast::Metric& m : anvilcast::assess(mesh).metrics)
        std::printf("%-22s %10.4g %10.4g %10.4g %s\n", m.name.c_str(), m.min, m.mean, m.max, m.unit.c_str());
    return 0;
} catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
}
