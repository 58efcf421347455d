#!/usr/bin/env python3
"""Lets the n-th allocation fail, or all writing from the n-th on, in a build, a conversion and an assessment.

    fuzz/failing_calls.py build/bin/anvilcast build/bin/failing_calls.so --count 300

A box in a surround with layers is meshed in a directory that has an older result. Whatever fails, the tool ends with
exit status 0 to 3 and a message, the directory has one whole result (the older one, set aside or not, or the new one),
a mesh that is there passes the tool's own checks, and nothing half-written stays. The numbers are spread evenly over
all calls, --count of them for each. Exit status 1 when that does not hold.
"""

import argparse
import json
import os
import shutil
import struct
import subprocess
import sys
import tempfile

CASE = """[case]
name = "%s"
unit = "mm"
[[part]]
file = "box.stl"
unit = "mm"
[surround]
ahead = 1
behind = 1
aside = 1
above = 1
[sizing]
surface = 8
largest = 20
[[layers]]
first_height = 0.5
count = 2
growth = 1.3
"""


def write_box(path):
    corner = [[10 * (i >> k & 1) for k in range(3)] for i in range(8)]
    quads = [(0, 2, 3, 1), (4, 5, 7, 6), (0, 1, 5, 4), (2, 6, 7, 3), (0, 4, 6, 2), (1, 3, 7, 5)]
    with open(path, "wb") as f:
        f.write(b"box".ljust(80) + struct.pack("<I", 12))
        for a, b, c, d in quads:
            for t in ((a, b, c), (a, c, d)):
                f.write(struct.pack("<12fH", 0, 0, 0, *[x for p in t for x in corner[p]], 0))


def files_below(folder):
    return sorted(os.path.relpath(os.path.join(d, f), folder) for d, _, files in os.walk(folder) for f in files)


class Trial:
    def __init__(self, tool, preload):
        self.tool, self.preload = tool, preload
        self.folder = tempfile.mkdtemp()
        write_box(os.path.join(self.folder, "box.stl"))
        for name in ("old", "new"):
            with open(os.path.join(self.folder, name + ".toml"), "w") as f:
                f.write(CASE % name)
        done = self.run(["build", "old.toml", "--out", "kept", "-q"], {}, True)
        if done.returncode > 1:
            sys.exit("the case does not build: " + done.stderr)

    def run(self, arguments, environment, is_plain=False):
        env = dict(os.environ, **environment)
        if not is_plain:
            env["LD_PRELOAD"] = self.preload
        return subprocess.run([self.tool] + arguments, cwd=self.folder, capture_output=True, text=True, env=env,
                              timeout=120, errors="replace")

    def n_calls(self, arguments):
        counts = os.path.join(self.folder, "counts")
        self.run(arguments, {"COUNT_CALLS": counts})
        with open(counts) as f:
            return dict(zip(("FAIL_ALLOCATION", "FAIL_WRITE"), map(int, f.read().split())))

    def prepare(self):
        made = os.path.join(self.folder, "made")
        for f in os.listdir(self.folder):
            if f not in ("box.stl", "old.toml", "new.toml", "kept"):
                path = os.path.join(self.folder, f)
                shutil.rmtree(path) if os.path.isdir(path) else os.remove(path)
        shutil.copytree(os.path.join(self.folder, "kept"), made)

    def fault(self, command, done, environment):
        """What is wrong after a run; empty when nothing is."""
        if not 0 <= done.returncode <= 3:
            return f"exit status {done.returncode}: {done.stderr.strip()[-300:]}"
        if done.returncode >= 2 and not done.stderr.strip():
            return "no word"
        litter = [f for f in files_below(self.folder) if f.endswith(".part") or "/." in "/" + f]
        if litter:
            return "left behind: " + ", ".join(litter)
        mesh = {"build": "made/mesh.cgns", "convert": "copy.cgns"}.get(command)
        if mesh is None or not os.path.exists(os.path.join(self.folder, mesh)):
            # An older result is there as it was, or set aside: never gone.
            old = [f for f in files_below(self.folder) if f.endswith("mesh.cgns") and not f.startswith("kept")]
            return "" if command != "build" or old else "the older result is gone"
        told = self.run(["assess", mesh, "--json"], {}, True)
        if told.returncode > 1:
            return "a mesh that is none: " + told.stderr.strip()[-300:]
        if command == "build":
            summary = json.load(open(os.path.join(self.folder, "made/summary.json")))
            if json.loads(told.stdout)["cells"]["total"] != summary["cells"]["total"]:
                return "mesh and summary are of two results"
            missing = [f for f in summary["files"] if not os.path.exists(os.path.join(self.folder, "made", f))]
            if missing:
                return "listed and not there: " + ", ".join(missing)
        return ""


def main():
    parser = argparse.ArgumentParser(description=__doc__.split("\n")[0])
    parser.add_argument("tool")
    parser.add_argument("preload")
    parser.add_argument("--count", type=int, default=100)
    a = parser.parse_args()
    trial = Trial(os.path.abspath(a.tool), os.path.abspath(a.preload))
    commands = {"build": ["build", "new.toml", "--out", "made"],
                "convert": ["convert", "kept/mesh.cgns", "copy.cgns"],
                "assess": ["assess", "kept/mesh.cgns", "--json"]}
    # What the libraries allocate before the program begins is theirs.
    before = trial.n_calls(["--version"])["FAIL_ALLOCATION"]
    n_runs = n_faults = 0
    for command, arguments in commands.items():
        trial.prepare()
        for what, n in trial.n_calls(arguments).items():
            print(f"{command}: {n} calls for {what}", flush=True)
            first = 1 + (before if what == "FAIL_ALLOCATION" else 0)
            for number in sorted({first + k * (n - first + 1) // a.count for k in range(a.count)} if n > 0 else ()):
                trial.prepare()
                try:
                    done = trial.run(arguments, {what: str(number)})
                    fault = trial.fault(command, done, {what: str(number)})
                except subprocess.TimeoutExpired:
                    fault = "no end"
                n_runs += 1
                if fault:
                    n_faults += 1
                    print(f"{command} with {what}={number} of {n}: {fault}", flush=True)
    shutil.rmtree(trial.folder)
    print(f"{n_runs} runs, {n_faults} faults")
    return 1 if n_faults or n_runs == 0 else 0


if __name__ == "__main__":
    sys.exit(main())
