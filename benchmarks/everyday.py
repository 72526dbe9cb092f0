"""How long the everyday commands take, as ratios to starting Python with what they stand on.

    python benchmarks/everyday.py [--runs 21] [--few 0] [--trials 20000]

Each command and the baseline ``python -c "import argparse, sqlite3"`` run in turn, so that a
machine that grows slower slows both; printed is the median of the ratios, pair by pair. Every
command runs on a logbook with a bench and few trials or none and on one with many; each run gets
a fresh copy. Last, the most memory that any of them took with many.
"""

from __future__ import annotations

import argparse
import json
import os
import random
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

FLOW = "--width 0.5 --walls 1 --layer 0.2 --flow 100 --read 0.54 0.55 0.53 0.54"
COMMANDS = {
    "esteps": "esteps --asked 150 --mark 180 --left 35.1 34.8 35.4 --steps 412",
    "flow": f"flow {FLOW}",
    "diameter": "diameter --read 1.74/1.72 1.73",
    "volumetric": "volumetric --from 4 --step 0.4 --every 2.5 --gaps-at 31.5",
    "entered": "entered flow 92",
    "profile": "profile",
    "profile --card": "profile --card",
    "next": "next",
    "history --limit 20": "history --limit 20",
}
SET_UP = (
    "printer add heron --nozzle 0.5 --steps 412",
    "spool add fern-1 --material PLA --maker Saltmarsh",
    "bench --printer heron --spool fern-1 --temperature 210",
)
BASELINE = [sys.executable, "-c", "import argparse, sqlite3"]
METIER = str(Path(sys.executable).parent / "metier")


MEASURE = """
import resource, subprocess, sys
subprocess.run(sys.argv[1:], stdout=subprocess.DEVNULL, check=True)
print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)
"""


def peak_mb(words: str, logbook: Path) -> float:
    """Return the largest memory that a command takes, in MB."""
    environment = {**os.environ, "METIER_LOGBOOK": str(logbook)}
    command = [sys.executable, "-c", MEASURE, METIER, *words.split()]
    finished = subprocess.run(command, env=environment, capture_output=True, check=True)
    return int(finished.stdout) / 1024


def run(command: list[str], logbook: Path) -> float:
    """Return the seconds one run takes."""
    environment = {**os.environ, "METIER_LOGBOOK": str(logbook)}
    start = time.perf_counter()
    finished = subprocess.run(command, env=environment, capture_output=True, check=False)
    seconds = time.perf_counter() - start
    if finished.returncode:
        raise SystemExit(f"{' '.join(command)}: {finished.stderr.decode()}")
    return seconds


def make_logbook(folder: Path, trials: int) -> Path:
    """Make a logbook with a bench and that many trials on it, corrected and kept in turn."""
    from metier.core.measure.readings import Instrument, estimate
    from metier.logbook.bench import current_bench, setup
    from metier.logbook.opening import open_existing
    from metier.logbook.recording import record_trial
    from metier.logbook.trials import Conditions, Outcome, Reading

    path = folder / f"logbook-{trials}.sqlite"
    os.environ["METIER_LOGBOOK"] = str(path)
    for words in SET_UP:
        subprocess.run([METIER, *words.split()], stdout=subprocess.DEVNULL, check=True)
    if not trials:
        return path
    for words in (COMMANDS["esteps"], COMMANDS["flow"]):
        subprocess.run([METIER, *words.split()], stdout=subprocess.DEVNULL, check=True)
    with open_existing(str(path)) as book:
        ready = setup(current_bench(book))
        assert ready is not None
        book.connection.execute("PRAGMA synchronous = OFF")
        model = book.connection.execute("SELECT settings, findings FROM trial WHERE id = 2")
        settings, findings = (json.loads(text) for text in model.fetchone())
        noise = random.Random(1)
        for number in range(trials):
            walls_mm = [0.5 + noise.gauss(0, 0.012) for _ in range(8)]
            wall = estimate(walls_mm, Instrument(0.012, 0.01, 0.01))
            flow = 0.92 if number % 4 else 1.0
            record_trial(
                book,
                ready,
                "flow",
                settings=settings,
                conditions=Conditions(speed_mm_s=40.0, instrument="calipers"),
                readings=[Reading("front", one, f"{one:.2f}") for one in walls_mm],
                findings={**findings, "wall_mm": wall.value},
                verdict="keep" if number % 4 else "correct",
                outcomes=[Outcome("flow", flow, 0.92, wall.u95, 0.92)],
            )
    return path


def measure(logbook: Path, runs: int) -> dict[str, float]:
    """Return the median ratio of each command to the baseline."""
    work = logbook.with_name("work.sqlite")
    ratios = {}
    for name, words in COMMANDS.items():
        pairs: list[float] = []
        for number in range(runs + 1):
            shutil.copyfile(logbook, work)
            baseline = run(BASELINE, work)
            ratio = run([METIER, *words.split()], work) / baseline
            if number:  # the first pair warms up
                pairs.append(ratio)
        ratios[name] = statistics.median(pairs)
    return ratios


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--runs", type=int, default=21)
    parser.add_argument("--few", type=int, default=0)
    parser.add_argument("--trials", type=int, default=20_000)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        few = measure(make_logbook(Path(folder), options.few), options.runs)
        full = measure(make_logbook(Path(folder), options.trials), options.runs)
        full_logbook = Path(folder) / f"logbook-{options.trials}.sqlite"
        memory = max(peak_mb(words, full_logbook) for words in COMMANDS.values())
    print(f"| command | {options.few} trials | {options.trials} trials | full / few |")
    print("| --- | --- | --- | --- |")
    for name in COMMANDS:
        print(f"| `{name}` | {few[name]:.2f} | {full[name]:.2f} | {full[name] / few[name]:.2f} |")
    print(f"\nMost memory: {memory:.0f} MB")


if __name__ == "__main__":
    main()
