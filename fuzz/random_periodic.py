#!/usr/bin/env python3
"""Bodies with sides that repeat, made at random: every one must give a mesh, which the tool itself holds sound only when
each face of the one side has its image on the other.

    random_periodic.py TOOL --count 100 --seed 1 [--keep DIR] [--check "CMD {}"]

Channels between two sides that are moved or turned images of each other, flat, sheared or wavy, with balls, rods and
blocks in them, of which some cross the sides; tilted anyhow; one or two pairs; both kinds of cells, with and without
layers; numbers rounded to single precision. A line for each. Exit status 1 when one has no mesh.
"""

import argparse
import json
import math
import pathlib
import random
import struct
import subprocess
import sys
import tempfile
import time


def single(x):
    return struct.unpack("f", struct.pack("f", x))[0]


def quad(a, b, c, d):
    return [(a, b, c), (a, c, d)]


def channel(lower, upper, low, high):
    """Between two rows of points in x and y, from one height to another; by zone."""
    at = lambda p, z: (p[0], p[1], z)
    zones = {"first": [], "second": [], "floor": [], "lid": [], "inflow": [], "outflow": []}
    for a, b, c, d in zip(lower, lower[1:], upper[1:], upper):
        zones["lid"] += quad(at(a, high), at(b, high), at(c, high), at(d, high))
        zones["floor"] += quad(at(d, low), at(c, low), at(b, low), at(a, low))
        zones["first"] += quad(at(a, low), at(b, low), at(b, high), at(a, high))
        zones["second"] += quad(at(c, low), at(d, low), at(d, high), at(c, high))
    a, d = lower[-1], upper[-1]
    zones["outflow"] += quad(at(a, low), at(d, low), at(d, high), at(a, high))
    a, d = lower[0], upper[0]
    if math.dist(a, d) > 1e-9:
        zones["inflow"] += quad(at(d, low), at(a, low), at(a, high), at(d, high))
    else:  # the sides meet on an axis
        del zones["inflow"]
    return {name: [t for t in triangles if len({tuple(p) for p in t}) == 3] for name, triangles in zones.items()}


def ball(center, radius, n):
    def at(i, j):
        u, v = math.pi * i / n, math.pi * j / n
        return tuple(c + radius * d for c, d in
                     zip(center, (math.sin(u) * math.cos(v), math.sin(u) * math.sin(v), math.cos(u))))
    out = []
    for i in range(n):
        for j in range(2 * n):
            a, b, c, d = at(i, j), at(i + 1, j), at(i + 1, (j + 1) % (2 * n)), at(i, (j + 1) % (2 * n))
            out += [(a, b, d)] * (i > 0) + [(b, c, d)] * (i < n - 1)
    return out


def prism(center, radius, low, high, n, begin):
    ring = [(center[0] + radius * math.cos(begin + 2 * math.pi * i / n),
             center[1] + radius * math.sin(begin + 2 * math.pi * i / n)) for i in range(n)]
    out = []
    for a, b in zip(ring, ring[1:] + ring[:1]):
        out += quad((*a, low), (*b, low), (*b, high), (*a, high))
        out += [((*center, high), (*a, high), (*b, high)), ((*center, low), (*b, low), (*a, low))]
    return out


def obstacle(rng, place, radius, height):
    kind = rng.choice(["ball", "rod", "block"])
    if kind == "ball":
        return ball((*place, rng.uniform(0.3, 0.7) * height), radius, rng.randint(6, 14))
    if kind == "rod":  # from below the floor to above the lid
        return prism(place, radius, -0.1 * height, 1.1 * height, rng.randint(12, 30), rng.random())
    return prism(place, radius, rng.uniform(0.2, 0.35) * height, rng.uniform(0.6, 0.8) * height, rng.randint(3, 6),
                 rng.random())


def turn_about_z(angle):
    c, s = math.cos(angle), math.sin(angle)
    return lambda p: (c * p[0] - s * p[1], s * p[0] + c * p[1], *p[2:])


