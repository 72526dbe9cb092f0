"""The strand's diameter against what the slicer reckons with: ``metier diameter``."""

import argparse
from argparse import Namespace
from collections.abc import Sequence
from types import MappingProxyType

from metier.core.diameter import DiameterFinding, judge_diameter, refuse_other_strand
from metier.core.errors import BadInput
from metier.formats import quantity
from metier.logbook.trials import Conditions, Outcome, Reading
from metier.show.figures import influences_text, with_u95
from metier.show.sheet import Sheet
from metier.trials.diameter.kept import FORM, KEPT, DiameterSettings
from metier.trials.kind import Kind, Measured, Plan, Settled, refuse_planned_readings
from metier.trials.on_bench import OnBench, figures_of, instrument_name
from metier.words.arguments import LONGEST_ROLL_M, length, number, option, strand
from metier.words.missing import Asked, Missing


class Diameter(Kind[DiameterSettings, None, DiameterFinding]):
    """A strand measured at several places, at each once or twice at right angles."""

    kept = KEPT
    form = FORM
    title = "Diameter"
    description = (
        "Compare the strand's diameter with the one set in the slicer. Measure at several "
        "places a hand apart, at each twice at right angles."
    )
    example = "  metier diameter --read 1.74/1.72 1.73/1.71 1.74/1.73 --slicer 1.75"
    lacking = "no readings: give --read 1.74/1.72 …, or type them in"
    preferences = MappingProxyType({"instrument": "bench"})

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        option(parser, "--read D1/D2 …", "a place, once or twice at right angles", strand)
        option(parser, "--along M", "how far along the roll this was, in m", number)
        option(parser, "--slicer MM", "the slicer's diameter", length)
        option(parser, "--instrument NAME", "calipers, micrometer or your own (calipers)")

    def given(self, options: Namespace) -> bool:
        refuse_planned_readings(options, bool(options.read), "a strand")
        return bool(options.read)

    def settle(
        self, options: Namespace, here: OnBench, plan: Plan[DiameterSettings] | None
    ) -> Settled[DiameterSettings]:
        slicer_mm = options.slicer or (plan and plan.settings.slicer_mm)
        if slicer_mm is None:
            slicer_mm = here.slicer_mm
        if slicer_mm is None:
            meaning = "the diameter set in the slicer, in mm"
            raise Missing("--slicer", meaning, length, 1.75)
        name = instrument_name(options, plan and plan.conditions)
        instrument = figures_of(here.book, name, "strand")
        along_m = plan.settings.along_m if plan and options.along is None else options.along
        if along_m is not None and not 0 <= along_m <= LONGEST_ROLL_M:
            raise BadInput(f"--along: {along_m:g} m is no place on a roll: 0 to {LONGEST_ROLL_M:g}")
        settings = DiameterSettings(slicer_mm, instrument, along_m)
        return Settled(settings, Conditions(instrument=name))

    def recipe(self, settled: Settled[DiameterSettings], here: OnBench) -> list[tuple[str, str]]:
        spool = here.setup.spool.name if here.setup else ""
        many = "at five places, twice at right angles"
        return [("cut", f"a metre of {spool}"), ("measure", many)]

    def readings(
        self, options: Namespace, settled: Settled[DiameterSettings], here: OnBench
    ) -> list[Reading]:
        return [
            Reading(f"place {place}", reading.value_mm, reading.text)
            for place, pair in enumerate(options.read, 1)
            for reading in pair
        ]

    def asked(self, settled: Settled[DiameterSettings], here: OnBench) -> Asked:
        slicer_mm, instrument, _ = settled.settings
        return Asked(
            self.name,
            "The strand's diameter, place by place: 1.74/1.72 for two readings at right angles.",
            ("place …",),
            "Straighten the strand, measure a hand's breadth apart and well past the roll's end, "
            "turning the calipers by a quarter at each place. Close the jaws till they just touch.",
            instrument,
            lambda value_mm, _: refuse_other_strand(value_mm, slicer_mm + instrument.zero_mm),
            lambda text: [quantity.read_length_mm(part, "reading") for part in text.split("/")],
        )

    def judge(
        self, settings: DiameterSettings, readings: Sequence[Reading], context: None
    ) -> DiameterFinding:
        places: dict[str, list[float]] = {}
        for reading in readings:
            expected_mm = settings.slicer_mm + settings.instrument_mm.zero_mm
            refuse_other_strand(reading.value, expected_mm)
            places.setdefault(reading.side, []).append(reading.value)
        return judge_diameter(list(places.values()), settings.slicer_mm, settings.instrument_mm)

    def payload(self, settings: DiameterSettings, finding: DiameterFinding) -> dict[str, object]:
        return {
            "diameter_mm": finding.diameter.value,
            "diameter_u95_mm": finding.diameter.u95,
            "slicer_mm": finding.slicer_mm,
            "out_of_round_mm": finding.out_of_round_mm,
            "uneven_mm": finding.uneven_mm,
            "flow_factor": finding.flow_factor,
            "flow_factor_u95": finding.flow_factor_u95,
            "influences_mm": {one.name: one.u95 for one in finding.influences},
        }

    def outcomes(self, settings: DiameterSettings, finding: DiameterFinding) -> list[Outcome]:
        found, verdict = finding.diameter, finding.verdict.name
        advised = {"recheck": None, "correct": round(found.value, 2)}
        to_type = advised.get(verdict, settings.slicer_mm)
        # Where it is unclear, calipers can tell no more: another strand would not be surer.
        rough = int(verdict == "unclear")
        return [
            Outcome(
                "diameter", settings.slicer_mm, found.value, found.u95, to_type, rough=rough
            )
        ]  # fmt: skip

    def sheet(self, trial: Measured[DiameterSettings, None, DiameterFinding], sheet: Sheet) -> None:
        finding, count = trial.finding, len(trial.readings)
        found = finding.diameter
        many = f"{count} reading{'s' if count > 1 else ''}"
        sheet.row("diameter", f"{with_u95(found.value, found.u95)} mm", many)
        sheet.row("± from", *influences_text(finding.influences, "mm"))
        sheet.row("slicer", f"{finding.slicer_mm:g} mm", "what it reckons with")
        if finding.out_of_round_mm is not None:
            text = f"{finding.out_of_round_mm:.3f} mm"
            sheet.row("not round", text, "beyond what mere noise would give")
        sheet.row("uneven", f"{finding.uneven_mm:.3f} mm", "between the places")
        factor = with_u95(finding.flow_factor, finding.flow_factor_u95)
        sheet.row("flow x", factor, "were the slicer left as it is")
        sheet.judged(finding.verdict, trial.notes)
        if finding.verdict.name == "correct":
            value = f"{found.value:.2f} mm"
            sheet.act("type", value, "the filament's diameter, in the slicer; leave flow as it is")
        elif finding.verdict.name == "unclear":
            sheet.act("leave", f"{finding.slicer_mm:g} mm", "for now: nothing to type yet")
        elif finding.verdict.name == "keep":
            sheet.act("leave", f"{finding.slicer_mm:g} mm", "nothing to type")


KIND = Diameter()
