"""The parts of planned trials of the limit: the ramp, and coupons."""

import math
from argparse import Namespace

from metier.core.errors import BadInput
from metier.core.limit.plan import (
    ACCELERATION_MM_S2,
    LEAST_RADIUS_MM,
    MOST_LAYER,
    MOSTLY,
    Reach,
    needed_radius_mm,
)
from metier.core.limit.ramp import Ramp, Stepped
from metier.core.line.bead import PrintedLine
from metier.core.materials import melts_mm3_s
from metier.core.measure.thresholds import exceeds, round_to, same
from metier.logbook.inforce import most_similar
from metier.parts.coupons import GAUGE_LONG_MM, GAUGE_MM, Coupons, foot_mm, reached_share
from metier.parts.ramp import FOOT_LAYERS, RampTube
from metier.trials.kind import Plan, Settled, WantedLine
from metier.trials.limit.kind import limit_rule
from metier.trials.limit.lines import flow_in_use
from metier.trials.limit.plan import largest_radius_mm
from metier.trials.limit.settings import HotEnd, KeptLine, RampSettings
from metier.trials.limit.strength import Rods, StrengthSettings
from metier.trials.on_bench import OnBench, needed_setup
from metier.trials.part_path import GCODE
from metier.trials.printing import part_line, refuse_line

# Ribs of a ramp that rises all the way stand about so far apart.
_RIBS_MM = 2.5
# A part is no smaller than what its ribs and its tab need.
_LEAST_MM = {"round": LEAST_RADIUS_MM, "square": 20.0}


def as_ramp_part(plan: Plan[RampSettings], here: OnBench, ending: str) -> Plan[RampSettings]:
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
        refuse_line(line, needed_setup(here.bench).nozzle.bore_mm)
        reach = _reaching(reach, line.speed_mm_s(ramp.to_mm3_s), here, ramp.to_mm3_s)
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


