"""The limit from coupons: how fast parts may be printed and still be as strong."""

from argparse import Namespace
from collections.abc import Sequence
from typing import TYPE_CHECKING, Literal, NamedTuple

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
from metier.logbook.plain import Form
from metier.logbook.trials import Reading
from metier.show.figures import decimals_for
from metier.show.sheet import Sheet, table
from metier.trials.kind import Measured, Plan, Settled, WantedLine
from metier.trials.limit.kind import LimitTrial, limit_rule, limit_to_type
from metier.trials.limit.lines import printed_line
from metier.trials.limit.settings import HotEnd, KeptLine, RampSettings
from metier.trials.limit.sheet import limit_act, what_next
from metier.trials.on_bench import OnBench

if TYPE_CHECKING:
    from metier.parts.part import Part


class Rods(NamedTuple):
    """Coupons to print: their flows and how many of each, the line, how thick and long their
    gauge sections are, and the share of their lines that the fastest really reaches."""

    flows_mm3_s: tuple[float, ...]
    each: int
    line: KeptLine
    gauge_mm: float
    long_mm: float
    accel_mm_s2: float
    share: float


class StrengthSettings(NamedTuple):
    """Coupons broken; ``area_mm2`` is the cross-section of their lines times flow, where what is
    really reached is reckoned from that. ``rods`` are those that are planned to be printed."""

    way: Literal["strength"]
    on: HotEnd
    round_to_mm3_s: float
    coupon_diameter_mm: float | None
    coupon_length_mm: float | None
    accel_mm_s2: float | None
    layer_path_mm: float | None
    layer_time_s: float | None
    area_mm2: float | None
    rods: Rods | None = None


FORM = Form(StrengthSettings)


class StrengthTrial(LimitTrial[StrengthSettings, None, StrengthFinding]):
    """Coupons of several flows, broken: what prints clean may still break between the layers."""

    form = FORM
    asks = False
    measured_with = "--strength coupons.csv"
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
        self,
        options: Namespace,
        here: OnBench,
        plan: Plan[RampSettings] | Plan[StrengthSettings] | None,
    ) -> Settled[StrengthSettings]:
        if options.plan:
            from metier.trials.limit.printed import planned_rods

            return planned_rods(options, here)
        line, _ = printed_line(options, here)
        planned = plan.settings if plan and isinstance(plan.settings, StrengthSettings) else None
        rods = planned and planned.rods
        settings = StrengthSettings(
            "strength",
            HotEnd.of(here),
            limit_rule(options, None).round_to_mm3_s,
            options.coupon_diameter or (rods and rods.gauge_mm),
            options.coupon_length,
            options.accel,
            options.layer_path,
            options.layer_time,
            _area_mm2(options, line),
            rods,
        )
        return Settled(settings)

    def recipe(self, settled: Settled[StrengthSettings], here: OnBench) -> list[tuple[str, str]]:
        from metier.trials.limit.printed import recipe

        return recipe(settled)

    def as_part(
        self, plan: Plan[StrengthSettings], here: OnBench, ending: str
    ) -> Plan[StrengthSettings]:
        from metier.trials.limit.printed import as_rods

        return as_rods(plan, here, ending)

    def part(self, plan: Plan[StrengthSettings], here: OnBench, wanted: WantedLine) -> "Part":
        from metier.trials.limit.printed import rods_of

        return rods_of(plan, wanted)

    def readings(
        self, options: Namespace, settled: Settled[StrengthSettings], here: OnBench
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
            flow = float(reading.side.removesuffix(" mm³/s"))
            coupons.setdefault(flow, []).append(reading.value)
        real = [_at_speed(settings, flow) for flow in sorted(coupons)]
        reached: dict[float, list[float]] = {}
        for one in real:
            reached.setdefault(one.reached_mm3_s, []).extend(coupons[one.flow_mm3_s])
        if len(reached) < len(coupons) and len(reached) < 2:
            raise BadInput("all coupons were really printed at one flow: nothing can be compared")
        finding = judge_strength(reached, settings.on.limit_now_mm3_s)
        return finding._replace(notes=(*speed_notes(real), *finding.notes))

    def payload(self, settings: StrengthSettings, finding: StrengthFinding) -> dict[str, object]:
        strong_to, now = finding.limit_mm3_s, settings.on.limit_now_mm3_s
        limit = _rounded(settings, finding)
        return {
            "last_good_mm3_s": strong_to,
            "limit_mm3_s": limit,
            "limit_unrounded_mm3_s": strong_to,
            "limit_now_mm3_s": now,
            "limit_to_type_mm3_s": limit_to_type(finding.verdict, limit, now),
            "bound": finding.bound,
            "even_looks_mm3_s": None,
            "groups": [group._asdict() for group in finding.groups],
            "speed_mm_s": None,
        }

    def sheet(self, trial: Measured[StrengthSettings, None, StrengthFinding], sheet: Sheet) -> None:
        finding, settings = trial.finding, trial.settings
        sheet.lines(*_groups(finding.groups))
        if finding.limit_mm3_s is not None:
            remark = "the fastest below where strength is lost"
            remark = "the fastest tried; none was lost" if finding.bound else remark
            sheet.row("strong to", f"{finding.limit_mm3_s:.4g} mm³/s", remark)
        sheet.judged(finding.verdict, trial.notes)
        limit = _rounded(settings, finding)
        limit_act(sheet, finding.verdict, limit, settings.on.limit_now_mm3_s)
        what_next(sheet, trial.number, finding.verdict, limit)

    def draw(
        self, path: str, title: str, trial: Measured[StrengthSettings, None, StrengthFinding]
    ) -> None:
        from metier.show.limit_plots import plot_strength

        plot_strength(path, title, trial.finding.groups, trial.finding.limit_mm3_s)


def _area_mm2(options: Namespace, line: PrintedLine | None) -> float | None:
    """Return the cross-section of the coupons' lines times flow, where it is needed."""
    if options.accel is None and options.layer_time is None:
        return None
    if line is None:
        raise BadInput("--width and --layer are needed: the lines the coupons were printed with")
    return line.area_mm2


def _rounded(settings: StrengthSettings, finding: StrengthFinding) -> float | None:
    strong_to = finding.limit_mm3_s
    return strong_to and round_down(strong_to, settings.round_to_mm3_s)


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


def _groups(groups: Sequence[Group]) -> list[str]:
    rows = []
    for group in groups:
        places = decimals_for(group.u95_mpa, 2)
        against = " ".join(f"{flow:.4g}" for flow in group.against_mm3_s)
        more = f", {group.more_coupons} more of each would tell" if group.more_coupons else ""
        rows.append(
            (
                f"{group.flow_mm3_s:.4g}",
                str(group.n),
                f"{group.mean_mpa:.{places}f} ± {group.u95_mpa:.{places}f}",
                f"{100 * group.ratio:.0f} % of {against}" if against else "",
                f"{group.verdict}{more}",
            )
        )
    return table(("mm³/s", "coupons", "MPa", "against", ""), rows, right=(0, 1, 2))


STRENGTH = StrengthTrial()
