"""The strand's diameter against the one the slicer has: ``metier diameter``."""

from argparse import Namespace
from collections.abc import Sequence

from metier.core.diameter import DiameterFinding, judge_diameter, nominal_of, refuse_other_strand
from metier.core.measure.student import by_name
from metier.formats import quantity
from metier.logbook.trials import Conditions, Outcome, Reading
from metier.show.figures import influences_text, with_u95
from metier.show.sheet import Sheet
from metier.trials.diameter.kept import KEPT, DiameterResult, DiameterSettings
from metier.trials.kind import Kind, Measured, Settled, along_roll, refuse_unplanned
from metier.trials.on_bench import Known, OnBench, figures_of
from metier.trials.table import (
    Plan,
    Row,
    Seeking,
    given,
    instrument,
    known,
    of_bench,
    setting,
    told,
)
from metier.words.arguments import length, strand
from metier.words.missing import Asked


def _nearest_nominal(seeking: Seeking, _: Row) -> Known:
    """Where nothing tells: 1.75 mm, or 2.85 where the readings are nearer to that."""
    read = [reading.value for place in seeking.options.read or () for reading in place]
    nominal_mm = nominal_of(sum(read) / len(read)) if read else nominal_of(0.0)
    note = f"the slicer is taken to have {nominal_mm:g} mm (--slicer, where it has another)"
    return Known(nominal_mm, "taken", (note,))


def _parts(text: str) -> list[str]:
    """Return the readings of a place: 1.74/1.72, or the two apart, each with its unit or without.

    >>> _parts("1.75 1.76"), _parts("1.74/1.72"), _parts("1.75 mm")
    (['1.75', '1.76'], ['1.74', '1.72'], ['1.75 mm'])
    """
    words = text.replace("/", " ").split()
    return words if all(word[:1].isdigit() for word in words) else text.split("/")


