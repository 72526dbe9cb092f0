"""A sliced file by all limits that are known."""

from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.job.cost import JobCost, Motion, job_cost
from metier.core.measure.thresholds import same
from metier.formats.gcode import Sliced
from metier.logbook.inforce import KnownLimit, known_limits
from metier.logbook.trials import Trial, latest_on
from metier.show.figures import duration
from metier.show.sheet import MARGIN, Sheet, columns, fitted, table
from metier.trials.on_bench import OnBench
from metier.trials.proof.kept import time_factor
from metier.trials.takes import Mass, grams_of

# How many of the newest trials are looked at for what coupons and ramps told.
_NEWEST = 12


class WithBench(NamedTuple):
    """A job on one bench: its time under that limit, as long as its printer really takes; its mass;
    the share of its layers that cross from even to dull walls, and the share of its length that is
    printed as strong as when slow (None where no trial told)."""

    known: KnownLimit
    time_s: float
    factor: float | None
    mass: Mass | None
    dull_share: float | None
    strong_share: float | None
    other_bore: bool


def known_benches(
    bench: OnBench, sliced: Sliced, diameter_mm: float, motion: Motion, own: bool
) -> list[WithBench]:
    """Return the job with all that is known, best first: of the bore it was sliced for, then the
    fastest.

    Raises:
        BadInput: no limit is known anywhere.
    """
    known = known_limits(bench.book)
    if not known:
        raise BadInput("no limit is known anywhere yet: metier volumetric")
    limits = sorted({known_bench.limit_mm3_s for known_bench in known})
    cost = job_cost(sliced.moves, diameter_mm, motion, limits, 1.0, own)
    bore_mm = bench.setup.nozzle.bore_mm if bench.setup else None
    benches = []
    for known_bench in known:
        time_s = next(
            under.time_s
            for under in cost.limits
            if same(under.limit_mm3_s, known_bench.limit_mm3_s)
        )
        factor = time_factor(bench.book, known_bench.setup.printer)
        there = bench.moved_to(known_bench.setup)
        even, strong = _told(there)
        benches.append(
            WithBench(
                known_bench,
                time_s * (factor.factor if factor else 1.0),
                factor and factor.factor,
                grams_of(there, cost.filament_mm, cost.volume_mm3),
                None if even is None else _dull(cost, even, known_bench.limit_mm3_s),
                None if strong is None else _below(cost, strong, known_bench.limit_mm3_s),
                bore_mm is not None and not same(bore_mm, known_bench.setup.nozzle.bore_mm),
            )
        )
    return sorted(benches, key=lambda bench: (bench.other_bore, bench.time_s))


def _told(there: OnBench) -> tuple[float | None, float | None]:
    """Return from where walls look dull, and up to where parts are strong, at this temperature."""
    assert there.setup is not None
    even = strong = None
    for trial in latest_on(there.book, there.setup, "volumetric", _NEWEST):
        if not _same_heat(trial, there):
            continue
        findings = trial.findings or {}
        if even is None:
            even = findings.get("even_looks_mm3_s")
        if strong is None and trial.settings.get("way") == "strength":
            strong = findings.get("last_good_mm3_s")
    return even, strong


def _same_heat(trial: Trial, there: OnBench) -> bool:
    then_c, now_c = trial.temperature_c, there.chosen.temperature_c
    return then_c == now_c or then_c is None or now_c is None


def _dull(cost: JobCost, even_mm3_s: float, limit_mm3_s: float) -> float:
    """Return the share of layers that are even in part and dull in part: bands that are seen."""
    mixed = sum(
        min(layer.most_mm3_s, limit_mm3_s) > even_mm3_s > layer.mean_mm3_s for layer in cost.layers
    )
    return mixed / len(cost.layers) if cost.layers else 0.0


def _below(cost: JobCost, strong_mm3_s: float, limit_mm3_s: float) -> float:
    """Return the share of the printing time at flows at which coupons were as strong as slow."""
    if limit_mm3_s <= strong_mm3_s:
        return 1.0
    return sum(share.share for share in cost.histogram if share.high_mm3_s <= strong_mm3_s + 1e-9)


def write_known(sheet: Sheet, bench: OnBench, benches: list[WithBench]) -> None:
    """Write the job with all that is known, best first."""
    rows = [_row(bench, benche) for benche in benches]
    head = ("", "mm³/s", "time", "g", "dull", "strong", "nozzle", "spool", "at")
    shown = [i for i in range(len(head)) if i == 0 or any(row[i] for row in rows)]
    heads = tuple(head[i] for i in shown)
    cells = [tuple(row[i] for i in shown) for row in rows]
    names = tuple(shown.index(i) for i in (6, 7) if i in shown)
    sheet.lines("  With all that is known, best first:")
    right = tuple(shown.index(i) for i in (1, 2, 3, 4, 5) if i in shown)
    sheet.lines(*table(heads, fitted(cells, heads, names, columns(), MARGIN), right))
    if any(benche.other_bore for benche in benches):
        sheet.remark("/ another bore: slice it anew for that nozzle before believing its row.")
    if any(benche.factor for benche in benches):
        sheet.remark("Times are longer by what proofs on each printer took beside the estimate.")


def _row(bench: OnBench, chosen: WithBench) -> tuple[str, ...]:
    setup = chosen.known.setup
    mark = "*" if bench.setup and setup == bench.setup else "/" if chosen.other_bore else ""
    return (
        mark,
        f"{'≥ ' if chosen.known.at_least else ''}{chosen.known.limit_mm3_s:g}",
        duration(chosen.time_s),
        "" if chosen.mass is None else f"{chosen.mass.grams:.1f}",
        "" if chosen.dull_share is None else f"{100 * chosen.dull_share:.0f} %",
        "" if chosen.strong_share is None else f"{100 * chosen.strong_share:.0f} %",
        setup.nozzle.name,
        setup.spool.name,
        "" if setup.temperature_c is None else f"{setup.temperature_c:g} °C",
    )


def known_object(bench: WithBench) -> dict[str, object]:
    """Return a row as JSON has it."""
    setup = bench.known.setup
    return {
        "printer": setup.printer.name,
        "nozzle": setup.nozzle.name,
        "spool": setup.spool.name,
        "temperature_c": setup.temperature_c,
        "limit_mm3_s": bench.known.limit_mm3_s,
        "at_least": bench.known.at_least,
        "status": bench.known.status,
        "time_s": bench.time_s,
        "time_factor": bench.factor,
        "filament_g": bench.mass and bench.mass.grams,
        "dull_bands_share": bench.dull_share,
        "strength_kept_share": bench.strong_share,
        "other_bore": bench.other_bore,
    }
