#!/usr/bin/env bash
# Installs what is needed, builds everything with warnings as errors, and runs all tests.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
. scripts/packages.sh

install_missing "${build_packages[@]}" "${test_packages[@]}" "${clang_packages[@]}"
(install_missing "${browser_packages[@]}") || echo "== packages: no browser can be installed; the test of the pages will say that it is skipped"
echo "== configuring"
cmake --preset release -DANVILCAST_BUILD_TESTS=ON >/dev/null
echo "== building"
cmake --build build -- --quiet
echo "== testing"
ctest --test-dir build --output-on-failure -j "$(nproc)" -E '^(QualityTable.HoldsOnAllBodies|QualityTable.HoldsForPolyhedra|LayersTable.HoldsOnAllWalls|LayersTable.HoldsWithPolyhedra)$'
echo "== quality"
build/bin/file_tests --gtest_filter='QualityTable.HoldsOnAllBodies:QualityTable.HoldsForPolyhedra:LayersTable.HoldsOnAllWalls:LayersTable.HoldsWithPolyhedra' --gtest_brief=1
echo "== clang: the fuzz targets, unoptimised, each for some inputs"
cmake --preset fuzz -DCMAKE_CXX_FLAGS_RELWITHDEBINFO=-O0 >/dev/null
cmake --build build-fuzz -- --quiet
place=$(mktemp -d)
trap 'rm -rf "$place"' EXIT
for target in build-fuzz/bin/fuzz_*; do
  name=${target##*fuzz_}
  mkdir "$place/$name"
  "$target" -runs=100 -seed=1 -timeout=60 -artifact_prefix="$place/" "$place/$name" "fuzz/corpus/$name" >"$place/log" 2>&1 || { cat "$place/log"; exit 1; }
  echo "$name: no finding"
done
