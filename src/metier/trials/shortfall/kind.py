"""Lengths through the pipeline: asked for at rising flow, and what of them moved."""

from argparse import Namespace
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from metier.core.limit.shortfall import Fed, Point, ShortfallFinding, limit_from_feed
from metier.core.measure.student import by_name
from metier.logbook.trials import Conditions, Reading
from metier.trials.kind import Settled
from metier.trials.limit.base import LimitTrial, limit_to_type
from metier.trials.limit.lines import printed_line
from metier.trials.limit.settings import HotEnd, KeptLine, Reckoning, limit_rule
from metier.trials.on_bench import OnBench, figures_of
from metier.trials.shortfall.settings import FORM, FeedRun, FeedSettings
from metier.trials.table import Plan


class ShortfallResult(NamedTuple):
    """Where lengths begin to fall short, the limit lowered from it, and by how much each does."""

    last_good_mm3_s: float | None
    limit_mm3_s: float | None
    onset_mm3_s: float | None
    onset_u95_mm3_s: float | None
    influences_mm3_s: Mapping[str, float] | None
    limit_unrounded_mm3_s: float | None
    limit_now_mm3_s: float | None
    limit_to_type_mm3_s: float | None
    bound: str | None
    even_looks_mm3_s: float | None
    speed_mm_s: float | None
    short_alike: float
    points: tuple[Point, ...]


class FeedTrial(LimitTrial[FeedSettings, None, ShortfallFinding]):
    """Lengths asked for faster and faster: the hot end falls short when it no longer melts."""

    form = FORM
    asks = False

    def given(self, options: Namespace) -> bool:
        return True

    def settle(
        self, options: Namespace, bench: OnBench, plan: Plan[FeedSettings] | None
    ) -> Settled[FeedSettings]:
        from metier.formats.tables import read_feed

        fed = read_feed(options.feed)
        rule = limit_rule(options, plan and plan.settings.reckoning.rule)
        name = self.sought(options, bench, plan)["instrument"].value
        line, notes = printed_line(options, bench)
        settings = FeedSettings(
            "feed",
            HotEnd.of(bench),
            Reckoning.of(rule),
            figures_of(bench.book, name, "mark"),
            tuple(FeedRun(run.flow_mm3_s, run.asked_mm) for run in fed),
            KeptLine.of(line, options.width, options.layer),
        )
        return Settled(settings, Conditions(through="nozzle", instrument=name), notes)

    def readings(
        self, options: Namespace, settled: Settled[FeedSettings], bench: OnBench
    ) -> list[Reading]:
        from metier.formats.tables import read_feed

        return [
            Reading(f"{run.flow_mm3_s:g} mm³/s", run.moved_mm, f"{run.moved_mm:g}")
            for run in read_feed(options.feed)
        ]

    def judge(
        self, settings: FeedSettings, readings: Sequence[Reading], context: None
    ) -> ShortfallFinding:
        fed = fed_of(settings, readings)
        rule, now = settings.reckoning.rule, settings.on.limit_now_mm3_s
        return limit_from_feed(fed, settings.instrument_mm, rule, now)

    def result(self, settings: FeedSettings, finding: ShortfallFinding) -> ShortfallResult:
        limit, now, onset = finding.limit_mm3_s, settings.on.limit_now_mm3_s, finding.onset
        line = settings.line.printed
        return ShortfallResult(
            last_good_mm3_s=finding.last_good_mm3_s,
            limit_mm3_s=limit,
            onset_mm3_s=onset and onset.flow_mm3_s,
            onset_u95_mm3_s=onset and onset.u95_mm3_s,
            influences_mm3_s=onset and by_name(onset.influences),
            limit_unrounded_mm3_s=finding.limit_unrounded_mm3_s,
            limit_now_mm3_s=now,
            limit_to_type_mm3_s=limit_to_type(finding.verdict, limit, now),
            bound=finding.bound,
            even_looks_mm3_s=None,
            speed_mm_s=line and limit and line.speed_mm_s(limit),
            short_alike=finding.alike,
            points=finding.points,
        )


def fed_of(settings: FeedSettings, readings: Sequence[Reading]) -> list[Fed]:
    """Return the lengths fed with what moved of them."""
    return [
        Fed(run.flow_mm3_s, run.asked_mm, reading.value)
        for run, reading in zip(settings.fed, readings, strict=True)
    ]


KIND = FeedTrial()
