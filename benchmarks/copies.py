"""How long a long logbook takes to be carried over, and how much memory, by the commands.

    python benchmarks/copies.py [--trials 20000]

Each in turn with a plain pass over the same file by ``json``, as a measure of the machine: export,
import into a new logbook, check, and a check of what was imported.
"""

from __future__ import annotations

import argparse
import json
import tempfile
import time
from pathlib import Path

from everyday import make_logbook, peak_mb


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--trials", type=int, default=20_000)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        whole, new = make_logbook(Path(folder), options.trials), Path(folder) / "new.sqlite"
        document = Path(folder) / "whole.json"
        commands = {
            "export": (f"logbook export {document}", whole),
            "import": (f"logbook import {document}", new),
            "check": ("logbook check", whole),
            "check of the copy": ("logbook check", new),
        }
        rows = []
        for name, (line, logbook) in commands.items():
            start = time.perf_counter()
            memory_mb = peak_mb(line, logbook)
            rows.append((name, time.perf_counter() - start, memory_mb))
        start = time.perf_counter()
        json.loads(document.read_text())
        plain_s = time.perf_counter() - start
        size_mb = document.stat().st_size / 1e6
    print(f"{options.trials} trials, {size_mb:.0f} MB; json alone reads them in {plain_s:.1f} s\n")
    print("| command | seconds | MB |\n| --- | --- | --- |")
    for name, seconds, memory_mb in rows:
        print(f"| `{name}` | {seconds:.1f} | {memory_mb:.0f} |")


if __name__ == "__main__":
    main()
