"""Which temperatures to print as steps, and the columns they are printed as."""

import argparse
import math
from typing import TYPE_CHECKING

from metier.core.heat import STEP_MM
from metier.core.measure.thresholds import exceeds
from metier.core.refusal import Refusal
from metier.logbook.trials import Conditions
from metier.trials.heat.settings import HeatSettings
from metier.trials.kind import Plan, Settled, WantedLine
from metier.trials.limit.settings import KeptLine
from metier.trials.on_bench import OnBench, needed_setup
from metier.trials.printing import part_line, part_speed

if TYPE_CHECKING:
    from metier.parts.columns import Columns

_EVERY_C, _STEPS_UP, _STEPS_DOWN = 5.0, 2, 4
_FEWEST, _MOST = 2, 12
_COOLEST_C = 150.0
_STEP_HEIGHTS_MM = (5.0, 20.0)


def planned_steps(
    options: argparse.Namespace, here: OnBench, set_c: float | None
) -> Settled[HeatSettings]:
    """Return the steps to print: given, else about the bench's temperature.

    Raises:
        Refusal: none is known to go about, too few, too many, or hotter than roll or printer take.
    """
    ready = needed_setup(here.bench)
    every = options.every or _EVERY_C
    if set_c is None and (options.from_c is None or options.to_c is None):
        raise Refusal("--from and --to are needed: no temperature is known to go about")
    hottest = options.from_c if options.from_c else (set_c or 0.0) + _STEPS_UP * every
    coolest = options.to_c if options.to_c else (set_c or 0.0) - _STEPS_DOWN * every
    hottest, coolest = max(hottest, coolest), min(hottest, coolest)
    remarks = []
    for name, most in ((ready.spool.name, ready.spool.hottest_c),
                       (ready.printer.name, ready.printer.hottest_c)):  # fmt: skip
        if most is not None and exceeds(hottest, most):
            if options.from_c:
                raise Refusal(f"{hottest:g} °C are too hot for {name}, which takes {most:g}")
            hottest = most
            remarks.append(f"steps begin at {most:g} °C, which is what {name} takes")
    if exceeds(_COOLEST_C, coolest):
        raise Refusal(f"{coolest:g} °C melt nothing: {_COOLEST_C:g} at least")
    count = math.floor((hottest - coolest) / every + 1e-9) + 1
    if not _FEWEST <= count <= _MOST:
        raise Refusal(
            f"{count} steps from {hottest:g} to {coolest:g} °C, {every:g} apart: {_FEWEST} to "
            f"{_MOST} are printed"
        )
    step_mm = options.step_height or STEP_MM
    if not _STEP_HEIGHTS_MM[0] <= step_mm <= _STEP_HEIGHTS_MM[1]:
        low, high = _STEP_HEIGHTS_MM
        raise Refusal(f"--step-height: {step_mm:g} mm: from {low:g} to {high:g}")
    line = part_line(here, WantedLine(options.width, options.layer))
    heats = tuple(hottest - every * step for step in range(count))
    settings = HeatSettings(
        heats,
        set_c,
        (ready.nozzle.name,),
        KeptLine.of(line),
        part_speed(here, line, options.speed),
        step_mm,
    )
    return Settled(settings, Conditions(), tuple(remarks))


def part_of(plan: Plan[HeatSettings], wanted: WantedLine) -> "Columns":
    """Return the columns of a plan.

    Raises:
        Refusal: it plans none, or another line is wanted.
    """
    settings = plan.settings
    if any(wanted):
        raise Refusal(f"line and speed of trial {plan.number} are those of its plan: plan it anew")
    line = settings.line and settings.line.printed
    if line is None or settings.speed_mm_s is None:
        raise Refusal(f"trial {plan.number} plans no columns: metier heat --plan")
    from metier.parts.columns import Columns

    line = line._replace(line_model="rounded")
    return Columns(
        plan.number, line, settings.temperatures_c, settings.speed_mm_s,
        settings.step_mm or STEP_MM,
    )  # fmt: skip