class Diameter(Kind[DiameterSettings, None, DiameterFinding]):
    """A strand measured at several places, at each once or twice at right angles."""

    kept = KEPT
    form = KEPT.settings
    title = "Diameter"
    description = (
        "Compare the strand's diameter with the one set in the slicer. Measure at several "
        "places a hand apart, at each twice at right angles."
    )
    example = (
        "  metier diameter 1.74 1.75\n"
        "  metier diameter --read 1.74/1.72 1.73/1.71 1.74/1.73 --slicer 1.75"
    )
    bare = "--read"
    job = "read slicer instrument"
    lacking = "no readings: give --read 1.74/1.72 …, or type them in"
    table = (
        told("--read D1/D2 …", "a place, once or twice at right angles", strand),
        along_roll("how far along the roll this was, in m"),
        setting("slicer_mm", "--slicer MM", "the slicer's diameter", length, given, known,
                of_bench(lambda bench: bench.slicer_mm), _nearest_nominal),
        instrument("calipers, micrometer or your own (calipers)", kept="bench"),
    )  # fmt: skip

    def given(self, options: Namespace) -> bool:
        refuse_unplanned(self, options, bool(options.read), "a strand")
        return bool(options.read)

    def settle(
        self, options: Namespace, bench: OnBench, plan: Plan[DiameterSettings] | None
    ) -> Settled[DiameterSettings]:
        seen = self.sought(options, bench, plan)
        name = seen["instrument"].value
        instrument = figures_of(bench.book, name, "strand")
        nominal_mm = bench.setup and bench.setup.spool.diameter_mm
        settings = DiameterSettings(
            seen["slicer_mm"].value, instrument, seen["along_m"].value, nominal_mm
        )
        return Settled(settings, Conditions(instrument=name), seen["slicer_mm"].notes)

    def recipe(self, settled: Settled[DiameterSettings], bench: OnBench) -> list[tuple[str, str]]:
        spool = bench.setup.spool.name if bench.setup else ""
        return [
            ("cut", f"a metre of {spool}"),
            ("measure", "at five places, twice at right angles"),
        ]

    def readings(
        self, options: Namespace, settled: Settled[DiameterSettings], bench: OnBench
    ) -> list[Reading]:
        return [
            Reading(f"place {place}", reading.value, reading.text)
            for place, pair in enumerate(options.read, 1)
            for reading in pair
        ]

    def asked(self, settled: Settled[DiameterSettings], bench: OnBench) -> Asked:
        slicer_mm, instrument, *_ = settled.settings
        return Asked(
            self.name,
            "The strand's diameter, place by place: 1.74/1.72 for two readings at right angles.",
            ("place …",),
            "Straighten the strand, measure a hand's breadth apart and well past the roll's end, "
            "turning the calipers by a quarter at each place. Close the jaws till they just touch.",
            instrument,
            lambda value_mm, _: refuse_other_strand(value_mm, slicer_mm + instrument.zero_mm),
            lambda text: [quantity.read_length_mm(part, "reading") for part in _parts(text)],
        )

    def judge(
        self, settings: DiameterSettings, readings: Sequence[Reading], context: None
    ) -> DiameterFinding:
        places: dict[str, list[float]] = {}
        for reading in readings:
            expected_mm = settings.slicer_mm + settings.instrument_mm.zero_mm
            refuse_other_strand(reading.value, expected_mm)
            places.setdefault(reading.side, []).append(reading.value)
        return judge_diameter(
            list(places.values()), settings.slicer_mm, settings.instrument_mm, settings.nominal_mm
        )

    def result(self, settings: DiameterSettings, finding: DiameterFinding) -> DiameterResult:
        return DiameterResult(
            diameter_mm=finding.mm,
            diameter_u95_mm=finding.u95_mm,
            slicer_mm=finding.slicer_mm,
            out_of_round_mm=finding.out_of_round_mm,
            uneven_mm=finding.uneven_mm,
            flow_factor=finding.flow_factor,
            flow_factor_u95=finding.flow_factor_u95,
            influences_mm=by_name(finding.influences),
            measured_mm=finding.diameter.value,
            measured_u95_mm=finding.diameter.u95,
            sure_percent=100 * finding.sure,
        )

    def outcomes(self, settings: DiameterSettings, finding: DiameterFinding) -> list[Outcome]:
        mm, u95, verdict = finding.mm, finding.u95_mm, finding.verdict.name
        advised = {"recheck": None, "correct": round(mm, 2)}
        to_type = advised.get(verdict, settings.slicer_mm)
        # Where it is unclear, calipers can tell no more: another strand would not be surer.
        rough = int(verdict == "unclear")
        return [Outcome("diameter", settings.slicer_mm, mm, u95, to_type, rough=rough)]

    def sheet(self, trial: Measured[DiameterSettings, None, DiameterFinding], sheet: Sheet) -> None:
        finding, count = trial.finding, len(trial.readings)
        measured, slicer = finding.diameter, f"{finding.slicer_mm:g} mm"
        if finding.verdict.name == "correct":
            remark = f"filament diameter, in the slicer (was {slicer}); leave flow"
            sheet.act("type", f"{finding.mm:.2f} mm", remark)
        elif finding.verdict.name == "unclear":
            best = f"the best guess is {finding.mm:.3f} mm"
            sheet.act("leave", slicer, f"for now; {best}")
        elif finding.verdict.name == "keep":
            sheet.act("leave", slicer, "nothing to type")
        sheet.judged(trial.verdict, trial.notes)
        sheet.gap()
        pooled = f"with the nominal {finding.nominal_mm:g} mm" if finding.pooled else ""
        sheet.row("diameter", f"{with_u95(finding.mm, finding.u95_mm)} mm", pooled)
        many = f"{count} reading{'s' if count > 1 else ''}"
        sheet.row("measured", f"{with_u95(measured.value, measured.u95)} mm", many)
        sheet.detail("± from", *influences_text(finding.influences, "mm"))
        sheet.detail("slicer", slicer, "what it has")
        if finding.out_of_round_mm is not None:
            text = f"{finding.out_of_round_mm:.3f} mm"
            sheet.row("not round", text, "beyond what mere noise would give")
        sheet.detail("uneven", f"{finding.uneven_mm:.3f} mm", "between the places")
        factor = with_u95(finding.flow_factor, finding.flow_factor_u95)
        sheet.row("flow x", factor, "were the slicer left as it is")


KIND = Diameter()
