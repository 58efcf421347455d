#!/usr/bin/env python3
"""Assemblies with seams, made at random: each must give the right flow volume, its openings, and no film in a seam. What
lies in the seams themselves may be the flow's or a body's.

    random_assemblies.py TOOL --count 40 --seed 1 [--only KIND] [--keep DIR]

Each is tried twice: every body a file of its own, and all in one file. A line for each: what it is, how far volume and
wetted area are off. Exit status 1 when one is wrong.
"""

import argparse
import json
import math
import pathlib
import random
import subprocess
import sys
import tempfile
import time

VOLUME_TOLERANCE = 1e-3
AREA_TOLERANCE = 1e-2  # a film would add twice its own area
JOIN = 0.15


def grid(point, n, m, flip):
    out = []
    for i in range(n):
        for j in range(m):
            a, b, c, d = point(i, j), point(i + 1, j), point(i + 1, j + 1), point(i, j + 1)
            for t in ((a, b, c), (a, c, d)):
                out.append(t[::-1] if flip else t)
    return out


def sector(inner, outer, begin, end, low, high, n, m, shift=(0, 0)):
    """A piece of a shell of revolution round z: angles in radians, n steps round and m along."""

    def at(r, i, j):
        angle = begin + (end - begin) * i / n
        return (r * math.cos(angle) + shift[0], r * math.sin(angle) + shift[1], low + (high - low) * j / m)

    out = grid(lambda i, j: at(outer, i, j), n, m, False) + grid(lambda i, j: at(inner, i, j), n, m, True)
    for j, flip in ((0, False), (m, True)):
        out += grid(lambda i, k: at(outer if k else inner, i, j), n, 1, flip)
    for i, flip in ((0, False), (n, True)):
        out += grid(lambda k, j: at(outer if k else inner, i, j), 1, m, flip)
    return out


def box(lo, hi):
    c = [(x, y, z) for z in (lo[2], hi[2]) for y in (lo[1], hi[1]) for x in (lo[0], hi[0])]
    out = []
    for a, b, d, e in ((0, 2, 3, 1), (4, 5, 7, 6), (0, 1, 5, 4), (2, 6, 7, 3), (0, 4, 6, 2), (1, 3, 7, 5)):
        out += [(c[a], c[b], c[d]), (c[a], c[d], c[e])]
    return out


def rod(center, radius, low, high, n):
    def at(i, j):
        angle = 2 * math.pi * i / n
        return (center[0] + radius * math.cos(angle), center[1] + radius * math.sin(angle), (low, high)[j])

    out = grid(at, n, 1, False)
    for i in range(1, n - 1):
        out += [(at(0, 0), at(i + 1, 0), at(i, 0)), (at(0, 1), at(i, 1), at(i + 1, 1))]
    return out


def plate_with_hole(lo, hi, center, radius, n):
    """A plate across z with a round hole."""
    rim = [(center[0] + radius * math.cos(2 * math.pi * i / n), center[1] + radius * math.sin(2 * math.pi * i / n))
           for i in range(n)]
    around = []
    for x, y in rim:
        dx, dy = x - center[0], y - center[1]
        reach = min(((hi[0] if dx > 0 else lo[0]) - center[0]) / dx if dx else 1e9,
                    ((hi[1] if dy > 0 else lo[1]) - center[1]) / dy if dy else 1e9)
        around.append((center[0] + dx * reach, center[1] + dy * reach))
    corners = [(lo[0], lo[1]), (hi[0], lo[1]), (hi[0], hi[1]), (lo[0], hi[1])]
    out = []

    def angle(p):
        return math.atan2(p[1] - center[1], p[0] - center[0]) % (2 * math.pi)

    border = sorted([(angle(p), p, i) for i, p in enumerate(around)] + [(angle(p), p, None) for p in corners])
    start = next(k for k, b in enumerate(border) if b[2] == 0)
    border = border[start:] + border[:start]
    for z, flip in ((lo[2], True), (hi[2], False)):
        last = 0
        for k, (_, p, own) in enumerate(border):
            q, nxt = border[(k + 1) % len(border)][1:]
            tri = [((rim[last] + (z,)), (p + (z,)), (q + (z,)))]
            if nxt is not None:
                tri.append(((rim[last] + (z,)), (q + (z,)), (rim[nxt] + (z,))))
                last = nxt
            out += [t[::-1] if flip else t for t in tri]
    for k in range(len(border)):
        p, q = border[k][1], border[(k + 1) % len(border)][1]
        a, b, c, d = p + (lo[2],), q + (lo[2],), q + (hi[2],), p + (hi[2],)
        out += [(a, b, c), (a, c, d)]
    for k in range(n):
        p, q = rim[k], rim[(k + 1) % n]
        a, b, c, d = p + (lo[2],), q + (lo[2],), q + (hi[2],), p + (hi[2],)
        out += [(a, c, b), (a, d, c)]
    return out