def _reaching(reach: Reach, speed_mm_s: float, here: OnBench, flow_mm3_s: float) -> Reach:
    """Return an outline on which a speed is reached: the planned one, or a larger round one.

    Raises:
        BadInput: none that the bed holds.
    """
    if not exceeds(MOSTLY, reach.share(speed_mm_s)):
        return reach
    needed_mm = needed_radius_mm(speed_mm_s, reach.accel_mm_s2)
    if reach.outline.shape == "square" or needed_mm > largest_radius_mm(needed_setup(here.bench)):
        raise BadInput(
            f"{flow_mm3_s:g} mm³/s are not reached with Metier's own lines on that outline: plan "
            "it with --part FILE.gcode, which looks after that"
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


def ramp_part_of(plan: Plan[RampSettings], wanted: WantedLine) -> RampTube:
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


_EACH, _FLOWS, _MOST_RODS = 3, 4, 40
# Flows are proposed up to the limit that is known, the lowest at this part of the highest.
_LOWEST = 0.4
_WIDEST = 1.4


def planned_rods(options: Namespace, here: OnBench) -> Settled[StrengthSettings]:
    """Return the coupons to print: flows up to what a rod lets be reached.

    Raises:
        BadInput: flows that acceleration does not let be reached on so thin a rod.
    """
    ready = needed_setup(here.bench)
    bore_mm = ready.nozzle.bore_mm
    gauge_mm = options.coupon_diameter or GAUGE_MM
    long_mm = options.coupon_length or GAUGE_LONG_MM
    if not 5 <= gauge_mm <= 30 or not 10 <= long_mm <= 100:
        raise BadInput(
            f"coupons of {gauge_mm:g} mm, {long_mm:g} long, are not drawn: 5 to 30 mm thick, 10 to "
            "100 mm long"
        )
    given = WantedLine(
        options.width[0] if options.width else None, options.layer[0] if options.layer else None
    )
    ratio, notes = flow_in_use(options, here)
    line = part_line(here, given)._replace(flow=ratio)
    accel_mm_s2 = options.accel or ready.printer.accel_mm_s2 or ACCELERATION_MM_S2
    if not options.layer:
        # Thin rods are gone round slowly: what is lacking in speed a thicker line makes up for.
        most = round_to(MOST_LAYER * bore_mm, 0.01, "down")
        line = line._replace(layer_mm=max(line.layer_mm, most))
    if not options.width:
        line = line._replace(width_mm=max(line.width_mm, round_to(_WIDEST * bore_mm, 0.01)))
    reached = _reached(gauge_mm, line, accel_mm_s2)
    similar = most_similar(here.book, ready)
    wanted = similar.limit_mm3_s if similar else melts_mm3_s(ready.spool.material, bore_mm)
    top = min(wanted, round_to(reached, 0.5, "down"))
    flows = tuple(sorted(set(options.coupon_flows or ()))) or _proposed(top)
    if len(flows) < 2:
        raise BadInput(
            f"{len(flows)} flow is nothing to compare: give --coupon-flows with two or more; "
            f"{reached:.3g} mm³/s are reached on rods of {gauge_mm:g} mm"
        )
    if len(flows) * (options.coupons or _EACH) > _MOST_RODS:
        raise BadInput(
            f"{len(flows) * (options.coupons or _EACH)} coupons are more than fit a bed: "
            f"{_MOST_RODS} at most; fewer --coupon-flows or --coupons"
        )
    if exceeds(flows[-1], reached):
        raise BadInput(
            f"{flows[-1]:g} mm³/s are not reached on rods of {gauge_mm:g} mm: {accel_mm_s2:g} "
            f"mm/s² let no more than {reached:.3g} through; thicker rods (--coupon-diameter), "
            "--layer, --width, or lower flows"
        )
    if wanted > top and not options.coupon_flows:
        notes = (
            *notes,
            f"flows end at {top:g} mm³/s: {accel_mm_s2:g} mm/s² reach no more on rods of "
            f"{gauge_mm:g} mm; thicker ones go further (--coupon-diameter)",
        )
    share = reached_share(gauge_mm, line, line.speed_mm_s(flows[-1]), accel_mm_s2)
    each = options.coupons or _EACH
    rods = Rods(flows, each, KeptLine.of(line), gauge_mm, long_mm, accel_mm_s2, share)
    settings = StrengthSettings(
        "strength", HotEnd.of(here), limit_rule(options, None).round_to_mm3_s, gauge_mm, None, None,
        None, None, None, rods,
    )  # fmt: skip
    return Settled(settings, remarks=notes)


def _proposed(top_mm3_s: float) -> tuple[float, ...]:
    """Return flows evenly up to the highest."""
    low = max(0.5, round_to(_LOWEST * top_mm3_s, 0.5))
    step = max(0.5, round_to((top_mm3_s - low) / (_FLOWS - 1), 0.5, "down"))
    return tuple(
        round(top_mm3_s - step * place, 6)
        for place in reversed(range(_FLOWS))
        if top_mm3_s - step * place >= 0.5
    )


def _reached(gauge_mm: float, line: PrintedLine, accel_mm_s2: float) -> float:
    """Return the highest flow that enough of a rod's circles are really gone round at, mm³/s."""
    low, high = 0.0, math.sqrt(accel_mm_s2 * gauge_mm / 2)
    for _ in range(40):
        middle = (low + high) / 2
        served = not exceeds(MOSTLY, reached_share(gauge_mm, line, middle, accel_mm_s2))
        low, high = (middle, high) if served else (low, middle)
    return low * line.area_mm2


def recipe(settled: Settled[StrengthSettings]) -> list[tuple[str, str]]:
    """Return what to print and to set, line by line."""
    rods = settled.settings.rods
    assert rods
    line = rods.line.printed
    assert line
    flows = ", ".join(f"{flow:g}" for flow in rods.flows_mm3_s)
    fastest = line.speed_mm_s(rods.flows_mm3_s[-1])
    return [
        ("print", f"rods of {rods.gauge_mm:g} mm, upright, {rods.each} each; feet of "
         f"{foot_mm(rods.gauge_mm):g}"),
        ("flows", f"{flows} mm³/s, up to {fastest:.0f} mm/s in the gauge section"),
        ("reached", f"by {100 * rods.share:.0f} % of the fastest rod's lines, at "
         f"{rods.accel_mm_s2:g} mm/s²"),
        ("line", f"{line.width_mm:g} mm wide, {line.layer_mm:g} mm high"),
        ("break", "each by pulling, note force or strength and flow: coupons.csv"),
        *(("note", text) for text in settled.remarks),
    ]  # fmt: skip


def as_rods(plan: Plan[StrengthSettings], here: OnBench, ending: str) -> Plan[StrengthSettings]:
    """Return a plan as it can be printed: as it stands.

    Raises:
        BadInput: a line that the nozzle does not print.
    """
    rods = plan.settings.rods
    line = rods and rods.line.printed
    if ending == GCODE and line:
        refuse_line(line, needed_setup(here.bench).nozzle.bore_mm)
    return plan


def rods_of(plan: Plan[StrengthSettings], wanted: WantedLine) -> Coupons:
    """Return the coupons of a plan.

    Raises:
        BadInput: none are planned, or another line is wanted.
    """
    rods = plan.settings.rods
    if any(wanted):
        raise BadInput(f"line and speed of trial {plan.number} are those of its plan: plan it anew")
    line = rods and rods.line.printed
    if rods is None or line is None:
        raise BadInput(f"trial {plan.number} plans no coupons: metier volumetric --strength --plan")
    line = line._replace(line_model="rounded")
    return Coupons(plan.number, rods.flows_mm3_s, rods.each, line, rods.gauge_mm, rods.long_mm)
