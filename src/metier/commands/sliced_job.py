"""``metier sliced cost``: time, filament and flows of a job, and what limits make of them."""

import argparse
from typing import NamedTuple

from metier.core.job.cost import DENSITIES, JobCost, job_cost
from metier.core.job.motion import ACCELERATION_MM_S2, CORNERING_MM_S, Motion
from metier.core.measure.thresholds import same
from metier.core.refusal import Refusal
from metier.formats.gcode import Sliced
from metier.formats.sliced_file import diameter_of, only_tool, read_notes, sliced_file
from metier.logbook.book import Logbook
from metier.logbook.trials import latest_on
from metier.show.sheet import Sheet, table
from metier.trials.on_bench import OnBench, on_bench
from metier.words.parser import Answer

_BAR = 40


class Job(NamedTuple):
    """A file and what it costs; ``grams`` is None where the density is not known."""

    path: str
    cost: JobCost
    grams: float | None
    notes: tuple[str, ...]
    how: str


def sliced_cost(options: argparse.Namespace, book: Logbook) -> Answer:
    """Answer what a file costs, or two beside each other."""
    if options.plot:
        from metier.show.plot_path import check_plot_path

        check_plot_path(options.plot)
    here = on_bench(book)
    limits, limit_notes = _limits(options, here)
    density, material = _density(options, here)
    job = _job(options, here, options.file, limits, density)
    other = _job(options, here, options.other, limits, density) if options.other else None
    payload = _object(job)
    if other:
        payload["other"] = _object(other)
        payload["difference"] = _difference(job, other)
    payload["density_g_cm3"] = density
    payload["notes"] = [*limit_notes, *job.notes]
    if options.plot:
        from metier.show.job_plot import plot_job

        title = f"Flow of {options.file}" + (f" and {options.other}" if other else "")
        jobs = [(one.path, one.cost) for one in (job, other) if one]
        plot_job(options.plot, title, jobs, limits, _even_looks(options, here))
    text = _sheet(job, other, material, (*limit_notes, *job.notes))
    return Answer(payload, text)


def _limits(options: argparse.Namespace, here: OnBench) -> tuple[list[float], tuple[str, ...]]:
    if options.limit:
        for place, limit in enumerate(options.limit):
            if any(same(limit, other) for other in options.limit[:place]):
                raise Refusal(f"--limit: {limit:g} is given twice")
        return list(options.limit), ()
    now = here.stands("limit")
    if now.in_force is None:
        return [], ()
    return [now.in_force], (f"limit {now.in_force:g} mm³/s, {now.status}, as the logbook has it",)


def _density(options: argparse.Namespace, here: OnBench) -> tuple[float | None, str]:
    """Return the density in g/cm³ and what it is of."""
    if options.density is not None:
        return options.density, f"{options.density:g} g/cm³"
    material = options.material or (here.setup and here.setup.spool.material)
    if not material:
        return None, ""
    density = DENSITIES.get(material.lower())
    if density is None:
        if options.material:
            known = ", ".join(sorted(DENSITIES)).upper()
            raise Refusal(
                f"--material: the density of {material[:40]} is not known: {known}; or --density"
            )
        return None, ""
    return density, f"{material}, {density:g} g/cm³"


def _job(
    options: argparse.Namespace,
    here: OnBench,
    path: str,
    limits: list[float],
    density: float | None,
) -> Job:
    sliced = only_tool(sliced_file(path), options.tool)
    diameter_mm, notes = diameter_of(options.diameter, here.spool_mm, sliced)
    motion, how = _motion(options, sliced)
    own = options.accel is None
    cost = job_cost(sliced.moves, diameter_mm, motion, limits, options.flow or 1.0, own)
    grams = None if density is None else cost.volume_mm3 / 1000 * density
    return Job(path, cost, grams, (*read_notes(sliced), *notes), how)


def _motion(options: argparse.Namespace, sliced: Sliced) -> tuple[Motion, str]:
    """Return acceleration and cornering, and where they come from."""
    file_sets = bool((sliced.moves.acceleration > 0).any())
    accel, corner = options.accel or ACCELERATION_MM_S2, options.cornering
    words = [
        "the file's own acceleration"
        if file_sets and options.accel is None
        else f"{accel:g} mm/s²" + ("" if options.accel else " (taken)")
    ]
    if corner is None:
        corner = sliced.cornering_mm_s or CORNERING_MM_S
        source = "the file's" if sliced.cornering_mm_s else "taken"
        words.append(f"cornering {corner:g} mm/s ({source})")
    else:
        words.append(f"cornering {corner:g} mm/s")
    return Motion(accel, corner), ", ".join(words)


def _even_looks(options: argparse.Namespace, here: OnBench) -> float | None:
    if options.even_looks is not None:
        return float(options.even_looks)
    for trial in latest_on(here.book, here.setup, "volumetric", 5) if here.setup else []:
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
        "limits": [one._asdict() for one in cost.limits],
        "histogram": [one._asdict() for one in cost.histogram],
        "layers": [one._asdict() for one in cost.layers],
        "how": f"estimate: trapezoids, {job.how}",
    }