def polygon_area(radius, begin, end, n):
    return n * 0.5 * radius * radius * math.sin((end - begin) / n)


class Assembly:
    def __init__(self):
        self.bodies, self.inside, self.n_openings, self.volume, self.area = [], (0, 0, 0), 0, 0.0, 0.0
        self.seams = 0.0  # the volume that may be given to one side of them or the other


def ducts(r):
    """Lengths of duct one after the other, each of two to four sectors; bolts round them."""
    a = Assembly()
    inner, outer = r.uniform(20, 40), 0
    outer = inner + r.uniform(3, 6)
    n_lengths, z = r.randint(1, 4), 0.0
    for _ in range(n_lengths):
        length, n_sectors = r.uniform(40, 90), r.randint(2, 4)
        turn = r.uniform(0, 2 * math.pi)
        section, around = 0.0, 0.0
        gaps = [r.choice([0, r.uniform(0, 0.1)]) / inner for _ in range(n_sectors)]
        for k in range(n_sectors):
            begin = turn + 2 * math.pi * k / n_sectors + gaps[k] / 2
            end = turn + 2 * math.pi * (k + 1) / n_sectors - gaps[(k + 1) % n_sectors] / 2
            n = r.randint(8, 24)
            a.bodies.append(sector(inner, outer, begin, end, z, z + length, n, r.randint(1, 9)))
            section += polygon_area(inner, begin, end, n) + 0.5 * inner * inner * gaps[k]
            around += n * 2 * inner * math.sin((end - begin) / n / 2)
        seam = r.choice([0, r.uniform(0, 0.1)])
        a.volume += section * (length + seam / 2)
        a.seams += section * seam / 2 + sum(gaps) * inner * inner * length / 4
        a.area += around * length
        a.inside = (0, 0, z + length / 2)
        z += length + seam
    for _ in range(r.randint(0, 8)):
        angle = r.uniform(0, 2 * math.pi)
        far = outer + r.choice([0.05, 6])
        c = ((far + 2) * math.cos(angle), (far + 2) * math.sin(angle))
        a.bodies.append(rod(c, 2, r.uniform(0, z - 12), z - r.uniform(1, 10), r.randint(8, 20)))
    a.n_openings = 2
    return a


