"""How long it takes to write each part: whole processes, the median of some runs, in seconds.

python benchmarks/parts.py [RUNS]
"""

import os
import shlex
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

METIER = str(Path(sys.executable).parent / "metier")
SET_UP = (
    "printer add heron --nozzle 0.5 --steps 412 --bed 235x235 --accel 2000",
    "spool add fern-1 --material PLA --bed-temperature 60",
    "bench --printer heron --spool fern-1 --temperature 210",
)
PLANS = {
    "tube": "flow --plan --width 0.6 --layer 0.24 --walls 3",
    "ramp": "volumetric --plan",
    "plate": "xy --plan",
    "pairs": "fit --plan",
    "bolt and nut": "fit --plan --thread M20x2.5",
    "coupons": "volumetric --strength --plan",
    "tube of speeds": "map --plan",
    "columns": "heat --plan",
}
# Its sections differ in what no mesh can say.
LINES_ONLY = ("tube of speeds",)


def main(runs: int = 5) -> None:
    """Print the table."""
    with tempfile.TemporaryDirectory() as folder:
        environment = {**os.environ, "METIER_LOGBOOK": str(Path(folder) / "logbook.sqlite")}

        def run(line: str) -> float:
            begin = time.perf_counter()
            subprocess.run(
                [METIER, *shlex.split(line)], cwd=folder, env=environment, check=True,
                stdout=subprocess.DEVNULL,
            )  # fmt: skip
            return time.perf_counter() - begin

        for line in (*SET_UP, *PLANS.values()):
            run(line)
        print("| part | shown | .gcode | .3mf |")
        print("| --- | --- | --- | --- |")
        for number, name in enumerate(PLANS, 1):
            cells = []
            for file in ("", "part.gcode --force", "part.3mf --force"):
                if file.startswith("part.3mf") and name in LINES_ONLY:
                    cells.append("-")
                    continue
                took = [run(f"part {number} {file}") for _ in range(runs)]
                cells.append(f"{statistics.median(took):.1f}")
            print(f"| {name} | {' | '.join(cells)} |")


if __name__ == "__main__":
    main(*(int(word) for word in sys.argv[1:]))