def _difference(job: Job, other: Job) -> dict[str, float | None]:
    one, two = job.cost, other.cost
    grams = None if job.grams is None or other.grams is None else other.grams - job.grams
    return {
        "time_s": two.time_s - one.time_s,
        "time_percent": 100 * (two.time_s / one.time_s - 1),
        "filament_mm": two.filament_mm - one.filament_mm,
        "filament_g": grams,
    }


def _sheet(job: Job, other: Job | None, material: str, notes: tuple[str, ...]) -> str:
    cost = job.cost
    sheet = Sheet(f"Sliced job: {job.path}")
    estimate = f"an estimate: trapezoids, {job.how}"
    sheet.row("time", duration(cost.time_s), estimate)
    weight = "" if job.grams is None else f", {job.grams:.1f} g ({material})"
    sheet.row(
        "filament", f"{cost.filament_mm / 1000:.2f} m", f"{cost.volume_mm3 / 1000:.2f} cm³{weight}"
    )
    quantiles = cost.quantiles_mm3_s
    most = f"nine tenths of the time below {quantiles[0.9]:.3g}, at most {quantiles[1.0]:.3g}"
    sheet.row("flow", f"{quantiles[0.5]:.3g} mm³/s", f"in the middle; {most}")
    for note in notes:
        sheet.note(note)
    sheet.gap()
    sheet.lines("  Printing time by flow:", *_bars(cost))
    if cost.limits and not other:
        sheet.gap()
        sheet.lines(*_limit_rows(cost))
    if other:
        sheet.gap()
        sheet.lines(*_beside(job, other))
        for note in other.notes:
            sheet.note(note)
    return sheet.text()


def _bars(cost: JobCost) -> list[str]:
    most = max(one.share for one in cost.histogram)
    shown = list(cost.histogram)
    while len(shown) > 1 and shown[0].share < 0.0005:
        shown.pop(0)
    lines = []
    for one in shown:
        bar = "#" * round(_BAR * one.share / most)
        span = f"{one.low_mm3_s:.3g}-{one.high_mm3_s:.3g}"
        lines.append(f"  {span:>8} mm³/s  {100 * one.share:5.1f} %  {bar}".rstrip())
    return lines


def _limit_rows(cost: JobCost) -> list[str]:
    rows = [
        (
            f"{one.limit_mm3_s:g}",
            f"{100 * one.share_of_time:.1f} %",
            f"{100 * one.share_of_length:.1f} %",
            duration(one.time_s),
            f"+{duration(one.time_s - cost.time_s)}",
        )
        for one in cost.limits
    ]
    header = ("limit mm³/s", "of time over", "of length", "time with it", "longer by")
    return table(header, rows, right=(0, 1, 2, 3, 4))


def _beside(job: Job, other: Job) -> list[str]:
    one, two = job.cost, other.cost
    rows = [
        _time_row("time", one.time_s, two.time_s),
        *(
            _time_row(f"held to {first.limit_mm3_s:g} mm³/s", first.time_s, second.time_s)
            for first, second in zip(one.limits, two.limits, strict=True)
        ),
        (
            "filament",
            f"{one.filament_mm / 1000:.2f} m",
            f"{two.filament_mm / 1000:.2f} m",
            f"{(two.filament_mm - one.filament_mm) / 1000:+.2f} m",
        ),
        (
            "highest flow",
            f"{one.quantiles_mm3_s[1.0]:.3g} mm³/s",
            f"{two.quantiles_mm3_s[1.0]:.3g} mm³/s",
            "",
        ),
    ]
    if job.grams is not None and other.grams is not None:
        change = f"{other.grams - job.grams:+.1f} g"
        rows.insert(-1, ("weight", f"{job.grams:.1f} g", f"{other.grams:.1f} g", change))
    return table(("", _short(job.path), _short(other.path), "difference"), rows, right=(1, 2, 3))


def _time_row(what: str, one_s: float, two_s: float) -> tuple[str, str, str, str]:
    change_s = two_s - one_s
    sign, percent = "-" if change_s < 0 else "+", f"{100 * change_s / one_s:+.0f} %"
    return (what, duration(one_s), duration(two_s), f"{sign}{duration(abs(change_s))} ({percent})")


def _short(path: str) -> str:
    name = path.rsplit("/", 1)[-1]
    return name if len(name) <= 20 else f"…{name[-19:]}"


def duration(seconds: float) -> str:
    """Return «1 h 05 min», «12 min 30 s», «8.5 s»."""
    if seconds < 59.95:
        return f"{seconds:.1f} s"
    whole = round(seconds)
    if whole < 3600:
        return f"{whole // 60} min {whole % 60:02d} s"
    minutes = round(seconds / 60)
    return f"{minutes // 60} h {minutes % 60:02d} min"
