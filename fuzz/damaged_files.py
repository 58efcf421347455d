#!/usr/bin/env python3
"""Damages files of every kind that is read, and reads them: no read dies, hangs, or takes more than its share.

    fuzz/damaged_files.py build/bin/anvilcast GOOD_FILE... --count 1000 --seed 1 [--keep DIR]

Bytes are changed, taken out, doubled and swapped, numbers replaced by ones that do not fit, the file cut off. Surfaces
are inspected, meshes assessed. Exit status 1 when a read died of a signal, took over twenty seconds or two gigabytes,
or ended with a status other than 0 to 3.
"""

import argparse
import os
import random
import re
import resource
import subprocess
import sys
import tempfile

NUMBERS = [b"0", b"-1", b"1e38", b"nan", b"4294967295", b"2147483648", b"99999999999999999999", b"1e-320"]


def damaged(good, rng):
    data = bytearray(good)
    for _ in range(rng.choice([1, 1, 2, 5, 20])):
        if not data:
            break
        at, kind = rng.randrange(len(data)), rng.randrange(7)
        if kind == 0:
            data[at] = rng.randrange(256)
        elif kind == 1:
            data[at] ^= 1 << rng.randrange(8)
        elif kind == 2:
            del data[at:at + rng.choice([1, 4, 50, 1000])]
        elif kind == 3:
            piece = data[at:at + rng.choice([1, 8, 100])]
            data[at:at] = piece
        elif kind == 4:
            found = [m.span() for m in re.finditer(rb"-?\d+\.?\d*", bytes(data[at:at + 4000]))]
            if found:
                begin, end = rng.choice(found)
                data[at + begin:at + end] = rng.choice(NUMBERS)
        elif kind == 5:
            data[at:at + 4] = rng.choice([b"\xff\xff\xff\xff", b"\0\0\0\0", b"\0\0\0\x80", b"\x01\0\0\0"])
        else:
            del data[at:]
    return bytes(data)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("tool")
    parser.add_argument("files", nargs="+")
    parser.add_argument("--count", type=int, default=100, help="of damaged files for each good one")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--keep")
    arguments = parser.parse_args()
    bad, tally = 0, {}
    with tempfile.TemporaryDirectory(prefix="damaged-") as folder:
        for name in arguments.files:
            good = open(name, "rb").read()
            ending = "".join(os.path.splitext(name)[1:]) if not name.endswith(".gz") else os.path.splitext(name[:-3])[1] + ".gz"
            is_mesh = ending in (".cgns", ".vtu")
            for number in range(arguments.count):
                path = os.path.join(folder, "file" + ending)
                with open(path, "wb") as f:
                    f.write(damaged(good, random.Random(f"{name} {arguments.seed} {number}")))
                command = [arguments.tool, "assess", path] if is_mesh else [arguments.tool, "inspect", path]
                if not is_mesh and ending not in (".step", ".stp", ".iges", ".igs"):
                    command += ["--unit", "mm"]
                try:
                    status = subprocess.run(command, capture_output=True, timeout=20).returncode
                except subprocess.TimeoutExpired:
                    status = "over 20 s"
                tally[status] = tally.get(status, 0) + 1
                if status not in (0, 1, 2, 3):
                    bad += 1
                    print(f"{name} {number}: {status}", flush=True)
                    if arguments.keep:
                        os.makedirs(arguments.keep, exist_ok=True)
                        os.replace(path, os.path.join(arguments.keep, f"{number}-{os.path.basename(name)}"))
    most = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1e6
    print(tally, f"most memory {most:.2f} GB")
    return 1 if bad or most > 2 else 0


if __name__ == "__main__":
    sys.exit(main())
