"""Real parts through the pipeline: their options, settings, finding."""

from argparse import Namespace
from collections.abc import Sequence
from typing import Literal, NamedTuple

from metier.core.errors import BadInput
from metier.core.flow.answer import BAND
from metier.core.line.bead import spacing_mm
from metier.core.proof import ProofFinding, other_lines_note, prove
from metier.core.values import LINE_MODELS, VALUES
from metier.logbook.inforce import steps_in_force
from metier.logbook.trials import Conditions, Reading, readings, trials
from metier.trials.flow.earlier import FlowContext
from metier.trials.flow.judging import context_of as flow_context_of
from metier.trials.flow.judging import judge_walls
from metier.trials.flow.settings import FlowSettings
from metier.trials.kind import Kind, Settled, refuse_unplanned
from metier.trials.on_bench import OnBench, figures_of
from metier.trials.proof.given import (
    Expected,
    GivenPlace,
    expected_wall,
    place,
    read_place,
    with_expected,
)
from metier.trials.proof.kept import KEPT, PlaceResult, ProofPlace, ProofResult, ProofSettings
from metier.trials.table import Plan, instrument, told
from metier.trials.witness import photo_at
from metier.words.arguments import (
    layer_height,
    length,
    line_width,
    positive,
    signed_length,
    small_text,
    walls,
)
from metier.words.missing import Asked

_PART = "part"
# How many real parts are looked through for the first print of one.
_MOST = 500


class Before(NamedTuple):
    """The first print of a part, and what it came to."""

    number: int
    at: str
    finding: ProofFinding


class ProofContext(NamedTuple):
    """What else bears on a part: its first print, where this is another, and the cubes before."""

    first: Before | None = None
    flow: FlowContext | None = None


