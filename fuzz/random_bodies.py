#!/usr/bin/env python3
"""Random bodies, built in four ways each: every build ends in a mesh that is sound, or in a refusal that tells why.

    fuzz/random_bodies.py build/bin/anvilcast --count 500 --seed 1 [--kind needles] [--keep DIR]

Kinds: boxes (overlapping, on a grid, so that faces coincide), plates (thin, crossing), needles, tangents (cylinders
and balls that nearly touch), soups (triangles without any order, wrapped). Exit status 1 when a build died, took more
than a minute (by the clock and by its processors' time, so that a busy machine is not held against it), called itself
a bug, or left a mesh that is none. With --check CHECKER, each mesh is also given to that command, which is to return 0.
"""

import argparse
import json
import math
import os
import random
import resource
import shutil
import struct
import subprocess
import sys
import tempfile
import time

SECONDS = 60
PATIENCE = 600  # by the clock: nothing is waited for longer


def sub(a, b):
    return [x - y for x, y in zip(a, b)]


def cross(a, b):
    return [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]


def unit(a):
    n = math.sqrt(sum(x * x for x in a))
    return [x / n for x in a]


def box(lo, hi):
    p = [[(lo, hi)[i >> k & 1][k] for k in range(3)] for i in range(8)]
    quads = [(0, 2, 3, 1), (4, 5, 7, 6), (0, 1, 5, 4), (2, 6, 7, 3), (0, 4, 6, 2), (1, 3, 7, 5)]
    return [[p[q[0]], p[q[k]], p[q[k + 1]]] for q in quads for k in (1, 2)]


def turned(triangles, rng):
    """By a random rotation about the middle of space."""
    x = unit([rng.gauss(0, 1) for _ in range(3)])
    y = unit(cross(x, [rng.gauss(0, 1) for _ in range(3)]))
    z = cross(x, y)
    return [[[sum(m[k] * p[k] for k in range(3)) for m in (x, y, z)] for p in t] for t in triangles]


def moved(triangles, by):
    return [[[p[k] + by[k] for k in range(3)] for p in t] for t in triangles]


def cylinder(radius, height, n):
    ring = [[radius * math.cos(2 * math.pi * i / n), radius * math.sin(2 * math.pi * i / n)] for i in range(n)]
    out = []
    for i in range(n):
        a, b = ring[i], ring[(i + 1) % n]
        a0, b0, a1, b1 = a + [0], b + [0], a + [height], b + [height]
        out += [[a0, b0, b1], [a0, b1, a1], [[0, 0, 0], b0, a0], [[0, 0, height], a1, b1]]
    return out


def ball(radius, n):
    def at(i, j):
        t, f = math.pi * i / n, math.pi * j / n
        return [radius * math.sin(t) * math.cos(f), radius * math.sin(t) * math.sin(f), radius * math.cos(t)]
    out = []
    for i in range(n):
        for j in range(2 * n):
            a, b, c, d = at(i, j), at(i + 1, j), at(i + 1, (j + 1) % (2 * n)), at(i, (j + 1) % (2 * n))
            if i > 0:
                out.append([at(i, j) if i else [0, 0, radius], c, d] if i < n - 1 else [a, [0, 0, -radius], d])
            if i < n - 1:
                out.append([a if i else [0, 0, radius], b, c])
    return out


def boxes(rng):
    out = []
    for _ in range(rng.randint(2, 6)):
        lo = [rng.randint(0, 4) * 10 for _ in range(3)]
        out.append(box(lo, [x + rng.randint(1, 3) * 10 for x in lo]))
    return out


def plates(rng):
    return [moved(turned(box([-25, -18, 0], [25, 18, rng.choice([0.5, 1, 2])]), rng),
                  [rng.uniform(-8, 8) for _ in range(3)]) for _ in range(rng.randint(2, 4))]


def needles(rng):
    out = []
    for _ in range(rng.randint(2, 5)):
        w = rng.uniform(0.3, 2)
        out.append(moved(turned(box([-w, -w * rng.uniform(0.1, 1), -20], [w, w, 20]), rng),
                         [rng.uniform(-6, 6) for _ in range(3)]))
    return out


def tangents(rng):
    out = [cylinder(10, 30, rng.choice([12, 24, 37]))]
    for _ in range(rng.randint(1, 3)):
        gap = rng.choice([0, 1e-9, 1e-4, 0.05, -0.05, -1])
        angle = rng.uniform(0, 2 * math.pi)
        r = rng.uniform(3, 9)
        body = ball(r, 8) if rng.random() < 0.5 else cylinder(r, rng.uniform(5, 25), rng.choice([8, 20, 31]))
        away = 10 + r + gap
        out.append(moved(body, [away * math.cos(angle), away * math.sin(angle), rng.uniform(2, 20)]))
    return out


def soups(rng):
    triangles = []
    for body in boxes(rng)[:3]:
        for t in body:
            if rng.random() < 0.06:
                continue
            triangles.append([[c + rng.uniform(-0.4, 0.4) for c in p] for p in t])
    for _ in range(rng.randint(0, 6)):
        middle = [rng.uniform(5, 40) for _ in range(3)]
        triangles.append([[c + rng.uniform(-8, 8) for c in middle] for _ in range(3)])
    return [triangles]


