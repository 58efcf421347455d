#!/usr/bin/env bash
# Takes longer than a change should wait for: the table of layers at half the sizes (some five million cells in all).
# Needs what scripts/test.sh has built. ANVILCAST_SCALE=0.35 for more.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
ANVILCAST_SCALE=${ANVILCAST_SCALE:-0.5} build/bin/file_tests --gtest_filter='LayersTable.*' --gtest_brief=1