def plates(r):
    """A chest of six plates, each divided at random, with a hole in the lid and one in the floor; shells within."""
    a = Assembly()
    x, y, z, wall = r.uniform(60, 150), r.uniform(60, 150), r.uniform(40, 120), r.uniform(4, 10)

    def seam():
        return r.choice([0, r.uniform(0, 0.1)])

    def split(lo, hi, axis):
        cut = lo[axis] + (hi[axis] - lo[axis]) * r.uniform(0.3, 0.7)
        g = seam() / 2
        first, second = list(hi), list(lo)
        first[axis], second[axis] = cut - g, cut + g
        return [box(lo, first), box(second, hi)]

    g = [seam() for _ in range(6)]
    for sign, lo_x in ((0, -wall), (1, x)):
        lo, hi = (lo_x, 0, 0), (lo_x + wall, y, z)
        a.bodies += split(lo, hi, r.choice([1, 2])) if r.random() < 0.6 else [box(lo, hi)]
    for sign, lo_y in ((2, -wall - g[2]), (3, y + g[3])):
        lo, hi = (-wall, lo_y, 0), (x + wall, lo_y + wall, z)
        a.bodies += split(lo, hi, r.choice([0, 2])) if r.random() < 0.6 else [box(lo, hi)]
    holes = 0.0
    for lo_z in (-wall - g[4], z + g[5]):
        radius = r.uniform(6, 12)
        c = (r.uniform(radius + 5, x - radius - 5), r.uniform(radius + 5, y - radius - 5))
        n = r.randint(12, 40)
        a.bodies.append(plate_with_hole((-wall - 2, -wall - 2, lo_z), (x + wall + 2, y + wall + 2, lo_z + wall), c,
                                        radius, n))
        section = n * 0.5 * radius * radius * math.sin(2 * math.pi / n)
        holes += section * wall
        a.area += n * 2 * radius * math.sin(math.pi / n) * wall - 2 * section + section
    a.volume = x * (y + g[2] / 2 + g[3] / 2) * (z + (g[4] + g[5]) / 2) + holes
    a.seams += x * z * (g[2] + g[3]) / 2 + x * y * (g[4] + g[5]) / 2
    a.area += 2 * (x * y + y * z + z * x)
    a.inside = (x / 2, y / 2, z / 2)
    for _ in range(r.randint(0, 12)):
        size = r.uniform(3, 6)
        at = [r.uniform(1, d - size - 1) for d in (x, y, z)]
        if all(lo - 7 <= p <= lo + 7 for p, lo in zip(at, (x / 2, y / 2, z / 2))):
            continue
        if any(all(abs(p - q) < 14 for p, q in zip(at, other)) for other in getattr(a, "placed", [])):
            continue
        a.placed = getattr(a, "placed", []) + [at]
        a.bodies.append(box(at, [p + size for p in at]))
        a.volume -= size ** 3
        a.area += 6 * size ** 2
    for _ in range(r.randint(0, 20)):
        at = (r.choice([-wall - 20, x + wall + 8]), r.uniform(0, y), r.uniform(0, z - 10))
        a.bodies.append(rod(at[:2], 2, at[2], at[2] + 9, 12))
    a.n_openings = 2
    return a


def revolved(inner, outer, n, turn, shift=0.0):
    """A body of revolution round z with n sides: between two profiles of (radius, height), both from the same end on."""

    def at(profile, i, j):
        radius, z = profile[j]
        angle = turn + 2 * math.pi * i / n
        return (radius * math.cos(angle), radius * math.sin(angle), z + shift)

    m, k = len(outer) - 1, len(inner) - 1
    out = grid(lambda i, j: at(outer, i, j), n, m, False) + grid(lambda i, j: at(inner, i, j), n, k, True)
    for end, flip in ((0, False), (-1, True)):
        out += grid(lambda i, j: at(outer if j else inner, i, end), n, 1, flip)
    return out


def solid(profile, n, turn, shift):
    """The same without anything inside: flat at both ends."""

    def at(i, j):
        angle = turn + 2 * math.pi * i / n
        return (profile[j][0] * math.cos(angle), profile[j][0] * math.sin(angle), profile[j][1] + shift)

    m = len(profile) - 1
    out = grid(at, n, m, False)
    for i in range(1, n - 1):
        out += [(at(0, 0), at(i + 1, 0), at(i, 0)), (at(0, m), at(i, m), at(i + 1, m))]
    return out


