"""``metier volumetric --strength``: how fast parts may be printed and still be as strong."""

import argparse
from collections.abc import Mapping, Sequence
from typing import Any

from metier.commands.lines import printed_line
from metier.commands.on_bench import OnBench, not_recorded
from metier.commands.options import Answer
from metier.commands.picture import drawing
from metier.commands.planning import measured
from metier.commands.volumetric_ramp import settings_of_bench
from metier.commands.volumetric_record import PrintedLine, limit_to_type, outcome_of
from metier.commands.volumetric_sheet import limit_act, limit_title, what_next
from metier.core.bead import area_mm2
from metier.core.refusal import Refusal
from metier.core.strength import Group, StrengthFinding, at_speed, judge_strength, speed_notes
from metier.core.volumetric import Rule, round_down
from metier.logbook.trials import Conditions, Reading, Trial
from metier.show.figures import decimals_for
from metier.show.sheet import Sheet, table


def from_strength(
    options: argparse.Namespace, here: OnBench, plan: Trial | None, rule: Rule
) -> Answer:
    """Record the coupons and answer with the fastest flow that keeps their strength."""
    from metier.formats.flow_csv import read_coupons

    coupons = read_coupons(options.strength, options.coupon_diameter)
    line, _ = printed_line(options, here)
    settings = {
        "way": "strength",
        **settings_of_bench(here),
        "round_to_mm3_s": rule.round_to_mm3_s,
        "coupon_diameter_mm": options.coupon_diameter,
        "coupon_length_mm": options.coupon_length,
        "accel_mm_s2": options.accel,
        "layer_path_mm": options.layer_path,
        "layer_time_s": options.layer_time,
        "area_mm2": _area(options, line),
    }
    readings = [
        Reading(f"{flow:g} mm³/s", value, f"{value:g}")
        for flow, values in coupons.items()
        for value in values
    ]
    finding = _finding(settings, readings)
    payload = _payload(settings, finding)
    number = measured(
        here, "volumetric", settings, Conditions(), readings, payload, [outcome_of(payload)], plan
    )
    if options.plot:
        from metier.show.strength_plot import plot_strength

        title = limit_title(here, number)
        with drawing(number):
            plot_strength(options.plot, title, finding.groups, finding.limit_mm3_s)
    sheet = Sheet(limit_title(here, number))
    sheet.lines(*_groups(finding.groups))
    if finding.limit_mm3_s is not None:
        remark = "the fastest below where strength is lost"
        if finding.bound:
            remark = "the fastest tried; none was lost"
        sheet.row("strong to", f"{finding.limit_mm3_s:g} mm³/s", remark)
    sheet.judged(finding.verdict, finding.notes)
    limit_act(sheet, finding.verdict, payload["limit_mm3_s"], settings["limit_now_mm3_s"])
    what_next(sheet, here, number, finding.verdict, payload["limit_mm3_s"])
    if number is None:
        sheet.gap()
        sheet.lines(*not_recorded(here.bench))
    return Answer({"trial": number, **payload}, sheet.text())


def _area(options: argparse.Namespace, line: PrintedLine | None) -> float | None:
    """Return the cross-section of the coupons' lines times flow, where it is needed."""
    if options.accel is None and options.layer_time is None:
        return None
    if line is None:
        raise Refusal("--width and --layer are needed: the lines the coupons were printed with")
    return area_mm2(line.width_mm, line.layer_mm, line.line_model) * line.flow


def find(settings: dict[str, Any], readings: Sequence[Reading]) -> dict[str, Any]:
    """Return the findings of such a trial from what the logbook keeps of it."""
    return _payload(settings, _finding(settings, readings))


def _finding(settings: dict[str, Any], readings: Sequence[Reading]) -> StrengthFinding:
    coupons: dict[float, list[float]] = {}
    for one in readings:
        coupons.setdefault(float(one.side.removesuffix(" mm³/s")), []).append(one.value_mm)
    finding = judge_strength(coupons, settings["limit_now_mm3_s"])
    return finding._replace(notes=(*_speed_notes(settings, coupons), *finding.notes))


def _speed_notes(settings: dict[str, Any], coupons: Mapping[float, Any]) -> list[str]:
    if settings["area_mm2"] is None:
        return []
    found = [
        at_speed(
            flow,
            settings["area_mm2"],
            length_mm=settings["coupon_length_mm"],
            accel_mm_s2=settings["accel_mm_s2"],
            layer_path_mm=settings["layer_path_mm"],
            layer_time_s=settings["layer_time_s"],
        )
        for flow in sorted(coupons)
    ]
    return speed_notes(found)


def _payload(settings: dict[str, Any], finding: StrengthFinding) -> dict[str, Any]:
    strong_to, now = finding.limit_mm3_s, settings["limit_now_mm3_s"]
    limit = strong_to and round_down(strong_to, settings["round_to_mm3_s"])
    return {
        "last_good_mm3_s": strong_to,
        "limit_mm3_s": limit,
        "limit_u95_mm3_s": None,
        "limit_unrounded_mm3_s": strong_to,
        "limit_now_mm3_s": now,
        "limit_to_type_mm3_s": limit_to_type(finding.verdict, limit, now),
        "bound": finding.bound,
        "even_looks_mm3_s": None,
        "groups": [one._asdict() for one in finding.groups],
        "speed_mm_s": None,
        "verdict": finding.verdict.name,
        "reason": finding.verdict.reason,
        "remedies": list(finding.verdict.remedies),
        "notes": list(finding.notes),
    }


def _groups(groups: Sequence[Group]) -> list[str]:
    rows = []
    for group in groups:
        places = decimals_for(group.u95_mpa, 2)
        own = group.against_mm3_s == group.flow_mm3_s
        more = f", {group.more_coupons} more of each would tell" if group.more_coupons else ""
        rows.append(
            (
                f"{group.flow_mm3_s:g}",
                str(group.n),
                f"{group.mean_mpa:.{places}f} ± {group.u95_mpa:.{places}f}",
                "" if own else f"{100 * group.ratio:.0f} % of {group.against_mm3_s:g}",
                "strongest so far" if own else f"{group.verdict}{more}",
            )
        )
    return table(("mm³/s", "coupons", "MPa", "against", ""), rows, right=(0, 1, 2))
