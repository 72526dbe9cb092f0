"""The ramp to print, from what is known of hot ends like this: ``metier volumetric --plan``."""

from argparse import Namespace

from metier.core.limit.plan import (
    ACCELERATION_MM_S2,
    LARGEST_RADIUS_MM,
    RADII_MM,
    Nearest,
    Proposal,
    Reach,
    line_notes,
    price,
    propose_range,
    propose_steps,
    reaching,
    usual_line,
)
from metier.core.limit.ramp import SIGHTED_WITHIN_MM, Continuous, LimitRule, Ramp, Stepped
from metier.core.line.bead import PrintedLine, line_for_bore
from metier.core.materials import melts_mm3_s
from metier.core.measure.thresholds import round_to
from metier.logbook.bench import Setup
from metier.logbook.inforce import KnownLimit, most_similar
from metier.show.figures import value_text
from metier.trials.kind import Settled
from metier.trials.limit.lines import flow_in_use, printed_line
from metier.trials.limit.settings import HotEnd, KeptLine, Reckoning, limit_rule
from metier.trials.on_bench import GCODE, OnBench, bench_phrase, needed_setup, part_ending
from metier.trials.ramp.settings import RampSettings, given_ramp, last_ramp

# What a ramp has round it and in front of it: its foot; the tab, and what the bed keeps free.
_ROUND_MM, _IN_FRONT_MM = 4.0, 24.0
# A hot end that is called so melts more than a plain one.
_FAST_WORDS = ("fast", "high flow", "high-flow", "long")


def planned_ramp(options: Namespace, bench: OnBench) -> Settled[RampSettings]:
    """Return the settings of the ramp to print."""
    ready = needed_setup(bench.chosen)
    rule = limit_rule(options, None)
    bore_mm = ready.nozzle.bore_mm
    known, _ = printed_line(options, bench)
    width_mm, layer_mm = usual_line(known and known.width_mm, known and known.layer_mm, bore_mm)
    ratio, unsettled = flow_in_use(options, bench)
    ending = part_ending(options.part, options.force) if options.part else ""
    if ending and known is None:
        width_mm, layer_mm = line_for_bore(bore_mm)
    line = PrintedLine(
        options.width[0] if options.width else width_mm,
        options.layer[0] if options.layer else layer_mm,
        # Metier's own lines are dosed so that they just fill.
        "rounded" if ending == GCODE else options.line_model or ready.printer.line_model,
        ratio,
    )
    accel_mm_s2, taken = _acceleration(options, bench)
    model = line.line_model
    reach = reaching(
        _ramp(options, most_similar(bench.book, ready), ready, rule),
        # While the line model is not known, the one that asks for more speed.
        line._replace(line_model=model or "rounded"),
        options.outline,
        accel_mm_s2,
        bore_mm,
        layer_fixed=bool(options.layer),
        width_fixed=bool(options.width),
        largest_radius_mm=largest_radius_mm(ready),
    )
    line = reach.line._replace(line_model=model)
    settings = RampSettings(
        "ramp",
        reach.ramp,
        options.marker_every,
        options.within or SIGHTED_WITHIN_MM,
        Reckoning.of(rule),
        KeptLine.of(line),
        1,
        HotEnd.of(bench),
        reach=Reach(reach.outline, accel_mm_s2),
    )
    notes = line_notes(line.width_mm, line.layer_mm, bore_mm)
    return Settled(settings, remarks=(*unsettled, *taken, *reach.remarks, *notes))


def _acceleration(options: Namespace, bench: OnBench) -> tuple[float, tuple[str, ...]]:
    """Return the acceleration to plan with, and a note where nobody said it."""
    if options.accel is not None:
        return options.accel, ()
    last = last_ramp(bench)
    of_printer = bench.chosen.printer and bench.chosen.printer.accel_mm_s2
    if of_printer:
        return of_printer, ()
    if last and last.settings.reach:
        return last.settings.reach.accel_mm_s2, ()
    return ACCELERATION_MM_S2, (
        f"an acceleration of {ACCELERATION_MM_S2:g} mm/s² is taken: --accel says otherwise",
    )


def largest_radius_mm(ready: Setup) -> float:
    """Return the largest radius of a ramp that a bed holds, foot and tab included."""
    wide_mm, deep_mm = ready.printer.bed_x_mm, ready.printer.bed_y_mm
    if wide_mm is None or deep_mm is None:
        return LARGEST_RADIUS_MM
    held_mm = min(wide_mm, deep_mm - _IN_FRONT_MM) / 2 - _ROUND_MM
    return min(LARGEST_RADIUS_MM, round_to(held_mm, RADII_MM, "down"))


def priced(settled: Settled[RampSettings], bench: OnBench) -> Proposal:
    """Return what printing the ramp takes.

    Raises:
        BadInput: it cannot be printed.
    """
    ramp, line, reach = (
        settled.settings.ramp,
        settled.settings.line.printed,
        settled.settings.reach,
    )
    assert ramp is not None
    assert line is not None
    assert reach is not None
    return price(ramp, line, reach, needed_setup(bench.chosen).spool.diameter_mm)