class Proof(Kind[ProofSettings, ProofContext, ProofFinding]):
    """A real part, measured at places that its maker names."""

    kept = KEPT
    form = KEPT.settings
    title = "Proof"
    description = (
        "Judge a real part after the cube: its walls at places you name, how even they are, where "
        "it is thinnest; its grams and minutes against the file's. The same part again later is "
        "laid beside the first."
    )
    example = (
        "  metier proof --of moon --at front=0.58 seam=0.61/0.60 crater=0.57 --expect 0.6\n"
        "  metier proof --of moon --sliced moon.gcode --minutes 74 --grams 12.3 \\\n"
        "    --expect 0.6 --at front=0.58 seam=0.61 crater=0.57 --says 'the seam shows'"
    )
    draws = True
    job = "of at expect sliced grams minutes says photo"
    lacking = "no places: give --at NAME=MM …, or type them in"
    table = (
        told("--of PART", "which part it is", small_text),
        told("--at NAME=MM …", "a place and its wall, as north=0.58/0.59; with what it should be: "
             "pole=0.57:0.62", place),
        "what its walls should be (else as the last cube)",
        told("--expect MM", "the wall", length),
        told("--sliced FILE", "or the file it was printed from"),
        told("--walls N", "or lines a wall", walls),
        told("--width MM", "of such a width", line_width),
        told("--layer MM", "layer height", layer_height),
        told("--line-model", "how lines are dosed", LINE_MODELS),
        "what it took",
        told("--grams G", "what it weighs", positive),
        told("--file-grams G", "by its file", positive),
        told("--minutes MIN", "how long it took", positive),
        told("--estimate MIN", "by its file", positive),
        "",
        told("--says TEXT", "a word on how it looks", small_text),
        told("--photo FILE", "where a picture of it lies"),
        instrument("calipers (default), micrometer or your own", kept="bench"),
        told("--zero MM", "what it shows when closed", signed_length),
    )  # fmt: skip

    def given(self, options: Namespace) -> bool:
        refuse_unplanned(self, options, bool(options.at), "a part")
        return bool(options.at)

    def settle(
        self, options: Namespace, bench: OnBench, plan: Plan[ProofSettings] | None
    ) -> Settled[ProofSettings]:
        planned = plan and plan.settings
        part = options.of or (planned.part if planned else _PART)
        if planned and planned.places and not _tells_wall(options):
            wall_mm = planned.places[0].expected_mm
            expected = Expected(wall_mm, planned.layer_mm, planned.expected_from)
        else:
            expected = expected_wall(options, bench)
        name = self.sought(options, bench, plan)["instrument"].value
        places = with_expected(tuple(options.at or ()), expected, part)
        if planned and not places:
            places = planned.places
            if expected.wall_mm and _tells_wall(options):
                places = tuple(place._replace(expected_mm=expected.wall_mm) for place in places)
        stands = bench.stands("flow").in_force
        settings = ProofSettings(
            part=part,
            places=places,
            instrument_mm=figures_of(bench.book, name, "wall", options.zero),
            layer_mm=options.layer or expected.layer_mm or (planned and planned.layer_mm),
            grams=options.grams,
            file_grams=options.file_grams or expected.grams or (planned and planned.file_grams),
            minutes=options.minutes,
            file_minutes=options.estimate or expected.minutes or (planned and planned.file_minutes),
            estimate_from=_whose_minutes(options, expected, planned),
            says=options.says,
            photo=photo_at(options.photo),
            flow_percent=None if stands is None else VALUES["flow"].seen(stands),
            expected_from=expected.source,
            cube=_cube(places, expected, bench),
        )
        if expected.wall_mm and not places:
            # What is asked for one by one is held against this.
            settings = settings._replace(places=with_expected(_UNNAMED, expected, part))
        return Settled(settings, Conditions(instrument=name), expected.notes)

    def recipe(self, settled: Settled[ProofSettings], bench: OnBench) -> list[tuple[str, str]]:
        settings = settled.settings
        steps = [("print", settings.part), ("measure", "its walls at three places or more")]
        if settings.places:
            steps.append(("should be", f"{settings.places[0].expected_mm:.3f} mm"))
        return [*steps, ("note", "its grams and its minutes")]

    def readings(
        self, options: Namespace, settled: Settled[ProofSettings], bench: OnBench
    ) -> list[Reading]:
        return _readings(options.at)

    def asked(self, settled: Settled[ProofSettings], bench: OnBench) -> Asked:
        settings = settled.settings
        return Asked(
            self.name,
            "Places of the part and their walls, one a line: north=0.58, or pole=0.57/0.58.",
            ("place …",),
            "Let the part cool. Name a place so that you find it again on the next print. Close "
            "the jaws until they just touch.",
            settings.instrument_mm,
            lambda *_: None,
            lambda text: [reading.value for reading in read_place(text).readings],
        )

    def taken_in(
        self,
        settled: Settled[ProofSettings],
        lines: Sequence[tuple[str, str]],
        readings: list[Reading],
    ) -> tuple[Settled[ProofSettings], list[Reading]]:
        settings = settled.settings
        given = [read_place(text) for _, text in lines]
        known = settings.places[0].expected_mm if settings.places else None
        lacking = [place.name for place in given if place.expected_mm is None and known is None]
        if lacking:
            raise BadInput(f"--expect is needed: the wall that {lacking[0]} should have, in mm")
        expected = Expected(known, settings.layer_mm, settings.expected_from)
        places = with_expected(tuple(given), expected, settings.part)
        return settled._replace(settings=settings._replace(places=places)), _readings(given)

    def context(
        self,
        bench: OnBench,
        settings: ProofSettings,
        conditions: Conditions,
        before: int | None = None,
    ) -> ProofContext:
        flow = None
        if settings.cube:
            flow = flow_context_of(bench, settings.cube, conditions, before)
        for trial in reversed(trials(bench.book, _MOST, test=self.name)):
            if trial.state != "measured" or (before is not None and trial.number >= before):
                continue
            earlier = self.form.of(bench.book, trial)
            if earlier.part.lower() == settings.part.lower():
                finding = self.judge(earlier, readings(bench.book, trial.number), ProofContext())
                return ProofContext(Before(trial.number, trial.at, finding), flow)
        return ProofContext(flow=flow)

    def judge(
        self, settings: ProofSettings, readings: Sequence[Reading], context: ProofContext
    ) -> ProofFinding:
        proof = prove(settings.measured(readings), settings.instrument_mm, BAND, settings.job)
        cube, notes = settings.cube, list(proof.notes)
        if settings.layer_mm is None:
            notes.append("the layer height is not known: --layer")
        if cube is None or context.flow is None:
            return proof._replace(notes=tuple(notes))
        cube = cube._replace(instrument_mm=settings.instrument_mm)
        section = cube.sections[0]
        dose = cube.dose_of(section)
        apart_mm = dose and dose.spacing_mm
        if apart_mm is None and cube.width_mm:
            apart_mm = spacing_mm(cube.width_mm, cube.layer_mm, cube.line_model or "rounded")
        asked = apart_mm and other_lines_note(
            proof.mean.value, section.walls, apart_mm, cube.layer_mm
        )
        if asked:
            return proof._replace(notes=(asked, *notes))
        flow = judge_walls(cube, readings, context.flow)
        return proof._replace(flow=flow, notes=tuple(notes))

    def result(self, settings: ProofSettings, finding: ProofFinding) -> ProofResult:
        return ProofResult(
            part=settings.part,
            mean_mm=finding.mean.value,
            mean_u95_mm=finding.mean.u95,
            expected_mm=finding.expected_mm,
            off_percent=100 * finding.off,
            off_u95_percent=100 * finding.off_u95,
            uneven_mm=finding.uneven_mm,
            places=tuple(
                PlaceResult(at.name, at.wall_mm, at.expected_mm, 100 * at.off, 100 * at.off_u95)
                for at in finding.places
            ),
            thinnest=finding.thinnest.name,
            thin=tuple(at.name for at in finding.thin),
            grams_off_percent=None if finding.grams_off is None else 100 * finding.grams_off,
            time_factor=finding.factor,
            estimate_from=settings.estimate_from,
            sure_percent=100 * finding.sure,
            texture_percent=100 * finding.texture,
            flow_new_percent=finding.flow and 100 * finding.flow.flow_new,
            flow_to_type_percent=None
            if finding.flow is None or finding.flow.flow_to_type is None
            else VALUES["flow"].seen(finding.flow.flow_to_type),
            interval_percent=tuple(100 * end for end in finding.flow.interval)
            if finding.flow
            else (),
        )


