"""``metier sliced cost``: time, filament and flows of a job, and what limits make of them."""

import math
import os
from argparse import Namespace
from functools import partial

from metier.commands.sliced_known import WithBench, known_benches, known_object, write_known
from metier.core.errors import BadInput
from metier.core.job.cost import JobMeter, Motion
from metier.core.job.moves import Moves
from metier.core.job.sliced_walls import Walls
from metier.core.materials import DENSITIES
from metier.core.measure.thresholds import same
from metier.formats.gcode import (
    Said,
    diameter_of,
    only_tool,
    read_notes,
    said_at_ends,
    sliced_file,
    sliced_stream,
)
from metier.logbook.book import Logbook
from metier.logbook.trials import latest_on
from metier.show.job_sheet import Job, job_sheet
from metier.trials.on_bench import OnBench, on_bench
from metier.trials.proof.kept import time_factor
from metier.trials.takes import grams_of, motion_of
from metier.words.parser import Answer, picture_words


def sliced_cost(options: Namespace, book: Logbook) -> Answer:
    """Answer what a file costs, or two beside each other."""
    if options.plot:
        from metier.words.parser import check_plot_path

        check_plot_path(options.plot, options.force)
    bench = on_bench(book)
    if options.all_known and (options.other or options.limit or options.flow):
        raise BadInput(
            "--all-known takes every limit there is: leave OTHER, --limit and --flow out"
        )
    limits, limit_notes = _limits(options, bench)
    density, material = _density(options, bench)
    if options.density is None and options.material is None:
        by_strand = grams_of(bench, 1.0, 1.0)
        material = by_strand.by if by_strand else material
    job = _job(options, bench, options.file, limits, density)
    other = _job(options, bench, options.other, limits, density) if options.other else None
    payload = _object(job)
    if other:
        payload["other"] = _object(other)
        payload["difference"] = _difference(job, other)
    payload["density_g_cm3"] = density
    payload["notes"] = [*limit_notes, *job.notes]
    factor = time_factor(book, bench.setup.printer) if bench.setup else None
    payload["time_factor"] = factor and factor.factor
    known = _with_all_known(options, bench) if options.all_known else []
    if options.all_known:
        payload["known"] = [known_object(known_bench) for known_bench in known]
    payload["colours"] = [colour._asdict() for colour in job.colours]
    if options.plot:
        from metier.show.job_plot import plot_job

        jobs = [(os.path.basename(sliced.path), sliced.cost) for sliced in (job, other) if sliced]
        title = f"Flow of {' and '.join(name for name, _ in jobs)}"
        plot_job(options.plot, title, jobs, limits, _even_looks(options, bench))
    sheet = job_sheet(job, other, material, (*limit_notes, *job.notes), factor)
    if known:
        sheet.gap()
        write_known(sheet, bench, known)
    text = sheet.text()
    if options.plot:
        text += f"\n  {picture_words(options.plot)}"
    return Answer(payload, text)


def _with_all_known(options: Namespace, bench: OnBench) -> list[WithBench]:
    sliced = only_tool(sliced_file(options.file), options.tool)
    diameter_mm, _ = diameter_of(options.diameter, bench.slicer_mm, sliced.said)
    motion, _ = motion_of(sliced.said, options.accel, options.cornering)
    return known_benches(bench, sliced, diameter_mm, motion, options.accel is None)


def _limits(options: Namespace, bench: OnBench) -> tuple[list[float], tuple[str, ...]]:
    if options.limit:
        for place, limit in enumerate(options.limit):
            if any(same(limit, other) for other in options.limit[:place]):
                raise BadInput(f"--limit: {limit:g} is given twice")
        return list(options.limit), ()
    now = bench.stands("limit")
    if now.in_force is None:
        return [], ()
    return [now.in_force], (f"limit {now.in_force:g} mm³/s, {now.status}, as the logbook has it",)


