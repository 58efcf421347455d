#!/usr/bin/env bash
# The core must not print, and must not end the program: its object code refers to nothing that could.
set -euo pipefail
names=$(nm -C --undefined-only "$1" | grep -E '\b(printf|puts|putchar|fputs|fprintf|abort|exit|_exit|quick_exit)$|std::(cout|cerr|clog)\b|\b(stdout|stderr)$' || true)
if [ -n "$names" ]; then
    echo "the core library refers to: $names" >&2
    exit 1
fi
echo "silent: ok"