def random_turn(rng):
    q = [rng.gauss(0, 1) for _ in range(4)]
    n = math.sqrt(sum(x * x for x in q))
    w, x, y, z = (v / n for v in q)
    m = [[1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
         [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
         [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)]]
    shift = [rng.uniform(-50, 50) for _ in range(3)]
    return lambda p: tuple(sum(a * b for a, b in zip(row, p)) + s for row, s in zip(m, shift))


def sides(rng, kind):
    """The row of points of the first side, how the second one comes of it, and places well between the two."""
    if kind in ("sector", "wedge"):
        angle = 2 * math.pi / rng.randint(4, 16)
        inner = 0 if kind == "wedge" else rng.uniform(10, 25)
        lean = 0 if kind == "wedge" else rng.uniform(-0.3, 0.3)
        n = 1 if kind == "wedge" else rng.randint(1, 12)
        row = [turn_about_z(lean * k / n)((inner + (50 - inner) * k / n, 0)) for k in range(n + 1)]
        image = turn_about_z(angle)
        between = lambda u, v: turn_about_z(v * angle)(row_at(row, u))
        return row, image, between, [turn_about_z(angle), turn_about_z(-angle)]
    width = rng.uniform(15, 40)
    n = rng.randint(8, 40) if kind == "wavy" else 1
    bow = rng.uniform(2, 6) if kind == "wavy" else 0
    slope = rng.uniform(-0.5, 0.5) if kind == "sheared" else 0
    row = [(60 * k / n, bow * math.sin(2 * math.pi * k / n) + slope * 60 * k / n) for k in range(n + 1)]
    move = lambda d: lambda p: (p[0], p[1] + d, *p[2:])
    between = lambda u, v: move(v * width)(row_at(row, u))
    return row, move(width), between, [move(width), move(-width)]


def row_at(row, u):
    k = min(int(u * (len(row) - 1)), len(row) - 2)
    t = u * (len(row) - 1) - k
    return tuple(a + (b - a) * t for a, b in zip(row[k], row[k + 1]))


def stl(zones):
    out = []
    for name, triangles in zones.items():
        out.append(f"solid {name}")
        for t in triangles:
            out.append(" facet normal 0 0 0\n  outer loop")
            out += [f"   vertex {p[0]!r} {p[1]!r} {p[2]!r}" for p in t]
            out.append("  endloop\n endfacet")
        out.append(f"endsolid {name}")
    return "\n".join(out) + "\n"


def make(rng, folder):
    kind = rng.choice(["plain", "sheared", "wavy", "sector", "wedge"])
    row, image, between, copies = sides(rng, kind)
    height = rng.uniform(12, 30)
    tank = channel(row, [image(p) for p in row], 0, height)
    things = []
    for k in range(rng.randint(0, 3)):
        crosses = rng.random() < 0.5
        u = (k + rng.uniform(0.4, 0.6)) / 3 if kind != "wedge" else 0.35 + 0.6 * (k + rng.random()) / 3
        u = max(0.15, min(0.85, u))
        place = between(u, rng.uniform(-0.03, 0.03) if crosses else rng.uniform(0.4, 0.6))
        # What does not cross keeps off the sides, and what does is seen by one of them only.
        room = math.dist(between(u, 0), between(u, 1))
        thing = obstacle(rng, place, min(rng.uniform(1.5, 3.5), 0.25 * room), height)
        things.append(thing)
        if crosses:
            things += [[tuple(move(p) for p in t) for t in thing] for move in copies]
    turn = random_turn(rng) if rng.random() < 0.6 else lambda p: p
    number = single if rng.random() < 0.5 else lambda x: round(x, 10)
    there = lambda triangles: [tuple(tuple(number(x) for x in turn(p)) for p in t) for t in triangles]
    (folder / "tank.stl").write_text(stl({name: there(t) for name, t in tank.items()}))
    text = '[case]\nunit = "mm"\n[[part]]\nfile = "tank.stl"\nunit = "mm"\n'
    for k, thing in enumerate(things):
        (folder / f"thing-{k}.stl").write_text(stl({f"thing-{k}": there(thing)}))
        text += f'[[part]]\nfile = "thing-{k}.stl"\nunit = "mm"\n'
    text += '[[region]]\nname = "air"\nlargest = true\n[[periodic]]\nzones = ["first", "second"]\n'
    has_two = rng.random() < 0.3
    if has_two:
        text += '[[periodic]]\nzones = ["floor", "lid"]\n'
    cells = rng.choice(["tetrahedra", "polyhedra"])
    size = rng.uniform(2, 4)
    text += f'[sizing]\nsurface = {size:.3g}\n' + ("per_turn = 16\n" if rng.random() < 0.5 else "")
    text += f'[fill]\ncells = "{cells}"\n'
    layers = rng.choice(["none", "things", "all"])
    on = (["thing*"] if things else []) + ([] if layers == "things" or has_two else ["floor", "lid"])
    if layers != "none" and on:
        text += (f'[[layers]]\non = {json.dumps(on)}\nfirst_height = {rng.uniform(0.05, 0.2):.3g}\n'
                 f'count = {rng.randint(2, 8)}\ngrowth = 1.25\n')
    (folder / "case.toml").write_text(text)
    return f"{kind}, {len(things)} things, {'two pairs' if has_two else 'one pair'}, {cells}, layers on {layers}"


def main():
    parser = argparse.ArgumentParser(description=__doc__.split("\n")[0])
    parser.add_argument("tool")
    parser.add_argument("--count", type=int, default=100)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--keep", help="a directory for all that is made")
    parser.add_argument("--check", help="a command that judges a mesh; {} is its file")
    options = parser.parse_args()
    n_wrong = 0
    with tempfile.TemporaryDirectory() as scratch:
        for k in range(options.count):
            number = options.seed * 100000 + k
            folder = pathlib.Path(options.keep or scratch) / str(number)
            folder.mkdir(parents=True, exist_ok=True)
            what = make(random.Random(number), folder)
            begin = time.monotonic()
            run = subprocess.run([str(pathlib.Path(options.tool).resolve()), "build", "case.toml", "--out", "out"], cwd=folder, capture_output=True,
                                 text=True, timeout=600)
            seconds = time.monotonic() - begin
            (folder / "log").write_text(run.stdout + run.stderr)
            right = run.returncode in (0, 1)
            note = "" if right else run.stderr.strip().split("\n")[-1][:300]
            if right:
                pairs = json.loads((folder / "out" / "summary.json").read_text())["periodic"]
                note = f"they were {max(p['largest_difference'] for p in pairs):.2g} m apart"
            if right and options.check:
                command = options.check.replace("{}", str(folder / "out" / "mesh.cgns"))
                checked = subprocess.run(command, shell=True, capture_output=True, text=True)
                right = checked.returncode == 0
                note += "" if right else "; " + " / ".join(checked.stdout.strip().split("\n"))[:300]
            n_wrong += not right
            print(f"{number} {'ok' if right else 'WRONG':5} {seconds:5.1f} s  {what}: {note}", flush=True)
    print(f"{n_wrong} of {options.count} wrong")
    return 1 if n_wrong else 0


if __name__ == "__main__":
    sys.exit(main())
