"""A part of one's own at several flows, through the pipeline: the highest that is good."""

from argparse import Namespace
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.limit.tried import TriedFinding, TriedFlow, limit_from_tried
from metier.core.limit.verdict import round_down
from metier.logbook.trials import Reading
from metier.trials.kind import Settled
from metier.trials.limit.base import LimitTrial, limit_to_type
from metier.trials.limit.settings import HotEnd, limit_rule
from metier.trials.on_bench import OnBench
from metier.trials.table import Plan
from metier.trials.tried.settings import FORM, WORDS, TriedSettings, tried_flow


class TriedResult(NamedTuple):
    """The highest flow that a part was even and held at, and what was said of each."""

    last_good_mm3_s: float | None
    limit_mm3_s: float | None
    limit_unrounded_mm3_s: float | None
    limit_now_mm3_s: float | None
    limit_to_type_mm3_s: float | None
    bound: str | None
    even_looks_mm3_s: float | None
    tried: tuple[TriedFlow, ...]


class TriedTrial(LimitTrial[TriedSettings, None, TriedFinding]):
    """A part of one's own, printed slower and slower until it is even and holds."""

    form = FORM
    asks = False
    printed = False

    def given(self, options: Namespace) -> bool:
        return True

    def settle(
        self, options: Namespace, bench: OnBench, plan: Plan[TriedSettings] | None
    ) -> Settled[TriedSettings]:
        round_to_mm3_s = limit_rule(options, None).round_to_mm3_s
        return Settled(TriedSettings("tried", HotEnd.of(bench), round_to_mm3_s))

    def readings(
        self, options: Namespace, settled: Settled[TriedSettings], bench: OnBench
    ) -> list[Reading]:
        return [
            Reading(f"{said.flow_mm3_s:g} mm³/s", _rank(said.words), said.words)
            for said in options.tried
        ]

    def judge(
        self, settings: TriedSettings, readings: Sequence[Reading], context: None
    ) -> TriedFinding:
        tried = [tried_flow(reading.side, reading.typed) for reading in readings]
        return limit_from_tried(tried, settings.round_to_mm3_s, settings.on.limit_now_mm3_s)

    def result(self, settings: TriedSettings, finding: TriedFinding) -> TriedResult:
        best, now = finding.limit_mm3_s, settings.on.limit_now_mm3_s
        limit = best and round_down(best, settings.round_to_mm3_s)
        return TriedResult(
            last_good_mm3_s=best,
            limit_mm3_s=limit,
            limit_unrounded_mm3_s=best,
            limit_now_mm3_s=now,
            limit_to_type_mm3_s=limit_to_type(finding.verdict, limit, now),
            bound=finding.bound,
            even_looks_mm3_s=None,
            tried=finding.tried,
        )


def _rank(words: str) -> float:
    return min(WORDS[word] for word in words.split("/"))


KIND = TriedTrial()
