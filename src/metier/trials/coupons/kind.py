"""Coupons through the pipeline: how fast parts may be printed and still be as strong."""

from argparse import Namespace
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.limit.strength import (
    AtSpeed,
    Group,
    StrengthFinding,
    at_speed,
    judge_strength,
    speed_notes,
)
from metier.core.limit.verdict import round_down
from metier.core.line.bead import PrintedLine
from metier.core.measure.thresholds import exceeds
from metier.logbook.plain import NotPlain
from metier.logbook.trials import Reading
from metier.trials.coupons.settings import FORM, StrengthSettings
from metier.trials.kind import Settled
from metier.trials.limit.base import LimitTrial, limit_to_type
from metier.trials.limit.lines import printed_line
from metier.trials.limit.settings import HotEnd, limit_rule
from metier.trials.on_bench import OnBench
from metier.trials.table import Plan


class StrengthResult(NamedTuple):
    """The flow up to which coupons hold, and their groups by flow."""

    last_good_mm3_s: float | None
    limit_mm3_s: float | None
    limit_unrounded_mm3_s: float | None
    limit_now_mm3_s: float | None
    limit_to_type_mm3_s: float | None
    bound: str | None
    even_looks_mm3_s: float | None
    groups: tuple[Group, ...]
    speed_mm_s: float | None


class StrengthTrial(LimitTrial[StrengthSettings, None, StrengthFinding]):
    """Coupons of several flows, broken: what prints clean may still break between the layers."""

    form = FORM
    asks = False
    told_by_part = frozenset({"print", "line"})

    def given(self, options: Namespace) -> bool:
        if not options.plan and not options.strength:
            raise BadInput(
                "--strength: name the file of coupons, FILE.csv; alone it goes with --plan"
            )
        if options.plan and options.strength:
            raise BadInput("--plan is for coupons that are not broken yet: leave their file out")
        return True

    def settle(
        self, options: Namespace, bench: OnBench, plan: Plan[StrengthSettings] | None
    ) -> Settled[StrengthSettings]:
        if options.plan:
            from metier.trials.coupons.part import planned_rods

            return planned_rods(options, bench)
        line, _ = printed_line(options, bench)
        rods = plan and plan.settings.rods
        settings = StrengthSettings(
            way="strength",
            on=HotEnd.of(bench),
            round_to_mm3_s=limit_rule(options, None).round_to_mm3_s,
            coupon_diameter_mm=options.coupon_diameter or (rods and rods.gauge_mm),
            coupon_length_mm=options.coupon_length,
            accel_mm_s2=options.accel,
            layer_path_mm=options.layer_path,
            layer_time_s=options.layer_time,
            area_mm2=_area_mm2(options, line),
            rods=rods,
        )
        return Settled(settings)

    def recipe(self, settled: Settled[StrengthSettings], bench: OnBench) -> list[tuple[str, str]]:
        from metier.trials.coupons.part import recipe

        return recipe(settled)

    def as_part(
        self, plan: Plan[StrengthSettings], bench: OnBench, ending: str
    ) -> Plan[StrengthSettings]:
        from metier.trials.coupons.part import as_rods

        return as_rods(plan, bench, ending)

    def readings(
        self, options: Namespace, settled: Settled[StrengthSettings], bench: OnBench
    ) -> list[Reading]:
        from metier.formats.tables import read_coupons

        coupons = read_coupons(options.strength, settled.settings.coupon_diameter_mm)
        return [
            Reading(f"{flow:g} mm³/s", value, f"{value:g}")
            for flow, values in coupons.items()
            for value in values
        ]

    def judge(
        self, settings: StrengthSettings, readings: Sequence[Reading], context: None
    ) -> StrengthFinding:
        coupons: dict[float, list[float]] = {}
        for reading in readings:
            coupons.setdefault(_flow_of(reading), []).append(reading.value)
        real = [_at_speed(settings, flow) for flow in sorted(coupons)]
        reached: dict[float, list[float]] = {}
        for broken in real:
            reached.setdefault(broken.reached_mm3_s, []).extend(coupons[broken.flow_mm3_s])
        if len(reached) < len(coupons) and len(reached) < 2:
            raise BadInput("all coupons were really printed at one flow: nothing can be compared")
        finding = judge_strength(reached, settings.on.limit_now_mm3_s)
        return finding._replace(notes=(*speed_notes(real), *finding.notes))

    def result(self, settings: StrengthSettings, finding: StrengthFinding) -> StrengthResult:
        strong_to, now = finding.limit_mm3_s, settings.on.limit_now_mm3_s
        limit = strong_to and round_down(strong_to, settings.round_to_mm3_s)
        to_type = limit_to_type(finding.verdict, limit, now)
        # A limit above what shows strength is not to stay on the word of coupons that cannot tell.
        if strong_to and not finding.told and now is not None and exceeds(now, strong_to):
            to_type = None
        return StrengthResult(
            last_good_mm3_s=strong_to,
            limit_mm3_s=limit,
            limit_unrounded_mm3_s=strong_to,
            limit_now_mm3_s=now,
            limit_to_type_mm3_s=to_type,
            bound=finding.bound,
            even_looks_mm3_s=None,
            groups=finding.groups,
            speed_mm_s=None,
        )


def _flow_of(reading: Reading) -> float:
    """Return the flow of a coupon, which stands where others have a side.

    Raises:
        NotPlain: it does not, so the logbook is damaged.
    """
    try:
        return float(reading.side.removesuffix(" mm³/s"))
    except ValueError:
        raise NotPlain(f"a coupon of {reading.side[:20]!r}") from None


def _area_mm2(options: Namespace, line: PrintedLine | None) -> float | None:
    """Return the cross-section of the coupons' lines times flow, where it is needed."""
    if options.accel is None and options.layer_time is None:
        return None
    if line is None:
        raise BadInput("--width and --layer are needed: the lines the coupons were printed with")
    return line.area_mm2


def _at_speed(settings: StrengthSettings, flow_mm3_s: float) -> AtSpeed:
    if settings.area_mm2 is None:
        return AtSpeed(flow_mm3_s, flow_mm3_s, 1.0, layer_time=False)
    return at_speed(
        flow_mm3_s,
        settings.area_mm2,
        length_mm=settings.coupon_length_mm,
        accel_mm_s2=settings.accel_mm_s2,
        layer_path_mm=settings.layer_path_mm,
        layer_time_s=settings.layer_time_s,
    )


KIND = StrengthTrial()