KINDS = {"boxes": boxes, "plates": plates, "needles": needles, "tangents": tangents, "soups": soups}


def write_stl(path, triangles):
    with open(path, "wb") as f:
        f.write(b"made at random".ljust(80) + struct.pack("<I", len(triangles)))
        for t in triangles:
            f.write(struct.pack("<12fH", 0, 0, 0, *[x for p in t for x in p], 0))


def make_case(folder, kind, seed, cells, layers, core="same"):
    rng = random.Random(f"{kind} {seed}")
    bodies = KINDS[kind](rng)
    parts = ""
    for k, body in enumerate(bodies):
        write_stl(os.path.join(folder, f"body-{k}.stl"), body)
        parts += f'[[part]]\nfile = "body-{k}.stl"\nunit = "mm"\n'
    size = rng.choice([2.5, 4, 6])
    wrap = '[wrap]\ngap = "4 mm"\n' if kind == "soups" else ""
    turn = "per_turn = 16\n" if rng.random() < 0.4 else ""
    recipe = f'[[layers]]\nfirst_height = "{rng.choice([0.1, 0.3])} mm"\ncount = 3\ngrowth = 1.3\n' if layers else ""
    around = rng.choice([0.5, 1])
    with open(os.path.join(folder, "case.toml"), "w") as f:
        f.write(f'[case]\nunit = "mm"\n{parts}{wrap}[surround]\nahead = {around}\nbehind = {around}\n'
                f'aside = {around}\nabove = {around}\n[sizing]\nsurface = {size}\nlargest = {4 * size}\n'
                f'growth = 1.4\n{turn}[fill]\ncells = "{cells}"\ncore = "{core}"\n{recipe}')


def processor_seconds():
    """Spent so far by everything that was run and has ended."""
    used = resource.getrusage(resource.RUSAGE_CHILDREN)
    return used.ru_utime + used.ru_stime


def run(tool, folder, check):
    start, spent = time.time(), processor_seconds()
    environment = dict(os.environ, UBSAN_OPTIONS="halt_on_error=1", ASAN_OPTIONS="detect_leaks=0")
    try:
        done = subprocess.run([tool, "build", "case.toml", "--out", "made", "--json"], cwd=folder, capture_output=True,
                              text=True, timeout=PATIENCE, env=environment)
    except subprocess.TimeoutExpired:
        return "over a minute", time.time() - start, ""
    seconds = min(time.time() - start, processor_seconds() - spent)
    told = done.stderr.strip()
    if seconds > SECONDS:
        return "over a minute", seconds, told
    if done.returncode < 0 or done.returncode > 3:
        return f"died ({done.returncode})", seconds, told
    if "not valid" in told or "bug" in told or "asked for where there is none" in told or "runtime error" in told:
        return "a bug of ours", seconds, told
    if done.returncode >= 2:
        is_placed = "[" in told and "]" in told
        return ("refused" if is_placed else "refused without a place"), seconds, told
    summary = json.loads(done.stdout)
    if check:
        judged = subprocess.run([*check.split(), os.path.join(folder, "made", "mesh.cgns")], capture_output=True, text=True)
        if judged.returncode != 0:
            return "no mesh, says the checker", seconds, ("\n".join(line for line in (judged.stdout + judged.stderr).split("\n") if "FAIL" in line))[:800]
    return "mesh", seconds, str(summary["cells"]["total"])


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("tool")
    parser.add_argument("--count", type=int, default=50)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--kind", choices=KINDS)
    parser.add_argument("--only", help="tetrahedra, polyhedra, tetrahedra+layers or polyhedra+layers")
    parser.add_argument("--core", choices=["same", "cubes"], default="same")
    parser.add_argument("--keep", help="directory for the cases that failed")
    parser.add_argument("--check", help="command that judges a mesh")
    arguments = parser.parse_args()
    tool = os.path.abspath(arguments.tool)
    tally, failed, longest = {}, 0, (0, "")
    for number in range(arguments.count):
        kind = arguments.kind or list(KINDS)[number % len(KINDS)]
        seed = arguments.seed * 100000 + number
        for cells in ("tetrahedra", "polyhedra"):
            for layers in (False, True):
                how = cells + ("+layers" if layers else "")
                if arguments.only and arguments.only != how:
                    continue
                folder = tempfile.mkdtemp(prefix="random-body-")
                make_case(folder, kind, seed, cells, layers, arguments.core)
                outcome, seconds, told = run(tool, folder, arguments.check)
                name = f"{kind}-{seed}-{how}"
                longest = max(longest, (seconds, name))
                tally[outcome] = tally.get(outcome, 0) + 1
                if outcome not in ("mesh", "refused"):
                    failed += 1
                    print(f"{name}: {outcome} ({seconds:.1f} s)\n    {told[-600:]}", flush=True)
                    if arguments.keep:
                        shutil.copytree(folder, os.path.join(arguments.keep, name), dirs_exist_ok=True)
                elif outcome == "refused":
                    print(f"{name}: refused ({seconds:.1f} s): {told[-300:]}", flush=True)
                shutil.rmtree(folder)
    print(json.dumps(tally), f"longest {longest[0]:.1f} s ({longest[1]})")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