def _ramp(options: Namespace, similar: KnownLimit | None, ready: Setup, rule: LimitRule) -> Ramp:
    """Return the ramp as given, the rest as it suits this hot end and nozzle."""
    nearest = nearest_of(ready, similar)
    melts = melts_mm3_s(ready.spool.material, ready.nozzle.bore_mm)
    low, high = propose_range(melts, nearest, fast=is_fast(ready))
    low, high = options.start or low, options.to or high
    if options.start is None and options.to is not None and low >= high:
        low = high / 4
    if options.to is None and high <= low:
        high = 3 * low
    base_mm = options.base or 0.0
    if options.rise_per_mm is not None:
        ramp = given_ramp(options) or Continuous(low, options.rise_per_mm, base_mm)
        return ramp._replace(to_mm3_s=high)
    searching = nearest is None or not nearest.told
    step, every_mm = propose_steps(low, high, rule.round_to_mm3_s, searching=searching)
    step, every_mm = options.step or step, options.every or every_mm
    steps = int((high - low) / step + 1e-9)
    if options.start is None and options.to is not None:
        low = round(high - max(1, steps) * step, 10)
    high = round(low + max(1, steps) * step, 10)
    return Stepped(low, step, every_mm, base_mm, high)


def nearest_of(ready: Setup, similar: KnownLimit | None) -> Nearest | None:
    """Return a known limit as far as it tells where to look on this bench."""
    if similar is None:
        return None
    other = similar.setup
    alike = other.nozzle.id == ready.nozzle.id and (
        other.spool.material.lower() == ready.spool.material.lower()
    )
    return Nearest(similar.limit_mm3_s, alike, similar.at_least)


def is_fast(ready: Setup) -> bool:
    """Tell whether the hot end is named as one that melts more than a plain one."""
    named = (ready.nozzle.hot_end or "").lower()
    return any(word in named for word in _FAST_WORDS)


def recipe(settled: Settled[RampSettings], bench: OnBench) -> list[tuple[str, str]]:
    """Return what to print and to set, line by line."""
    ready, proposal = needed_setup(bench.chosen), priced(settled, bench)
    ramp, line = proposal.ramp, proposal.line
    similar = most_similar(bench.book, ready)
    hot_end = "a fast hot end" if is_fast(ready) else "a plain hot end"
    where = (
        f"no limit is known yet: what {hot_end} melts of {ready.spool.material} through "
        f"{ready.nozzle.bore_mm:g} mm"
    )
    if similar:
        least = "at least " if similar.at_least else ""
        where = f"{least}{similar.limit_mm3_s:g} mm³/s is known of {bench_phrase(similar.setup)}"
    return [
        ("print", f"{_tube(proposal.reach)}, walls of one line, no top, no infill"),
        ("flow from", f"{ramp.from_mm3_s:g} to {ramp.to_mm3_s:g} mm³/s, {ramp.rises()}"),
        ("so speed", f"{proposal.from_mm_s:.0f} to {proposal.to_mm_s:.0f} mm/s"),
        ("reached", _reached(proposal)),
        ("line", f"{line.width_mm:g} mm wide, {line.layer_mm:g} mm high"),
        ("at flow", value_text("flow", line.flow, bench.writing)),
        ("height", f"{proposal.height_mm:g} mm"),
        (
            "set",
            f"the slicer's volumetric limit above {ramp.to_mm3_s:g}: it would flatten the ramp",
        ),
        ("set", f"no slowing for short layers: the last take {proposal.least_layer_s:.1f} s each"),
        ("range", where),
        *(("note", text) for text in settled.remarks),
    ]


def _tube(reach: Reach) -> str:
    """Return what to print, in words."""
    size_mm = reach.outline.size_mm
    if reach.outline.shape == "round":
        return f"a round tube, {2 * size_mm:g} mm across"
    return f"a square tube, {size_mm:g} mm from corner to corner"


def _reached(proposal: Proposal) -> str:
    accel = f"at {proposal.reach.accel_mm_s2:g} mm/s²"
    if proposal.reach.outline.shape == "round":
        return f"all round, {accel}: a circle has no corners to slow down at"
    return f"over {100 * proposal.at_speed:.0f} % of each side at its end, {accel}"


def figures_of(proposal: Proposal) -> dict[str, object]:
    """Return what printing a planned ramp takes."""
    return {
        "outline": proposal.reach.outline.shape,
        "outline_mm": proposal.reach.outline.size_mm,
        "accel_mm_s2": proposal.reach.accel_mm_s2,
        "at_speed": proposal.at_speed,
        "height_mm": proposal.height_mm,
        "time_s": proposal.time_s,
        "filament_mm": proposal.filament_mm,
        "volume_mm3": proposal.volume_mm3,
        "from_mm_s": proposal.from_mm_s,
        "to_mm_s": proposal.to_mm_s,
        "least_layer_s": proposal.least_layer_s,
    }
