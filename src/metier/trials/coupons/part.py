"""Coupons to print: flows up to what rods so thin let be reached, and the part of them."""

import math
from argparse import Namespace

from metier.core.errors import BadInput
from metier.core.limit.plan import ACCELERATION_MM_S2, MOST_LAYER, MOSTLY
from metier.core.line.bead import PrintedLine
from metier.core.materials import melts_mm3_s
from metier.core.measure.thresholds import exceeds, round_to
from metier.logbook.inforce import most_similar
from metier.parts.coupons import GAUGE_LONG_MM, GAUGE_MM, Coupons, foot_mm, reached_share
from metier.trials.coupons.settings import Rods, StrengthSettings
from metier.trials.kind import Settled, WantedLine
from metier.trials.limit.lines import flow_in_use
from metier.trials.limit.settings import HotEnd, KeptLine, limit_rule
from metier.trials.on_bench import GCODE, OnBench, needed_setup
from metier.trials.printing import part_line, refuse_line
from metier.trials.table import Plan

_EACH, _FLOWS, _MOST_RODS = 3, 4, 40
# Flows are proposed up to the limit that is known, the lowest at this part of the highest.
_LOWEST = 0.4
_WIDEST = 1.4


def planned_rods(options: Namespace, bench: OnBench) -> Settled[StrengthSettings]:
    """Return the coupons to print: flows up to what a rod lets be reached.

    Raises:
        BadInput: flows that acceleration does not let be reached on so thin a rod.
    """
    ready = needed_setup(bench.chosen)
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
    ratio, notes = flow_in_use(options, bench)
    line = part_line(bench, given)._replace(flow=ratio)
    accel_mm_s2 = options.accel or ready.printer.accel_mm_s2 or ACCELERATION_MM_S2
    if not options.layer:
        # Thin rods are gone round slowly: what is lacking in speed a thicker line makes up for.
        most = round_to(MOST_LAYER * bore_mm, 0.01, "down")
        line = line._replace(layer_mm=max(line.layer_mm, most))
    if not options.width:
        line = line._replace(width_mm=max(line.width_mm, round_to(_WIDEST * bore_mm, 0.01)))
    reached = _reached(gauge_mm, line, accel_mm_s2)
    similar = most_similar(bench.book, ready)
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
        way="strength",
        on=HotEnd.of(bench),
        round_to_mm3_s=limit_rule(options, None).round_to_mm3_s,
        coupon_diameter_mm=gauge_mm,
        coupon_length_mm=None,
        accel_mm_s2=None,
        layer_path_mm=None,
        layer_time_s=None,
        area_mm2=None,
        rods=rods,
    )
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


def as_rods(plan: Plan[StrengthSettings], bench: OnBench, ending: str) -> Plan[StrengthSettings]:
    """Return a plan as it can be printed: as it stands.

    Raises:
        BadInput: a line that the nozzle does not print.
    """
    rods = plan.settings.rods
    line = rods and rods.line.printed
    if ending == GCODE and line:
        refuse_line(line, needed_setup(bench.chosen).nozzle.bore_mm)
    return plan


def part_of(plan: Plan[StrengthSettings], _here: OnBench, wanted: WantedLine) -> Coupons:
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
