"""A made-up kind of trial: by how much a printed ledge bows, and what to lift it by."""

from argparse import Namespace
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.measure.readings import Instrument
from metier.core.verdicts import Verdict
from metier.formats import quantity
from metier.logbook.trials import Conditions, Outcome, Reading
from metier.show.sheet import Sheet
from metier.trials.kind import Kind, Measured, Settled
from metier.trials.on_bench import OnBench
from metier.trials.table import Plan, given, planned, setting, told, usual
from metier.words.arguments import length, reading
from metier.words.missing import Asked
from tests.trials.bow.kept import KEPT, BowResult, BowSettings


class BowFinding(NamedTuple):
    bow_mm: float
    to_type_mm: float
    verdict: Verdict
    notes: tuple[str, ...]


class Bow(Kind[BowSettings, int, BowFinding]):
    kept = KEPT
    form = KEPT.settings
    title = "Bow"
    description = "Lift a ledge by as much as it bows."
    example = "  metier bow --span 40 --read 0.3 0.4"
    lacking = "no readings: give --read"
    table = (
        setting("span_mm", "--span MM", "how wide it is", length, given, planned, usual(30.0)),
        told("--read MM …", "how deep it hangs", reading),
    )

    def given(self, options: Namespace) -> bool:
        return bool(options.read)

    def settle(
        self, options: Namespace, here: OnBench, plan: Plan[BowSettings] | None
    ) -> Settled[BowSettings]:
        span_mm = self.sought(options, here, plan)["span_mm"].value
        lift_mm = here.stands("lift").in_force or 0.0
        return Settled(BowSettings(span_mm, lift_mm), Conditions(), (f"span {span_mm:g}",))

    def recipe(self, settled: Settled[BowSettings], here: OnBench) -> list[tuple[str, str]]:
        return [("print", f"a ledge over {settled.settings.span_mm:g} mm")]

    def readings(
        self, options: Namespace, settled: Settled[BowSettings], here: OnBench
    ) -> list[Reading]:
        return [Reading("ledge", one.value, one.text) for one in options.read]

    def asked(self, settled: Settled[BowSettings], here: OnBench) -> Asked:
        return Asked(
            self.name, "How deep it hangs.", ("ledge",), "From below.", Instrument(0.1, 0.1, 0.1),
            lambda *_: None, lambda text: [quantity.read_length_mm(text, "bow")],
        )  # fmt: skip

    def context(
        self, here: OnBench, settings: BowSettings, conditions: Conditions, before=None
    ) -> int:
        return here.setup.printer.decimals if here.setup else 2

    def judge(self, settings: BowSettings, readings: Sequence[Reading], context: int) -> BowFinding:
        bow_mm = sum(reading.value for reading in readings) / len(readings)
        if bow_mm < 0.1:
            return BowFinding(bow_mm, settings.lift_mm, Verdict("keep", "it hangs straight"), ())
        to_type = round(settings.lift_mm + bow_mm, context)
        return BowFinding(bow_mm, to_type, Verdict("correct", "it bows"), ("look from below",))

    def result(self, settings: BowSettings, finding: BowFinding) -> BowResult:
        return BowResult(finding.bow_mm, settings.lift_mm, finding.to_type_mm)

    def outcomes(self, settings: BowSettings, finding: BowFinding) -> list[Outcome]:
        new = settings.lift_mm + finding.bow_mm
        return [Outcome("lift", settings.lift_mm, new, 0.05, finding.to_type_mm)]

    def sheet(self, trial: Measured[BowSettings, int, BowFinding], sheet: Sheet) -> None:
        sheet.row("bow", f"{trial.finding.bow_mm:.2f} mm")
        sheet.judged(trial.finding.verdict, trial.notes)


KIND = Bow()
