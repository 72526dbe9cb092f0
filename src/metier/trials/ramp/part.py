"""The part of a planned ramp: a tube with ribs, its foot and steps whole layers."""

import math

from metier.core.errors import BadInput
from metier.core.limit.plan import LEAST_RADIUS_MM, MOSTLY, Reach, needed_radius_mm
from metier.core.limit.ramp import Ramp, Stepped
from metier.core.measure.thresholds import exceeds, same
from metier.parts.ramp import FOOT_LAYERS, RampTube
from metier.trials.kind import WantedLine
from metier.trials.limit.settings import KeptLine
from metier.trials.on_bench import GCODE, OnBench, needed_setup
from metier.trials.printing import refuse_line
from metier.trials.ramp.plan import largest_radius_mm
from metier.trials.ramp.settings import RampSettings
from metier.trials.table import Plan

# Ribs of a ramp that rises all the way stand about so far apart.
_RIBS_MM = 2.5
# A part is no smaller than what its ribs and its tab need.
_LEAST_MM = {"round": LEAST_RADIUS_MM, "square": 20.0}


def as_ramp_part(plan: Plan[RampSettings], bench: OnBench, ending: str) -> Plan[RampSettings]:
    """Return a plan as it can be printed: its foot and steps whole layers, its ribs as markers.

    In G-code lines are dosed so that they just fill, whatever the slicer does.

    Raises:
        BadInput: a line that the nozzle does not print, or a ramp that is not reached so.
    """
    settings = plan.settings
    line, reach, ramp = settings.line.printed, settings.reach, settings.ramp
    if line is None or reach is None or ramp is None or ramp.to_mm3_s is None:
        raise BadInput(
            f"line, outline or end of trial {plan.number} are not known: plan a ramp anew with "
            "metier volumetric --plan"
        )
    least_mm = _LEAST_MM[reach.outline.shape]
    if exceeds(least_mm, reach.outline.size_mm):
        raise BadInput(
            f"an outline of {reach.outline.size_mm:g} mm is too small for ribs and a tab: give "
            f"--outline r{_LEAST_MM['round']:g}, or a side of {_LEAST_MM['square']:g} mm, or more"
        )
    if ending == GCODE:
        line = line._replace(line_model="rounded")
        refuse_line(line, needed_setup(bench.chosen).nozzle.bore_mm)
        reach = _reaching(reach, line.speed_mm_s(ramp.to_mm3_s), bench, ramp.to_mm3_s)
    layer_mm = line.layer_mm
    ramp = _whole_layers(ramp, layer_mm)
    every_mm = settings.marker_every_mm or _RIBS_MM
    if isinstance(ramp, Stepped) and ramp.every_mm:
        every_mm = ramp.every_mm
    kept = KeptLine.of(line, settings.line.widths_mm, settings.line.layers_mm)
    every_mm = _layers(every_mm, layer_mm)
    return plan._replace(
        settings=settings._replace(
            ramp=ramp, line=kept, marker_every_mm=every_mm, reach=reach, own_lines=ending == GCODE
        )
    )


def _reaching(reach: Reach, speed_mm_s: float, bench: OnBench, flow_mm3_s: float) -> Reach:
    """Return an outline on which a speed is reached: the planned one, or a larger round one.

    Raises:
        BadInput: none that the bed holds.
    """
    if not exceeds(MOSTLY, reach.share(speed_mm_s)):
        return reach
    needed_mm = needed_radius_mm(speed_mm_s, reach.accel_mm_s2)
    if reach.outline.shape == "square" or needed_mm > largest_radius_mm(needed_setup(bench.chosen)):
        raise BadInput(
            f"{flow_mm3_s:g} mm³/s are not reached with the lines Metier writes on that outline: "
            "plan it with --part FILE.gcode, which looks after that"
        )
    return reach._replace(outline=reach.outline._replace(size_mm=needed_mm))


def _whole_layers(ramp: Ramp, layer_mm: float) -> Ramp:
    """Return a ramp on a foot, its foot and its steps whole layers high."""
    base_mm = max(_layers(ramp.base_mm, layer_mm, 0), FOOT_LAYERS * layer_mm)
    ramp = ramp._replace(base_mm=round(base_mm, 6))
    if isinstance(ramp, Stepped):
        if ramp.every_mm is None:
            raise BadInput("how high a step is is not known: plan the ramp with --every MM")
        return ramp._replace(every_mm=_layers(ramp.every_mm, layer_mm))
    assert ramp.to_mm3_s is not None
    # It ends with a layer, too: so much more, or less, that it rises as planned.
    long_mm = (ramp.to_mm3_s - ramp.from_mm3_s) / ramp.rise_mm3_s_mm
    end = ramp.from_mm3_s + ramp.rise_mm3_s_mm * _layers(long_mm, layer_mm)
    return ramp if same(end, ramp.to_mm3_s) else ramp._replace(to_mm3_s=round(end, 6))


def _layers(height_mm: float, layer_mm: float, least: int = 1) -> float:
    """Return a height as whole layers, the nearest."""
    return round(max(least, math.floor(height_mm / layer_mm + 0.5 + 1e-9)) * layer_mm, 6)


def part_of(plan: Plan[RampSettings], _here: OnBench, wanted: WantedLine) -> RampTube:
    """Return the tube of a plan.

    Raises:
        BadInput: another line than planned is wanted.
    """
    if any(wanted):
        raise BadInput(f"line and speed of trial {plan.number} are those of its plan: plan it anew")
    settings = plan.settings
    line, reach, ramp = settings.line.printed, settings.reach, settings.ramp
    assert line
    assert reach
    assert ramp
    assert settings.marker_every_mm
    return RampTube(plan.number, ramp, line, reach, settings.marker_every_mm)
