#!/usr/bin/env bash
# Installs what is needed, builds the tool, and runs the demo: a dust cyclone, from its walls to a mesh of the gas inside.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
. scripts/packages.sh

install_missing "${build_packages[@]}"
if [ ! -f build/CMakeCache.txt ]; then
    echo "== configuring"
    cmake --preset release -DANVILCAST_BUILD_TESTS=OFF >/dev/null
fi
echo "== building (some minutes the first time)"
cmake --build build --target anvilcast_tool -- --quiet
echo "== the openings that the tool finds in the body"
build/bin/anvilcast openings demo/dust-cyclone/cyclone-shell.stl
echo "== anvilcast demo dust-cyclone --out out/dust-cyclone"
build/bin/anvilcast demo dust-cyclone --out out/dust-cyclone
echo
echo "Open out/dust-cyclone/report.html in a browser: the mesh to turn, its quality, its layers. Solvers read out/dust-cyclone/mesh.cgns."
