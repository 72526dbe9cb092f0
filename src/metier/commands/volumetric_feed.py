"""``metier volumetric --feed``: the limit from lengths asked for and moved at rising flow."""

import argparse
from collections.abc import Sequence
from typing import Any

from metier.commands.lines import printed_line
from metier.commands.on_bench import OnBench, figures_of, not_recorded
from metier.commands.options import Answer
from metier.commands.planning import instrument_name, measured
from metier.commands.volumetric_ramp import settings_of_bench
from metier.commands.volumetric_record import limit_to_type, outcome_of
from metier.commands.volumetric_sheet import (
    limit_act,
    limit_text,
    limit_title,
    speed_table,
    what_next,
)
from metier.core.readings import Instrument
from metier.core.refusal import Refusal
from metier.core.shortfall import SHORT, Fed, ShortfallFinding, limit_from_feed
from metier.core.volumetric import Rule
from metier.logbook.trials import Conditions, Reading, Trial
from metier.show.sheet import Sheet, table


def from_feed(options: argparse.Namespace, here: OnBench, plan: Trial | None, rule: Rule) -> Answer:
    """Record what was fed and answer with the limit."""
    from metier.formats.flow_csv import read_feed

    if options.plot:
        raise Refusal("--plot draws a ramp or coupons, not lengths fed")
    name = instrument_name(options, plan)
    fed = read_feed(options.feed)
    settings = {
        "way": "feed",
        **settings_of_bench(here),
        "margin_percent": round(100 * rule.margin, 9),
        "round_to_mm3_s": rule.round_to_mm3_s,
        "instrument_mm": list(figures_of(here.book, name, "mark")),
        "fed": [[one.flow_mm3_s, one.asked_mm] for one in fed],
    }
    readings = [
        Reading(f"{one.flow_mm3_s:g} mm³/s", one.moved_mm, f"{one.moved_mm:g}") for one in fed
    ]
    line, notes = printed_line(options, here)
    finding = _finding(settings, readings)
    finding = finding._replace(notes=(*notes, *finding.notes))
    payload = _payload(settings, finding)
    payload["speed_mm_s"] = (
        line.speed_mm_s(finding.limit_mm3_s) if line and finding.limit_mm3_s else None
    )
    number = measured(
        here,
        "volumetric",
        settings,
        Conditions(through="nozzle", instrument=name),
        readings,
        payload,
        [outcome_of(payload)],
        plan,
    )
    sheet = Sheet(limit_title(here, number))
    sheet.lines(*_points(finding, fed))
    if finding.last_good_mm3_s is not None:
        remark = f"where it first falls {100 * SHORT:g} % short"
        if finding.bound:
            remark = "nothing falls short"
        sheet.row("last good", f"{finding.last_good_mm3_s:.4g} mm³/s", remark)
    if finding.limit_mm3_s is not None:
        text = limit_text(finding.limit_mm3_s, finding.limit_u95_mm3_s)
        less = "" if finding.bound else f"less {100 * rule.margin:g} %, "
        remark = f"{less}rounded down to {rule.round_to_mm3_s:g}"
        sheet.row("limit", text, remark)
    sheet.judged(finding.verdict, finding.notes)
    limit_act(sheet, finding.verdict, finding.limit_mm3_s, settings["limit_now_mm3_s"])
    if line and finding.limit_mm3_s is not None:
        sheet.lines(*speed_table(options, here, finding.limit_mm3_s, line))
    what_next(sheet, here, number, finding.verdict, finding.limit_mm3_s)
    if number is None:
        sheet.gap()
        sheet.lines(*not_recorded(here.bench))
    return Answer({"trial": number, **payload}, sheet.text())


def find(settings: dict[str, Any], readings: Sequence[Reading]) -> dict[str, Any]:
    """Return the findings of such a trial from what the logbook keeps of it."""
    return _payload(settings, _finding(settings, readings))


def _finding(settings: dict[str, Any], readings: Sequence[Reading]) -> ShortfallFinding:
    fed = [
        Fed(flow, asked_mm, one.value_mm)
        for (flow, asked_mm), one in zip(settings["fed"], readings, strict=True)
    ]
    return limit_from_feed(
        fed,
        Instrument(*settings["instrument_mm"]),
        Rule(settings["margin_percent"] / 100, settings["round_to_mm3_s"]),
        settings["limit_now_mm3_s"],
    )


def _payload(settings: dict[str, Any], finding: ShortfallFinding) -> dict[str, Any]:
    limit, now = finding.limit_mm3_s, settings["limit_now_mm3_s"]
    return {
        "last_good_mm3_s": finding.last_good_mm3_s,
        "limit_mm3_s": limit,
        "limit_u95_mm3_s": finding.limit_u95_mm3_s,
        "limit_unrounded_mm3_s": finding.limit_unrounded_mm3_s,
        "limit_now_mm3_s": now,
        "limit_to_type_mm3_s": limit_to_type(finding.verdict, limit, now),
        "bound": finding.bound,
        "even_looks_mm3_s": None,
        "speed_mm_s": None,
        "short_alike": finding.alike,
        "points": [one._asdict() for one in finding.points],
        "verdict": finding.verdict.name,
        "reason": finding.verdict.reason,
        "remedies": list(finding.verdict.remedies),
        "notes": list(finding.notes),
    }


def _points(finding: ShortfallFinding, fed: Sequence[Fed]) -> list[str]:
    rows = []
    for point in finding.points:
        runs = [one for one in fed if one.flow_mm3_s == point.flow_mm3_s]
        moved = " ".join(f"{one.moved_mm:g}" for one in runs)
        rows.append(
            (
                f"{point.flow_mm3_s:g}",
                f"{runs[0].asked_mm:g}",
                moved,
                f"{100 * point.shortfall:+.1f} ± {100 * point.u95:.1f} %",
            )
        )
    return table(("mm³/s", "asked mm", "moved mm", "short by"), rows, right=(0, 1, 2, 3))
