"""How long the everyday commands take, as ratios to starting Python with what they stand on.

    python benchmarks/everyday.py [--runs 21] [--few 0] [--trials 20000]

Each command and the baseline ``python -c "import argparse, sqlite3"`` run in turn, so that a
machine that grows slower slows both; printed is the median of the ratios, pair by pair. Every
command runs on a logbook with a bench and few trials or none and on one with many; each run gets
a fresh copy. Last, the most memory that any of them took with many.
"""

from __future__ import annotations

import argparse
import os
import shutil
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import time
from contextlib import closing
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


TRIALS_A_ROLL = 50
ROLLS_A_PRINTER = 100
COPIED = """
WITH RECURSIVE n(i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM n WHERE i + 1 < :trials)
SELECT i, 1 + i % :models AS model, :roll + i / :a_roll AS spool,
  1 + (i / :a_roll / :rolls) % :printers AS printer FROM n
"""


def make_logbook(folder: Path, trials: int) -> Path:
    """Make a logbook of that many trials: of each kind in turn, one in four a correction, fifty a
    roll, a printer for every hundred rolls, each nozzle swapped now and then; the bench has the
    newest roll."""
    path = folder / f"logbook-{trials}.sqlite"
    os.environ["METIER_LOGBOOK"] = str(path)

    def metier(line: str) -> None:
        subprocess.run([METIER, *line.split()], stdout=subprocess.DEVNULL, check=True)

    for line in SET_UP:
        metier(line)
    if not trials:
        return path
    models = [COMMANDS[name] for name in ("esteps", "flow", "diameter", "volumetric")]
    for line in models:
        metier(line)
    rolls = -(-trials // TRIALS_A_ROLL)
    printers = -(-rolls // ROLLS_A_PRINTER)
    for number in range(1, printers):
        metier(f"printer add heron-{number} --nozzle 0.5 --steps 412")
    with closing(sqlite3.connect(path, isolation_level=None)) as book:
        (first,) = book.execute("SELECT max(id) + 1 FROM moment").fetchone()
        (roll,) = book.execute("SELECT max(id) + 1 FROM spool").fetchone()
        told = {
            "trials": trials, "models": len(models), "roll": roll, "a_roll": TRIALS_A_ROLL,
            "rolls": ROLLS_A_PRINTER, "printers": printers, "first": first,
        }  # fmt: skip
        book.execute("BEGIN")
        book.execute(f"CREATE TEMP TABLE copied AS {COPIED}", told)
        for statement in (
            "INSERT INTO moment (id, at) SELECT :first + i,"
            " strftime('%Y-%m-%dT%H:%M:%SZ', '2026-11-01', '-' || (:trials - i) || ' minutes')"
            " FROM copied",
            "INSERT INTO spool (id, name, material, maker, colour, diameter_mm, foaming, flexible,"
            " added) SELECT spool, 'moss-' || spool, iif(spool % 3, 'PLA', 'PETG'),"
            " iif(spool % 2, 'Saltmarsh', 'Fenland'), 'colour ' || spool % 7, 1.75, 0, 0,"
            " min(:first + i) FROM copied GROUP BY spool",
            "INSERT INTO trial SELECT 100 + i, test, state, c.printer, nozzle.id, c.spool,"
            " temperature_c, speed_mm_s, feed_rate_mm_s, through, instrument, settings, findings,"
            " iif(i % 16 < 4, verdict, 'keep'), :first + i, :first + i, NULL, NULL, NULL"
            " FROM copied AS c JOIN trial ON trial.id = c.model"
            " JOIN nozzle ON nozzle.printer = c.printer",
            "INSERT INTO reading SELECT 100 + i, position, side, value, typed, version, amended"
            " FROM copied AS c JOIN reading ON reading.trial = c.model",
            "INSERT INTO outcome SELECT 100 + i, kind,"
            " iif(i % 16 < 4, value_now, value_to_type), value_new, u95,"
            " value_to_type, sure_from, sure_to, rough FROM copied AS c"
            " JOIN outcome ON outcome.trial = c.model",
            "INSERT INTO change SELECT :first + i, printer, 'nozzle', (SELECT id FROM nozzle WHERE"
            " nozzle.printer = copied.printer), '[\"flow\"]', NULL, NULL FROM copied"
            " WHERE i % 1000 = 999",
            "COMMIT",
        ):
            book.execute(statement, told if ":" in statement else {})
        printer, spool = book.execute(
            "SELECT printer.name, spool.name FROM trial JOIN printer ON printer.id = printer"
            " JOIN spool ON spool.id = spool ORDER BY trial.id DESC LIMIT 1"
        ).fetchone()
    metier(f"bench --printer {printer} --spool {spool} --temperature 210")
    return path


def measure(logbook: Path, runs: int) -> dict[str, float]:
    """Return the median ratio of each command to the baseline."""
    work = logbook.with_name("work.sqlite")
    ratios = {}
    for name, words in COMMANDS.items():
        pairs: list[float] = []
        for number in range(runs + 1):
            shutil.copyfile(logbook, work)
            # Or the command would wait for the copy to be on the disk.
            os.sync()
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
