#!/usr/bin/env python3
"""Kills, terminates and interrupts builds at random moments: what is left is the result before, or the one after.

    fuzz/killed_builds.py build/bin/anvilcast CASE --count 200 --seed 1

Two versions of the case (as it is, and with another name) are built into one directory in turn. After each stop the
files of the directory must be those of one result: as its summary lists them, the mesh with as many cells. Interrupts
give exit status 130 and terminations 143, within a second and without litter; after a kill the next build takes the
litter away. Exit status 1 when that does not hold.
"""

import argparse
import json
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time


def fault(directory, tool):
    """What is wrong with a result; empty when nothing is."""
    if not os.path.exists(directory):
        return ""
    summary_file = os.path.join(directory, "summary.json")
    if not os.path.exists(summary_file):
        return "no summary beside " + ", ".join(os.listdir(directory))
    summary = json.load(open(summary_file))
    missing = [f for f in summary["files"] if not os.path.exists(os.path.join(directory, f))]
    if missing:
        return "listed and not there: " + ", ".join(missing)
    told = json.loads(subprocess.run([tool, "assess", os.path.join(directory, "mesh.cgns"), "--json"],
                                     capture_output=True, text=True).stdout)
    if told["cells"]["total"] != summary["cells"]["total"]:
        return "mesh and summary are of two results"
    page = open(os.path.join(directory, "report.html")).read()
    return "" if summary["case"]["name"] in page else "report and summary are of two results"


def main():
    parser = argparse.ArgumentParser(description=__doc__.split("\n")[0])
    parser.add_argument("tool")
    parser.add_argument("case")
    parser.add_argument("--count", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    a = parser.parse_args()
    rng = random.Random(a.seed)
    place = tempfile.mkdtemp()
    folder = os.path.dirname(os.path.abspath(a.case))
    for f in os.listdir(folder):
        if f.endswith(".stl"):
            shutil.copy(os.path.join(folder, f), place)
    text = open(a.case).read()
    name = text.split("name = \"")[1].split("\"")[0]
    cases = [os.path.join(place, "one.toml"), os.path.join(place, "other.toml")]
    open(cases[0], "w").write(text)
    open(cases[1], "w").write(text.replace("name = \"" + name, "name = \"other-" + name, 1))
    out = os.path.join(place, "out")
    begin = time.time()
    subprocess.run([a.tool, "build", cases[0], "--out", out, "-q"], check=True)
    whole = time.time() - begin
    n_faults = 0
    for k in range(a.count):
        sign = rng.choice([signal.SIGKILL, signal.SIGTERM, signal.SIGINT])
        process = subprocess.Popen([a.tool, "build", cases[(k + 1) % 2], "--out", out, "-q"], stdout=subprocess.DEVNULL,
                                   stderr=subprocess.DEVNULL)
        wait = rng.uniform(0, 1.05 * whole)
        time.sleep(wait)
        ended_before = process.poll() is not None
        process.send_signal(sign)
        begin = time.time()
        status = process.wait()
        took = time.time() - begin
        faults = [fault(out, a.tool)]
        litter = [f for f in os.listdir(place) if f.endswith(".part")]
        wanted = {signal.SIGKILL: -9, signal.SIGTERM: 143, signal.SIGINT: 130}[sign]
        # While its libraries are loaded a program hears nothing, and has nothing to leave either.
        loading = wait < 0.15 and status == -int(sign)
        if not ended_before and not loading and status not in (wanted, 0):
            faults.append(f"status {status}")
        if sign != signal.SIGKILL and not ended_before:
            faults += [f"took {took:.1f} s"] if took > 1.5 else []
            faults += ["left " + ", ".join(litter)] if litter else []
        faults = [f for f in faults if f]
        if faults:
            n_faults += 1
            print(f"{k} signal {int(sign)}: {'; '.join(faults)}")
    subprocess.run([a.tool, "build", cases[0], "--out", out, "-q"], check=True)
    if [f for f in os.listdir(place) if f.endswith(".part")]:
        n_faults += 1
        print("litter stays after the next run")
    print(f"{a.count} stopped, {n_faults} with faults")
    shutil.rmtree(place)
    return 1 if n_faults else 0


if __name__ == "__main__":
    sys.exit(main())