def within(profile, n):
    """Volume and area of what a profile encloses, n sides round, its ends left open."""
    volume = area = 0.0
    for (r, z), (s, w) in zip(profile, profile[1:]):
        volume += 0.5 * n * math.sin(2 * math.pi / n) * (w - z) * (r * r + r * s + s * s) / 3
        half = math.pi / n
        slant = math.hypot((s - r) * math.cos(half), w - z)
        area += n * math.sin(half) * (r + s) * slant
    return volume, area


def bowls(r):
    """Two bowls rim on rim, a hole at each pole, and a closed one of two halves within; each with sides of its own."""
    a = Assembly()
    radius, wall, steps = r.uniform(35, 60), r.uniform(3, 6), r.randint(4, 9)
    hole = r.uniform(0.15, 0.3)  # radians from the pole
    seam = r.choice([0, r.uniform(0, 0.1)])
    size = radius * r.uniform(0.35, 0.6)  # of what is within
    own_seam = r.choice([0, r.uniform(0, 0.1)])
    for side in (1, -1):
        n = r.randint(20, 48)
        angles = [math.pi / 2 - (math.pi / 2 - hole) * k / steps for k in range(steps + 1)]

        def arc(radius_of, angles_of):
            return [(radius_of * math.sin(t), side * radius_of * math.cos(t)) for t in angles_of]

        inner, outer = arc(radius, angles), arc(radius + wall, angles)
        inner[0], outer[0] = (radius, 0.0), (radius + wall, 0.0)
        if side < 0:
            inner.reverse()
            outer.reverse()
        a.bodies.append(revolved(inner, outer, n, r.uniform(0, 6), side * seam / 2))
        volume, area = within(inner, n)
        a.volume += volume + 0.5 * n * math.sin(2 * math.pi / n) * radius * radius * seam / 2
        a.seams += 0.5 * n * math.sin(2 * math.pi / n) * radius * radius * seam / 2
        a.area += area
        # An opening is closed at the outer end of its bore.
        volume, area = within([(d * math.sin(hole), d * math.cos(hole)) for d in (radius, radius + wall)], n)
        a.volume += volume
        a.area += area

        n = r.randint(12, 30)
        ball = [(size * math.sin(t), side * size * math.cos(t)) for t in (0.2, 0.5, 1.0)] + [(size, 0.0)]
        if side > 0:
            ball.reverse()
        a.bodies.append(solid(ball, n, r.uniform(0, 6), side * own_seam / 2))
        volume, area = within(ball, n)
        a.volume -= volume + 0.5 * n * math.sin(2 * math.pi / n) * size * size * own_seam / 2
        a.area += area + 0.5 * n * math.sin(2 * math.pi / n) * (size * math.sin(0.2)) ** 2
    a.n_openings = 2
    return a


KINDS = {"ducts": ducts, "plates": plates, "bowls": bowls}


def turned(a, r):
    """All of it turned and moved at random: nothing lies along the axes any more, nor is a coordinate round."""
    a1, a2, a3 = (r.uniform(0, 2 * math.pi) for _ in range(3))
    shift = [r.uniform(-500, 500) for _ in range(3)]

    def place(p):
        x, y, z = p
        x, y = x * math.cos(a1) - y * math.sin(a1), x * math.sin(a1) + y * math.cos(a1)
        y, z = y * math.cos(a2) - z * math.sin(a2), y * math.sin(a2) + z * math.cos(a2)
        x, y = x * math.cos(a3) - y * math.sin(a3), x * math.sin(a3) + y * math.cos(a3)
        return (x + shift[0], y + shift[1], z + shift[2])

    a.bodies = [[tuple(map(place, t)) for t in body] for body in a.bodies]


def write_stl(path, bodies):
    with open(path, "w", encoding="ascii") as out:
        for body in bodies:
            out.write("solid body\n")
            for t in body:
                out.write("facet normal 0 0 0\nouter loop\n")
                for p in t:
                    out.write("vertex %.12g %.12g %.12g\n" % p)
                out.write("endloop\nendfacet\n")
            out.write("endsolid body\n")


