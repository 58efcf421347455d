#!/usr/bin/env bash
# Formatting and static analysis. With --fix, formats in place. Needs clang-format and clang-tidy (14), and a configured build/.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
mapfile -t sources < <(git ls-files '*.cpp' '*.hpp')
if [ "${1:-}" = "--fix" ]; then
    clang-format -i "${sources[@]}"
    exit
fi
clang-format --dry-run -Werror "${sources[@]}"
echo "format: ok"
git ls-files 'src/*.cpp' 'cli/*.cpp' | xargs -P "$(nproc)" -n 1 clang-tidy -p build --quiet --extra-arg=-Wno-unknown-warning-option 2>/dev/null
echo "analysis: ok"
