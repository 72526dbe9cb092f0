"""The limit from lengths of filament: asked for at rising flow, and what of them moved."""

from argparse import Namespace
from collections.abc import Sequence
from typing import Literal, NamedTuple

from metier.core.limit.shortfall import SHORT, Fed, ShortfallFinding, limit_from_feed
from metier.core.measure.readings import Instrument
from metier.logbook.plain import Form
from metier.logbook.trials import Conditions, Reading
from metier.show.figures import influences_text, with_u95
from metier.show.sheet import Sheet, table
from metier.trials.kind import Measured, Plan, Settled
from metier.trials.limit.kind import LimitTrial, limit_rule, limit_to_type
from metier.trials.limit.lines import printed_line
from metier.trials.limit.settings import HotEnd, KeptLine, RampSettings, Reckoning
from metier.trials.limit.sheet import limit_act, speed_table, what_next
from metier.trials.on_bench import OnBench, figures_of, instrument_name


class FeedRun(NamedTuple):
    """A length asked for at a flow; what moved of it is the reading."""

    flow_mm3_s: float
    asked_mm: float


class FeedSettings(NamedTuple):
    """Lengths fed at rising flow; the rest as for a ramp."""

    way: Literal["feed"]
    on: HotEnd
    reckoning: Reckoning
    instrument_mm: Instrument
    fed: tuple[FeedRun, ...]
    line: KeptLine


FORM = Form(FeedSettings)


class FeedTrial(LimitTrial[FeedSettings, None, ShortfallFinding]):
    """Lengths asked for faster and faster: the hot end falls short when it no longer melts."""

    form = FORM
    asks = False

    def given(self, options: Namespace) -> bool:
        return True

    def settle(
        self,
        options: Namespace,
        here: OnBench,
        plan: Plan[RampSettings] | Plan[FeedSettings] | None,
    ) -> Settled[FeedSettings]:
        from metier.formats.tables import read_feed

        fed = read_feed(options.feed)
        rule = limit_rule(options, plan.settings.reckoning.rule if plan else None)
        name = instrument_name(options, plan and plan.conditions)
        line, notes = printed_line(options, here)
        settings = FeedSettings(
            "feed",
            HotEnd.of(here),
            Reckoning.of(rule),
            figures_of(here.book, name, "mark"),
            tuple(FeedRun(run.flow_mm3_s, run.asked_mm) for run in fed),
            KeptLine.of(line, options.width, options.layer),
        )
        return Settled(settings, Conditions(through="nozzle", instrument=name), notes)

    def readings(
        self, options: Namespace, settled: Settled[FeedSettings], here: OnBench
    ) -> list[Reading]:
        from metier.formats.tables import read_feed

        return [
            Reading(f"{run.flow_mm3_s:g} mm³/s", run.moved_mm, f"{run.moved_mm:g}")
            for run in read_feed(options.feed)
        ]

    def judge(
        self, settings: FeedSettings, readings: Sequence[Reading], context: None
    ) -> ShortfallFinding:
        fed = _fed(settings, readings)
        rule, now = settings.reckoning.rule, settings.on.limit_now_mm3_s
        return limit_from_feed(fed, settings.instrument_mm, rule, now)

    def payload(self, settings: FeedSettings, finding: ShortfallFinding) -> dict[str, object]:
        limit, now = finding.limit_mm3_s, settings.on.limit_now_mm3_s
        line = settings.line.printed
        return {
            "last_good_mm3_s": finding.last_good_mm3_s,
            "limit_mm3_s": limit,
            "onset_mm3_s": finding.onset and finding.onset.flow_mm3_s,
            "onset_u95_mm3_s": finding.onset and finding.onset.u95_mm3_s,
            "influences_mm3_s": finding.onset
            and {one.name: one.u95 for one in finding.onset.influences},
            "limit_unrounded_mm3_s": finding.limit_unrounded_mm3_s,
            "limit_now_mm3_s": now,
            "limit_to_type_mm3_s": limit_to_type(finding.verdict, limit, now),
            "bound": finding.bound,
            "even_looks_mm3_s": None,
            "speed_mm_s": line and limit and line.speed_mm_s(limit),
            "short_alike": finding.alike,
            "points": [point._asdict() for point in finding.points],
        }

    def sheet(self, trial: Measured[FeedSettings, None, ShortfallFinding], sheet: Sheet) -> None:
        finding, settings = trial.finding, trial.settings
        sheet.lines(*_points(finding, _fed(settings, trial.readings)))
        limit, rule = finding.limit_mm3_s, settings.reckoning.rule
        if finding.onset:
            begin = with_u95(finding.onset.flow_mm3_s, finding.onset.u95_mm3_s)
            sheet.row("onset", f"{begin} mm³/s", "where it begins to fall short")
            sheet.row("± from", *influences_text(finding.onset.influences, "mm³/s"))
        if finding.last_good_mm3_s is not None:
            remark = f"where it first falls {100 * SHORT:g} % short"
            remark = "nothing falls short" if finding.bound else remark
            sheet.row("last good", f"{finding.last_good_mm3_s:.4g} mm³/s", remark)
        if limit is not None:
            less = "" if finding.bound else f"less {100 * rule.margin:g} %, "
            remark = f"{less}rounded down to {rule.round_to_mm3_s:g}"
            sheet.row("limit", f"{limit:g} mm³/s", remark)
        sheet.judged(finding.verdict, trial.notes)
        limit_act(sheet, finding.verdict, limit, settings.on.limit_now_mm3_s)
        sheet.lines(*speed_table(trial.here, limit, settings.line))
        what_next(sheet, trial.number, finding.verdict, limit)


def _fed(settings: FeedSettings, readings: Sequence[Reading]) -> list[Fed]:
    return [
        Fed(run.flow_mm3_s, run.asked_mm, reading.value)
        for run, reading in zip(settings.fed, readings, strict=True)
    ]


def _points(finding: ShortfallFinding, fed: Sequence[Fed]) -> list[str]:
    rows = []
    for point in finding.points:
        runs = [run for run in fed if run.flow_mm3_s == point.flow_mm3_s]
        moved = " ".join(f"{run.moved_mm:g}" for run in runs)
        short = f"{100 * point.shortfall:+.1f} ± {100 * point.u95:.1f} %"
        rows.append((f"{point.flow_mm3_s:g}", f"{runs[0].asked_mm:g}", moved, short))
    return table(("mm³/s", "asked mm", "moved mm", "short by"), rows, right=(0, 1, 2, 3))


FEED = FeedTrial()
