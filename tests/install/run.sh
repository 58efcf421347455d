#!/usr/bin/env bash
# Installs the build into a fresh place and builds an outside example against it, as a user would.
set -euo pipefail
build=$1 source=$2 compiler=$3
place=$(mktemp -d)
trap 'rm -rf "$place"' EXIT
cmake --install "$build" --prefix "$place/prefix" >/dev/null
cmake -S "$source/examples/outside" -B "$place/outside" -G Ninja -DCMAKE_BUILD_TYPE=Release \
      -DCMAKE_CXX_COMPILER="$compiler" -DCMAKE_PREFIX_PATH="$place/prefix" >/dev/null
cmake --build "$place/outside" >/dev/null
cd "$place"
"$place/outside/lamp_chimney" chimney.cgns
"$place/prefix/bin/anvilcast" assess chimney.cgns | grep 'Sound' >/dev/null
# The installed tool finds the demo beside itself.
"$place/prefix/bin/anvilcast" demo --list | grep dust-cyclone >/dev/null
test -f "$place/prefix/share/man/man1/anvilcast.1"
man -l "$place/prefix/share/man/man1/anvilcast.1" >/dev/null
bash -n "$place/prefix/share/bash-completion/completions/anvilcast"
echo "install: ok"