def _cube(places: Sequence[ProofPlace], expected: Expected, bench: OnBench) -> FlowSettings | None:
    """Return how walls were printed that are all of the same lines, where that is known."""
    if expected.cube is None or any(place.expected_mm != expected.wall_mm for place in places):
        return None
    flow = bench.stands("flow").in_force
    return expected.cube._replace(
        set_percent=None if flow is None else VALUES["flow"].seen(flow),
        esteps=steps_in_force(bench.book, bench.setup.printer) if bench.setup else None,
        diameter_mm=bench.slicer_mm,
    )


def _tells_wall(options: Namespace) -> bool:
    """Tell whether the options say what walls should be."""
    return any((options.expect, options.sliced, options.walls, options.width))


def _whose_minutes(
    options: Namespace, expected: Expected, planned: ProofSettings | None
) -> Literal["file", "given"]:
    """Tell whose estimate the file's minutes are: Metier's own, or one that was typed."""
    if options.estimate:
        return "given"
    if expected.minutes:
        return "file"
    return planned.estimate_from if planned else "given"


_UNNAMED = (GivenPlace("place", ()),)


def _readings(places: Sequence[GivenPlace]) -> list[Reading]:
    return [
        Reading(place.name, each.value, each.text) for place in places for each in place.readings
    ]


KIND = Proof()
