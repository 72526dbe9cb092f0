"""How fast sliced files are read, beside a plain pass that only splits the same file's lines.

    python benchmarks/sliced.py [--megabytes 100] [--runs 5]

A file of the kind slicers write is made, then read in turn with the plain pass, so that a machine
that grows slower slows both; printed are the medians in MB/s, the median of the ratios pair by
pair, and the most memory beyond the arrays, in chunks.
"""

from __future__ import annotations

import argparse
import random
import statistics
import tempfile
import time
import tracemalloc
from pathlib import Path

from metier.formats.gcode import CHUNK_BYTES, read_gcode


def make_file(path: Path, megabytes: float) -> None:
    """Write moves, comments and changes of feed, as slicers do."""
    noise = random.Random(1)
    block = ["G90", "M83"]
    for number in range(50_000):
        x, y = noise.uniform(0, 220), noise.uniform(0, 220)
        block.append(f"G1 X{x:.3f} Y{y:.3f} E{noise.uniform(0, 1):.5f}")
        if number % 50 == 0:
            block += ["; outline", "G1 E-0.8 F2400", f"G0 X{y:.3f} Y{x:.3f} F9000", "G1 E0.8 F2400"]
            block.append(f"G1 F{noise.choice((1800, 2400, 3600))}")
    text = ("\n".join(block) + "\n").encode()
    with path.open("wb") as file:
        written = 0
        while written < megabytes * 1e6:
            written += file.write(text)


def plain_pass(path: Path) -> int:
    """Split every line and count the words."""
    with path.open() as file:
        return sum(len(line.split()) for line in file)


def timed(work, *args) -> float:  # type: ignore[no-untyped-def]
    """Return the seconds that a call takes."""
    start = time.perf_counter()
    work(*args)
    return time.perf_counter() - start


def main() -> None:
    """Print the figures."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--megabytes", type=float, default=100)
    parser.add_argument("--runs", type=int, default=5)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "long.gcode"
        make_file(path, options.megabytes)
        size = path.stat().st_size / 1e6
        pairs = [
            (timed(read_gcode, str(path)), timed(plain_pass, path)) for _ in range(options.runs)
        ]
        tracemalloc.start()
        moves = read_gcode(str(path)).moves
        peak = tracemalloc.get_traced_memory()[1]
        tracemalloc.stop()
    arrays = sum(column.nbytes for column in moves)
    print(f"file              {size:.0f} MB, {moves.entries} moves")
    print(f"read              {size / statistics.median(one for one, _ in pairs):.0f} MB/s")
    print(f"plain pass        {size / statistics.median(other for _, other in pairs):.0f} MB/s")
    print(f"ratio of speeds   {statistics.median(other / one for one, other in pairs):.2f}")
    print(f"memory            {(peak - arrays) / CHUNK_BYTES:.1f} chunks beyond the arrays")


if __name__ == "__main__":
    main()