def _density(options: Namespace, bench: OnBench) -> tuple[float | None, str]:
    """Return the density in g/cm³ and what it is of."""
    if options.density is not None:
        return options.density, f"{options.density:g} g/cm³"
    material = options.material or (bench.setup and bench.setup.spool.material)
    if not material:
        return None, ""
    density = DENSITIES.get(material.lower())
    if density is None:
        if options.material:
            known = ", ".join(sorted(DENSITIES)).upper()
            raise BadInput(
                f"--material: the density of {material[:40]} is not known: {known}; or --density"
            )
        return None, ""
    return density, f"{material}, {density:g} g/cm³"


def _job(
    options: Namespace, bench: OnBench, path: str, limits: list[float], density: float | None
) -> Job:
    own = options.accel is None

    def told_by(said: Said) -> tuple[float, Motion]:
        diameter_mm, _ = diameter_of(options.diameter, bench.slicer_mm, said)
        return diameter_mm, motion_of(said, options.accel, options.cornering)[0]

    def measured(diameter_mm: float, motion: Motion) -> tuple[JobMeter, Said]:
        meter = JobMeter(diameter_mm, motion, limits, options.flow or 1.0, own)
        return meter, sliced_stream(path, partial(_of_tool, meter, options.tool))

    told = told_by(said_at_ends(path))
    meter, said = measured(*told)
    if told_by(said) != told:
        # It says in its middle what it did not say at its ends.
        meter, said = measured(*told_by(said))
    diameter_mm, notes = diameter_of(options.diameter, bench.slicer_mm, said)
    if options.tool is not None:
        if options.tool not in said.heads:
            raise BadInput(f"--tool: no tool head {options.tool} prints in that file")
        said = said._replace(heads=(options.tool,))
    cost = meter.cost()
    _, how = motion_of(said, options.accel, options.cornering)
    grams = None if density is None else cost.volume_mm3 / 1000 * density
    if options.density is None and options.material is None:
        mass = grams_of(bench, cost.filament_mm, cost.volume_mm3)
        grams = mass.grams if mass else grams
    colours = _colours(path, diameter_mm) if len(said.heads) > 1 else ()
    return Job(path, cost, grams, (*read_notes(said), *notes), how, colours)


def _of_tool(meter: JobMeter, tool: int | None, moves: Moves) -> None:
    meter.take(moves if tool is None else moves.of_tool(tool))


def _colours(path: str, diameter_mm: float) -> tuple[Walls, ...]:
    """Return what each head lays down as outer and inner walls."""
    from metier.core.job.outer import walls_by_tool

    try:
        return tuple(walls_by_tool(sliced_file(path).moves, math.pi * diameter_mm**2 / 4))
    except BadInput:
        return ()


def _even_looks(options: Namespace, bench: OnBench) -> float | None:
    if options.even_looks is not None:
        return float(options.even_looks)
    for trial in latest_on(bench.book, bench.setup, "volumetric", 5) if bench.setup else []:
        even = (trial.findings or {}).get("even_looks_mm3_s")
        if even is not None:
            return float(even)
    return None


def _object(job: Job) -> dict[str, object]:
    cost = job.cost
    first = cost.limits[0] if cost.limits else None
    return {
        "file": job.path,
        "time_s": cost.time_s,
        "printing_s": cost.printing_s,
        "filament_mm": cost.filament_mm,
        "filament_mm3": cost.volume_mm3,
        "filament_g": job.grams,
        "flow_quantiles_mm3_s": {f"{part:g}": flow for part, flow in cost.quantiles_mm3_s.items()},
        "limit_mm3_s": first and first.limit_mm3_s,
        "share_over_limit": first and first.share_of_time,
        "share_of_length_over_limit": first and first.share_of_length,
        "with_limit_s": first and first.time_s,
        "limits": [limit._asdict() for limit in cost.limits],
        "histogram": [share._asdict() for share in cost.histogram],
        "layers": [layer._asdict() for layer in cost.layers],
        "how": f"estimate: trapezoids, {job.how}",
    }


def _difference(job: Job, other: Job) -> dict[str, float | None]:
    mine, two = job.cost, other.cost
    grams = None if job.grams is None or other.grams is None else other.grams - job.grams
    return {
        "time_s": two.time_s - mine.time_s,
        "time_percent": 100 * (two.time_s / mine.time_s - 1),
        "filament_mm": two.filament_mm - mine.filament_mm,
        "filament_g": grams,
    }
