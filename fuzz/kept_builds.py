#!/usr/bin/env python3
"""Random changes of a case, one after the other: what is built from kept stages is what a fresh build makes.

    fuzz/kept_builds.py build/bin/anvilcast CASE.toml --count 200 --seed 1

Numbers of the case are changed by up to a fifth, or put back; the case must ask for VTU. These files are compared by
bytes (CGNS files hold times), summaries by all that is not time or memory. Exit status 1 when one differs.
"""

import argparse
import json
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile

NUMBER = re.compile(r'^(\w+ = "?)(\d+\.?\d*)(.*)$')
SAME = {"unit", "file", "inside", "name"}


def changed(lines, original, rng):
    """One number is another one, or what it was."""
    places = [k for k, line in enumerate(original) if NUMBER.match(line) and line.split(" ")[0] not in SAME]
    k = rng.choice(places)
    head, number, tail = NUMBER.match(original[k]).groups()
    if rng.random() < 0.3:
        lines[k] = original[k]
    elif "." in number or float(number) > 20:
        lines[k] = f"{head}{float(number) * rng.uniform(0.85, 1.2):.4g}{tail}"
    else:
        lines[k] = f"{head}{max(1, int(number) + rng.choice([-1, 0, 1]))}{tail}"
    return lines


def built(tool, folder, out, *options):
    done = subprocess.run([tool, "build", "case.toml", "--out", out, "--json", *options], cwd=folder,
                          capture_output=True, text=True)
    if done.returncode > 1:
        return done.returncode, done.stderr, None, []
    summary = json.loads(done.stdout)
    reused = [s["stage"] for s in summary.pop("stages") if s["is_kept"]]
    summary.pop("files", None)
    with open(os.path.join(folder, out, "mesh.vtu"), "rb") as f:
        return done.returncode, summary, f.read(), reused


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("tool")
    parser.add_argument("case")
    parser.add_argument("--count", type=int, default=20)
    parser.add_argument("--seed", type=int, default=1)
    arguments = parser.parse_args()
    rng, tool, bad, tally = random.Random(arguments.seed), os.path.abspath(arguments.tool), 0, {}
    with tempfile.TemporaryDirectory(prefix="kept-builds-") as folder:
        source = os.path.dirname(os.path.abspath(arguments.case))
        for name in os.listdir(source):
            if os.path.isfile(os.path.join(source, name)):
                shutil.copy(os.path.join(source, name), folder)
        with open(arguments.case) as f:
            original = f.read().split("\n")
        lines = list(original)
        for number in range(arguments.count):
            lines = changed(lines, original, rng)
            with open(os.path.join(folder, "case.toml"), "w") as f:
                f.write("\n".join(lines))
            kept = built(tool, folder, "kept-one")
            shutil.rmtree(os.path.join(folder, "fresh"), ignore_errors=True)
            fresh = built(tool, folder, "fresh")
            is_same = kept[:3] == fresh[:3] if kept[2] is not None else kept[0] == fresh[0]
            tally[", ".join(kept[3]) or "nothing"] = tally.get(", ".join(kept[3]) or "nothing", 0) + 1
            if not is_same:
                bad += 1
                print(f"change {number}: the kept build differs ({kept[0]}, {fresh[0]})", flush=True)
    print("reused:", json.dumps(tally))
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