def write_case(folder, a, together):
    """The case's file and those of its bodies; tells the latter."""
    lines, files = ['[case]\nname = "assembly"\nunit = "mm"'], []
    for k, bodies in enumerate([a.bodies] if together else [[body] for body in a.bodies]):
        files.append(folder / f"b{k}.stl")
        write_stl(files[-1], bodies)
        lines.append(f'[[part]]\nfile = "b{k}.stl"\nunit = "mm"')
    lines.append('[[opening]]\nname = "end-*"\nrole = "inlet"\nall = true')
    lines.append('[[region]]\nname = "flow"\ninside = { opening = "end-1" }')
    lines.append(f"[domain]\njoin = {JOIN}\n[sizing]\nsurface = 8\nlargest = 12")
    (folder / "case.toml").write_text("\n".join(lines) + "\n", encoding="ascii")
    return files


def fault_of(tool, folder, files, a):
    """What is wrong, or nothing; and the figures."""
    found = subprocess.run([tool, "openings", "--unit", "mm", "--json", "--join", str(JOIN), *map(str, files)],
                           capture_output=True, text=True, timeout=300, check=False)
    plan = subprocess.run([tool, "plan", "--json", str(folder / "case.toml")], capture_output=True, text=True,
                          timeout=300, check=False)
    if found.returncode or plan.returncode:
        return (found.stderr + plan.stderr).strip().splitlines()[-1][:300], ""
    openings, told = json.loads(found.stdout), json.loads(plan.stdout)
    n = len(openings["openings"] if isinstance(openings, dict) else openings)
    volume = sum(region["volume"] for region in told["regions"]) * 1e9
    area = sum(z["area"] for z in told["zones"] if not z["name"].startswith("end-")) * 1e6
    off, area_off = volume / a.volume - 1, area / a.area - 1
    figures = f"openings {n}, volume {off:+.1e}, wetted area {area_off:+.1e}"
    if n != a.n_openings:
        return f"{a.n_openings} openings were expected", figures
    if abs(off) > VOLUME_TOLERANCE + a.seams / a.volume:
        return "the volume is wrong", figures
    if abs(area_off) > AREA_TOLERANCE:
        return "the wetted area is wrong: a film?", figures
    return "", figures


def tried(tool, folder, a, together):
    files = write_case(folder, a, together)
    begin = time.monotonic()
    try:
        fault, figures = fault_of(tool, folder, files, a)
    except subprocess.TimeoutExpired:
        fault, figures = "no end within 300 s", ""
    print(f"  {'in one file' if together else 'a file each'}: {figures} {time.monotonic() - begin:.1f} s"
          f"{'  WRONG: ' + fault if fault else ''}", flush=True)
    return bool(fault)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("tool")
    parser.add_argument("--count", type=int, default=40)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", choices=list(KINDS))
    parser.add_argument("--keep", type=pathlib.Path, help="directory for what is tried")
    o = parser.parse_args()
    wrong = 0
    for k in range(o.count):
        seed = o.seed * 100000 + k
        kind = o.only or ("bowls" if k % 10 == 9 else "ducts" if k % 2 == 0 else "plates")
        r = random.Random(seed)
        a = KINDS[kind](r)
        if k % 4 > 1:
            turned(a, r)
        print(f"{seed} {kind}, {len(a.bodies)} bodies{', turned' if k % 4 > 1 else ''}")
        for together in (False, True):
            with tempfile.TemporaryDirectory() as directory:
                folder = pathlib.Path(directory)
                if o.keep:
                    folder = o.keep / f"{seed}{'-one' if together else ''}"
                    folder.mkdir(parents=True, exist_ok=True)
                wrong += tried(o.tool, folder, a, together)
    print(f"{o.count} assemblies tried both ways, {wrong} wrong")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
